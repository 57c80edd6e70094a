"""Joins collector, sources and store."""
