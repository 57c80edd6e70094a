"""Conditions followed over time: what begins, gets worse and is over, in however many rounds it is looked at."""

from zoneinfo import ZoneInfo

import pytest
from faena.core.alerts.condition import Condition
from faena.core.alerts.signals import TRAITS, Signal
from faena.core.alerts.stepping import Phase, State, Step, What, advance
from faena.core.errors import BadInput
from faena.core.series.calendar import Calendar
from faena.core.series.schedule import WeekSpan
from faena.core.units import EpochMs
from hypothesis import given
from hypothesis import strategies as st

STEP = 15_000
START = EpochMs(1_795_996_800_000 // STEP * STEP)
NEW = State(until=START)
BLOCKED = Condition(signal=Signal.BLOCKED, level=3, clears=1, for_ms=30_000, clear_ms=60_000)


def steps(*values: float | None, usual: float | None = None, at: int = 0) -> list[Step]:
    return [
        Step(start=EpochMs(START + STEP * n), end=EpochMs(START + STEP * (n + 1)), value=value, usual=usual)
        for n, value in enumerate(values, start=at)
    ]


def told(condition: Condition, *values: float | None, usual: float | None = None) -> list[tuple[str, int, float]]:
    """Word, seconds after the start at which it was told, and the worst value."""
    _, turns = advance(NEW, condition, steps(*values, usual=usual))
    return [(one.what.value, (one.at - START) // 1000, one.value) for one in turns]


def test_it_is_told_once_when_it_has_held_for_long_enough_and_once_when_it_is_over() -> None:
    assert told(BLOCKED, 0, 4, 4, 4, 5, 0, 0, 0, 0, 0) == [("began", 45, 4.0), ("over", 135, 5.0)]


def test_when_it_really_began_and_ended_is_told_with_it() -> None:
    _, (began, over) = advance(NEW, BLOCKED, steps(0, 4, 4, 0, 0, 0, 0))
    assert (began.began, over.began, over.ended) == (START + 15_000, START + 15_000, START + 45_000)


@pytest.mark.parametrize(
    ("values", "words"),
    [
        ((0, 4, 0, 4, 0, 4, 0), []),  # never for long enough
        ((4, 4, 2, 2, 2, 2, 2), ["began"]),  # between the levels it goes on
        ((4, 4, 0, 0, 4, 0, 0, 0, 4), ["began"]),  # not over for long enough, twice
        ((4, 4, None, None, None, None, None, None), ["began"]),  # a source that is away is not all well
        ((4, None, 4), ["began"]),
        ((4, *[None] * 9, 4, 0), []),  # what was not seen for long did not hold
        ((None, None, None), []),
    ],
)
def test_what_is_told_of_values(values: tuple[float | None, ...], words: list[str]) -> None:
    assert [word for word, _, _ in told(BLOCKED, *values)] == words


def test_what_gets_twice_as_bad_as_was_told_is_told_again() -> None:
    assert told(BLOCKED, 4, 4, 5, 7, 8, 9, 15, 16) == [("began", 30, 4.0), ("worse", 75, 8.0), ("worse", 120, 16.0)]


def test_low_values_can_be_the_bad_ones() -> None:
    quiet = Condition(signal=Signal.CALLS, level=10, clears=20, below=True, clear_ms=0)
    assert told(quiet, 100, 10, 9, 4, 15, 20) == [("began", 30, 10.0), ("worse", 60, 4.0), ("over", 90, 4.0)]


def test_a_departure_is_held_against_what_is_usual_and_says_nothing_while_nothing_is() -> None:
    errors = Condition(signal=Signal.ERRORS, level=3, clears=1.5, of_usual=True, clear_ms=0)
    assert told(errors, 5, 6, 3, usual=2.0) == [("began", 30, 6.0), ("over", 45, 6.0)]
    assert told(errors, 5, 600, usual=None) == []
    assert told(errors, 5, 600, usual=0.0) == [], "three times nothing is nothing to hold anything against"


def test_outside_of_its_hours_nothing_rises_and_what_fires_is_over() -> None:
    lisbon = Calendar(ZoneInfo("Europe/Lisbon"))
    local = lisbon.local(START)
    minute = local % 86_400_000 // 60_000
    day = (local // 86_400_000 + 3) % 7
    hours = (WeekSpan(days=(day,), start=minute, end=minute + 1),)
    at_work = Condition(signal=Signal.BLOCKED, level=3, clears=1, for_ms=30_000, schedule=hours, calendar=lisbon)
    begins = START - START % 60_000
    rows = [
        Step(start=EpochMs(begins + STEP * n), end=EpochMs(begins + STEP * (n + 1)), value=9.0) for n in range(-4, 8)
    ]
    _, turns = advance(State(until=EpochMs(0)), at_work, rows)
    assert [(one.what, one.at - begins) for one in turns] == [(What.BEGAN, 30_000), (What.OVER, 75_000)]


@given(st.lists(st.one_of(st.none(), st.floats(0, 20)), max_size=60), st.lists(st.integers(0, 60), max_size=6))
def test_in_how_many_rounds_it_is_looked_at_changes_nothing(values: list[float | None], cuts: list[int]) -> None:
    rows = steps(*values)
    whole_state, whole = advance(NEW, BLOCKED, rows)
    state, parts = NEW, []
    for first, last in zip([0, *sorted(cuts)], [*sorted(cuts), len(rows)], strict=True):
        state, turns = advance(state, BLOCKED, rows[max(first - 3, 0) : last])  # each round sees some steps once more
        parts += turns
    assert (state, parts) == (whole_state, whole)


@given(st.lists(st.one_of(st.none(), st.floats(0, 20)), max_size=80))
def test_each_trouble_begins_once_and_is_over_once(values: list[float | None]) -> None:
    state, turns = advance(NEW, BLOCKED, steps(*values))
    words = [one.what for one in turns if one.what is not What.WORSE]
    assert words == [What.BEGAN, What.OVER] * (len(words) // 2) + [What.BEGAN] * (len(words) % 2)
    assert (state.phase in (Phase.FIRING, Phase.FALLING)) == bool(words and words[-1] is What.BEGAN)
    assert all(one.began < one.at for one in turns)


@pytest.mark.parametrize(
    ("told_of", "field"),
    [
        ({"level": 0}, "level"),
        ({"level": 3, "clears": 4}, "clears"),
        ({"level": 3, "clears": 2, "below": True}, "clears"),
        ({"kinds": ("deadlock",)}, "kinds"),
        ({"signal": Signal.GROWTH, "of_usual": True}, "of_usual"),
        ({"for_ms": -1}, "for_ms"),
        ({"clear_ms": 10**9}, "clear_ms"),
    ],
)
def test_a_condition_that_makes_no_sense_is_refused_by_its_field(told_of: dict[str, object], field: str) -> None:
    with pytest.raises(BadInput) as refused:
        Condition(**{"signal": Signal.BLOCKED, "level": 3.0, "clears": 1.0, **told_of}).check()  # type: ignore[arg-type]
    assert refused.value.field == field


def test_of_each_signal_it_is_known_where_it_comes_from() -> None:
    assert set(TRAITS) == set(Signal)
    BLOCKED.check()
