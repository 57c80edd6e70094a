"""Leads that were found, each trouble once: when and how often it came, and what people said of it."""
