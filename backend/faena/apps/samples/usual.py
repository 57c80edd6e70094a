"""The usual band of a server, and the spans it is not to be learned from."""

from collections import OrderedDict
from dataclasses import dataclass
from threading import Lock

import numpy as np
import numpy.typing as npt
from django.contrib.auth.models import AbstractBaseUser, AnonymousUser

from faena.apps.accounts.policy import require
from faena.apps.accounts.roles import Role
from faena.apps.samples.dictionary import read_dictionary
from faena.apps.samples.hours import read_frame
from faena.apps.samples.models import Rollup, UnusualSpan
from faena.apps.servers import holdings
from faena.apps.servers.clock import clock_of
from faena.apps.servers.holdings import Held
from faena.apps.servers.models import Server
from faena.core.errors import BadInput, NotFound
from faena.core.sampling.load import load_by_kind
from faena.core.sampling.rollup import CELLS_AN_HOUR, unit_for
from faena.core.series.calendar import Calendar
from faena.core.series.usual import (
    CELL_MS,
    HISTORY_DAYS,
    MIN_TICKS_SHARE,
    CellBand,
    Departure,
    PastDays,
    UsualBand,
    departures,
    usual,
)
from faena.core.series.usual import past_days as cells_by_day
from faena.core.series.window import Buckets, Window
from faena.core.sessions.frame import GRID_MS
from faena.core.units import MS_PER_HOUR, EpochMs

MAX_KNOWN = 200  # servers whose days are kept in memory
DAY_MS = 24 * MS_PER_HOUR
_Key = tuple[int, int, str]  # hours rewritten, period, time zone
_known: OrderedDict[int, tuple[_Key, PastDays]] = OrderedDict()
_lock = Lock()


@dataclass(frozen=True, slots=True, kw_only=True)
class UsualAnswer:
    """`zone` is the time zone by whose clock days and weekends are counted."""

    band: UsualBand
    departures: list[Departure]
    zone: str


def past_days(server: Server, held: Held | None = None) -> PastDays:
    """The cells of all closed hours that what is usual can be learned from, kept until another hour is closed.

    `held` is what the store holds, when the caller has just asked for it.
    """
    held, clock = held or holdings.read(server.id), clock_of(server)
    key = (held.rewrites, server.period_ms, clock.name)
    with _lock:
        kept, past = _known.get(server.id, (None, None))
        if past is None or kept != key:
            past = _read(server, held.newest_ms, clock.calendar)
            _known[server.id] = (key, past)
            while len(_known) > MAX_KNOWN:
                _known.popitem(last=False)
        return past


def _read(server: Server, newest_ms: int, calendar: Calendar) -> PastDays:
    since = newest_ms - 3 * HISTORY_DAYS * DAY_MS
    rows = Rollup.objects.filter(server_id=server.id, hour_ms__gte=since).order_by("hour_ms")
    found = [(hour, cells) for hour, cells in rows.values_list("hour_ms", "cells") if cells]
    hours = np.array([hour for hour, _ in found], dtype=np.int64)
    counts = np.array([cells for _, cells in found], dtype=np.int64).reshape(-1, 3, CELLS_AN_HOUR)
    start_ms = (hours[:, None] + np.arange(CELLS_AN_HOUR) * CELL_MS).ravel()
    ticks = counts[:, 0].ravel()
    load = counts[:, 1:].transpose(0, 2, 1).reshape(-1, 2) / np.maximum(ticks, 1)[:, None]
    return cells_by_day(start_ms, ticks, load, server.period_ms, calendar)


def usual_for(server: Server, buckets: Buckets, window: Window) -> UsualAnswer:
    """Band over the buckets, and departures in the window; judged over all load, whatever is picked."""
    past = past_days(server)
    whole = Window(
        start=EpochMs(min(window.start, buckets.start)),
        end=EpochMs(max(window.end, buckets.start + buckets.count * buckets.width_ms)),
    )
    band = usual(past, whole, server.period_ms, marked_for(server.id))
    load = _load(server, past, band)
    return UsualAnswer(band=band.over(buckets), departures=departures(load, band, window), zone=clock_of(server).name)


def _load(server: Server, past: PastDays, band: CellBand) -> npt.NDArray[np.float64]:
    """Sessions in the cells of the band, (2, cells): of closed hours from what is kept of them, of others from samples."""
    count = band.middle.shape[1]
    starts = np.arange(count, dtype=np.int64) * CELL_MS + band.start
    load = past.at(starts)
    known = np.flatnonzero(~np.isnan(load[0]))
    # From behind the last hour that is closed: what lies before and is not known was not sampled.
    after = int(starts[known[-1]]) // MS_PER_HOUR * MS_PER_HOUR + MS_PER_HOUR if len(known) else int(starts[0])
    first = int(np.searchsorted(starts, after))
    if first == count:
        return load
    window = Window(start=EpochMs(int(starts[first])), end=EpochMs(int(starts[-1]) + CELL_MS))
    held = holdings.read(server.id)
    if held.newest_ms < window.start:
        return load
    frame, dictionary = (
        read_frame(server.id, window, held, unit_ms=unit_for(window, CELL_MS)),
        read_dictionary(server.id, held),
    )
    cells = Buckets(start=window.start, width_ms=CELL_MS, count=count - first)
    _, series = load_by_kind(frame, cells, dictionary, ())
    enough = series.ticks >= MIN_TICKS_SHARE * CELL_MS / max(server.period_ms, GRID_MS)
    nothing = np.zeros(cells.count)
    rows = dict(zip(series.groups, series.sessions(), strict=True))
    running = rows.pop("running", nothing)
    found = np.where(enough, np.stack([running, sum(rows.values(), start=nothing)]), np.nan)
    load[:, first:] = found
    return load


def marked_for(server_id: int) -> list[tuple[int, int]]:
    """All spans from which is not learned, their starts and ends."""
    return list(UnusualSpan.objects.filter(server_id=server_id).values_list("start_ms", "end_ms"))


def marked_everywhere() -> dict[int, list[tuple[int, int]]]:
    """As `marked_for`, of all servers."""
    found: dict[int, list[tuple[int, int]]] = {}
    for server, start, end in UnusualSpan.objects.values_list("server_id", "start_ms", "end_ms"):
        found.setdefault(server, []).append((start, end))
    return found


@dataclass(frozen=True, slots=True, kw_only=True)
class MarkedSpan:
    """A span marked as an incident."""

    id: int
    start: int
    end: int
    label: str
    marked_by: str


def _span(row: UnusualSpan) -> MarkedSpan:
    return MarkedSpan(id=row.pk, start=row.start_ms, end=row.end_ms, label=row.label, marked_by=row.marked_by)


def marked_spans(server_id: int, window: Window) -> list[MarkedSpan]:
    """Marked spans that touch the window."""
    spans = UnusualSpan.objects.filter(server_id=server_id, start_ms__lt=window.end, end_ms__gt=window.start)
    return [_span(row) for row in spans.order_by("start_ms")]


def mark(server_id: int, window: Window, label: str, *, by: AbstractBaseUser | AnonymousUser) -> MarkedSpan:
    """Leave a span out of what is usual. Raises NotAllowed, BadInput."""
    require(by, Role.OPERATOR, "mark an incident")
    if not label.strip():
        raise BadInput("say in a few words what it was", field="label")
    made = UnusualSpan.objects.create(
        server_id=server_id, start_ms=window.start, end_ms=window.end, label=label.strip()[:200], marked_by=str(by)
    )
    return _span(made)


def unmark(server_id: int, span_id: int, *, by: AbstractBaseUser | AnonymousUser) -> None:
    """Learn from the span again. Raises NotAllowed, NotFound."""
    require(by, Role.OPERATOR, "unmark an incident")
    gone, _ = UnusualSpan.objects.filter(server_id=server_id, id=span_id).delete()
    if not gone:
        raise NotFound(f"there is no marked span {span_id} on this server; somebody may have removed it")


def forget_caches() -> None:
    """For tests that empty the store between them."""
    _known.clear()
