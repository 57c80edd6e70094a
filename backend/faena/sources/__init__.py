"""Adapters that turn watched things into readings. Each implements `core.ports.Source`; none knows Django."""
