"""Values on their way into a spreadsheet."""


def harmless(value: object) -> object:
    """A value that no spreadsheet takes for a formula: an apostrophe stands before what looks like one."""
    return f"'{value}" if isinstance(value, str) and value[:1] in ("=", "+", "-", "@", "\t", "\r") else value
