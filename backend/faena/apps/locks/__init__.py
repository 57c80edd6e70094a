"""Blocking, sessions and deadlocks: what is stored of them, read, and done about them."""
