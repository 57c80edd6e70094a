"""Days of load as a sampler would see them, whose truth is known: for tests and the bench of what is usual."""

import numpy as np
import numpy.typing as npt

from faena.core.series.calendar import IN_UTC, weekday
from faena.core.series.usual import CELL_MS, CELLS_A_DAY, HISTORY_DAYS, PastDays
from faena.core.units import MS_PER_DAY

SECONDS = 86_400
CELL_S = CELL_MS // 1000
JOB_AT_S, JOB_S, JOB_SESSIONS = 2 * 3600, 300, 8.0


def day_of_load(
    chance: np.random.Generator,
    *,
    differs: float = 0.0,
    late_s: float = 0.0,
    busy: tuple[int, int, float] | None = None,
) -> npt.NDArray[np.float64]:
    """Mean sessions by cell, (CELLS_A_DAY, 2): statements of 2 s in a daily wave, and a job of five minutes at two.

    `differs`: standard deviation of the whole day's level, as a share. `late_s`: the job starts so much earlier or later
    at most. `busy`: from second, for seconds, times as much work.
    """
    second = np.arange(SECONDS)
    level = max(0.1, 1 + differs * chance.standard_normal())
    begins = (2.5 + 2 * np.sin(2 * np.pi * (second / SECONDS - 0.3))) * level / 2
    if busy is not None:
        at, lasts, times = busy
        begins[at : at + lasts] *= times
    count = chance.poisson(begins)
    start = np.repeat(second, count) + chance.random(count.sum())
    end = start + chance.exponential(2.0, len(start))
    change = np.zeros(SECONDS + 1)
    for moments, by in ((start, 1), (end, -1)):
        change += by * np.bincount(np.minimum(np.ceil(moments).astype(int), SECONDS), minlength=SECONDS + 1)
    running = np.cumsum(change)[:SECONDS]
    job = JOB_AT_S + int(chance.uniform(-late_s, late_s))
    running[job : job + JOB_S] += JOB_SESSIONS
    waiting = chance.poisson(0.3 * level, SECONDS)
    return np.stack([side.reshape(CELLS_A_DAY, CELL_S).mean(axis=1) for side in (running, waiting)], axis=1)


def days_alike(
    chance: np.random.Generator, days: int, monday_ms: int, *, differs: float = 0.0, late_s: float = 0.0
) -> PastDays:
    """So many workdays before a Monday at midnight, at most 27: not four Mondays, which would stand alone."""
    monday, back = monday_ms // MS_PER_DAY, np.arange(1, HISTORY_DAYS + 1)
    kinds = weekday(monday - back)
    chosen = np.concatenate([back[(kinds > 0) & (kinds < 5)], back[kinds == 0][:3]])[:days]
    table = np.full((HISTORY_DAYS, CELLS_A_DAY, 2), np.nan, dtype=np.float32)
    for day in chosen.tolist():
        table[HISTORY_DAYS - day] = day_of_load(chance, differs=differs, late_s=late_s)
    return PastDays(monday - HISTORY_DAYS, table, IN_UTC)
