"""What a server's load usually is at an hour of the week, and where it departs from that.

Robust on purpose: medians over days, so that an incident on one of them does not become the rule.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import overload

import numpy as np
import numpy.typing as npt

from faena.core.series.window import Buckets
from faena.core.units import MS_PER_HOUR, EpochMs

Floats = npt.NDArray[np.float64]
Flags = npt.NDArray[np.bool_]
HISTORY_MS = 42 * 24 * MS_PER_HOUR  # what lies further back describes another application
MIN_DAYS = 3  # fewer days alike, and nothing is called usual
SAME_HOUR_WEEKS = 4  # with so many weeks, the same hour of the week alone; else all workdays, or all weekends
MIN_TICKS_SHARE = 0.5  # an hour sampled for less than this says nothing
SPREADS = 2.0  # how far the band reaches beyond the median of each day's 10 and 90% minutes, in spreads between days
MAD_TO_SIGMA = 1.4826  # of a normal distribution, the standard deviation over the median absolute deviation
SLACK_SHARE, SLACK_SESSIONS = 0.1, 0.25  # a band is never tighter: nobody is woken for a quarter of a session
JUDGED_MS = 300_000  # departures are judged over five minutes, so that a single long statement is none


@dataclass(frozen=True, slots=True)
class PastHours:
    """Hours that were sampled: start, ticks, and three quantiles of load by minute for running and for waiting.

    `quantiles` has shape (hours, 2, 3): side (running, waiting), then 10, 50 and 90%.
    """

    hour_ms: npt.NDArray[np.int64]
    ticks: npt.NDArray[np.int64]
    quantiles: Floats


@dataclass(frozen=True, slots=True)
class UsualBand:
    """Per bucket: `low`, `middle`, `high`, shape (2, buckets), running then waiting; NaN where too little is known.

    `days` is how many earlier days alike stand behind the least known bucket.
    """

    low: Floats
    middle: Floats
    high: Floats
    days: int


@overload
def is_weekend(at_ms: int) -> bool: ...
@overload
def is_weekend(at_ms: npt.NDArray[np.int64]) -> Flags: ...
def is_weekend(at_ms: int | npt.NDArray[np.int64]) -> bool | Flags:
    """In UTC, as all hours are kept: 1970-01-01 was a Thursday."""
    return (at_ms // (24 * MS_PER_HOUR) + 3) % 7 >= 5


def usual(past: PastHours, buckets: Buckets, period_ms: int, marked: Sequence[tuple[int, int]] = ()) -> UsualBand:
    """The band over the buckets, gliding from the middle of one hour to that of the next.

    Learned from hours before the day each bucket lies in, without those that touch a marked span.
    """
    known = past.ticks >= MIN_TICKS_SHARE * MS_PER_HOUR / period_ms
    for start, end in marked:
        known &= (past.hour_ms >= end) | (past.hour_ms + MS_PER_HOUR <= start)
    hours, quantiles = past.hour_ms[known], past.quantiles[known]
    middles = np.array(buckets.starts(), dtype=np.int64) + buckets.width_ms // 2
    wanted = np.unique(((middles - MS_PER_HOUR // 2) // MS_PER_HOUR)[:, None] + np.arange(2)) * MS_PER_HOUR
    bands, days = np.full((len(wanted), 2, 3), np.nan), []
    for i, hour in enumerate(wanted.tolist()):
        alike = _alike(hours, hour)
        days.append(int(alike.sum()))
        if days[-1] >= MIN_DAYS:
            bands[i] = _band(quantiles[alike])
    centre = wanted + MS_PER_HOUR // 2
    over = np.stack(
        [[np.interp(middles, centre, bands[:, side, q]) for side in range(2)] for q in range(3)]
    )  # NaN spreads to what it borders on, as it should
    return UsualBand(low=over[0], middle=over[1], high=over[2], days=min(days, default=0))


def _alike(hours: npt.NDArray[np.int64], hour: int) -> Flags:
    """Which past hours are like this one: same hour of the week, or while there are few weeks, same kind of day."""
    day = hour - hour % (24 * MS_PER_HOUR)
    before: Flags = (hours < day) & (hours >= day - HISTORY_MS)
    same_hour: Flags = before & ((hour - hours) % (7 * 24 * MS_PER_HOUR) == 0)
    if same_hour.sum() >= SAME_HOUR_WEEKS:
        return same_hour
    same_kind: Flags = ((hour - hours) % (24 * MS_PER_HOUR) == 0) & (is_weekend(hours) == is_weekend(hour))
    both: Flags = before & same_kind
    return both


def _band(quantiles: Floats) -> Floats:
    """(days, 2, 3) to (2, 3): medians over the days, widened by how much the days differ."""
    low, middle, high = np.median(quantiles, axis=0).T
    spread = MAD_TO_SIGMA * np.median(np.abs(quantiles[:, :, 1] - middle), axis=0)
    slack = np.maximum(SPREADS * spread, np.maximum(SLACK_SHARE * middle, SLACK_SESSIONS))
    return np.stack([np.maximum(low - slack, 0), middle, high + slack], axis=1)


@dataclass(frozen=True, slots=True, kw_only=True)
class Departure:
    """A stretch in which running or waiting lay outside its band. Loads are means over the stretch, in sessions."""

    start: EpochMs
    end: EpochMs
    side: str  # running or waiting
    load: float
    usual: float

    @property
    def size(self) -> float:
        """Sessions on top of the usual; below zero where there were fewer."""
        return self.load - self.usual


def departures(running: Floats, waiting: Floats, band: UsualBand, buckets: Buckets) -> list[Departure]:
    """Stretches outside the band, largest first. `running` and `waiting` are means per bucket, NaN in gaps.

    Buckets narrower than JUDGED_MS are judged together.
    """
    each = max(1, JUDGED_MS // buckets.width_ms)
    found = []
    for side, (name, load) in enumerate((("running", running), ("waiting", waiting))):
        cells = [slice(i, i + each) for i in range(0, buckets.count, each)]
        with np.errstate(invalid="ignore"):
            means, low, middle, high = (
                np.array([_mean(row[cell]) for cell in cells])
                for row in (load, band.low[side], band.middle[side], band.high[side])
            )
            outside = np.where(means > high, 1, np.where(means < low, -1, 0))
        for first, last in _stretches(outside):
            found.append(
                Departure(
                    start=EpochMs(buckets.start + first * each * buckets.width_ms),
                    end=EpochMs(buckets.start + min((last + 1) * each, buckets.count) * buckets.width_ms),
                    side=name,
                    load=_mean(means[first : last + 1]),
                    usual=_mean(middle[first : last + 1]),
                )
            )
    return sorted(found, key=lambda d: -abs(d.size) * (d.end - d.start))


def _mean(values: Floats) -> float:
    there = values[~np.isnan(values)]
    return float(there.mean()) if len(there) else float("nan")


def _stretches(signs: npt.NDArray[np.integer]) -> list[tuple[int, int]]:
    """First and last index of each run of the same sign, zeros left out."""
    edges = np.flatnonzero(np.diff(signs)) + 1
    firsts, ends = np.r_[0, edges], np.r_[edges, len(signs)]
    return [(int(a), int(b) - 1) for a, b in zip(firsts, ends, strict=True) if b > a and signs[a] != 0]
