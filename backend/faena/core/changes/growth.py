"""Tables that grew by more than they usually do."""

from collections.abc import Sequence
from itertools import pairwise
from statistics import median

LEAST_DAYS = 4  # of growth, before any is called unusual
TIMES, LEAST_SHARE = 3.0, 0.1  # as much as usual, and of its size
LEAST_BYTES = 8 * 1024 * 1024


def grew(sizes: Sequence[int]) -> tuple[int, int] | None:
    """From sizes at the same hour of days that follow each other, the newest last: bytes it grew by, and what is usual.

    None where the last day was as usual, or too few days are known.
    """
    steps = [b - a for a, b in pairwise(sizes)]
    if len(steps) < LEAST_DAYS + 1:
        return None
    *earlier, last = steps
    usual = int(median(earlier))
    if last < LEAST_BYTES or last < LEAST_SHARE * sizes[-2] or last < TIMES * max(usual, 0):
        return None
    return last, usual
