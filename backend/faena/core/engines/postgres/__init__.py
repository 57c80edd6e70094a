"""Statements and quoting of PostgreSQL, for a DBA to copy."""
