"""Differences of cumulative statement counters, with resets, evictions and restarts told apart from work."""

from dataclasses import dataclass
from enum import StrEnum

import numpy as np
import numpy.typing as npt

from faena.core.readings import COUNTER_FIELDS, CounterKey, CounterReading
from faena.core.units import EpochMs

CALLS = COUNTER_FIELDS.index("calls")
# All but the squares, which are worked out from a rounded deviation, never go down while an entry lasts.
_GROWING = np.array([name != "sumsq_ms2" for name in COUNTER_FIELDS])
_ROUNDING = 1e-9  # of sums of milliseconds


class Break(StrEnum):
    """Why a difference may miss work: the counters did not run through from one reading to the next."""

    RESET = "reset"  # somebody reset the counters
    RESTART = "restart"  # the server restarted; counters survive a clean stop, not a crash
    EVICTION = "eviction"  # entries were thrown out for want of room, so some work is nowhere counted


@dataclass(frozen=True, slots=True, kw_only=True)
class CounterDelta:
    """Work done in (since, until]. `values` has shape (len(keys), len(COUNTER_FIELDS)); rows without calls are left out."""

    since: EpochMs
    until: EpochMs
    keys: tuple[CounterKey, ...]
    values: npt.NDArray[np.float64]
    breaks: frozenset[Break]


def difference(before: CounterReading, after: CounterReading) -> CounterDelta:
    """What was counted between two readings; never negative.

    An entry of which any figure went down, or which says that it began later, was evicted (or reset) and came back: its
    present figures are all work since then, so they are taken whole, and what was lost in between is said by `breaks`.
    Before version 17 one that came back and did more of everything than before looks like one that went on; that entries
    were evicted is said then, too. Raises ValueError out of order.
    """
    if after.at <= before.at:
        raise ValueError(f"readings out of order: {before.at} .. {after.at}")
    index = {key: row for row, key in enumerate(before.keys)}
    rows = np.fromiter((index.get(key, -1) for key in after.keys), dtype=np.int64, count=len(after.keys))
    base = np.zeros_like(after.values)
    known = rows >= 0
    base[known] = before.values[rows[known]]
    whole_reset = before.reset_at is not None and after.reset_at != before.reset_at
    less = after.values < base - _ROUNDING * np.abs(base)
    went_back = (less & _GROWING).any(axis=1)
    if before.entry_since is not None and after.entry_since is not None:
        went_back |= known & (after.entry_since != before.entry_since[rows])
    base[went_back | whole_reset] = 0.0
    values = np.maximum(after.values - base, 0.0)
    worked = values[:, CALLS] > 0
    return CounterDelta(
        since=before.at,
        until=after.at,
        keys=tuple(key for key, did in zip(after.keys, worked, strict=True) if did),
        values=values[worked],
        breaks=_breaks(before, after, whole_reset=whole_reset, went_back=bool(went_back.any())),
    )


def _breaks(before: CounterReading, after: CounterReading, *, whole_reset: bool, went_back: bool) -> frozenset[Break]:
    found = set()
    if after.server_started != before.server_started:
        found.add(Break.RESTART)
    if whole_reset:
        found.add(Break.RESET)
    elif (after.evictions or 0) > (before.evictions or 0):
        found.add(Break.EVICTION)
    elif went_back:
        # Without a change of reset time or eviction count, a single entry was reset by hand (or the version is silent).
        found.add(Break.RESET)
    return frozenset(found)
