"""Statements that follow the rows of another: found in counters as servers keep them, and not where chance has it so."""

import numpy as np
import pytest
from faena.core.statements.followers import LEAST_READINGS, followers

READINGS = 60


def counted(seed: int = 1, rows_each: float = 40.0, requests: float = 8.0, shift: float = 0.0) -> tuple[object, ...]:
    """A parent, its child, a third that runs at its own pace; one user. `shift`: how much of a request crosses a reading."""
    draw = np.random.default_rng(seed)
    leads = draw.poisson(requests, READINGS).astype(float)
    rows = np.array([draw.poisson(rows_each, int(n)).sum() for n in leads], dtype=float)
    child = rows * (1 - shift) + np.roll(rows, 1) * shift
    other = draw.poisson(requests * rows_each, READINGS).astype(float)
    calls = np.array([leads, child, other])
    return ["web", "web", "web"], calls, np.array([rows, child, other]), calls * 0.5


def test_a_statement_that_runs_for_each_row_of_another_is_found_with_its_ratio() -> None:
    (found,) = followers(*counted())  # type: ignore[arg-type]
    assert (found.first, found.second, found.agree) == (0, 1, 1.0)
    assert found.each == pytest.approx(40, rel=0.1)
    assert found.readings == READINGS
    assert found.ms == pytest.approx(found.runs * 0.5)


def test_a_request_that_crosses_from_one_reading_into_the_next_does_not_hide_it() -> None:
    assert len(followers(*counted(shift=0.03))) == 1  # type: ignore[arg-type]
    assert followers(*counted(shift=0.5)) == []  # type: ignore[arg-type]  # too far apart to say


@pytest.mark.parametrize("seed", range(30))
def test_statements_at_a_pace_of_their_own_are_not_paired(seed: int) -> None:
    """Twelve that have nothing to do with each other and run as often as each other's rows."""
    draw = np.random.default_rng(seed)
    leads = draw.poisson(10, (6, READINGS)).astype(float)
    seconds = draw.poisson(100, (6, READINGS)).astype(float)
    rows = np.concatenate([draw.poisson(100, (6, READINGS)), seconds]).astype(float)
    calls = np.concatenate([leads, seconds])
    assert followers(["web"] * 12, calls, rows, calls) == []


def test_of_two_users_none_follows_the_other() -> None:
    _, *figures = counted()
    assert followers(["web", "report", "web"], *figures) == []  # type: ignore[arg-type]


def test_what_is_always_alike_tells_nothing() -> None:
    calls = np.array([np.full(READINGS, 10.0), np.full(READINGS, 100.0)])
    rows = np.array([np.full(READINGS, 100.0), np.full(READINGS, 100.0)])
    assert followers(["web", "web"], calls, rows, calls) == []


def test_few_readings_prove_nothing_and_none_are_no_fault() -> None:
    whose, calls, rows, ms = counted()
    few = LEAST_READINGS - 1
    assert followers(whose, calls[:, :few], rows[:, :few], ms[:, :few]) == []  # type: ignore[index,arg-type,call-overload]
    none = np.zeros((0, 0))
    assert followers([], none, none, none) == []


def test_the_one_whose_rows_fit_best_is_the_one_it_follows() -> None:
    whose, calls, rows, ms = counted()
    noisy = rows[0] * np.random.default_rng(3).uniform(0.87, 1.17, READINGS)  # type: ignore[index,call-overload]
    calls, rows, ms = (np.vstack([one, extra]) for one, extra in ((calls, calls[0]), (rows, noisy), (ms, ms[0])))  # type: ignore[index,call-overload]
    (found,) = followers([*whose, "web"], calls, rows, ms)  # type: ignore[misc]
    assert found.first == 0
