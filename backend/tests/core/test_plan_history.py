"""When a statement went over to another plan, told from plans that come and go with its values."""

import itertools

from faena.core.plans.history import Switch, runs_of, switches
from faena.core.units import EpochMs
from hypothesis import given
from hypothesis import strategies as st


def used(*shapes: int) -> list[tuple[EpochMs, int]]:
    return [(EpochMs(1000 * i), shape) for i, shape in enumerate(shapes)]


def test_a_lasting_change_is_a_switch_at_its_first_execution() -> None:
    assert switches(runs_of(used(1, 1, 1, 2, 2, 2, 2))) == [Switch(EpochMs(3000), 1, 2)]


def test_to_and_fro_is_none() -> None:
    assert switches(runs_of(used(1, 2, 1, 2, 2, 1, 1, 2, 1))) == []
    assert switches(runs_of(used(1, 1, 1, 2, 1, 1, 1))) == []


def test_a_new_plan_counts_at_once_and_an_old_one_once_it_lasts() -> None:
    assert switches(runs_of(used(1, 1, 1, 2))) == [Switch(EpochMs(3000), 1, 2)]
    assert switches(runs_of(used(1, 1, 1, 2, 2, 2, 1))) == [Switch(EpochMs(3000), 1, 2)]


@given(st.lists(st.integers(0, 3), max_size=60))
def test_runs_lose_nothing_and_switches_follow_one_another(shapes: list[int]) -> None:
    runs = runs_of(used(*shapes))
    assert [shape for run in runs for shape in [run.shape] * run.count] == shapes
    assert all(a.shape != b.shape for a, b in itertools.pairwise(runs))
    found = switches(runs)
    assert all(one.before != one.after for one in found)
    assert all(a.after == b.before and a.at < b.at for a, b in itertools.pairwise(found))
