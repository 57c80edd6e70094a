"""What is usual, and what departs from it."""

import numpy as np
from faena.core.series.usual import MIN_DAYS, PastHours, departures, usual
from faena.core.series.window import Buckets, Window, cut
from faena.core.units import MS_PER_HOUR, EpochMs
from hypothesis import given
from hypothesis import strategies as st

MONDAY = 1_763_337_600_000  # 2025-11-17, midnight UTC
DAY = 24 * MS_PER_HOUR


def history(days: int, *, busy: dict[int, float] | None = None, end: int = MONDAY) -> PastHours:
    """So many days before `end`: one session runs by night, four by day, half of that at weekends; `busy` by hour."""
    hours = np.arange(end - days * DAY, end, MS_PER_HOUR)
    share = np.where((hours // DAY + 3) % 7 >= 5, 0.5, 1.0)
    level = np.where((hours % DAY >= 8 * MS_PER_HOUR) & (hours % DAY < 18 * MS_PER_HOUR), 4.0, 1.0) * share
    for hour, load in (busy or {}).items():
        level[hours == hour] = load
    running = np.stack([level * 0.9, level, level * 1.1], axis=1)
    return PastHours(hours, np.full(len(hours), 3600), np.stack([running, running * 0.1], axis=1))


def buckets(start: int, minutes: int, width_s: int = 60) -> Buckets:
    return cut(Window(start=EpochMs(start), end=EpochMs(start + minutes * 60_000)), at_most=minutes * 60 // width_s)


TEN = MONDAY + 10 * MS_PER_HOUR


def test_the_band_is_that_of_days_alike() -> None:
    at_ten = usual(history(14), buckets(TEN, 30), 1000)
    assert at_ten.middle[0].tolist() == [4.0] * 30
    assert (at_ten.low[0] < 3.6 + 1e-9).all()
    assert (at_ten.high[0] > 4.4 - 1e-9).all()
    assert at_ten.days == 10, "workdays only"
    sunday = usual(history(8), buckets(MONDAY - DAY + 10 * MS_PER_HOUR, 30), 1000)
    assert sunday.days == 2
    assert np.isnan(sunday.middle).all(), "two weekend days are too few"
    assert usual(history(42), buckets(TEN, 30), 1000).days == 6, "with weeks enough, the same hour of the week alone"


def test_too_little_history_is_said_and_not_guessed() -> None:
    band = usual(history(MIN_DAYS - 1, end=MONDAY + 4 * DAY), buckets(MONDAY + 4 * DAY + 10 * MS_PER_HOUR, 30), 1000)
    assert band.days == MIN_DAYS - 1
    assert np.isnan(band.high).all()
    nothing = usual(PastHours(np.empty(0, int), np.empty(0, int), np.empty((0, 2, 3))), buckets(TEN, 5), 1000)
    assert nothing.days == 0


def test_an_incident_on_one_day_does_not_become_the_rule() -> None:
    last_monday = TEN - 7 * DAY
    with_it = usual(history(14, busy={last_monday: 40.0}), buckets(TEN, 30), 1000)
    without = usual(history(14), buckets(TEN, 30), 1000)
    assert np.allclose(with_it.high, without.high)


def test_marked_and_hardly_sampled_hours_are_left_out() -> None:
    past = history(14)
    marked = [(TEN - d * DAY, TEN - d * DAY + MS_PER_HOUR) for d in (3, 4)]
    assert usual(past, buckets(TEN, 30), 1000, marked).days == 8
    past.ticks[past.hour_ms == TEN - 5 * DAY] = 1000
    assert usual(past, buckets(TEN, 30), 1000, marked).days == 7


def test_the_band_glides_between_hours() -> None:
    middle = usual(history(14), buckets(MONDAY + 7 * MS_PER_HOUR, 120), 1000).middle[0]
    assert (np.diff(middle) >= 0).all()
    assert middle[0] < 2.0 < middle[60] < middle[-1] == 4.0


def test_departures_are_listed_with_their_size() -> None:
    cells = buckets(TEN, 60)
    band = usual(history(14), cells, 1000)
    running, waiting = np.full(60, 4.0), np.full(60, 0.4)
    waiting[20:40] = 9.0
    running[50:] = 1.0
    waiting[22] = np.nan
    found = departures(running, waiting, band, cells)
    assert [(d.side, (d.start - TEN) // 60_000, (d.end - TEN) // 60_000, round(d.size, 1)) for d in found] == [
        ("waiting", 20, 40, 8.6),
        ("running", 50, 60, -3.0),
    ]


@given(st.floats(0.86, 1.14), st.integers(1, 4))
def test_what_lies_within_the_usual_is_no_departure(factor: float, width: int) -> None:
    cells = buckets(TEN, 60, 60 * width)
    band = usual(history(14), cells, 1000)
    assert departures(band.middle[0] * factor, band.middle[1] * factor, band, cells) == []
    gap = np.full(cells.count, np.nan)
    assert departures(gap, gap, band, cells) == [], "a gap is no departure"
