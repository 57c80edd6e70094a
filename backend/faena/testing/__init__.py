"""Doubles and builders for tests. Ships with the product, imported by none of it."""
