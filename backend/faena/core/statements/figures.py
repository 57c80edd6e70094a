"""Figures of statements over a window, from summed counter differences."""

from collections.abc import Sequence
from dataclasses import dataclass
from math import sqrt
from typing import NamedTuple

import numpy as np
import numpy.typing as npt

from faena.core.labels import Labelled
from faena.core.readings import COUNTER_FIELDS
from faena.core.units import Millis, QueryId


@dataclass(frozen=True, slots=True, kw_only=True)
class StatementFigures:
    """Sums over a window, and what follows from them per call. Blocks are the server's pages, usually 8 KiB."""

    query_id: QueryId
    calls: float
    total_ms: float
    sumsq_ms2: float
    rows: float
    plan_ms: float
    blocks_hit: float
    blocks_read: float
    blocks_dirtied: float
    blocks_written: float
    read_ms: float
    write_ms: float
    temp_read: float
    temp_written: float
    wal_bytes: float

    @property
    def mean_ms(self) -> Millis | None:
        """Execution time per call; None without calls."""
        return Millis(self.total_ms / self.calls) if self.calls else None

    @property
    def stddev_ms(self) -> Millis | None:
        """Standard deviation of single executions inside this window; None below two calls."""
        return spread(self.calls, self.total_ms, self.sumsq_ms2)


class Effort(NamedTuple):
    """What a statement took in a window, as far as two windows are compared by it."""

    calls: float
    total_ms: float
    blocks_read: float
    read_ms: float


class Measure(Labelled):
    """What a ranking can be ordered by."""

    TOTAL = "total_ms", "time", "execution time in this window, all calls together"
    MEAN = "mean_ms", "per call", "execution time per call"
    CALLS = "calls", "calls", "how often it ran"
    ROWS = "rows", "rows", "rows returned or changed"
    READS = "blocks_read", "blocks read", "pages read from outside shared buffers"
    HITS = "blocks_hit", "buffer hits", "pages found in shared buffers"
    TEMP = "temp_written", "temp written", "temporary files written, because memory did not suffice"
    WAL = "wal_bytes", "WAL", "WAL written"
    STDDEV = "stddev_ms", "std. deviation", "standard deviation of single executions in this window"
    PLAN = "plan_ms", "plan time", "time spent planning"
    READ_TIME = "read_ms", "read time", "time waited for reads, where the server times them"
    ERRORS = "errors", "errors", "errors, timeouts and cancels in the log"
    CHANGE = "change", "change", "time a second, against the window before"
    SESSIONS = "sessions", "sessions", "sessions in it on average, as sampled, also in calls that have not ended"
    ON_CPU = "on_cpu", "on CPU", "sessions running it on CPU on average, as sampled"
    DISK_READ = "disk_read_rate", "disk read", "bytes read from the disks a second, calls under way included"
    DISK_WRITTEN = "disk_write_rate", "disk write", "bytes written a second, calls under way included"


def sum_of_squares(calls: float, mean_ms: float, stddev_ms: float) -> float:
    """Sum of squared times behind a mean and a population standard deviation: n (s^2 + m^2)."""
    return calls * (stddev_ms * stddev_ms + mean_ms * mean_ms)


def spread(calls: float, total_ms: float, sumsq_ms2: float) -> Millis | None:
    """Population standard deviation from n, sum and sum of squares: sqrt(Q/n - (S/n)^2); None below two calls.

    Squares of differences lose digits when the spread is tiny beside the mean; a result below what double precision
    can tell apart (about 1e-7 of the mean) is returned as zero rather than as noise.
    """
    if calls < 2:
        return None
    mean = total_ms / calls
    variance = sumsq_ms2 / calls - mean * mean
    if variance <= 1e-14 * mean * mean:
        return Millis(0.0)
    return Millis(sqrt(variance))


def order(figures: Sequence[StatementFigures], by: Measure) -> list[StatementFigures]:
    """Largest first; statements without the measure (a spread of one call) come last."""

    def key(one: StatementFigures) -> tuple[bool, float, int]:
        value = getattr(one, by)
        return (value is None, -(value or 0.0), one.query_id)

    return sorted(figures, key=key)


def figures_of(query_id: QueryId, sums: npt.NDArray[np.float64]) -> StatementFigures:
    """From a row of sums in the order of COUNTER_FIELDS."""
    return StatementFigures(query_id=query_id, **dict(zip(COUNTER_FIELDS, map(float, sums), strict=True)))
