"""Whole numbers out of foreign text: digits of ASCII alone, within bounds that a column can hold."""

INT4 = 2**31 - 1
INT8 = 2**63 - 1


def whole_number(text: str, most: int = INT8) -> int | None:
    """The number, or None: "²" is a digit for Python and no number, and twenty digits fit nowhere."""
    bare = text[1:] if text[:1] == "-" else text
    if not bare.isascii() or not bare.isdigit() or len(bare) > 19:
        return None
    number = int(text)
    return number if -most - 1 <= number <= most else None
