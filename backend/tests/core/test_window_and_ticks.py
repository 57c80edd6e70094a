"""Windows, buckets, ticks and gaps."""

import numpy as np
import pytest
from faena.core.errors import BadWindow
from faena.core.series.ticks import GAP_FACTOR, gaps, missing_ticks, next_tick
from faena.core.series.window import MAX_WINDOW_MS, Window, cut
from faena.core.units import EpochMs
from hypothesis import example, given
from hypothesis import strategies as st

windows = st.builds(
    lambda start, length: Window(start=EpochMs(start), end=EpochMs(start + length)),
    st.integers(10**12, 2 * 10**12),
    st.integers(1, MAX_WINDOW_MS),
)


@example(window=Window(start=EpochMs(1_000_000_000_000), end=EpochMs(1_000_512_000_001)), at_most=2, period=100)
@given(windows, st.integers(1, 2000), st.integers(100, 60_000))
def test_buckets_cover_the_window_and_are_few_enough(window: Window, at_most: int, period: int) -> None:
    buckets = cut(window, at_most=at_most, period_ms=period)
    assert 1 <= buckets.count <= max(at_most, 2)  # one more may be needed where the window straddles an edge
    assert buckets.start <= window.start
    assert buckets.start + buckets.count * buckets.width_ms >= window.end
    assert buckets.width_ms >= min(period, buckets.width_ms)
    edges = buckets.index_of(np.array([window.start, window.end - 1]))
    assert edges[0] == 0 or buckets.width_ms <= window.start - buckets.start
    assert edges[1] == buckets.count - 1


@pytest.mark.parametrize(("start", "end"), [(5, 5), (6, 5), (0, MAX_WINDOW_MS + 1)])
def test_a_window_that_is_none_is_refused(start: int, end: int) -> None:
    with pytest.raises(BadWindow):
        Window(start=EpochMs(start), end=EpochMs(end))


def test_the_previous_window_ends_where_this_one_starts() -> None:
    window = Window(start=EpochMs(5000), end=EpochMs(8000))
    assert window.previous() == Window(start=EpochMs(2000), end=EpochMs(5000))


def test_ticks_slept_through_are_missed_and_counted() -> None:
    first = next_tick(None, 1000, EpochMs(10_300))
    assert (first.due, first.missed) == (11_000, 0)
    assert next_tick(first.due, 1000, EpochMs(11_020)).missed == 0
    late = next_tick(first.due, 1000, EpochMs(14_999))
    assert (late.due, late.missed) == (14_000, 2), "the period it is now has not been sampled yet"


def test_a_clock_set_back_does_not_turn_time_around() -> None:
    assert next_tick(EpochMs(50_000), 1000, EpochMs(20_000)).due == 51_000


@given(st.integers(0, 10**13), st.integers(1, 60_000))
def test_a_tick_lies_ahead_by_at_most_a_period(now: int, period: int) -> None:
    due = next_tick(None, period, EpochMs(now)).due
    assert 0 < due - now <= period
    assert due % period == 0


def test_a_period_of_nothing_is_refused() -> None:
    with pytest.raises(ValueError, match="above zero"):
        next_tick(None, 0, EpochMs(1))


def test_gaps_are_found_at_both_ends_and_inside() -> None:
    window = Window(start=EpochMs(0), end=EpochMs(30_000))
    ticks = np.array([5000, 6000, 7000, 15_000, 16_000])
    assert [(g.start, g.end) for g in gaps(ticks, window, 1000)] == [(0, 5000), (8000, 15_000), (17_000, 30_000)]
    assert missing_ticks(len(ticks), window, 1000) == 25


def test_jitter_is_no_gap_but_silence_is() -> None:
    window = Window(start=EpochMs(0), end=EpochMs(6000))
    assert gaps(np.array([0, 1000, 3000, 4000, 5000]), window, 1000) == []
    assert len(gaps(np.array([0, 1000, 1000 + int(GAP_FACTOR * 1000) + 1, 5000]), window, 1000)) == 1


def test_no_ticks_at_all_is_one_gap() -> None:
    window = Window(start=EpochMs(0), end=EpochMs(6000))
    assert [(g.start, g.end) for g in gaps(np.empty(0, np.int64), window, 1000)] == [(0, 6000)]
