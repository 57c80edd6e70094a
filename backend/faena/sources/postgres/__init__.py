"""PostgreSQL 12 to 17 as a source."""

from faena.sources.postgres.check import check_connection
from faena.sources.postgres.source import PostgresSource, Target

__all__ = ["PostgresSource", "Target", "check_connection"]
