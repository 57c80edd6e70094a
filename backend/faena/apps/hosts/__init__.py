"""Statements: texts and counter differences."""
