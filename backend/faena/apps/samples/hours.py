"""Reading samples of any span as one frame, from closed and open hours alike.

Closed hours are kept unpacked in memory, up to a bound, and so are a few whole spans; to a span that reaches into the
present only what is new is added. What the store holds of a server (one row, see servers/holdings.py) tells whether
something is new, or whether something older changed and the span must be made again.
"""

from collections import OrderedDict
from dataclasses import dataclass, field
from threading import Lock

import numpy as np
import numpy.typing as npt

from faena.apps.samples.closing import SUMMED, frame_of_hour, readable
from faena.apps.samples.models import Chunk, DayTotals, Rollup, Tick
from faena.apps.samples.rows import NEVER_MS, copy_frame
from faena.apps.servers import holdings
from faena.apps.servers.holdings import Held
from faena.core.sampling.growing import GrowingFrame
from faena.core.sampling.rollup import whole_part
from faena.core.series.window import Window
from faena.core.sessions.frame import EMPTY, SampleFrame, join, merge
from faena.core.units import MS_PER_DAY, MS_PER_HOUR, EpochMs

MAX_CACHED_BYTES = 256 * 1024 * 1024
MAX_SPANS = 8  # spans kept in one piece: the window and the rail of a few readers, which ask for them every 2 s
MAX_SUMMED_BYTES = 128 * 1024 * 1024  # of sums kept in pieces; a long history with gaps has many small ones
MAX_TRIES = 3  # at which an hour may be closed while we read, before we take what we have

HourKey = tuple[int, int, int]  # server, start of the hour, revision


class HourCache:
    """Unpacked closed hours, the least recently used thrown out first. Safe for threads."""

    def __init__(self, max_bytes: int = MAX_CACHED_BYTES) -> None:
        self._max_bytes, self._bytes = max_bytes, 0
        self._frames: OrderedDict[HourKey, SampleFrame] = OrderedDict()
        self._lock = Lock()

    def read(self, server_id: int, window: Window) -> SampleFrame:
        """All closed hours that touch the window, whole."""
        first = window.start - window.start % MS_PER_HOUR
        rows = Chunk.objects.filter(server_id=server_id, hour_ms__gte=first, hour_ms__lt=window.end)
        keys = [(server_id, *row) for row in rows.order_by("hour_ms").values_list("hour_ms", "revision")]
        with self._lock:
            found = {key: self._frames[key] for key in keys if key in self._frames}
            for key in found:
                self._frames.move_to_end(key)
        missing = [key[1] for key in keys if key not in found]
        if missing:
            columns = ("hour_ms", "revision", "tick_ms", "tick", "code")
            for hour, revision, *data in rows.filter(hour_ms__in=missing).values_list(*columns):
                frame = frame_of_hour(*data)
                found[server_id, hour, revision] = frame
                self._keep((server_id, hour, revision), frame)
        return join([found[key] for key in keys if key in found])

    def _keep(self, key: HourKey, frame: SampleFrame) -> None:
        with self._lock:
            self._frames[key] = frame
            self._bytes += _size(frame)
            while self._bytes > self._max_bytes and len(self._frames) > 1:
                self._bytes -= _size(self._frames.popitem(last=False)[1])


def _size(frame: SampleFrame) -> int:
    columns = (frame.tick_ms, frame.tick, frame.code, frame.taken, frame.seen)
    return sum(column.nbytes for column in columns if column is not None)


@dataclass(slots=True)
class _Span:
    """All samples from the start of an hour on, up to `until` or, without it, to the newest."""

    rewrites: int
    recodes: int
    newest_ms: int
    growing: GrowingFrame
    lock: Lock = field(default_factory=Lock)

    def back_to(self, since_ms: int, held: Held) -> None:
        """Samples from a moment on have changed: they are dropped here, and read again."""
        with self.lock:
            self.growing = self.growing.before(since_ms)
            self.newest_ms, self.recodes = min(self.newest_ms, since_ms - 1), held.recodes


class SpanCache:
    """Spans in one piece, the least recently used thrown out first. Safe for threads."""

    def __init__(self, hours: HourCache) -> None:
        self._hours = hours
        self._spans: OrderedDict[tuple[int, int, int | None], _Span] = OrderedDict()
        self._lock = Lock()

    def read(self, server_id: int, window: Window, held: Held) -> SampleFrame:
        """Samples of the window, each tick once, even while its hour is being closed."""
        first = window.start - window.start % MS_PER_HOUR
        until = -(-window.end // MS_PER_HOUR) * MS_PER_HOUR
        past = until + MS_PER_HOUR <= held.newest_ms
        key = (server_id, first, until if past else None)
        with self._lock:
            span = self._spans.get(key)
            changed = None if span is None or past else held.recoded_since(span.recodes)
            if span is not None and span.rewrites == held.rewrites and changed != 0:
                self._spans.move_to_end(key)
            else:
                span = None
        if span is None:
            span = self._made(server_id, Window(start=EpochMs(first), end=EpochMs(until)), held, past=past)
            with self._lock:
                self._spans[key] = span
                while len(self._spans) > MAX_SPANS:
                    self._spans.popitem(last=False)
        elif not past:
            if changed is not None:
                span.back_to(changed, held)
            if held.newest_ms > span.newest_ms:
                self._read_on(server_id, span)
        return span.growing.frame.within(window)

    def _made(self, server_id: int, window: Window, held: Held, *, past: bool) -> _Span:
        for _ in range(MAX_TRIES):
            opened = copy_frame(server_id, window.start - 1, window.end if past else NEVER_MS)
            newest = int(opened.tick_ms[-1]) if len(opened.tick_ms) else held.newest_ms
            frame = merge(self._hours.read(server_id, window), opened)
            now = holdings.read(server_id)
            if now.rewrites == held.rewrites:
                break
            held = now  # an hour was closed between the two reads and may be in neither or in both
        return _Span(held.rewrites, held.recodes, newest, GrowingFrame(frame))

    def _read_on(self, server_id: int, span: _Span) -> None:
        with span.lock:
            have = span.growing.frame
            after = int(have.tick_ms[-1]) if len(have.tick_ms) else span.newest_ms
            fresh = copy_frame(server_id, after)
            span.growing.append(fresh)
            if len(fresh.tick_ms):
                span.newest_ms = int(fresh.tick_ms[-1])


@dataclass(frozen=True, slots=True)
class _Summed:
    """Which hours of a server can be read as sums: closed, and nothing late lies beside them.

    `others` hold samples, too, but have to be read one by one: open, reopened, or never summed up.
    """

    rewrites: int
    hours: npt.NDArray[np.int64]
    others: npt.NDArray[np.int64]


class SumCache:
    """Spans summed up by minute or hour, with single ticks where there are no sums. Safe for threads."""

    def __init__(self, spans: SpanCache) -> None:
        self._spans = spans
        self._summed: dict[int, _Summed] = {}
        self._frames: OrderedDict[tuple[int, ...], SampleFrame] = OrderedDict()
        self._bytes = 0
        self._lock = Lock()

    def read(self, server_id: int, window: Window, unit_ms: int, held: Held) -> SampleFrame:
        """Samples of the window, exact to the tick: ragged ends and open hours are read as they are."""
        whole = whole_part(window, unit_ms)
        if whole is None:
            return self._spans.read(server_id, window, held)
        known = self._hours(server_id, held)
        hours = known.hours
        hours = hours[(hours + MS_PER_HOUR > whole.start) & (hours < whole.end)]
        if unit_ms == MS_PER_HOUR:
            hours = hours[(hours >= whole.start) & (hours + MS_PER_HOUR <= whole.end)]
        parts, at = list[SampleFrame](), window.start
        for first, last in _runs(hours):
            run = Window(start=EpochMs(max(first, whole.start)), end=EpochMs(min(last + MS_PER_HOUR, whole.end)))
            parts.append(self._singly(server_id, at, run.start, known, held))
            parts.append(self._sums(server_id, run, unit_ms, held.rewrites))
            at = run.end
        parts.append(self._singly(server_id, at, window.end, known, held))
        return join(parts)

    def _singly(self, server_id: int, start: EpochMs, end: EpochMs, known: _Summed, held: Held) -> SampleFrame:
        """Tick by tick, and nothing is asked where nothing is: a long history has many gaps."""
        if start >= end:
            return EMPTY
        ragged = known.hours[(known.hours + MS_PER_HOUR > start) & (known.hours < end)]
        others = known.others[(known.others + MS_PER_HOUR > start) & (known.others < end)]
        # What is newer than the last look lies in an hour that was not known then.
        if not len(ragged) and not len(others) and end <= held.newest_ms - 2 * MS_PER_HOUR:
            return EMPTY
        return self._spans.read(server_id, Window(start=start, end=end), held)

    def _hours(self, server_id: int, held: Held) -> _Summed:
        with self._lock:
            known = self._summed.get(server_id)
        if known is None or known.rewrites != held.rewrites:
            closed = Rollup.objects.filter(server_id=server_id).order_by("hour_ms").values_list("hour_ms", flat=True)
            opened = Tick.objects.filter(server_id=server_id).values_list("at_ms", flat=True)
            late = np.unique(np.fromiter(opened, dtype=np.int64) // MS_PER_HOUR * MS_PER_HOUR)
            hours = np.fromiter(closed, dtype=np.int64)
            hours = hours[~np.isin(hours, late)]
            chunks = np.fromiter(
                Chunk.objects.filter(server_id=server_id).values_list("hour_ms", flat=True), dtype=np.int64
            )
            known = _Summed(held.rewrites, hours, np.union1d(late, chunks[~np.isin(chunks, hours)]))
            with self._lock:
                self._summed[server_id] = known
        return known

    def _sums(self, server_id: int, run: Window, unit_ms: int, rewrites: int) -> SampleFrame:
        hour = run.start - run.start % MS_PER_HOUR
        key = (server_id, rewrites, unit_ms, hour, -(-run.end // MS_PER_HOUR))
        with self._lock:
            if key in self._frames:
                self._frames.move_to_end(key)
                return self._frames[key].within(run)
        if unit_ms == MS_PER_HOUR:
            day = run.start - run.start % MS_PER_DAY
            days = DayTotals.objects.filter(server_id=server_id, day_ms__gte=day, day_ms__lt=run.end)
            columns = list(days.order_by("day_ms").values_list(*SUMMED))
        else:
            minutes = Rollup.objects.filter(server_id=server_id, hour_ms__gte=hour, hour_ms__lt=run.end)
            columns = list(minutes.order_by("hour_ms").values_list(*SUMMED))
        frame = join(readable(columns))
        with self._lock:
            if key not in self._frames:
                self._frames[key] = frame
                self._bytes += _size(frame)
            while self._bytes > MAX_SUMMED_BYTES and len(self._frames) > 1:
                self._bytes -= _size(self._frames.popitem(last=False)[1])
        return frame.within(run)


def _runs(hours: npt.NDArray[np.int64]) -> list[tuple[int, int]]:
    """First and last of each stretch of hours that follow each other."""
    if not len(hours):
        return []
    breaks = np.flatnonzero(np.diff(hours) != MS_PER_HOUR)
    firsts, lasts = np.r_[hours[:1], hours[breaks + 1]], np.r_[hours[breaks], hours[-1:]]
    return list(zip(firsts.tolist(), lasts.tolist(), strict=True))


_spans = SpanCache(HourCache())
_sums = SumCache(_spans)


def read_frame(server_id: int, window: Window, held: Held | None = None, *, unit_ms: int = 0) -> SampleFrame:
    """Samples of the window, one moment per tick or, with `unit_ms`, per minute or hour where that is whole and closed.

    `held` is what the store holds, when the caller has just asked for it.
    """
    held = held or holdings.read(server_id)
    if not held.newest_ms:
        return EMPTY
    return _sums.read(server_id, window, unit_ms, held) if unit_ms else _spans.read(server_id, window, held)


def forget_caches() -> None:
    """For tests that empty the store between them."""
    global _spans, _sums
    _spans = SpanCache(HourCache())
    _sums = SumCache(_spans)
