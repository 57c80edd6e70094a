"""Alerts from evidence: what signals say of each server, and what is told of the trouble that they show."""
