"""Settings, URLs and the ASGI entry."""
