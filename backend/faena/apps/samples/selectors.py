"""Answers about load: over time, by dimension, and the raw samples behind them."""

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
import numpy.typing as npt
from django.contrib.postgres.aggregates import ArrayAgg

from faena.apps.samples.dictionary import read_dictionary
from faena.apps.samples.disk import Moved, moved_in, read_bytes
from faena.apps.samples.hours import read_frame
from faena.apps.samples.models import Tick
from faena.apps.samples.sessions import hours_of, read_hour
from faena.apps.servers import holdings
from faena.apps.servers.holdings import Held
from faena.core.sampling.dimensions import Combination, Dictionary, Dimension
from faena.core.sampling.disk import ByteColumn, Way, bytes_by_code, rank_bytes
from faena.core.sampling.load import Column, LoadSeries, Moments, count_codes, load_by, load_by_kind, rank
from faena.core.sampling.rollup import MINUTE_MS, MINUTELY_FROM_MS, unit_for
from faena.core.sampling.trail import Pick, narrow
from faena.core.series.ticks import Gap, gaps, missing_ticks
from faena.core.series.window import Buckets, Window, cut
from faena.core.sessions.frame import GRID_MS, SampleFrame, SessionFrame
from faena.core.units import EpochMs

MAX_GROUPS = 7  # layers of another dimension than the wait kind; the rest is summed as others
_TOLD = ("pid", "blocker", "started_s", "transaction_ms", "statement_ms")
SETTLE_MS = 2_500  # ticks younger than this may still be on their way; their absence is no gap yet


@dataclass(frozen=True, slots=True, kw_only=True)
class LoadAnswer:
    """Load of a window inside a trail. `missing` counts ticks, `idle_holders` sessions that only hold a transaction.

    `resolution_ms`: what one moment of the samples read stands for, at the coarsest.
    """

    buckets: Buckets
    series: LoadSeries
    unpicked: LoadSeries
    ticks: int
    missing: int
    gaps: Sequence[Gap]
    last_tick: int | None
    idle_holders: float
    resolution_ms: int


def load(
    server_id: int,
    window: Window,
    split: Dimension,
    trail: Sequence[Pick],
    *,
    at_most: int,
    period_ms: int,
    now: int,
    widest_of: int = 0,
) -> LoadAnswer:
    """Load over time split by one dimension, largest groups first. Buckets are no narrower than `widest_of` ms."""
    held, period_ms = holdings.read(server_id), max(period_ms, GRID_MS)
    buckets = cut(window, at_most=at_most, period_ms=max(period_ms, widest_of))
    unit = unit_for(window, buckets.width_ms)
    frame = read_frame(server_id, window, held, unit_ms=unit)
    return _answer(frame, held, window, buckets, split, trail, period_ms, unit, now)


def _answer(
    frame: SampleFrame,
    held: Held,
    window: Window,
    buckets: Buckets,
    split: Dimension,
    trail: Sequence[Pick],
    period_ms: int,
    unit: int,
    now: int,
) -> LoadAnswer:
    dictionary = read_dictionary(held.server_id, held)
    series, unpicked = load_by_kind(frame, buckets, dictionary, trail)
    if split is not Dimension.KIND:
        series = load_by(frame, buckets, dictionary, split, trail, at_most=MAX_GROUPS)
    settled = min(window.end, now - SETTLE_MS - period_ms)  # a sample is taken within its period
    seen = Window(start=window.start, end=EpochMs(settled)) if settled > window.start else None
    # Nothing is missing from before the watching began, though the picture has a gap there.
    first = max(window.start, held.first_ms)
    due = Window(start=EpochMs(first), end=EpochMs(settled)) if settled > first else None
    ticks = frame.ticks
    holders = narrow(dictionary, trail) & ~dictionary.active
    return LoadAnswer(
        buckets=buckets,
        series=series,
        unpicked=unpicked,
        ticks=ticks,
        missing=missing_ticks(_taken(frame, due), due, period_ms) if due else 0,
        gaps=gaps(frame.tick_ms, seen, max(unit, period_ms)) if seen else [],
        last_tick=int(frame.tick_ms[-1]) if ticks else None,
        resolution_ms=max(unit, period_ms),
        idle_holders=_sightings(frame, holders) / ticks if ticks else 0.0,
    )


def sieve(
    server_id: int, window: Window, dimensions: Sequence[Dimension], trail: Sequence[Pick], *, at_most: int
) -> tuple[list[Column], int]:
    """A ranked column per dimension, and the ticks behind them. All columns share one pass over the samples."""
    held = holdings.read(server_id)
    frame, dictionary = read_frame(server_id, window, held, unit_ms=unit_for(window)), read_dictionary(server_id, held)
    ticks = frame.ticks
    if ticks == 0:
        return [Column(dimension=d, rows=(), more=0, total_seen=0) for d in dimensions], 0
    counts = count_codes(frame, dictionary)
    moments = Moments(frame, len(dictionary))
    return [rank(counts, ticks, dictionary, d, trail, at_most=at_most, moments=moments) for d in dimensions], ticks


def running_and_load(answer: LoadAnswer) -> tuple[npt.NDArray[np.float64], float]:
    """Running sessions per bucket, NaN in gaps, and the mean of all active ones; whatever was picked."""
    series = answer.unpicked
    rows = dict(zip(series.groups, series.sessions(), strict=True))
    nothing = np.where(series.ticks > 0, 0.0, np.nan)
    ticks = int(series.ticks.sum())
    return rows.get("running", nothing), float(series.seen.sum()) / ticks if ticks else 0.0


def _taken(frame: SampleFrame, window: Window) -> int:
    """Ticks taken in a window; moments that stand for several lie in it as a whole or not at all."""
    return frame.within(window).ticks


def _sightings(frame: SampleFrame, wanted: npt.NDArray[np.bool_]) -> float:
    """How many samples have a wanted code. Few codes are compared one by one, which is cheaper than looking all up."""
    codes = np.flatnonzero(wanted).tolist()
    if frame.seen is not None:
        return float(frame.seen[wanted[frame.code]].sum())
    if len(codes) <= 6:
        return float(sum(np.count_nonzero(frame.code == code) for code in codes))
    return float(np.count_nonzero(wanted[frame.code]))


def _unit_for(window: Window) -> int:
    return MINUTE_MS if window.length_ms >= MINUTELY_FROM_MS else 0


def sieve_of_bytes(
    server_id: int, window: Window, dimensions: Sequence[Dimension], trail: Sequence[Pick], way: Way, *, at_most: int
) -> tuple[list[ByteColumn], float]:
    """A ranked column per dimension, and the seconds of the window that were counted; no columns where it is 0."""
    frame = read_bytes(server_id, window, _unit_for(window))
    if not frame.seconds:
        return [], 0.0
    dictionary = read_dictionary(server_id)
    moved = bytes_by_code(frame, way, len(dictionary))
    return [
        rank_bytes(moved, frame.seconds, dictionary, dimension, trail, at_most=at_most) for dimension in dimensions
    ], frame.seconds


class ByStatement(NamedTuple):
    """Bytes a second by statement."""

    read: dict[int, float]
    written: dict[int, float]


def bytes_by_statement(server_id: int, window: Window, trail: Sequence[Pick]) -> ByStatement | None:
    """Bytes a second of every statement that moved any; None where nothing was counted in the window."""
    frame = read_bytes(server_id, window, _unit_for(window))
    if not frame.seconds:
        return None
    dictionary = read_dictionary(server_id)
    inside = narrow(dictionary, trail)
    told = []
    for way in Way:
        moved = np.where(inside, bytes_by_code(frame, way, len(dictionary)), 0.0) / frame.seconds
        sums: dict[int, float] = {}
        for code in np.flatnonzero(moved).tolist():
            if (statement := dictionary.combinations[code].query_id) is not None:
                sums[statement] = sums.get(statement, 0.0) + float(moved[code])
        told.append(sums)
    return ByStatement(*told)


@dataclass(frozen=True, slots=True, kw_only=True)
class RawSample:
    """One session at one tick. Ages in milliseconds, -1 unknown; `blocker` 0: nobody.

    `moved` is the bytes its process read from the disks and wrote since the tick before; None where nobody counted.
    """

    at_ms: int
    pid: int
    blocker: int
    started_s: int
    transaction_ms: int
    statement_ms: int
    combination: Combination
    kind: str
    moved: tuple[int, int] | None


def raw_samples(server_id: int, window: Window, trail: Sequence[Pick], *, idle: bool = True) -> Iterator[RawSample]:
    """Samples inside the trail in order of time, hour by hour, so that memory stays small whatever the window."""
    dictionary = read_dictionary(server_id)
    keep = narrow(dictionary, trail)
    if not idle:
        keep &= dictionary.active
    for part in hours_of(window):
        yield from _hour_samples(read_hour(server_id, part), moved_in(server_id, part), dictionary, keep)


def _hour_samples(
    frame: SessionFrame, moved: Moved, dictionary: Dictionary, keep: npt.NDArray[np.bool_]
) -> Iterator[RawSample]:
    known = frame.code < len(keep)
    for i in np.flatnonzero(known)[keep[frame.code[known]]].tolist():
        code, at_ms = int(frame.code[i]), int(frame.tick_ms[frame.tick[i]])
        yield RawSample(
            at_ms=at_ms,
            moved=moved.of(at_ms, int(frame.pid[i])),
            combination=dictionary.combinations[code],
            kind=dictionary.kinds[code],
            **{name: int(getattr(frame, name)[i]) for name in _TOLD},
        )


def last_tick(server_id: int) -> tuple[int, int] | None:
    """Moment and duration (us) of the newest sample; None when there is none in the open hours."""
    return Tick.objects.filter(server_id=server_id).order_by("-at_ms").values_list("at_ms", "took_us").first()


def sample_costs(window: Window) -> dict[int, tuple[float, float]]:
    """As `sample_cost`, of all servers, in one question."""
    rows = Tick.objects.filter(at_ms__gte=window.start, at_ms__lt=window.end).values("server_id")
    found = rows.annotate(all_us=ArrayAgg("took_us")).order_by().values_list("server_id", "all_us")
    return {server: _median_and_p95(took) for server, took in found}


def _median_and_p95(took_us: Iterable[float]) -> tuple[float, float]:
    """In milliseconds, between two neighbours where none stands there. By hand: of a minute's 60 figures it is ten
    times quicker than by arrays, and the list of all servers asks for a thousand."""
    ordered = sorted(took_us)
    return _between(ordered, 0.5) / 1000, _between(ordered, 0.95) / 1000


def _between(ordered: Sequence[float], share: float) -> float:
    place = share * (len(ordered) - 1)
    low = int(place)
    high = min(low + 1, len(ordered) - 1)
    return ordered[low] + (place - low) * (ordered[high] - ordered[low])


def sample_cost(server_id: int, window: Window) -> tuple[float, float] | None:
    """Median and 95th percentile of how long a sample took, in milliseconds, over the open ticks of a window."""
    ticks = Tick.objects.filter(server_id=server_id, at_ms__gte=window.start, at_ms__lt=window.end)
    took = list(ticks.values_list("took_us", flat=True))
    return _median_and_p95(took) if took else None
