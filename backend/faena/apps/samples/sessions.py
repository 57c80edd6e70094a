"""Samples with their sessions, for questions that are about who and not how many."""

import logging
from collections.abc import Iterator, Sequence

import numpy as np
import numpy.typing as npt

from faena.apps.samples import packing
from faena.apps.samples.models import Chunk, Tick
from faena.apps.samples.rows import OPEN_COLUMNS, copy_out
from faena.core.locks.history import EMPTY, Ints, SessionFrame, joined
from faena.core.series.window import Window
from faena.core.units import MS_PER_HOUR, EpochMs

log = logging.getLogger(__name__)
_COLUMNS = ("pid", "blocker", "code", "started_s", "transaction_ms", "statement_ms")


def hours_of(window: Window) -> Iterator[Window]:
    """The window cut at full hours."""
    hour = window.start - window.start % MS_PER_HOUR
    while hour < window.end:
        yield Window(start=EpochMs(max(hour, window.start)), end=EpochMs(min(hour + MS_PER_HOUR, window.end)))
        hour += MS_PER_HOUR


def read_hour(server_id: int, part: Window) -> SessionFrame:
    """All ticks and samples of a part of one hour, closed and open; a tick that is in both is taken from the closed."""
    hour = part.start - part.start % MS_PER_HOUR
    chunk = Chunk.objects.filter(server_id=server_id, hour_ms=hour).first()
    frames = [] if chunk is None else [_closed(chunk)]
    open_ticks = Tick.objects.filter(server_id=server_id, at_ms__gte=part.start, at_ms__lt=part.end)
    tick_ms = np.fromiter(open_ticks.order_by("at_ms").values_list("at_ms", flat=True), dtype=np.int64)
    if chunk is not None and len(tick_ms):
        tick_ms = tick_ms[~np.isin(tick_ms, frames[0].tick_ms)]
    if len(tick_ms):
        rows = copy_out(server_id, part.start, part.end)
        rows = rows[np.isin(rows["at_ms"], tick_ms)]
        columns = {name: rows[name].astype(np.int64) for name in OPEN_COLUMNS}
        tick = np.searchsorted(tick_ms, columns["at_ms"])
        frames.append(SessionFrame(tick_ms, tick, **{name: columns[name] for name in _COLUMNS}))
    return joined(frames).within(part.start, part.end)


def _closed(chunk: Chunk) -> SessionFrame:
    try:
        told = {name: packing.unpack(getattr(chunk, name)) for name in ("tick_ms", "tick", *_COLUMNS)}
    except packing.BadColumn as error:
        log.error("an hour in the store is damaged and its sessions are left out: %s", error)
        return EMPTY
    return SessionFrame(**told)


def read_sessions(server_id: int, window: Window) -> SessionFrame:
    """All of a window."""
    frames = [read_hour(server_id, part) for part in hours_of(window)]
    return joined(frames) if frames else EMPTY


def read_ticks_with(
    server_id: int, window: Window, chosen: npt.NDArray[np.bool_]
) -> tuple[SessionFrame, npt.NDArray[np.int64]]:
    """The ticks at which one of the chosen codes was seen, with all their samples, so that the rest of a long window
    costs no memory; ticks without stay as ticks. And how often each code was seen in the hours that have any.
    """
    frames, counts = list[SessionFrame](), np.zeros(len(chosen), dtype=np.int64)
    for part in hours_of(window):
        if not _has(server_id, part, chosen):
            continue
        hour = read_hour(server_id, part)
        known = hour.code < len(chosen)
        counts += np.bincount(hour.code[known], minlength=len(chosen))
        wanted = np.zeros(len(hour.tick_ms), dtype=np.bool_)
        wanted[hour.tick[known][chosen[hour.code[known]]]] = True
        frames.append(hour.rows(wanted[hour.tick]))
    return joined(frames) if frames else EMPTY, counts


def _has(server_id: int, part: Window, chosen: npt.NDArray[np.bool_]) -> bool:
    """Looks at the codes alone, which is a tenth of the hour."""
    hour = part.start - part.start % MS_PER_HOUR
    data = Chunk.objects.filter(server_id=server_id, hour_ms=hour).values_list("code", flat=True).first()
    try:
        if data is not None and _any(packing.unpack(data), chosen):
            return True
    except packing.BadColumn:
        return True  # whoever reads the hour finds what is left of it
    rows = copy_out(server_id, part.start, part.end)
    return _any(rows["code"].astype(np.int64), chosen)


def _any(codes: Ints, chosen: npt.NDArray[np.bool_]) -> bool:
    known = codes[codes < len(chosen)]
    return bool(chosen[known].any())


def sessions_of(frame: SessionFrame, sessions: Sequence[tuple[int, int]]) -> SessionFrame:
    """Only the samples of these sessions, each a pid and a start."""
    keep = np.zeros(len(frame.pid), dtype=np.bool_)
    for pid, started_s in sessions:
        keep |= (frame.pid == pid) & (frame.started_s == started_s)
    return frame.rows(keep)
