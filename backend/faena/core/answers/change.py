"""How a figure differs from the same one at another time."""

from dataclasses import dataclass
from math import isnan


@dataclass(frozen=True, slots=True, kw_only=True)
class Change:
    """`ratio` is None where there is nothing to divide by, both are None where either figure is not known."""

    difference: float | None
    ratio: float | None


def change(now: float, before: float) -> Change:
    """NaN stands for a figure that is not known."""
    if isnan(now) or isnan(before):
        return Change(difference=None, ratio=None)
    return Change(difference=now - before, ratio=now / before if before > 0 else None)
