"""Closed hours: packed into columns, summed up by minute and hour, reopened when something comes late, dropped when old.

Chunk, rollup and day always change in one transaction, so that every resolution says the same.
"""

import logging
from collections.abc import Iterable, Mapping

import numpy as np
import numpy.typing as npt
from django.db import transaction
from django.db.models import Exists, OuterRef

from faena.apps.samples import packing
from faena.apps.samples.disk import close_bytes, forget_bytes
from faena.apps.samples.models import Chunk, Combination, DayTotals, OpenSample, Rollup, Tick, WaitHour
from faena.apps.samples.rows import OPEN_COLUMNS, copy_out
from faena.apps.samples.sessions import KEPT, closed_hour, waiting_in
from faena.apps.servers import holdings
from faena.apps.servers.engines import profile_by_id
from faena.core.sampling.rollup import MINUTE_MS, cells_of, rolled
from faena.core.sessions.frame import COLUMNS, EMPTY, SampleFrame, SessionFrame, join, joined
from faena.core.units import MS_PER_DAY, MS_PER_HOUR

log = logging.getLogger(__name__)
LATE_MS = 15 * 60_000  # an hour is closed this long after its end; later readings reopen it, which costs a rewrite
CATCH_UP_HOURS = 48  # hours summed up at a time, of those closed by a version that did not sum up

Packed = bytes | memoryview
Columns = Mapping[str, npt.NDArray[np.int64]]
PER_TICK = ("tick_ms", "took_us", "missed", "late_ms")
SUMMED = ("tick_ms", "tick", "code", "taken", "seen")


def close_hours(server_id: int, now_ms: int) -> int:
    """Turn every hour that ended more than LATE_MS ago into a chunk. Safe to repeat. Returns how many were closed.

    An hour whose chunk is damaged keeps its late rows open, where they are read. Raises BadColumn, after all others.
    """
    oldest = Tick.objects.filter(server_id=server_id).order_by("at_ms").values_list("at_ms", flat=True).first()
    if oldest is None:
        return 0
    closed, damaged = 0, None
    hour = oldest - oldest % MS_PER_HOUR
    while hour + MS_PER_HOUR + LATE_MS <= now_ms:
        try:
            closed += _close_hour(server_id, hour)
        except packing.BadColumn as error:
            damaged = error
        hour += MS_PER_HOUR
    if damaged is not None:
        raise damaged
    return closed


@transaction.atomic
def _close_hour(server_id: int, hour: int) -> bool:
    """One hour, in one transaction: either the chunk is there and the rows are gone, or nothing has changed."""
    span = {"server_id": server_id, "at_ms__gte": hour, "at_ms__lt": hour + MS_PER_HOUR}
    ticks = Tick.objects.filter(**span).order_by("at_ms").select_for_update()
    tick_rows = np.array(list(ticks.values_list("at_ms", *PER_TICK[1:])), dtype=np.int64).reshape(-1, len(PER_TICK))
    if not len(tick_rows):
        return False
    samples = copy_out(server_id, hour, hour + MS_PER_HOUR)
    columns: Columns = {
        **dict(zip(PER_TICK, tick_rows.T, strict=True)),
        "tick": np.searchsorted(tick_rows[:, 0], samples["at_ms"].astype(np.int64)),
        **{name: samples[name].astype(np.int64) for name in OPEN_COLUMNS[1:]},
    }
    before = Chunk.objects.filter(server_id=server_id, hour_ms=hour).select_for_update().first()
    if before is not None:
        columns = _merged(_kept(before, columns), columns)
    put_hours(server_id, {hour: columns})
    close_bytes(server_id, hour)
    OpenSample.objects.filter(**span)._raw_delete(using="default")
    Tick.objects.filter(**span)._raw_delete(using="default")
    return True


@transaction.atomic
def put_hours(server_id: int, hours: Mapping[int, Columns]) -> None:
    """Write whole closed hours, replacing what was there of them. Columns as in Chunk, times in milliseconds."""
    revisions = dict(Chunk.objects.filter(server_id=server_id, hour_ms__in=hours).values_list("hour_ms", "revision"))
    chunks = [_chunk(server_id, hour, columns, revisions.get(hour, 0) + 1) for hour, columns in hours.items()]
    _upsert(Chunk, chunks, "hour_ms")
    frames = {
        hour: SampleFrame(c["tick_ms"], c["tick"].astype(np.int32), c["code"].astype(np.int32)).on_grid()
        for hour, c in hours.items()
    }
    _sum_up(server_id, frames)
    keep_waits(server_id, {hour: _sessions(columns) for hour, columns in hours.items()})
    holdings.rewrote(server_id)


def _sessions(columns: Columns) -> SessionFrame:
    return SessionFrame(**{name: columns[name] for name in ("tick_ms", *COLUMNS)})


def keep_waits(server_id: int, hours: Mapping[int, SessionFrame]) -> None:
    """Writes the lock waits of each closed hour beside it, from which blocking is told."""
    codes = Combination.objects.filter(server_id=server_id, active=True).values_list("code", "wait_type", "wait_event")
    behind_sessions = profile_by_id(server_id).waits.behind_sessions
    behind = [code for code, kind, event in codes if behind_sessions(kind, event)]
    waiting = np.zeros(max(behind, default=-1) + 1, dtype=np.bool_)
    waiting[behind] = True
    rows = []
    for hour, frame in hours.items():
        kept = waiting_in(joined([frame]), waiting)
        columns = packing.pack(np.concatenate([getattr(kept, name) for name in KEPT]))
        of = {"samples": len(kept.pid), "tick_ms": packing.pack(kept.tick_ms), "columns": columns}
        rows.append(WaitHour(server_id=server_id, hour_ms=hour, **of))
    _upsert(WaitHour, rows, "hour_ms")


def _kept(chunk: Chunk, names: Iterable[str]) -> Columns:
    columns = {name: packing.unpack(packed) for name in names if (packed := getattr(chunk, name))}
    return {name: columns.get(name, np.zeros(chunk.ticks, dtype=np.int64)) for name in names}


def _chunk(server_id: int, hour: int, columns: Columns, revision: int) -> Chunk:
    return Chunk(
        server_id=server_id,
        hour_ms=hour,
        revision=revision,
        ticks=len(columns["tick_ms"]),
        samples=len(columns["code"]),
        **{name: packing.pack(values) for name, values in columns.items()},
    )


def _sum_up(server_id: int, frames: Mapping[int, SampleFrame]) -> None:
    """Rollups of the hours given, and the days they lie in."""
    codes = Combination.objects.filter(server_id=server_id, active=True).values_list("code", "wait_type")
    running = np.array([code for code, wait_type in codes if not wait_type], dtype=np.int64)
    waiting = np.array([code for code, wait_type in codes if wait_type], dtype=np.int64)
    rollups = []
    for hour, frame in frames.items():
        minutes = rolled(frame, MINUTE_MS)
        cells = cells_of(minutes, running, waiting)
        if cells is not None:
            kept = {"ticks": minutes.ticks, "cells": cells.ravel().tolist()}
            rollups.append(Rollup(server_id=server_id, hour_ms=hour, **kept, **_packed(minutes)))
    _upsert(Rollup, rollups, "hour_ms")
    for day in sorted({hour - hour % MS_PER_DAY for hour in frames}):
        _sum_day(server_id, day)


def _sum_day(server_id: int, day: int) -> None:
    rows = Rollup.objects.filter(server_id=server_id, hour_ms__gte=day, hour_ms__lt=day + MS_PER_DAY)
    hours = [rolled(frame, MS_PER_HOUR) for frame in readable(rows.order_by("hour_ms").values_list(*SUMMED))]
    if hours:
        _upsert(DayTotals, [DayTotals(server_id=server_id, day_ms=day, **_packed(join(hours)))], "day_ms")


def _packed(frame: SampleFrame) -> dict[str, bytes]:
    return {name: packing.pack(getattr(frame, name)) for name in SUMMED}


def unpacked(row: tuple[bytes, ...]) -> SampleFrame:
    """A frame from the columns SUMMED of a rollup or a day."""
    tick_ms, *rest = (packing.unpack(column) for column in row)
    tick, code, taken, seen = (column.astype(np.int32) for column in rest)
    return SampleFrame(tick_ms, tick, code, taken, seen)


def readable(rows: Iterable[tuple[bytes, ...]]) -> list[SampleFrame]:
    """Those that are not damaged, as `unpacked`; the rest is a gap, and our log tells of it."""
    frames = []
    for row in rows:
        try:
            frames.append(unpacked(row))
        except packing.BadColumn as error:
            log.error("samples in the store are damaged and shown as a gap: %s", error)
    return frames


def frame_of_hour(tick_ms: Packed, tick: Packed, code: Packed) -> SampleFrame:
    """Frame of a chunk's packed columns; EMPTY where one is damaged, which our log tells of."""
    try:
        columns = packing.unpack(tick_ms), packing.unpack(tick), packing.unpack(code)
        return SampleFrame(columns[0], columns[1].astype(np.int32), columns[2].astype(np.int32)).on_grid()
    except packing.BadColumn as error:
        log.error("an hour in the store is damaged and shown as a gap: %s", error)
        return EMPTY


def _upsert(
    model: type[Chunk] | type[Rollup] | type[DayTotals] | type[WaitHour],
    rows: list[Chunk] | list[Rollup] | list[DayTotals] | list[WaitHour],
    moment: str,
) -> None:
    key = ("server", moment)
    columns = [f.name for f in model._meta.concrete_fields if f.name not in (*key, "pk")]
    model.objects.bulk_create(rows, update_conflicts=True, unique_fields=list(key), update_fields=columns)  # type: ignore[arg-type]


def sum_up_missed(server_id: int) -> int:
    """Sum up hours that were closed without it, by an earlier version. Returns how many; call again until 0."""
    has = Rollup.objects.filter(server_id=OuterRef("server_id"), hour_ms=OuterRef("hour_ms"))
    rows = Chunk.objects.filter(~Exists(has), server_id=server_id, ticks__gt=0).order_by("-hour_ms")
    data = rows.values_list("hour_ms", "tick_ms", "tick", "code")[:CATCH_UP_HOURS]
    made = {hour: frame_of_hour(*columns) for hour, *columns in data}
    frames = {hour: frame for hour, frame in made.items() if len(frame.tick_ms)}
    if frames:
        with transaction.atomic():
            _sum_up(server_id, frames)
            holdings.rewrote(server_id)
    return len(frames) or _keep_waits_missed(server_id)


def _keep_waits_missed(server_id: int) -> int:
    has = WaitHour.objects.filter(server_id=OuterRef("server_id"), hour_ms=OuterRef("hour_ms"))
    chunks = Chunk.objects.filter(~Exists(has), server_id=server_id).order_by("-hour_ms")[:CATCH_UP_HOURS]
    frames = {chunk.hour_ms: closed_hour(chunk) for chunk in chunks}
    keep_waits(server_id, frames)
    return len(frames)


def _merged(kept: Columns, late: Columns) -> Columns:
    """Late readings added to a closed hour; a tick that is there already stays as it was."""
    fresh = ~np.isin(late["tick_ms"], kept["tick_ms"])
    rows = fresh[late["tick"]]
    at = np.concatenate([kept["tick_ms"], late["tick_ms"][fresh]])
    order = np.argsort(at, kind="stable")
    merged = {name: np.concatenate([kept[name], late[name][fresh]])[order] for name in PER_TICK}
    sample_at = np.concatenate([kept["tick_ms"][kept["tick"]], late["tick_ms"][late["tick"][rows]]])
    tick = np.searchsorted(merged["tick_ms"], sample_at)
    by_tick = np.argsort(tick, kind="stable")
    merged["tick"] = tick[by_tick]
    for name in kept.keys() - {*PER_TICK, "tick"}:
        merged[name] = np.concatenate([kept[name], late[name][rows]])[by_tick]
    return merged


@transaction.atomic
def forget_before(server_id: int, samples_before_ms: int, sums_before_ms: int) -> int:
    """Retention: drop closed hours whose end lies before the first moment, and sums before the second.

    Returns how many hours of samples went. Sums of a day go when all of the day is too old.
    """
    hour, day = (samples_before_ms - samples_before_ms % MS_PER_HOUR, sums_before_ms - sums_before_ms % MS_PER_DAY)
    gone = Chunk.objects.filter(server_id=server_id, hour_ms__lt=hour)._raw_delete(using="default")
    WaitHour.objects.filter(server_id=server_id, hour_ms__lt=hour)._raw_delete(using="default")
    forget_bytes(server_id, hour, day)
    sums = Rollup.objects.filter(server_id=server_id, hour_ms__lt=day)._raw_delete(using="default")
    DayTotals.objects.filter(server_id=server_id, day_ms__lt=day)._raw_delete(using="default")
    if gone or sums:
        holdings.rewrote(server_id, first_ms=min(hour, day) if sums else None)
    return gone
