"""PostgreSQL 12 to 17 as a source."""

from faena.sources.postgres.source import PostgresSource, Target
from faena.sources.postgres.check import check_connection

__all__ = ["PostgresSource", "Target", "check_connection"]
