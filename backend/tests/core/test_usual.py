"""What is usual, and what departs from it."""

from datetime import datetime
from zoneinfo import ZoneInfo

import numpy as np
import pytest
from faena.core.series.calendar import IN_UTC, Calendar
from faena.core.series.usual import CELL_MS, CELLS_A_DAY, MIN_DAYS, PastDays, departures, past_days, usual
from faena.core.series.window import Window, cut
from faena.core.units import MS_PER_DAY, MS_PER_HOUR, EpochMs
from faena.testing.nights import JOB_AT_S, day_of_load, days_alike
from hypothesis import given
from hypothesis import strategies as st

MONDAY = 1_763_337_600_000  # 2025-11-17, midnight UTC
TEN = MONDAY + 10 * MS_PER_HOUR
LISBON = Calendar(ZoneInfo("Europe/Lisbon"))


def history(days: int, *, busy: dict[int, float] | None = None, end: int = MONDAY) -> PastDays:
    """So many days before `end`: one session runs by night, four by day, half of that at weekends; `busy` by hour."""
    starts = np.arange(end - days * MS_PER_DAY, end, CELL_MS)
    share = np.where((starts // MS_PER_DAY + 3) % 7 >= 5, 0.5, 1.0)
    level = (
        np.where((starts % MS_PER_DAY >= 8 * MS_PER_HOUR) & (starts % MS_PER_DAY < 18 * MS_PER_HOUR), 4.0, 1.0) * share
    )
    for hour, load in (busy or {}).items():
        level[starts // MS_PER_HOUR == hour // MS_PER_HOUR] = load
    return past_days(starts, np.full(len(starts), 300), np.stack([level, level * 0.1], axis=1), 1000)


def window(start: int, minutes: int) -> Window:
    return Window(start=EpochMs(start), end=EpochMs(start + minutes * 60_000))


def test_the_band_is_that_of_days_alike() -> None:
    at_ten = usual(history(14), window(TEN, 30), 1000)
    assert at_ten.middle[0].tolist() == [4.0] * 6
    assert (at_ten.low[0] < 3.6 + 1e-9).all()
    assert (at_ten.high[0] > 4.4 - 1e-9).all()
    assert at_ten.days.tolist() == [10] * 6, "workdays only"
    sunday = usual(history(8), window(MONDAY - MS_PER_DAY + 10 * MS_PER_HOUR, 30), 1000)
    assert sunday.days.tolist() == [2] * 6
    assert np.isnan(sunday.middle).all(), "two weekend days are too few"
    assert usual(history(42), window(TEN, 30), 1000).days[0] == 6, "with weeks enough, the same day of the week alone"


def test_too_little_history_is_said_and_not_guessed() -> None:
    friday = MONDAY + 4 * MS_PER_DAY
    band = usual(history(MIN_DAYS - 1, end=friday), window(friday + 10 * MS_PER_HOUR, 30), 1000)
    assert band.days.tolist() == [MIN_DAYS - 1] * 6
    assert np.isnan(band.high).all()
    assert np.isnan(band.high_over(window(friday + 10 * MS_PER_HOUR, 1))).all()
    nothing = past_days(np.empty(0, int), np.empty(0, int), np.empty((0, 2)), 1000)
    assert usual(nothing, window(TEN, 5), 1000).days.tolist() == [0]


def test_an_incident_on_one_day_does_not_become_the_rule() -> None:
    last_monday = TEN - 7 * MS_PER_DAY
    with_it = usual(history(14, busy={last_monday: 40.0}), window(TEN, 30), 1000)
    without = usual(history(14), window(TEN, 30), 1000)
    assert np.allclose(with_it.high, without.high, rtol=0.02)


def test_marked_and_hardly_sampled_cells_are_left_out() -> None:
    past = history(14)
    marked = [(TEN - d * MS_PER_DAY + 60_000, TEN - d * MS_PER_DAY + MS_PER_HOUR) for d in (3, 4)]
    assert usual(past, window(TEN, 30), 1000, marked).days.tolist() == [8] * 6
    assert usual(past, window(TEN - CELL_MS, 5), 1000, marked).days.tolist() == [10], "what lies before it counts"
    ticks = np.full(14 * CELLS_A_DAY, 300)
    starts = np.arange(MONDAY - 14 * MS_PER_DAY, MONDAY, CELL_MS)
    ticks[starts == TEN - 5 * MS_PER_DAY] = 100
    fewer = past_days(starts, ticks, np.ones((len(starts), 2)), 1000)
    assert usual(fewer, window(TEN, 10), 1000).days.tolist() == [9, 10]


def test_departures_are_listed_with_their_size_and_cut_at_the_window() -> None:
    looked = window(TEN + 60_000, 58)
    band = usual(history(14), looked, 1000)
    load = np.stack([np.full(12, 4.0), np.full(12, 0.4)])
    load[1, 4:8] = 9.0
    load[0, 10:] = 1.0
    found = departures(load, band, looked)
    assert [(d.side, (d.start - TEN) // 60_000, (d.end - TEN) // 60_000, round(d.size, 1)) for d in found] == [
        ("waiting", 20, 40, 8.6),
        ("running", 50, 59, -3.0),
    ]
    load[1, 5] = np.nan
    assert [(d.start - TEN) // 60_000 for d in departures(load, band, looked) if d.side == "waiting"] == [30, 20], (
        "a gap is no departure"
    )


@pytest.mark.parametrize("days", [3, 10])
def test_a_nightly_job_of_five_minutes_is_usual_in_its_minutes_and_nowhere_else(days: int) -> None:
    past = days_alike(np.random.default_rng(5), days, MONDAY, late_s=90)
    night = window(MONDAY, 24 * 60)
    band = usual(past, night, 1000)
    chance = np.random.default_rng(77)
    assert departures(day_of_load(chance, late_s=90).T, band, night) == [], "two o'clock, where two hours meet"
    at = JOB_AT_S * 1000 // CELL_MS
    elsewhere = day_of_load(chance).T
    elsewhere[:, at + 6] = elsewhere[:, at]
    (found,) = departures(elsewhere, band, night)
    assert (found.start - MONDAY) // CELL_MS == at + 6, "half an hour later it is not"


@given(st.integers(0, 2000))
def test_a_day_and_two_weeks_depart_in_the_same_cells_whatever_the_buckets(minute: int) -> None:
    past = history(42, end=MONDAY)
    wide = Window(start=EpochMs(MONDAY - 14 * MS_PER_DAY), end=EpochMs(MONDAY))
    narrow = window(MONDAY - 2 * MS_PER_DAY + minute * 1_000, 60)
    band, close = usual(past, wide, 1000), usual(past, narrow, 1000)
    here = slice(first := (close.start - band.start) // CELL_MS, first + close.middle.shape[1])
    assert np.allclose(band.high[:, here], close.high)
    assert np.allclose(band.low[:, here], close.low)
    for cells in (cut(wide, at_most=300), cut(narrow, at_most=300), cut(narrow, at_most=10)):
        drawn = usual(
            past, Window(start=cells.start, end=EpochMs(cells.start + cells.count * cells.width_ms)), 1000
        ).over(cells)
        assert drawn.middle.shape == (2, cells.count)
        assert np.nanmin(drawn.middle[0]) >= 0.5


def test_a_wide_bucket_has_the_mean_of_its_cells_and_a_narrow_one_its_cell() -> None:
    morning = window(MONDAY + 6 * MS_PER_HOUR, 360)
    band = usual(history(14), morning, 1000)
    assert band.over(cut(morning, at_most=1)).middle[0].tolist() == [3.0]
    by_minute = band.over(cut(morning, at_most=360)).middle[0]
    assert by_minute.tolist() == [1.0] * 120 + [4.0] * 240


def local(calendar: Calendar, *at: int) -> int:
    return round(datetime(*at, tzinfo=calendar.zone).timestamp() * 1000)  # type: ignore[misc, arg-type]


def test_days_hours_and_weekends_are_those_of_the_zone_changes_of_the_clock_included() -> None:
    march = local(LISBON, 2026, 3, 30, 9)  # the Monday after the clock was put forward
    assert LISBON.local(march) % MS_PER_DAY == 9 * MS_PER_HOUR
    assert LISBON.days_before(march, 3) == local(LISBON, 2026, 3, 27, 9) == march - 3 * MS_PER_DAY + MS_PER_HOUR
    auckland = Calendar(ZoneInfo("Pacific/Auckland"))
    assert auckland.is_weekend(local(auckland, 2026, 3, 14, 8)), "Friday still in UTC"
    assert not auckland.is_weekend(local(auckland, 2026, 3, 16, 8)), "Sunday still in UTC"
    many = np.array([march - 4 * MS_PER_DAY, march], dtype=np.int64)
    assert (LISBON.local(many) - many).tolist() == [0, MS_PER_HOUR]
    lord_howe = Calendar(ZoneInfo("Australia/Lord_Howe"))
    assert lord_howe.local(local(lord_howe, 2026, 4, 6, 2)) % MS_PER_HOUR == 0, "half an hour, there"


def test_a_job_at_two_by_the_clock_stays_usual_when_the_clock_changes() -> None:
    """Seen by UTC, it would come an hour early after the last Sunday of March."""
    change = datetime(2026, 3, 29, tzinfo=LISBON.zone).timestamp() * 1000
    starts = np.arange(int(change) - 20 * MS_PER_DAY, int(change) + 3 * MS_PER_DAY, CELL_MS)
    at = LISBON.local(starts) % MS_PER_DAY // CELL_MS
    load = np.where(at == 2 * 12, 8.0, 1.0)
    loads = np.stack([load, np.zeros_like(load)], axis=1)
    after = Window(start=EpochMs(int(change) + MS_PER_DAY), end=EpochMs(int(change) + 2 * MS_PER_DAY))
    for calendar, wanted in ((LISBON, 0), (IN_UTC, 1)):
        band = usual(past_days(starts, np.full(len(starts), 300), loads, 1000, calendar), after, 1000)
        here = slice((band.start - starts[0]) // CELL_MS, (band.start - starts[0]) // CELL_MS + band.middle.shape[1])
        assert len(departures(loads[here].T, band, after)) == wanted


def test_a_minute_may_be_further_off_than_five() -> None:
    minute = window(TEN, 1)
    band = usual(history(14), minute, 1000)
    assert band.high_over(minute)[0] > band.high[0, 0]
