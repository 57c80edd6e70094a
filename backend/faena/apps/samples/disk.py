"""Bytes read and written by a server's processes: writing, closing, forgetting and reading them."""

import logging
from collections.abc import Mapping, Sequence
from typing import NamedTuple

import numpy as np

from faena.apps.samples import packing
from faena.apps.samples.models import BytesHour, OpenBytes
from faena.core.readings import SampleReading
from faena.core.sampling.dimensions import Combination
from faena.core.sampling.disk import NO_BYTES, DiskFrame, joined
from faena.core.sampling.rollup import MINUTE_MS
from faena.core.series.window import Window
from faena.core.units import MS_PER_HOUR, Pid

log = logging.getLogger(__name__)
_COLUMNS = tuple(DiskFrame.__dataclass_fields__)
Whose = Sequence[tuple[Pid, Combination, int, int]]


def put_bytes(server_id: int, moved: Sequence[tuple[SampleReading, Whose]], codes: Mapping[Combination, int]) -> None:
    """Store what was counted up to each reading, inside the caller's transaction."""
    rows = []
    for reading, told in moved:
        assert reading.disk is not None
        pids, of, read, written = zip(*told, strict=True) if told else ((), (), (), ())
        rows.append(
            OpenBytes(
                server_id=server_id,
                at_ms=reading.due,
                covers_ms=round(reading.disk.covers),
                pids=list(pids),
                codes=[codes[one] for one in of],
                read=list(read),
                written=list(written),
            )
        )
    if rows:
        OpenBytes.objects.bulk_create(rows, ignore_conflicts=True)


def _opened(server_id: int, start_ms: int, end_ms: int) -> DiskFrame:
    rows = OpenBytes.objects.filter(server_id=server_id, at_ms__gte=start_ms, at_ms__lt=end_ms).order_by("at_ms")
    told = list(rows.values_list("at_ms", "covers_ms", "pids", "codes", "read", "written"))
    if not told:
        return NO_BYTES
    at, covers, *lists = zip(*told, strict=True)
    pid, code, read, written = (
        np.array([one for items in column for one in items], dtype=np.int64) for column in lists
    )
    tick = np.repeat(np.arange(len(at)), [len(items) for items in lists[0]])
    return DiskFrame(np.array(at), np.array(covers, dtype=np.int64), tick, code, pid, read, written)


def close_bytes(server_id: int, hour: int) -> None:
    """Pack an hour, inside the transaction that closes its samples. What comes late is added to what was packed."""
    fresh = _opened(server_id, hour, hour + MS_PER_HOUR)
    if not len(fresh.tick_ms):
        return
    before = BytesHour.objects.filter(server_id=server_id, unit_ms=0, hour_ms=hour).first()
    # A damaged hour is replaced; its samples tell of the damage.
    frame = _with_late(_unpacked(before), fresh) if before else fresh
    for unit_ms, one in ((0, frame), (MINUTE_MS, frame.rolled(MINUTE_MS))):
        packed = {name: packing.pack(getattr(one, name)) for name in _COLUMNS}
        BytesHour.objects.update_or_create(server_id=server_id, unit_ms=unit_ms, hour_ms=hour, defaults=packed)
    OpenBytes.objects.filter(server_id=server_id, at_ms__gte=hour, at_ms__lt=hour + MS_PER_HOUR).delete()


def _with_late(closed: DiskFrame, late: DiskFrame) -> DiskFrame:
    """A tick that is in both is taken from what was closed."""
    return joined([closed, late.without(closed.tick_ms)]).in_order()


def _unpacked(hour: BytesHour) -> DiskFrame:
    try:
        return DiskFrame(*(packing.unpack(getattr(hour, name)) for name in _COLUMNS))
    except packing.BadColumn as error:
        log.error("an hour of bytes in the store is damaged and left out: %s", error)
        return NO_BYTES


def forget_bytes(server_id: int, before_ms: int, sums_before_ms: int) -> None:
    """Retention, as of samples and of their sums."""
    mine = BytesHour.objects.filter(server_id=server_id)
    mine.filter(unit_ms=0, hour_ms__lt=before_ms)._raw_delete(using="default")
    mine.filter(unit_ms=MINUTE_MS, hour_ms__lt=sums_before_ms)._raw_delete(using="default")


def read_bytes(server_id: int, window: Window, unit_ms: int = 0) -> DiskFrame:
    """What was counted in a window; with `unit_ms` of a minute closed hours are read summed up, to the minute.

    A tick that came twice counts once, but where it came again after its hour was closed and that is read summed up.
    """
    first = window.start - window.start % MS_PER_HOUR
    closed = BytesHour.objects.filter(
        server_id=server_id, unit_ms=unit_ms, hour_ms__gte=first, hour_ms__lt=window.end
    ).order_by("hour_ms")
    kept = joined([_unpacked(hour) for hour in closed])
    return _with_late(kept, _opened(server_id, window.start, window.end)).within(window)


class Moved(NamedTuple):
    """Bytes read and written by tick and process, and the ticks up to which they were counted."""

    ticks: frozenset[int]
    by_process: dict[tuple[int, int], tuple[int, int]]

    def of(self, at_ms: int, pid: int) -> tuple[int, int] | None:
        """None where nothing was counted."""
        return self.by_process.get((at_ms, pid), (0, 0)) if at_ms in self.ticks else None


def moved_in(server_id: int, part: Window) -> Moved:
    """What was counted in a part of one hour, tick by tick."""
    frame = read_bytes(server_id, part)
    rows = zip(
        frame.tick_ms[frame.tick].tolist(), frame.pid.tolist(), frame.read.tolist(), frame.written.tolist(), strict=True
    )
    return Moved(frozenset(frame.tick_ms.tolist()), {(at, pid): (read, written) for at, pid, read, written in rows})
