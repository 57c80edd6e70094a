"""Reading samples of any span as one frame, from closed and open hours alike.

Closed hours are kept unpacked in memory, up to a bound; of the open hours only what came since the last look is read.
"""

from collections import OrderedDict
from dataclasses import dataclass
from threading import Lock

import numpy as np

from faena.apps.samples import packing
from faena.apps.samples.models import Chunk, Tick
from faena.apps.samples.rows import copy_out
from faena.core.sampling.frame import EMPTY, SampleFrame, join, merge
from faena.core.series.window import Window
from faena.core.units import MS_PER_HOUR, EpochMs

MAX_CACHED_BYTES = 256 * 1024 * 1024
MAX_JOINED = 6  # spans kept in one piece: the window and the rail of a few readers, which ask for them every 2 s


class HourCache:
    """Unpacked closed hours, the least recently used thrown out first. Safe for threads."""

    def __init__(self, max_bytes: int = MAX_CACHED_BYTES) -> None:
        self._max_bytes, self._bytes = max_bytes, 0
        self._frames: OrderedDict[tuple[int, int, int], SampleFrame] = OrderedDict()
        self._joined: OrderedDict[tuple[tuple[int, int, int], ...], SampleFrame] = OrderedDict()
        self._lock = Lock()

    def read(self, server_id: int, window: Window) -> SampleFrame:
        """All closed hours that touch the window, whole."""
        first = window.start - window.start % MS_PER_HOUR
        rows = Chunk.objects.filter(server_id=server_id, hour_ms__gte=first, hour_ms__lt=window.end)
        keys = tuple((server_id, *row) for row in rows.order_by("hour_ms").values_list("hour_ms", "revision"))
        with self._lock:
            if keys in self._joined:
                self._joined.move_to_end(keys)
                return self._joined[keys]
            found = {key: self._frames[key] for key in keys if key in self._frames}
            for key in found:
                self._frames.move_to_end(key)
        missing = [key[1] for key in keys if key not in found]
        if missing:
            columns = ("hour_ms", "revision", "tick_ms", "tick", "code")
            for hour, revision, *data in rows.filter(hour_ms__in=missing).values_list(*columns):
                tick_ms, tick, code = (packing.unpack(column) for column in data)
                frame = SampleFrame(tick_ms, tick.astype(np.int32), code.astype(np.int32))
                found[server_id, hour, revision] = frame
                self._keep((server_id, hour, revision), frame)
        frame = join([found[key] for key in keys if key in found])
        with self._lock:
            self._joined[keys] = frame
            while len(self._joined) > MAX_JOINED:
                self._joined.popitem(last=False)
        return frame

    def _keep(self, key: tuple[int, int, int], frame: SampleFrame) -> None:
        with self._lock:
            self._frames[key] = frame
            self._bytes += _size(frame)
            while self._bytes > self._max_bytes and len(self._frames) > 1:
                self._bytes -= _size(self._frames.popitem(last=False)[1])


def _size(frame: SampleFrame) -> int:
    return frame.tick_ms.nbytes + frame.tick.nbytes + frame.code.nbytes


@dataclass(frozen=True, slots=True)
class _Tail:
    """Open hours as far as read: all ticks of [start, end)."""

    start: int
    end: int
    frame: SampleFrame


class TailCache:
    """Samples of the open hours; reads on from where it last was. Late readings are noticed by the count of ticks."""

    def __init__(self) -> None:
        self._tails: dict[int, _Tail] = {}
        self._lock = Lock()

    def read(self, server_id: int, window: Window) -> SampleFrame:
        """All open ticks of the window (and maybe more before it)."""
        rows = Tick.objects.filter(server_id=server_id)
        with self._lock:
            tail = self._tails.get(server_id)
        if tail is not None and tail.start <= window.start:
            count = rows.filter(at_ms__gte=tail.start, at_ms__lt=tail.end).count()
            if count != len(tail.frame.tick_ms):  # something came late, or an hour was closed meanwhile
                tail = None
        else:
            tail = None
        start = window.start if tail is None else tail.end
        if start >= window.end:
            return tail.frame if tail else EMPTY
        at = np.fromiter(
            rows.filter(at_ms__gte=start, at_ms__lt=window.end).order_by("at_ms").values_list("at_ms", flat=True),
            dtype=np.int64,
        )
        end = int(at[-1]) + 1 if len(at) else start
        samples = copy_out(server_id, start, end) if len(at) else None
        if samples is None:
            return tail.frame if tail else EMPTY
        tick = np.searchsorted(at, samples["at_ms"].astype(np.int64)).astype(np.int32)
        frame = SampleFrame(at, tick, samples["code"].astype(np.int32))
        tail = _Tail(tail.start, end, join([tail.frame, frame])) if tail else _Tail(start, end, frame)
        with self._lock:
            self._tails[server_id] = tail
        return tail.frame


_hours, _tails = HourCache(), TailCache()


def read_frame(server_id: int, window: Window) -> SampleFrame:
    """Samples of the window. A tick is in it once, even while its hour is being closed."""
    closed = _hours.read(server_id, window)
    oldest = Tick.objects.filter(server_id=server_id, at_ms__lt=window.end).order_by("at_ms").first()
    if oldest is None:
        return closed.within(window)
    # From the hour of the oldest open tick on, so that the tail stays the same however the window moves.
    hour = oldest.at_ms - oldest.at_ms % MS_PER_HOUR
    if hour < window.start - 6 * MS_PER_HOUR:
        hour = window.start
    opened = _tails.read(server_id, Window(start=EpochMs(hour), end=window.end))
    return merge(closed, opened).within(window) if len(closed.tick_ms) else opened.within(window)


def forget_caches() -> None:
    """For tests that empty the store between them."""
    global _hours, _tails
    _hours, _tails = HourCache(), TailCache()
