"""The only place in the core that sees several kinds of evidence at once."""
