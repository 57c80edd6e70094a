"""Answers about several servers at once: trouble, groups, indicators. Reads what the other apps keep, stores nothing."""
