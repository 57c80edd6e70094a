"""A change as it was found, before anybody stored it."""

from dataclasses import dataclass

from faena.core.changes.kinds import ChangeKind
from faena.core.units import EpochMs


@dataclass(frozen=True, slots=True, kw_only=True)
class Found:
    """From `since` to `at` it came about: the moment of the look that showed it, and of the look before it, or the very moment.

    `object` is its name, `table` that of the table it belongs to; `before` and `after` are in words, "" where there is none.
    """

    kind: ChangeKind
    at: EpochMs
    since: EpochMs
    object: str
    table: str = ""
    before: str = ""
    after: str = ""
