"""Plans as PostgreSQL writes them: reading, writing, judging and asking for them."""
