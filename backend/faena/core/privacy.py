"""What may hold personal data, as a type: a text is either free of literals, and anybody may see it, or Raw.

Raw is no string. It cannot be put into an answer, a log line or a message by mistake: mypy refuses it, and so does what
writes answers. It is opened with a Permit, which only the policy of the application gives out.
"""

from dataclasses import dataclass
from typing import NewType, final

Normalised = NewType("Normalised", str)  # a text without literals; only core/sql and core/discreet make them


@final
@dataclass(frozen=True, slots=True, kw_only=True)
class Permit:
    """Somebody may see literals. `holder` is the name it was given to, for the record."""

    holder: str


@final
class Raw:
    """A text as it was, literals and all. Shows itself as its length."""

    __slots__ = ("_text",)

    def __init__(self, text: str) -> None:
        self._text = text

    def open(self, permit: Permit) -> str:
        """The text, for somebody who may see it."""
        return self._text

    def sealed(self) -> str:
        """The text, for the store alone."""
        return self._text

    def __repr__(self) -> str:
        return f"<raw text of {len(self._text)} characters>"

    __str__ = __repr__

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Raw) and self._text == other._text

    def __hash__(self) -> int:
        return hash(self._text)

    def __bool__(self) -> bool:
        return bool(self._text)


def shown(bare: Normalised, raw: Raw | None, permit: Permit | None) -> str:
    """What a reader sees: the text as it was where it is kept and may be seen, else without literals."""
    return raw.open(permit) if raw is not None and permit is not None else bare
