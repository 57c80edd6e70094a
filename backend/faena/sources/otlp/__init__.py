"""OpenTelemetry traces as they come in: bytes of a payload → spans of the core."""
