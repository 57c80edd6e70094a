"""Samples of one server over a window, as arrays: what every answer about load, locks and sessions is computed from."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt

from faena.core.series.window import Window

Ints = npt.NDArray[np.int64]
GRID_MS = 1000  # load is counted at full seconds


@dataclass(frozen=True, slots=True)
class SampleFrame:
    """`tick_ms` (T,) ascending; `tick` (N,) index into it, ascending; `code` (N,) index into the dictionary.

    A tick at which nothing was seen is in `tick_ms` and in no row of `tick`: idle is not the same as not sampled.
    For long spans a moment may stand for several ticks (see rollup.py): `taken` (T,) says for how many, and `seen` (N,)
    how often the code was seen in them. None: once each.
    """

    tick_ms: npt.NDArray[np.int64]
    tick: npt.NDArray[np.integer]
    code: npt.NDArray[np.integer]
    taken: npt.NDArray[np.integer] | None = None
    seen: npt.NDArray[np.integer] | None = None

    def __post_init__(self) -> None:
        if len(self.tick) != len(self.code):
            raise ValueError(f"columns differ in length: {len(self.tick)} ticks, {len(self.code)} codes")
        if (self.taken is None) != (self.seen is None):
            raise ValueError("either both or none of taken and seen")

    @property
    def ticks(self) -> int:
        """How many ticks were taken."""
        return len(self.tick_ms) if self.taken is None else int(self.taken.sum())

    def within(self, window: Window) -> "SampleFrame":
        """The moments inside the window; arrays are views where possible."""
        first, last = np.searchsorted(self.tick_ms, (window.start, window.end))
        if first == 0 and last == len(self.tick_ms):
            return self
        low, high = np.searchsorted(self.tick, (first, last))
        return SampleFrame(
            self.tick_ms[first:last],
            (self.tick[low:high] - np.int32(first)).astype(np.int32, copy=False),
            self.code[low:high],
            None if self.taken is None else self.taken[first:last],
            None if self.seen is None else self.seen[low:high],
        )

    def on_grid(self, grid_ms: int = GRID_MS) -> "SampleFrame":
        """Only ticks on full seconds. What a close watch saw in between is kept, yet must not weigh more in a mean."""
        keep = self.tick_ms % grid_ms == 0
        if keep.all():
            return self
        renumber = np.cumsum(keep, dtype=np.int32) - np.int32(1)
        rows = keep[self.tick]
        return SampleFrame(self.tick_ms[keep], renumber[self.tick[rows]], self.code[rows])


@dataclass(frozen=True, slots=True, kw_only=True)
class SessionFrame(SampleFrame):
    """Samples of single ticks with their sessions, in order of (tick, pid); all columns are (N,).

    `blocker` is the one to blame first: 0 nobody, PREPARED a prepared transaction. Ages in milliseconds, -1 unknown.
    """

    tick: Ints
    code: Ints
    pid: Ints
    blocker: Ints
    started_s: Ints
    transaction_ms: Ints
    statement_ms: Ints

    def __post_init__(self) -> None:
        if len({len(getattr(self, name)) for name in COLUMNS}) != 1:
            raise ValueError("columns differ in length")

    def rows(self, keep: npt.NDArray[np.bool_] | Ints) -> "SessionFrame":
        """The chosen samples; all ticks stay, since one at which nothing was seen is none that was not taken."""
        return SessionFrame(tick_ms=self.tick_ms, **{name: getattr(self, name)[keep] for name in COLUMNS})

    def within(self, window: Window) -> "SessionFrame":
        """The ticks inside the window and their samples."""
        first, last = np.searchsorted(self.tick_ms, (window.start, window.end))
        if first == 0 and last == len(self.tick_ms):
            return self
        kept = self.rows((self.tick >= first) & (self.tick < last))
        return replace(kept, tick_ms=self.tick_ms[first:last], tick=kept.tick - first)

    def on_grid(self, grid_ms: int = GRID_MS) -> "SessionFrame":
        """Only ticks on multiples of the grid, so that what a close watch saw in between does not weigh more."""
        keep = self.tick_ms % grid_ms == 0
        if keep.all():
            return self
        kept = self.rows(keep[self.tick])
        return replace(kept, tick_ms=self.tick_ms[keep], tick=(np.cumsum(keep) - 1)[kept.tick])


COLUMNS = ("tick", "pid", "blocker", "code", "started_s", "transaction_ms", "statement_ms")  # of a sample
NOBODY_SEEN = SessionFrame(tick_ms=np.empty(0, dtype=np.int64), **dict.fromkeys(COLUMNS, np.empty(0, dtype=np.int64)))


EMPTY = SampleFrame(np.empty(0, np.int64), np.empty(0, np.int32), np.empty(0, np.int32))


def join(frames: Sequence[SampleFrame]) -> SampleFrame:
    """Frames that follow each other in time, as one."""
    parts = [frame for frame in frames if len(frame.tick_ms)]
    if not parts:
        return EMPTY
    if len(parts) == 1:
        return parts[0]
    offsets = np.cumsum([0, *(len(part.tick_ms) for part in parts[:-1])]).astype(np.int32)
    plain = all(part.taken is None for part in parts)
    return SampleFrame(
        np.concatenate([part.tick_ms for part in parts]),
        np.concatenate([part.tick + offset for part, offset in zip(parts, offsets, strict=True)]),
        np.concatenate([part.code for part in parts]),
        None if plain else np.concatenate([_counted(part.taken, part.tick_ms) for part in parts]),
        None if plain else np.concatenate([_counted(part.seen, part.tick) for part in parts]),
    )


def _counted(counts: npt.NDArray[np.integer] | None, of: npt.NDArray[np.integer]) -> npt.NDArray[np.integer]:
    return np.ones(len(of), dtype=np.int32) if counts is None else counts


def merge(kept: SampleFrame, late: SampleFrame) -> SampleFrame:
    """Both frames of single ticks in order of time; a tick that both have is taken from `kept`, whole."""
    if len(kept.tick_ms) == 0 or len(late.tick_ms) == 0 or kept.tick_ms[-1] < late.tick_ms[0]:
        return join([kept, late])  # the usual case: open hours follow closed ones
    fresh = ~np.isin(late.tick_ms, kept.tick_ms)
    if not fresh.any():
        return kept
    renumber = np.cumsum(fresh, dtype=np.int32) - np.int32(1)
    rows = fresh[late.tick]
    tick_ms = np.concatenate([kept.tick_ms, late.tick_ms[fresh]])
    tick = np.concatenate([kept.tick, renumber[late.tick[rows]] + np.int32(len(kept.tick_ms))])
    code = np.concatenate([kept.code, late.code[rows]])
    by_time = np.argsort(tick_ms, kind="stable")
    place = np.empty(len(by_time), dtype=np.int32)
    place[by_time] = np.arange(len(by_time), dtype=np.int32)
    tick = place[tick]
    order = np.argsort(tick, kind="stable")
    return SampleFrame(tick_ms[by_time], tick[order], code[order])


def joined(frames: Sequence[SessionFrame]) -> SessionFrame:
    """Frames with ticks of their own as one, in order of (tick, pid)."""
    if not frames:
        return NOBODY_SEEN
    at = np.concatenate([frame.tick_ms for frame in frames])
    tick_ms = np.sort(at)
    tick = np.searchsorted(tick_ms, np.concatenate([frame.tick_ms[frame.tick] for frame in frames]))
    columns = {name: np.concatenate([getattr(frame, name) for frame in frames]) for name in COLUMNS if name != "tick"}
    later, further = np.diff(tick), np.diff(columns["pid"])
    if bool(np.all((later > 0) | ((later == 0) & (further >= 0)))):  # mostly so, and sorting takes ten times as long
        return SessionFrame(tick_ms=tick_ms, tick=tick, **columns)
    order = np.lexsort((columns["pid"], tick))
    return SessionFrame(tick_ms=tick_ms, tick=tick[order], **{name: column[order] for name, column in columns.items()})
