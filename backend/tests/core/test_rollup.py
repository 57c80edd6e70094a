"""Sums by minute and hour: nothing is lost but the second."""

import numpy as np
import pytest
from faena.core.sampling.rollup import MINUTE_MS, cells_of, rolled, unit_for, whole_part
from faena.core.series.window import Window
from faena.core.sessions.frame import SampleFrame, join
from faena.core.units import MS_PER_HOUR, EpochMs
from hypothesis import given
from hypothesis import strategies as st

START = 1_700_000_000_000 // MS_PER_HOUR * MS_PER_HOUR


@st.composite
def frames(draw: st.DrawFn) -> SampleFrame:
    """Up to three hours with gaps, a few sessions a tick."""
    seconds = sorted(draw(st.sets(st.integers(0, 10_799), max_size=80)))
    counts = draw(st.lists(st.integers(0, 4), min_size=len(seconds), max_size=len(seconds)))
    tick = np.repeat(np.arange(len(seconds), dtype=np.int32), counts)
    code = np.array(draw(st.lists(st.integers(0, 6), min_size=len(tick), max_size=len(tick))), dtype=np.int32)
    return SampleFrame(START + 1000 * np.array(seconds, dtype=np.int64), tick, code)


def sums(frame: SampleFrame) -> dict[tuple[int, int], int]:
    """Sightings by hour and code."""
    found: dict[tuple[int, int], int] = {}
    weights = frame.seen if frame.seen is not None else np.ones(len(frame.code), dtype=int)
    for tick, code, n in zip(frame.tick.tolist(), frame.code.tolist(), weights.tolist(), strict=True):
        key = (int(frame.tick_ms[tick]) // MS_PER_HOUR, code)
        found[key] = found.get(key, 0) + n
    return found


@given(frames())
def test_summing_up_keeps_every_tick_and_sighting(frame: SampleFrame) -> None:
    minutes = rolled(frame, MINUTE_MS)
    hours, at_once = rolled(minutes, MS_PER_HOUR), rolled(frame, MS_PER_HOUR)
    assert frame.ticks == minutes.ticks == hours.ticks
    assert sums(frame) == sums(minutes) == sums(hours)
    assert hours.tick_ms.tolist() == at_once.tick_ms.tolist()
    assert sums(hours) == sums(at_once), "by minute first or at once: the same"
    assert len(minutes.tick_ms) == len(np.unique(frame.tick_ms // MINUTE_MS)), "a minute without a tick is no minute"


@given(frames(), frames())
def test_sums_and_single_ticks_join(first: SampleFrame, second: SampleFrame) -> None:
    later = SampleFrame(second.tick_ms + 3 * MS_PER_HOUR, second.tick, second.code)
    both = join([rolled(first, MINUTE_MS), later])
    assert both.ticks == first.ticks + second.ticks
    assert sums(both) == sums(join([first, later]))


@given(frames())
def test_a_close_watch_weighs_no_more_than_a_second(frame: SampleFrame) -> None:
    offsets = np.array([0, 100, 200], dtype=np.int64)
    finer = SampleFrame(
        np.sort((frame.tick_ms[:, None] + offsets).ravel()),
        np.sort((3 * frame.tick[:, None] + np.arange(3, dtype=np.int32)).ravel()).astype(np.int32),
        np.repeat(frame.code, 3),
    )
    kept = finer.on_grid()
    assert kept.tick_ms.tolist() == frame.tick_ms.tolist()
    assert len(kept.code) == len(frame.code)


@pytest.mark.parametrize(
    ("hours", "bucket_s", "unit"),
    [(1, 15, 0), (6, 120, MINUTE_MS), (6, 30, 0), (24, 600, MINUTE_MS), (96, 1800, MINUTE_MS), (96, 3600, MS_PER_HOUR),
     (96, None, MS_PER_HOUR), (24, None, MINUTE_MS), (1, None, 0)],
)  # fmt: skip
def test_what_is_read_is_no_coarser_than_what_is_shown(hours: int, bucket_s: int | None, unit: int) -> None:
    window = Window(start=EpochMs(START), end=EpochMs(START + hours * MS_PER_HOUR))
    assert unit_for(window, None if bucket_s is None else 1000 * bucket_s) == unit


def test_the_whole_part_of_a_ragged_window() -> None:
    window = Window(start=EpochMs(START + 1), end=EpochMs(START + 3 * MS_PER_HOUR + 5))
    assert whole_part(window, MS_PER_HOUR) == Window(
        start=EpochMs(START + MS_PER_HOUR), end=EpochMs(START + 3 * MS_PER_HOUR)
    )
    assert whole_part(Window(start=EpochMs(START + 1), end=EpochMs(START + 5)), MINUTE_MS) is None


def test_the_cells_of_an_hour_tell_running_from_waiting() -> None:
    at = START + 1000 * np.arange(3500, dtype=np.int64)
    tick = np.repeat(np.arange(3500, dtype=np.int32), 3)
    code = np.tile(np.array([0, 1, 2], dtype=np.int32), 3500)  # one runs, one waits, one idles
    code[tick >= 3000] = 1
    cells = cells_of(rolled(SampleFrame(at, tick, code), MINUTE_MS), np.array([0]), np.array([1]))
    assert cells is not None
    assert cells.tolist() == [[300] * 11 + [200], [300] * 10 + [0, 0], [300] * 10 + [900, 600]]
