"""Bytes that a server's processes read from the disks and wrote to them, told by what their sessions were seen doing.

The server's machine counts bytes for each process, so their sum is exact. They are assigned by the sample
at the end of the time they were counted over: exact for the process, its user, program and client, and an estimate for
statements that take less time than lies between two samples.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

import numpy as np
import numpy.typing as npt

from faena.core.readings import ENDED, DiskBytes, ProcessBytes, SessionSample
from faena.core.sampling.dimensions import Combination, Dictionary, Dimension, combination_of
from faena.core.sampling.trail import Pick, narrow
from faena.core.series.window import Window
from faena.core.units import Pid

NOT_AT_WORK = "ended meanwhile"  # program of a session that moved bytes and ended before a sample saw it
_CLIENT = "client backend"
_OF_WORK = (Dimension.KIND, Dimension.WAIT)  # dimensions that only sessions at work have

Ints = npt.NDArray[np.int64]


class Way(StrEnum):
    """Which bytes; the value is the word used in the API and in the URL."""

    READ = "read"
    WRITTEN = "written"


@dataclass(frozen=True, slots=True)
class DiskFrame:
    """Bytes of a window. `tick_ms` (T,) ascending, with `covers_ms` (T,) counted up to each; 0 where nothing was counted.

    Rows (N,), ascending by `tick`, an index into it: `code` into the dictionary, `pid` (0 where summed up), and bytes.
    """

    tick_ms: Ints
    covers_ms: Ints
    tick: Ints
    code: Ints
    pid: Ints
    read: Ints
    written: Ints

    @property
    def seconds(self) -> float:
        """How much of the window was counted."""
        return float(self.covers_ms.sum()) / 1000

    def within(self, window: Window) -> "DiskFrame":
        first, last = np.searchsorted(self.tick_ms, (window.start, window.end))
        low, high = np.searchsorted(self.tick, (first, last))
        rows = (column[low:high] for column in (self.code, self.pid, self.read, self.written))
        return DiskFrame(self.tick_ms[first:last], self.covers_ms[first:last], self.tick[low:high] - first, *rows)

    def without(self, tick_ms: Ints) -> "DiskFrame":
        """But for these ticks."""
        keep = ~np.isin(self.tick_ms, tick_ms)
        rows = keep[self.tick]
        tick = (np.cumsum(keep) - 1)[self.tick[rows]]
        told = (column[rows] for column in (self.code, self.pid, self.read, self.written))
        return DiskFrame(self.tick_ms[keep], self.covers_ms[keep], tick, *told)

    def in_order(self) -> "DiskFrame":
        """The same with its ticks in order of time."""
        order = np.argsort(self.tick_ms, kind="stable")
        place = np.empty(len(order), dtype=np.int64)
        place[order] = np.arange(len(order))
        rows = np.argsort(place[self.tick], kind="stable")
        told = (column[rows] for column in (self.code, self.pid, self.read, self.written))
        return DiskFrame(self.tick_ms[order], self.covers_ms[order], place[self.tick][rows], *told)

    def rolled(self, unit_ms: int) -> "DiskFrame":
        """Summed up by `unit_ms` and code."""
        cells, cell = np.unique(self.tick_ms // unit_ms, return_inverse=True)
        width = int(self.code.max(initial=0)) + 1
        keys, where = np.unique(cell[self.tick] * width + self.code, return_inverse=True)
        added = [np.zeros(len(keys), dtype=np.int64) for _ in range(2)]
        for sums, column in zip(added, (self.read, self.written), strict=True):
            np.add.at(sums, where, column)
        covers = np.zeros(len(cells), dtype=np.int64)
        np.add.at(covers, cell, self.covers_ms)
        return DiskFrame(cells * unit_ms, covers, keys // width, keys % width, np.zeros_like(keys), *added)


NO_BYTES = DiskFrame(*(np.empty(0, np.int64) for _ in range(7)))


def joined(frames: Sequence[DiskFrame]) -> DiskFrame:
    """Frames that follow each other in time, as one."""
    parts = [frame for frame in frames if len(frame.tick_ms)] or [NO_BYTES]
    offsets = np.cumsum([0, *(len(part.tick_ms) for part in parts[:-1])])
    ticks = np.concatenate([part.tick + offset for part, offset in zip(parts, offsets, strict=True)])
    rest = {
        name: np.concatenate([getattr(part, name) for part in parts])
        for name in ("tick_ms", "covers_ms", "code", "pid", "read", "written")
    }
    return DiskFrame(tick=ticks, **rest)


def whose(disk: DiskBytes, present: dict[Pid, SessionSample]) -> list[tuple[Pid, Combination, int, int]]:
    """Processes with the dictionary entry that their bytes belong to: of their sample, their session, or their kind alone."""
    resting = {session.pid: session for session in disk.resting}

    def entry(one: ProcessBytes) -> Combination:
        if session := present.get(one.pid):
            return combination_of(session, present)
        if session := resting.get(one.pid):
            return _resting(session.program, one.backend, session.database, session.user, session.client)
        return _resting(NOT_AT_WORK if one.backend == _CLIENT or one.pid == ENDED else one.backend, one.backend)

    return [(one.pid, entry(one), one.read, one.written) for one in disk.processes]


def _resting(program: str, backend: str, database: str = "", user: str = "", client: str = "") -> Combination:
    """Of no statement and no wait: those of its session's last sample are over."""
    return Combination(
        active=False, wait_type="", wait_event="", query_id=None, database=database, user=user, program=program,
        client=client, backend=backend, held_by="",
    )  # fmt: skip


@dataclass(frozen=True, slots=True, kw_only=True)
class ByteRow:
    """One value of a dimension: bytes a second over the time counted, and the share of all inside the trail."""

    value: str
    rate: float
    share: float
    by_kind: dict[str, float]  # of sessions at work, by what they waited for; adds up to no more than `rate`
    picked: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class ByteColumn:
    """The largest values, how many more there are, and the bytes a second of processes that no sample saw at work.

    Those are among the rows but where the dimension is one of work itself.
    """

    dimension: Dimension
    rows: tuple[ByteRow, ...]
    more: int
    rate: float
    not_at_work: float


def bytes_by_code(frame: DiskFrame, way: Way, codes: int) -> npt.NDArray[np.float64]:
    """Bytes of each code of the dictionary, (codes,); exact below 2^53."""
    weights = getattr(frame, way).astype(np.float64)
    return np.bincount(frame.code, weights=weights, minlength=codes)[:codes].astype(np.float64)


def rank_bytes(
    moved: npt.NDArray[np.float64],
    seconds: float,
    dictionary: Dictionary,
    dimension: Dimension,
    trail: Sequence[Pick],
    *,
    at_most: int,
) -> ByteColumn:
    """Values of one dimension inside the trail, most bytes first. `moved` is of bytes_by_code, `seconds` above 0."""
    kept = np.where(narrow(dictionary, trail, but=dimension), moved, 0.0)
    idle = np.where(dictionary.active, 0.0, kept)
    encoded, kinds = dictionary.encoded(dimension), dictionary.encoded(Dimension.KIND)
    counted = kept - idle if dimension in _OF_WORK else kept
    sums = np.bincount(encoded.ids, weights=counted, minlength=len(encoded.names))
    cell = encoded.ids * np.int32(len(kinds.names)) + kinds.ids
    cells = np.bincount(cell, weights=kept - idle, minlength=len(encoded.names) * len(kinds.names))
    by_kind = cells.reshape(len(encoded.names), -1)
    picked = {pick.value for pick in trail if pick.dimension is dimension and not pick.exclude}
    excluded = {pick.value for pick in trail if pick.dimension is dimension and pick.exclude}
    there = [i for i in np.flatnonzero(sums).tolist() if encoded.names[i] not in excluded]
    ordered = sorted(there, key=lambda i: (-sums[i], encoded.names[i]))
    top = ordered[:at_most] + [i for i in ordered[at_most:] if encoded.names[i] in picked]
    total = float(sums[there].sum())
    rows = tuple(
        ByteRow(
            value=encoded.names[i],
            rate=float(sums[i]) / seconds,
            share=float(sums[i]) / total,
            by_kind={kind: float(n) / seconds for kind, n in zip(kinds.names, by_kind[i], strict=True) if n},
            picked=encoded.names[i] in picked,
        )
        for i in top
    )
    return ByteColumn(
        dimension=dimension,
        rows=rows,
        more=len(ordered) - len(top),
        rate=float(kept.sum()) / seconds,
        not_at_work=float(idle.sum()) / seconds,
    )
