"""Average active sessions: by bucket and group, and ranked by value."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from faena.core.errors import NoTicks
from faena.core.sampling.dimensions import RUNNING, Dictionary, Dimension
from faena.core.sampling.rollup import HOURLY_FROM_MS, MINUTE_MS
from faena.core.sampling.trail import Pick, narrow
from faena.core.series.certainty import sessions_margin, share_margin, spread
from faena.core.series.window import Buckets
from faena.core.sessions.frame import SampleFrame
from faena.core.units import MS_PER_HOUR, Sessions

OTHERS = "others"  # the group into which all values beyond the largest ones are summed


@dataclass(frozen=True, slots=True)
class LoadSeries:
    """`seen` (groups, buckets): session sightings. `ticks` (buckets,): ticks taken; 0 marks a gap.

    `running`, of the shape of `seen`, is the part of it that did not wait; None when the groups are the wait kinds.
    """

    groups: tuple[str, ...]
    seen: npt.NDArray[np.int64]
    ticks: npt.NDArray[np.int64]
    running: npt.NDArray[np.int64] | None = None

    def sessions(self) -> npt.NDArray[np.float64]:
        """Mean sessions per tick, shape (groups, buckets); NaN where no tick was taken."""
        return self._per_tick(self.seen)

    def running_sessions(self) -> npt.NDArray[np.float64] | None:
        """As `sessions`, of those that run; None when the groups are the wait kinds."""
        return None if self.running is None else self._per_tick(self.running)

    def _per_tick(self, seen: npt.NDArray[np.int64]) -> npt.NDArray[np.float64]:
        with np.errstate(divide="ignore", invalid="ignore"):
            return np.where(self.ticks > 0, seen / self.ticks, np.nan)

    def total(self) -> Sessions:
        """Mean active sessions over all ticks of the series. Raises NoTicks."""
        ticks = int(self.ticks.sum())
        if ticks == 0:
            raise NoTicks("nothing was sampled in this window")
        return Sessions(float(self.seen.sum()) / ticks)


def load_by(
    frame: SampleFrame,
    buckets: Buckets,
    dictionary: Dictionary,
    dimension: Dimension,
    trail: Sequence[Pick] = (),
    *,
    at_most: int | None = None,
) -> LoadSeries:
    """Load per bucket, split by one dimension, inside the trail.

    `at_most` keeps the groups with most load and sums the rest into OTHERS. Groups come largest first.
    """
    encoded, kinds = dictionary.encoded(dimension), dictionary.encoded(Dimension.KIND)
    n = len(encoded.names)
    keep = narrow(dictionary, trail) & dictionary.active
    runs = np.array([name == RUNNING for name in kinds.names], dtype=np.bool_)[kinds.ids]
    group = np.where(keep, encoded.ids + np.where(runs, 0, n), 2 * n)
    seen, ticks = _count(frame, buckets, group, 2 * n)
    return _largest(encoded.names, seen[:n] + seen[n:], ticks, at_most, running=seen[:n])


def load_by_kind(
    frame: SampleFrame, buckets: Buckets, dictionary: Dictionary, trail: Sequence[Pick]
) -> tuple[LoadSeries, LoadSeries]:
    """Load split by wait kind, inside the trail and in all, in one pass over the samples."""
    encoded = dictionary.encoded(Dimension.KIND)
    n = len(encoded.names)
    inside = narrow(dictionary, trail)
    group = np.where(dictionary.active, encoded.ids + np.where(inside, 0, n), 2 * n)
    seen, ticks = _count(frame, buckets, group, 2 * n)
    return _largest(encoded.names, seen[:n], ticks, None), _largest(encoded.names, seen[:n] + seen[n:], ticks, None)


def _count(
    frame: SampleFrame, buckets: Buckets, group_of_code: npt.NDArray[np.integer], groups: int
) -> tuple[npt.NDArray[np.int64], npt.NDArray[np.int64]]:
    """Sightings (groups, buckets) and ticks (buckets,). Codes of the group numbered `groups` are left out.

    Small numbers in one gather over all samples, then a count per bucket; ticks and samples ascend, so it is a slice.
    """
    group = group_of_code.astype(np.min_scalar_type(groups))[frame.code]
    edge = np.searchsorted(buckets.index_of(frame.tick_ms), np.arange(buckets.count + 1))
    cut_at = np.searchsorted(frame.tick, edge).tolist()
    seen = np.empty((buckets.count, groups), dtype=np.int64)
    for b in range(buckets.count):
        part = slice(cut_at[b], cut_at[b + 1])
        weights = None if frame.seen is None else frame.seen[part]
        seen[b] = np.bincount(group[part], weights=weights, minlength=groups + 1)[:groups]
    if frame.taken is None:
        return seen.T, np.diff(edge)
    return seen.T, np.diff(np.r_[0, np.cumsum(frame.taken, dtype=np.int64)][edge])


def _largest(
    names: Sequence[str],
    seen: npt.NDArray[np.int64],
    ticks: npt.NDArray[np.int64],
    at_most: int | None,
    running: npt.NDArray[np.int64] | None = None,
) -> LoadSeries:
    sums = seen.sum(axis=1)
    order = [i for i in np.argsort(-sums, kind="stable") if sums[i] > 0]
    kept, rest = order, list[int]()
    if at_most is not None and len(order) > at_most:
        kept, rest = order[: at_most - 1], order[at_most - 1 :]

    def chosen(rows: npt.NDArray[np.int64]) -> npt.NDArray[np.int64]:
        return np.vstack([rows[kept], rows[rest].sum(axis=0, keepdims=True)]) if rest else rows[kept]

    shown = (*(names[i] for i in kept), *((OTHERS,) if rest else ()))
    return LoadSeries(shown, chosen(seen), ticks, None if running is None else chosen(running))


@dataclass(frozen=True, slots=True, kw_only=True)
class RankedValue:
    """One value of a dimension in a window. `by_kind` splits `sessions` by wait kind and adds up to it."""

    value: str
    seen: int
    sessions: Sessions
    sessions_margin: float  # half-width of the 95% interval, in sessions
    share: float  # of all load inside the trail, 0..1
    share_margin: float
    by_kind: dict[str, float]
    picked: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class Column:
    """One column of the sieve: the largest values, and how many more there are."""

    dimension: Dimension
    rows: tuple[RankedValue, ...]
    more: int
    total_seen: int


def count_codes(frame: SampleFrame, dictionary: Dictionary) -> npt.NDArray[np.int64]:
    """How often each code was seen, shape (len(dictionary),). All columns of a sieve share this one pass."""
    return np.bincount(frame.code, weights=frame.seen, minlength=len(dictionary)).astype(np.int64)


def rank(
    counts: npt.NDArray[np.int64],
    ticks: int,
    dictionary: Dictionary,
    dimension: Dimension,
    trail: Sequence[Pick] = (),
    *,
    at_most: int = 10,
    moments: "Moments | None" = None,
) -> Column:
    """The values of one dimension that make up most load inside the trail. Raises NoTicks over zero ticks.

    With the `moments` of what was counted the margins know of sessions that come in bursts.
    """
    if ticks <= 0:
        raise NoTicks("nothing was sampled in this window")
    keep = narrow(dictionary, trail, but=dimension) & dictionary.active
    encoded, kinds = dictionary.encoded(dimension), dictionary.encoded(Dimension.KIND)
    width = len(kinds.names)
    cell = encoded.ids * np.int32(width) + kinds.ids
    # Weights are counts below 2^53, so the sums in double precision are exact.
    sums = np.bincount(cell, weights=np.where(keep, counts, 0), minlength=len(encoded.names) * width)
    seen = sums.reshape(len(encoded.names), width).astype(np.int64)
    totals = seen.sum(axis=1)
    total = int(totals.sum())
    picked = {pick.value for pick in trail if pick.dimension is dimension and not pick.exclude}
    excluded = {pick.value for pick in trail if pick.dimension is dimension and pick.exclude}
    there = [i for i in np.flatnonzero(totals).tolist() if encoded.names[i] not in excluded]
    ordered = sorted(there, key=lambda i: (-totals[i], encoded.names[i]))
    top = ordered[:at_most] + [i for i in ordered[at_most:] if encoded.names[i] in picked]
    varies = np.ones(len(top)) if moments is None else moments.vary(encoded.ids, keep, top)
    rows = (
        _ranked(
            encoded.names[i],
            {kind: int(n) for kind, n in zip(kinds.names, seen[i], strict=True) if n},
            ticks,
            total,
            float(more),
            picked=encoded.names[i] in picked,
        )
        for i, more in zip(top, varies.tolist(), strict=True)
    )
    return Column(dimension=dimension, rows=tuple(rows), more=len(ordered) - len(top), total_seen=total)


MOST_CELLS = 4_000_000  # of a table of codes by moments, 16 MB
MOST_TOLD = 50  # values of a column whose bursts are looked at; those behind are small


class Moments:
    """How often each code was seen at each moment of a frame, for the columns of a sieve to share.

    Samples summed up are as many as they are over a day, so that they are put into one table of codes by moments, single
    ticks at the ends of a window summed up like the rest. Of single ticks alone there are few samples, and no table.
    """

    def __init__(self, frame: SampleFrame, codes: int) -> None:
        self._frame = frame
        self._there: npt.NDArray[np.int64] | None = None  # the codes that have a row in the table
        self._table = np.empty((0, 0), dtype=np.float32)
        if frame.seen is None or not len(frame.code):
            return
        there = np.flatnonzero(np.bincount(frame.code, minlength=codes)[:codes])
        span = int(frame.tick_ms[-1] - frame.tick_ms[0])
        units = (MS_PER_HOUR,) if span >= HOURLY_FROM_MS else (MINUTE_MS, 5 * MINUTE_MS, MS_PER_HOUR)
        for unit in units:
            _, moment = np.unique(frame.tick_ms // unit, return_inverse=True)
            width = int(moment[-1]) + 1
            if len(there) * width <= MOST_CELLS:
                break
        place = np.full(max(codes, int(frame.code.max()) + 1), len(there), dtype=np.int64)  # others into a row behind
        place[there] = np.arange(len(there))
        cell = place[frame.code] * width + moment[frame.tick]
        sums = np.bincount(cell, weights=frame.seen, minlength=(len(there) + 1) * width)
        # Whole numbers far below 2^24 are exact in single precision.
        self._there, self._table = there, sums.astype(np.float32).reshape(len(there) + 1, width)[:-1]

    def vary(
        self, group: npt.NDArray[np.integer], keep: npt.NDArray[np.bool_], top: Sequence[int]
    ) -> npt.NDArray[np.float64]:
        """Of each of the top values, how much more its ticks vary than independent sightings would. `group` by code."""
        found, told = np.ones(len(top)), list(top[:MOST_TOLD])
        if told and len(self._frame.tick_ms):
            place = np.full(int(group.max(initial=0)) + 1, -1, dtype=np.int64)
            place[told] = np.arange(len(told))
            found[: len(told)] = spread(self._seen(np.where(keep, place[group], -1), len(told)))
        return found

    def _seen(self, row: npt.NDArray[np.int64], rows: int) -> npt.NDArray[np.float64]:
        """Sightings by row and moment, (rows, moments); `row` of each code, -1 for those left out."""
        frame = self._frame
        if self._there is not None:
            wanted = row[self._there]
            told = np.flatnonzero(wanted >= 0)
            chosen = np.zeros((rows, len(wanted)), dtype=np.float32)
            chosen[wanted[told], told] = 1.0
            return (chosen @ self._table).astype(np.float64)
        of = row[frame.code]
        mine = of >= 0
        weights = None if frame.seen is None else frame.seen[mine]
        cells = np.bincount(of[mine] * len(frame.tick_ms) + frame.tick[mine], weights, rows * len(frame.tick_ms))
        return cells.reshape(rows, -1).astype(np.float64)


def _ranked(value: str, kinds: dict[str, int], ticks: int, total: int, varies: float, *, picked: bool) -> RankedValue:
    seen = sum(kinds.values())
    return RankedValue(
        value=value,
        seen=seen,
        sessions=Sessions(seen / ticks),
        sessions_margin=sessions_margin(seen, ticks, varies),
        share=seen / total,
        share_margin=share_margin(seen, total, varies),
        by_kind={kind: count / ticks for kind, count in kinds.items()},
        picked=picked,
    )
