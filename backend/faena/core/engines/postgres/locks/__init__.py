"""PostgreSQL's lock table and its modes."""
