"""Numbers out of foreign text, and numbers in sentences."""

INT4 = 2**31 - 1
INT8 = 2**63 - 1


def whole_number(text: str, most: int = INT8) -> int | None:
    """The number, or None: "²" is a digit for Python and no number, and twenty digits fit nowhere."""
    bare = text[1:] if text[:1] == "-" else text
    if not bare.isascii() or not bare.isdigit() or len(bare) > 19:
        return None
    number = int(text)
    return number if -most - 1 <= number <= most else None


def count(value: float) -> str:
    """A number in a sentence: three figures and a letter where it is large."""
    for size, word in ((1e9, " G"), (1e6, " M"), (1e4, " k")):
        if value >= size:
            return f"{value / (size if word != ' k' else 1000):.3g}{word}"
    return f"{value:,.0f}".replace(",", " ")


def took(ms: float) -> str:
    """A duration in a sentence, in the two largest units: "480 ms", "3.2 s", "10 min 42 s"."""
    if ms < 1000:
        return f"{ms:.3g} ms"
    if ms < 60_000:
        return f"{ms / 1000:.3g} s"
    minutes, seconds = divmod(round(ms / 1000), 60)
    if minutes < 60:
        return f"{minutes} min {seconds} s" if seconds else f"{minutes} min"
    hours, minutes = divmod(minutes, 60)
    return f"{hours} h {minutes} min" if minutes else f"{hours} h"
