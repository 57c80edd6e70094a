"""Requests of applications: traces as they come in, what is kept of them, their sums, and what is read from those."""
