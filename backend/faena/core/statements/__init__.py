"""Statements: counter differences, figures of a window, texts and the tables they touch."""
