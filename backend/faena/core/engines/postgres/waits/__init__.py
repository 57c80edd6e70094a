"""The wait events of PostgreSQL 12 to 17: kinds, meanings, and what to do about each."""
