"""Samples summed up by minute or hour, for long spans. Sums, never means, so that nothing is lost but the second."""

import numpy as np
import numpy.typing as npt

from faena.core.series.usual import CELL_MS
from faena.core.series.window import Window
from faena.core.sessions.frame import SampleFrame
from faena.core.units import MS_PER_HOUR, EpochMs

MINUTE_MS = 60_000
CELLS_AN_HOUR = MS_PER_HOUR // CELL_MS
# From this length on, hourly sums are read and no longer those by minute.
HOURLY_FROM_MS = 4 * 24 * MS_PER_HOUR
MINUTELY_FROM_MS = 6 * MS_PER_HOUR


def rolled(frame: SampleFrame, unit_ms: int) -> SampleFrame:
    """The same samples with one moment per `unit_ms`, which must be a multiple of what the frame has already."""
    cells, cell = np.unique(frame.tick_ms // unit_ms, return_inverse=True)
    taken = np.bincount(cell, weights=frame.taken, minlength=len(cells))
    width = int(frame.code.max(initial=0)) + 1
    keys, where = np.unique(cell[frame.tick] * width + frame.code, return_inverse=True)
    seen = np.bincount(where, weights=frame.seen, minlength=len(keys))
    return SampleFrame(
        cells * unit_ms,
        (keys // width).astype(np.int32),
        (keys % width).astype(np.int32),
        taken.astype(np.int32),
        seen.astype(np.int32),
    )


def unit_for(window: Window, bucket_ms: int | None = None) -> int:
    """What to read for a window: 0 for every tick, else the milliseconds summed up in one moment.

    Buckets narrower than an hour or a minute need what is finer; without buckets the length alone decides.
    """
    if window.length_ms >= HOURLY_FROM_MS and (bucket_ms is None or bucket_ms % MS_PER_HOUR == 0):
        return MS_PER_HOUR
    if window.length_ms >= MINUTELY_FROM_MS and (bucket_ms is None or bucket_ms % MINUTE_MS == 0):
        return MINUTE_MS
    return 0


def whole_part(window: Window, unit_ms: int) -> Window | None:
    """The part of the window that whole units fill; None when there is none."""
    start, end = -(-window.start // unit_ms) * unit_ms, window.end // unit_ms * unit_ms
    return Window(start=EpochMs(start), end=EpochMs(end)) if end > start else None


def cells_of(
    minutes: SampleFrame, running: npt.NDArray[np.integer], waiting: npt.NDArray[np.integer]
) -> npt.NDArray[np.int64] | None:
    """What the cells of an hour hold, (3, cells): ticks, sightings of codes that run, and of those that wait.

    Cells are those in which is told what is usual. None when nothing was sampled. `minutes` is the hour, rolled up.
    """
    if not minutes.ticks or minutes.taken is None or minutes.seen is None:
        return None
    cell = minutes.tick_ms % MS_PER_HOUR // CELL_MS
    rows = [np.bincount(cell, weights=minutes.taken, minlength=CELLS_AN_HOUR)]
    for codes in (running, waiting):
        mine = np.isin(minutes.code, codes)
        rows.append(np.bincount(cell[minutes.tick[mine]], weights=minutes.seen[mine], minlength=CELLS_AN_HOUR))
    return np.array(rows).astype(np.int64)
