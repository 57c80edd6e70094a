"""Samples with their sessions, for questions that are about who and not how many."""

import logging
from collections import OrderedDict
from collections.abc import Iterator, Sequence
from threading import Lock

import numpy as np
import numpy.typing as npt
from django.db.models import BigIntegerField, F
from django.db.models.functions import Cast

from faena.apps.samples import packing
from faena.apps.samples.models import Chunk, Tick, WaitHour
from faena.apps.samples.rows import OPEN_COLUMNS, copy_out, copy_waiting
from faena.apps.servers import holdings
from faena.core.locks.history import behind_others
from faena.core.series.window import Window
from faena.core.sessions.frame import COLUMNS, NOBODY_SEEN, Ints, SessionFrame, joined
from faena.core.units import MS_PER_HOUR, EpochMs

log = logging.getLogger(__name__)
MAX_WAIT_BYTES = 64 * 1024 * 1024
KEPT = COLUMNS  # in this order they stand in WaitHour.columns
_COLUMNS = COLUMNS[1:]


def hours_of(window: Window) -> Iterator[Window]:
    """The window cut at full hours."""
    hour = window.start - window.start % MS_PER_HOUR
    while hour < window.end:
        yield Window(start=EpochMs(max(hour, window.start)), end=EpochMs(min(hour + MS_PER_HOUR, window.end)))
        hour += MS_PER_HOUR


def read_hour(server_id: int, part: Window, only: Sequence[int] | None = None) -> SessionFrame:
    """All ticks and samples of a part of one hour, closed and open; a tick that is in both is taken from the closed.

    With `only`, of what is open no more than chains of those codes are made of.
    """
    hour = part.start - part.start % MS_PER_HOUR
    chunk = Chunk.objects.filter(server_id=server_id, hour_ms=hour).first()
    frames = [] if chunk is None else [closed_hour(chunk)]
    open_ticks = Tick.objects.filter(server_id=server_id, at_ms__gte=part.start, at_ms__lt=part.end)
    tick_ms = np.fromiter(open_ticks.order_by("at_ms").values_list("at_ms", flat=True), dtype=np.int64)
    if chunk is not None and len(tick_ms):
        tick_ms = tick_ms[~np.isin(tick_ms, frames[0].tick_ms)]
    if len(tick_ms):
        span = (server_id, part.start, part.end)
        rows = copy_out(*span) if only is None else copy_waiting(*span, only)
        rows = rows[np.isin(rows["at_ms"], tick_ms)]
        columns = {name: rows[name].astype(np.int64) for name in OPEN_COLUMNS}
        tick = np.searchsorted(tick_ms, columns["at_ms"])
        frames.append(SessionFrame(tick_ms=tick_ms, tick=tick, **{name: columns[name] for name in _COLUMNS}))
    return joined(frames).within(part)


def closed_hour(chunk: Chunk) -> SessionFrame:
    """NOBODY_SEEN where it is damaged, which our log tells of."""
    try:
        told = {name: packing.unpack(getattr(chunk, name)) for name in ("tick_ms", "tick", *_COLUMNS)}
    except packing.BadColumn as error:
        log.error("an hour in the store is damaged and its sessions are left out: %s", error)
        return NOBODY_SEEN
    return SessionFrame(**told)


def read_sessions(server_id: int, window: Window) -> SessionFrame:
    """All of a window."""
    frames = [read_hour(server_id, part) for part in hours_of(window)]
    return joined(frames) if frames else NOBODY_SEEN


def read_waiting(server_id: int, window: Window, waiting: npt.NDArray[np.bool_]) -> SessionFrame:
    """The ticks at which one of the chosen codes was seen, with those samples and whoever blocks any.

    Of closed hours as kept beside them, so that weeks cost little; of others, and of the first and last, from samples.
    """
    parts = list(hours_of(window))
    hours = [part.start - part.start % MS_PER_HOUR for part in parts]
    kept, others = _kept_hours(server_id, hours)
    frames = []
    for part, hour in zip(parts, hours, strict=True):
        frame = kept.get(hour)
        if frame is None:
            if hour not in others:
                continue  # nothing was sampled
            frame = waiting_in(read_hour(server_id, part, np.flatnonzero(waiting).tolist()), waiting)
        if len(frame.tick_ms):
            frames.append(frame if part.length_ms == MS_PER_HOUR else frame.within(part))
    return joined(frames)


def waiting_in(frame: SessionFrame, waiting: npt.NDArray[np.bool_]) -> SessionFrame:
    """What `read_waiting` keeps of an hour."""
    waits = np.zeros(len(frame.code), dtype=np.bool_)
    known = frame.code < len(waiting)
    waits[known] = waiting[frame.code[known]]
    return behind_others(frame, waits)


def _kept_hours(server_id: int, hours: Sequence[int]) -> tuple[dict[int, SessionFrame], set[int]]:
    """Of hours that are closed as a whole; and others that have samples: open, or something late has come to them."""
    reopened = Tick.objects.filter(server_id=server_id, at_ms__gte=hours[0], at_ms__lt=hours[-1] + MS_PER_HOUR)
    cell = Cast(F("at_ms") / MS_PER_HOUR, BigIntegerField())
    late = {
        hour * MS_PER_HOUR for hour in reopened.annotate(hour=cell).values_list("hour", flat=True).distinct().order_by()
    }
    closed = Chunk.objects.filter(server_id=server_id, hour_ms__gte=hours[0], hour_ms__lte=hours[-1])
    rewrites = holdings.read(server_id).rewrites
    found = {hour: frame for hour, frame in _waits.of(server_id, hours, rewrites).items() if hour not in late}
    rows = WaitHour.objects.filter(server_id=server_id, hour_ms__in=[hour for hour in hours if hour not in found])
    for hour, samples, tick_ms, columns in rows.values_list("hour_ms", "samples", "tick_ms", "columns"):
        if hour in late:
            continue
        try:
            frame = NOBODY_SEEN if not samples else _kept(packing.unpack(tick_ms), packing.unpack(columns), samples)
        except packing.BadColumn as error:
            log.error(
                "what is kept of the lock waits of an hour is damaged; the answer comes from its samples: %s", error
            )
            continue
        found[hour] = frame
        _waits.keep(server_id, hour, rewrites, frame)
    return found, late | set(closed.values_list("hour_ms", flat=True))


class _WaitCache:
    """Unpacked lock waits of closed hours, the least recently used thrown out first. Safe for threads.

    An entry is valid until a closed hour of its server is rewritten (`rewrites` of the server's holdings).
    """

    def __init__(self, max_bytes: int = MAX_WAIT_BYTES) -> None:
        self._max_bytes, self._bytes = max_bytes, 0
        self._frames: OrderedDict[tuple[int, int], tuple[int, SessionFrame]] = OrderedDict()
        self._lock = Lock()

    def of(self, server_id: int, hours: Sequence[int], rewrites: int) -> dict[int, SessionFrame]:
        """Those of these hours that are here."""
        with self._lock:
            found = {}
            for hour in hours:
                kept = self._frames.get((server_id, hour))
                if kept is not None and kept[0] == rewrites:
                    self._frames.move_to_end((server_id, hour))
                    found[hour] = kept[1]
            return found

    def keep(self, server_id: int, hour: int, rewrites: int, frame: SessionFrame) -> None:
        with self._lock:
            before = self._frames.pop((server_id, hour), None)
            self._bytes += _size(frame) - (_size(before[1]) if before else 0)
            self._frames[server_id, hour] = rewrites, frame
            while self._bytes > self._max_bytes and len(self._frames) > 1:
                self._bytes -= _size(self._frames.popitem(last=False)[1][1])


def _size(frame: SessionFrame) -> int:
    """Bytes in memory, with what an entry costs by itself."""
    return 1000 + sum(int(getattr(frame, name).nbytes) for name in ("tick_ms", *COLUMNS))


_waits = _WaitCache()


def forget_caches() -> None:
    """For tests that empty the store between them."""
    global _waits
    _waits = _WaitCache()


def _kept(tick_ms: Ints, columns: Ints, samples: int) -> SessionFrame:
    return SessionFrame(tick_ms=tick_ms, **dict(zip(KEPT, columns.reshape(len(KEPT), samples), strict=True)))


def sessions_of(frame: SessionFrame, sessions: Sequence[tuple[int, int]]) -> SessionFrame:
    """Only the samples of these sessions, each a pid and a start."""
    keep = np.zeros(len(frame.pid), dtype=np.bool_)
    for pid, started_s in sessions:
        keep |= (frame.pid == pid) & (frame.started_s == started_s)
    return frame.rows(keep)
