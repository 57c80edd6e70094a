"""One rule of which earlier days are looked at: by the clock on the wall, and alike."""

from datetime import datetime
from zoneinfo import ZoneInfo

import numpy as np
import pytest
from faena.core.hosts.disk import disk_sentence
from faena.core.series.baseline import days_alike, hours_alike, hours_before, typical, window_before, windows_before
from faena.core.series.calendar import Calendar
from faena.core.series.window import Window
from faena.core.units import MS_PER_HOUR, EpochMs

LISBON = ZoneInfo("Europe/Lisbon")
BY_CLOCK = Calendar(LISBON)


def at(*when: int) -> int:
    return round(datetime(*when, tzinfo=LISBON).timestamp() * 1000)  # type: ignore[misc]


def test_a_day_before_is_the_same_time_on_the_wall_across_a_change_of_the_clock() -> None:
    """On 2026-10-25 clocks in Lisbon were put back: the day has 25 hours."""
    window = Window(start=EpochMs(at(2026, 10, 26, 9)), end=EpochMs(at(2026, 10, 26, 10)))
    before = window_before(window, 1, BY_CLOCK)
    assert (before.start, before.length_ms) == (at(2026, 10, 25, 9), MS_PER_HOUR)
    assert [one.start for one in windows_before(window, 3, BY_CLOCK)] == [at(2026, 10, day, 9) for day in (25, 24, 23)]
    assert window_before(window, 1).start == window.start - 24 * MS_PER_HOUR, "in UTC each day has 24"


def test_hours_alike_are_of_workdays_or_weekends() -> None:
    monday = at(2026, 11, 16, 8)
    assert hours_before(monday, 2, BY_CLOCK) == [at(2026, 11, 15, 8), at(2026, 11, 14, 8)]
    assert hours_alike(monday, 2, BY_CLOCK) == [at(2026, 11, 13, 8), at(2026, 11, 12, 8)]
    saturday = at(2026, 11, 14, 8)
    assert hours_alike(saturday, 3, BY_CLOCK) == [at(2026, 11, day, 8) for day in (8, 7, 1)]


def test_two_days_are_no_rule() -> None:
    assert typical([1.0, 9.0]) is None
    assert typical([1.0, 9.0, 2.0]) == 2.0


def test_with_four_weeks_the_same_day_of_the_week_counts_alone() -> None:
    first, days = 0, 35  # 1970-01-01 was a Thursday
    loads = np.arange(days, dtype=np.float64)[:, None]
    values, count = days_alike(loads[:10].copy(), first, 10)  # few weeks: all days of its kind
    assert count.tolist() == [3], "of the first ten days two Saturdays and one Sunday, as the eleventh is"
    values, count = days_alike(loads.copy(), first, 35)
    assert count.tolist() == [5]
    assert values[~np.isnan(values)].tolist() == [0.0, 7.0, 14.0, 21.0, 28.0]


@pytest.mark.parametrize(
    ("figures", "words"),
    [
        ((None, 1.0, "", None), "No figures of this machine"),
        ((2.0, None, "ferry-db", 0.8), "what is usual is not known yet. ferry-db makes 80% of its requests."),
        ((1.5, 1.0, "", 0.5), "as usual (1 ms). This server itself makes 50%"),
        ((4.0, 1.0, "ferry-db", 0.9), "4.0 times the usual 1 ms; its neighbour ferry-db makes 90%"),
        ((4.0, 1.0, "", 0.9), "this server itself makes 90%"),
    ],
)
def test_a_disk_is_called_slow_against_its_usual(
    figures: tuple[float | None, float | None, str, float | None], words: str
) -> None:
    assert words in disk_sentence(*figures)
