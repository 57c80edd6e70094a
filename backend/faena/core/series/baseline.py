"""Which earlier days say what is usual, and how many of them are enough: one rule for load, statements and machines.

Days are counted by the clock of a server, so that an hour is compared with the same hour on the wall, also across a change
of the clock. A figure that hangs on who is at work (load, calls) is learned from days alike: workdays, or weekends. One
that hangs on the work itself (what a call costs, how long a request to the disk takes) is learned from days of any kind.
"""

from collections.abc import Iterable
from statistics import median

import numpy as np
import numpy.typing as npt

from faena.core.series.calendar import IN_UTC, Calendar, weekday
from faena.core.series.window import Window
from faena.core.units import MS_PER_HOUR, EpochMs

MIN_DAYS = 3  # fewer, and nothing is called usual
LOOK_BACK_DAYS = 28  # further back no days alike are looked for
SAME_DAY_WEEKS = 4  # with so many weeks, the same day of the week alone; else all workdays, or all weekends
Floats = npt.NDArray[np.float64]
Whole = npt.NDArray[np.int64]


def typical(values: Iterable[float]) -> float | None:
    """The median of earlier days, so that one bad day does not become the rule; None with too few."""
    known = list(values)
    return median(known) if len(known) >= MIN_DAYS else None


def window_before(window: Window, days: int, calendar: Calendar = IN_UTC) -> Window:
    """The window as it lay by the clock so many days before, and as long as it is."""
    start = calendar.days_before(window.start, days)
    return Window(start=EpochMs(start), end=EpochMs(start + window.length_ms))


def windows_before(window: Window, days: int, calendar: Calendar = IN_UTC) -> list[Window]:
    """The same by the clock on each of so many days before, the newest first."""
    return [window_before(window, back, calendar) for back in range(1, days + 1)]


def hours_before(hour: int, days: int, calendar: Calendar = IN_UTC) -> list[int]:
    """The same hour by the clock on the newest so many days before, as the start of the hour it is kept in."""
    return [calendar.days_before(hour, back) // MS_PER_HOUR * MS_PER_HOUR for back in range(1, days + 1)]


def hours_alike(hour: int, days: int, calendar: Calendar = IN_UTC) -> list[int]:
    """The same hour on the newest so many days before that are workdays, or weekends, as its own is."""
    weekend = calendar.is_weekend(hour)
    return [at for at in hours_before(hour, LOOK_BACK_DAYS, calendar) if calendar.is_weekend(at) == weekend][:days]


def days_alike(earlier: Floats, first: int, day: int) -> tuple[Floats, Whole]:
    """Of days from `first` on, counted since 1970-01-01, the figures of those like `day`; (days, …) NaN unknown.

    The same day of the week, or while there are few weeks, the same kind of day; told by each cell. With how many are
    known of each, (…).
    """
    kinds, mine = weekday(np.arange(first, first + len(earlier), dtype=np.int64)), weekday(day)
    alike = (kinds >= 5) == (mine >= 5)
    values, same_day = earlier[alike], kinds[alike] == mine
    enough = (~np.isnan(values[same_day])).sum(axis=0) >= SAME_DAY_WEEKS
    values[~same_day] = np.where(enough, np.nan, values[~same_day])
    return values, (~np.isnan(values)).sum(axis=0)
