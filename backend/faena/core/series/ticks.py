"""When the next sample is due, and where none was taken."""

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from faena.core.series.window import Window
from faena.core.units import EpochMs

GAP_FACTOR = 2.5  # a silence of more than this many periods is a gap; below it is ordinary jitter


@dataclass(frozen=True, slots=True)
class Tick:
    """`missed` counts the ticks that came due since the last one and were not taken."""

    due: EpochMs
    missed: int


@dataclass(frozen=True, slots=True)
class Gap:
    """Half-open [start, end) in which the server was not sampled."""

    start: EpochMs
    end: EpochMs


def next_tick(last: EpochMs | None, period_ms: int, now: EpochMs) -> Tick:
    """The period to sample next, by its start: the one `now` lies in if it was not sampled, else the one after.

    Periods slept through are skipped, never replayed in a burst. They start on multiples of the period since 1970, so
    that collectors that replace each other keep the same rhythm; the first begins after `now`, to be had whole.
    """
    if period_ms <= 0:
        raise ValueError(f"period must be above zero milliseconds: {period_ms}")
    if last is None:
        return Tick(EpochMs((now // period_ms + 1) * period_ms), missed=0)
    # Where the wall clock was set back: keep the order of time, wait for it to catch up.
    due = EpochMs(max(now // period_ms * period_ms, last + period_ms))
    return Tick(due, missed=max(0, (due - last) // period_ms - 1))


def gaps(tick_ms: npt.NDArray[np.int64], window: Window, period_ms: int) -> list[Gap]:
    """Stretches of the window longer than GAP_FACTOR periods without a tick, its ends included."""
    inside = tick_ms[(tick_ms >= window.start) & (tick_ms < window.end)]
    edges = np.concatenate(([window.start - period_ms], inside, [window.end]))
    silent = np.flatnonzero(np.diff(edges) > GAP_FACTOR * period_ms)
    return [Gap(EpochMs(int(edges[i]) + period_ms), EpochMs(int(edges[i + 1]))) for i in silent]


def missing_ticks(taken: int, window: Window, period_ms: int) -> int:
    """How many ticks came due in the window and were not taken."""
    first = -(-window.start // period_ms)
    last = -(-window.end // period_ms)
    return max(0, last - first - taken)
