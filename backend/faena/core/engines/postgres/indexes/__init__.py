"""Indexes: which would help a plan, what they would cost, and which only cost."""
