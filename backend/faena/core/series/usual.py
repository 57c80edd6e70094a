"""What a server's load usually is at a time of the day, and where it departs from that.

Told by cells of five minutes, so that a job of a few minutes each night is usual in its minutes and nowhere else, and so
that a day looked at as a whole and one looked at closely agree. Robust on purpose: medians over days, and the day that
differs most counts for nothing, so that an incident does not become the rule.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache
from statistics import NormalDist

import numpy as np
import numpy.typing as npt

from faena.core.series.baseline import MIN_DAYS, days_alike
from faena.core.series.calendar import IN_UTC, Calendar
from faena.core.series.window import Buckets, Window
from faena.core.units import MS_PER_DAY, EpochMs

Floats = npt.NDArray[np.float64]
Flags = npt.NDArray[np.bool_]
Whole = npt.NDArray[np.int64]
SIDES = ("running", "waiting")
CELL_MS = 300_000
CELLS_A_DAY = MS_PER_DAY // CELL_MS
HISTORY_DAYS = 42  # what lies further back describes another application
MIN_TICKS_SHARE = 0.5  # a cell sampled for less than this says nothing
FALSE_ALARMS = 0.012  # of a cell that is as usual, the chance to lie outside of its band, if days differ as expected
# Before days have told how much they differ, they are expected to: by this share of the load, as sure as if so many
# days had shown it, and by the chance of which statements lasting so long fell into a cell.
EXPECTED_SHARE, EXPECTED_DAYS, STATEMENT_S = 0.15, 3, 3.0
SLACK_SHARE, SLACK_SESSIONS = 0.1, 0.25  # a band is never tighter: nobody is woken for a quarter of a session
NEIGHBOURS = 6  # cells on either side whose days may tell how much days differ, if their load is about the same
ABOUT_THE_SAME = 2.0  # times as much, at most


@dataclass(frozen=True, slots=True)
class PastDays:
    """Mean sessions in the cells of days that follow each other, (days, CELLS_A_DAY, 2), running then waiting.

    By the clock of `calendar`; `first` counts days since 1970-01-01. NaN where a cell was not sampled. In single
    precision, since months of hundreds of servers are kept in memory.
    """

    first: int
    load: npt.NDArray[np.float32]
    calendar: Calendar

    def at(self, start_ms: Whole) -> Floats:
        """Loads of the cells that begin at these moments, (2, cells)."""
        day, slot = _place(self.calendar.local(start_ms))
        found = np.full((len(SIDES), len(start_ms)), np.nan)
        inside = (day >= self.first) & (day < self.first + len(self.load))
        found[:, inside] = self.load[day[inside] - self.first, slot[inside]].T
        return found


def past_days(
    start_ms: Whole, ticks: npt.NDArray[np.integer], load: Floats, period_ms: int, calendar: Calendar = IN_UTC
) -> PastDays:
    """From cells by their starts, multiples of CELL_MS: ticks in each, and mean sessions by side, (cells, 2).

    Of an hour that the clock had twice, one is kept.
    """
    known = ticks >= MIN_TICKS_SHARE * CELL_MS / period_ms
    if not known.any():
        return PastDays(0, np.full((0, CELLS_A_DAY, len(SIDES)), np.nan, dtype=np.float32), calendar)
    day, slot = _place(calendar.local(start_ms[known]))
    first = int(day.min())
    table = np.full((int(day.max()) - first + 1, CELLS_A_DAY, len(SIDES)), np.nan, dtype=np.float32)
    table[day - first, slot] = load[known]
    return PastDays(first, table, calendar)


@dataclass(frozen=True, slots=True)
class CellBand:
    """What is usual in cells that follow each other, the first at `start`: shape (2, cells), running then waiting.

    NaN where too little is known. `days` is how many earlier days alike stand behind each cell.
    """

    start: int
    low: Floats
    middle: Floats
    high: Floats
    days: Whole

    def over(self, buckets: Buckets) -> "UsualBand":
        """The band of buckets: the mean of the cells in each, or the cell in which a narrow one lies."""
        edges = np.arange(buckets.count + 1, dtype=np.int64) * buckets.width_ms + buckets.start - self.start
        first = edges[:-1] // CELL_MS
        count = np.maximum(-(-edges[1:] // CELL_MS) - first, 1)
        inside = first[:, None] + np.minimum(np.arange(count.max()), count[:, None] - 1)
        weight = np.arange(count.max()) < count[:, None]
        means = [
            np.where(weight, rows[:, inside], 0).sum(axis=2) / count for rows in (self.low, self.middle, self.high)
        ]
        return UsualBand(low=means[0], middle=means[1], high=means[2], days=int(self.days[inside].min(initial=10_000)))

    def high_over(self, window: Window) -> Floats:
        """The most that is usual in a window shorter than a cell, (2,): chance has more of a hand in it."""
        more = STATEMENT_S * 1000 * (1 / window.length_ms - 1 / CELL_MS)
        wider = NormalDist().inv_cdf(1 - FALSE_ALARMS / 2) * np.sqrt(np.maximum(self.middle * more, 0))
        found: Floats = (self.high + wider).max(axis=1)
        return found


@dataclass(frozen=True, slots=True)
class UsualBand:
    """Per bucket: `low`, `middle`, `high`, shape (2, buckets), running then waiting; NaN where too little is known.

    `days` is how many earlier days alike stand behind the least known bucket.
    """

    low: Floats
    middle: Floats
    high: Floats
    days: int


def usual(past: PastDays, window: Window, period_ms: int, marked: Sequence[tuple[int, int]] = ()) -> CellBand:
    """The band over the cells that the window touches.

    Learned from days before the one each lies in, without cells that touch a marked span. A job may begin a few minutes
    early or late: the band of a cell holds those of its neighbours.
    """
    first, last = window.start // CELL_MS - 1, -(-window.end // CELL_MS)  # with one more on either side
    starts = np.arange(first, last + 1, dtype=np.int64) * CELL_MS
    day, slot = _place(past.calendar.local(starts))
    table = _unmarked(past, marked)
    found = np.full((3, len(SIDES), len(starts)), np.nan)
    days = np.zeros(len(starts), dtype=np.int64)
    for one in np.unique(day).tolist():
        mine = day == one
        low, high = max(int(slot[mine].min()) - NEIGHBOURS, 0), int(slot[mine].max()) + NEIGHBOURS + 1
        before = slice(max(one - HISTORY_DAYS - past.first, 0), max(one - past.first, 0))
        values, count = days_alike(table[before, low:high].astype(np.float64), past.first + before.start, one)
        found[:, :, mine] = _band(values, count, CELL_MS // period_ms)[:, :, slot[mine] - low]
        days[mine] = count[slot[mine] - low].min(axis=1)
    around = np.stack([found[:, :, :-2], found[:, :, 1:-1], found[:, :, 2:]])
    middle = found[1, :, 1:-1]
    low, high = np.fmin.reduce(around[:, 0]), np.fmax.reduce(around[:, 2])
    unknown = np.isnan(middle)  # its neighbours do not tell of the cell itself
    low[unknown] = high[unknown] = np.nan
    return CellBand(start=int(starts[1]), low=low, middle=middle, high=high, days=days[1:-1])


def _place(local_ms: Whole) -> tuple[Whole, Whole]:
    return local_ms // MS_PER_DAY, local_ms % MS_PER_DAY // CELL_MS


def _unmarked(past: PastDays, marked: Sequence[tuple[int, int]]) -> npt.NDArray[np.float32]:
    """The loads without cells that touch a marked span."""
    if not marked:
        return past.load
    table = past.load.copy()
    cells, offset = table.reshape(-1, len(SIDES)), past.first * CELLS_A_DAY
    for start, end in marked:
        begins = past.calendar.local(start) // CELL_MS - offset
        ends = -(-past.calendar.local(end) // CELL_MS) - offset
        cells[max(begins, 0) : max(ends, 0)] = np.nan
    return table


def _band(values: Floats, count: Whole, ticks: int) -> Floats:
    """Low, middle and high of each cell from its loads on days alike, (days, cells, 2) to (3, 2, cells).

    The interval in which the next day's load is expected, of a normal distribution whose spread is known from few days
    and from what was expected beforehand (A. Gelman and others, Bayesian Data Analysis, 3rd edition, 2013, section 3.3).
    """
    if not len(values):
        return np.full((3, len(SIDES), values.shape[1]), np.nan)
    middle = _median(values, count)
    variance = _about_alike(_variance(values - middle, count), middle)
    freedom = np.maximum(count - 1, 1)
    chance = np.maximum(STATEMENT_S * 1000 / CELL_MS, 1 / max(ticks, 1)) * middle
    expected = (EXPECTED_SHARE * middle) ** 2 + chance
    half = _half(variance, expected, freedom, count)
    half = np.maximum(half, np.maximum(SLACK_SHARE * middle, SLACK_SESSIONS))
    band = np.stack([np.maximum(middle - half, 0), middle, middle + half])
    band[:, count < MIN_DAYS] = np.nan
    return band.transpose(0, 2, 1)


def _half(variance: Floats, expected: Floats, freedom: Whole, count: Whole) -> Floats:
    """Half of the width of the interval, from how days vary and how they were expected to."""
    varies = (EXPECTED_DAYS * expected + freedom * variance) / (EXPECTED_DAYS + freedom)
    # The median of so many days is itself known only so well: its variance is pi/2 of that of their mean.
    half: Floats = _student(1 - FALSE_ALARMS / 2, EXPECTED_DAYS + freedom) * np.sqrt(
        varies * (1 + np.pi / 2 / np.maximum(count, 1))
    )
    return half


@dataclass(frozen=True, slots=True, kw_only=True)
class UsualFigure:
    """What a figure is expected to be, from `days` earlier ones."""

    low: float
    middle: float
    high: float
    days: int


def usual_figure(earlier: Sequence[float], chance: float) -> UsualFigure | None:
    """The interval in which a figure is expected, from what it was on earlier days; None with too few of them.

    By the formula of the band. `chance` is the variance that the figure has by chance alone, though days are all alike.
    """
    if len(earlier) < MIN_DAYS:
        return None
    values, count = np.array(earlier, dtype=np.float64)[:, None], np.array([len(earlier)])
    middle = _median(values, count)
    expected = (EXPECTED_SHARE * middle) ** 2 + chance
    half = np.maximum(_half(_variance(values - middle, count), expected, count - 1, count), SLACK_SHARE * middle)
    at, off = float(middle[0]), float(half[0])
    return UsualFigure(low=max(at - off, 0.0), middle=at, high=at + off, days=len(earlier))


def _median(values: Floats, count: Whole) -> Floats:
    """Over the first axis, NaN left out, of which `count` are known; NaN where none is."""
    ordered = np.sort(values, axis=0)  # what is not known comes last
    low, high = np.maximum((count - 1) // 2, 0), count // 2
    pair = np.take_along_axis(ordered, np.stack([low, np.minimum(high, len(values) - 1)]), axis=0)
    found: Floats = pair.mean(axis=0)
    return found


def _variance(off: Floats, count: Whole) -> Floats:
    """Variance of days around their median, without the tenth of them (from four on, at least one) that is furthest off."""
    kept = count - np.where(count > MIN_DAYS, -(-count // 10), 0)
    squares = np.sort(np.square(off), axis=0)
    sums = np.cumsum(np.nan_to_num(squares), axis=0)
    total = np.take_along_axis(sums, np.maximum(kept - 1, 0)[None], axis=0)[0]
    factors = np.array([_left_out(n) for n in range(len(off) + 1)])
    found: Floats = total / np.maximum(kept, 1) * factors[count]
    return found


@cache
def _left_out(count: int) -> float:
    """By how much the mean square of what is left of a normal distribution is too small, its furthest values left out.

    The variance of a normal distribution cut off at both sides: 1 - 2qf(q)/p, where p of it is left, up to q. And the
    median of few days lies closer to them than the truth does.
    """
    if count < 2:
        return 1.0
    small = count / (count - 1)
    if count <= MIN_DAYS:
        return small
    normal = NormalDist()
    left = 1 - -(-count // 10) / count
    edge = normal.inv_cdf((1 + left) / 2)
    return small / (1 - 2 * edge * normal.pdf(edge) / left)


def _about_alike(variance: Floats, middle: Floats) -> Floats:
    """The mean of a cell's variance and those of its neighbours whose load is about the same, (cells, 2)."""
    cells = len(variance)
    total, weight = np.zeros_like(variance), np.zeros_like(variance)
    level = np.maximum(middle, SLACK_SESSIONS)
    for shift in range(-NEIGHBOURS, NEIGHBOURS + 1):
        here = slice(max(0, -shift), min(cells, cells - shift))
        there = slice(max(0, shift), min(cells, cells + shift))
        factor = level[there] / level[here]
        alike = (factor <= ABOUT_THE_SAME) & (factor >= 1 / ABOUT_THE_SAME) & ~np.isnan(variance[there])
        total[here] += np.where(alike, variance[there], 0)
        weight[here] += alike
    return np.divide(total, weight, out=np.full_like(total, np.nan), where=weight > 0)


def _student(share: float, freedom: npt.NDArray[np.integer]) -> Floats:
    """Quantile of Student's distribution, from that of the normal one.

    Source: M. Abramowitz and I. Stegun, Handbook of Mathematical Functions, 1964, 26.7.5.
    """
    z, v = NormalDist().inv_cdf(share), freedom.astype(np.float64)
    return (
        z
        + (z**3 + z) / (4 * v)
        + (5 * z**5 + 16 * z**3 + 3 * z) / (96 * v**2)
        + (3 * z**7 + 19 * z**5 + 17 * z**3 - 15 * z) / (384 * v**3)
    )


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


def departures(load: Floats, band: CellBand, window: Window) -> list[Departure]:
    """Stretches of the window outside the band, largest first. `load` has the band's cells, (2, cells), NaN in gaps."""
    found = []
    for side, name in enumerate(SIDES):
        with np.errstate(invalid="ignore"):
            outside = np.where(load[side] > band.high[side], 1, np.where(load[side] < band.low[side], -1, 0))
        for first, last in _stretches(outside):
            start, end = band.start + first * CELL_MS, band.start + (last + 1) * CELL_MS
            found.append(
                Departure(
                    start=EpochMs(max(start, window.start)),
                    end=EpochMs(min(end, window.end)),
                    side=name,
                    load=float(load[side, first : last + 1].mean()),
                    usual=float(band.middle[side, first : last + 1].mean()),
                )
            )
    return sorted(found, key=lambda d: -abs(d.size) * (d.end - d.start))


def _stretches(signs: npt.NDArray[np.integer]) -> list[tuple[int, int]]:
    """First and last index of each run of the same sign, zeros left out."""
    edges = np.flatnonzero(np.diff(signs)) + 1
    firsts, ends = np.r_[0, edges], np.r_[edges, len(signs)]
    return [(int(a), int(b) - 1) for a, b in zip(firsts, ends, strict=True) if b > a and signs[a] != 0]
