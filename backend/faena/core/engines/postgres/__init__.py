"""PostgreSQL: how it is told what to do."""
