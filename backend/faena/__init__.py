"""Faena: find out why a database is slow, and prove the repair."""

__version__ = "0.1.0"
