"""Two plans beside each other: what is matched with what, and what is said of it."""

from itertools import combinations
from pathlib import Path

import pytest
from faena.core.engines.postgres.plans.reader import read_plan
from faena.core.plans.compare import Executed, compare, executed_words
from faena.core.plans.model import Plan, walk
from hypothesis import given
from hypothesis import strategies as st

CORPUS = {
    path.stem: read_plan(path.read_text()) for path in (Path(__file__).parents[1] / "golden/plans").glob("*.json")
}


def steps(plan: Plan) -> int:
    return len(list(walk(plan.root)))


@pytest.mark.parametrize("name", sorted(CORPUS))
def test_a_plan_is_the_same_as_itself(name: str) -> None:
    found = compare(CORPUS[name], CORPUS[name])
    assert [(pair.before, pair.after, pair.words) for pair in found.pairs] == [
        (i, i, "") for i in range(steps(CORPUS[name]))
    ]
    assert "same steps" in found.sentence


def test_every_step_of_both_plans_stands_in_one_pair() -> None:
    for one, other in combinations(sorted(CORPUS), 2):
        pairs = compare(CORPUS[one], CORPUS[other]).pairs
        before = [pair.before for pair in pairs if pair.before is not None]
        after = [pair.after for pair in pairs if pair.after is not None]
        assert before == list(range(steps(CORPUS[one]))), (one, other)
        assert sorted(after) == list(range(steps(CORPUS[other]))), (one, other)
        assert all(pair.words for pair in pairs if pair.before is None or pair.after is None)


def test_what_a_plan_did_to_executions_is_said_with_its_evidence() -> None:
    quick, slow = Executed(executions=75, mean_ms=2.93), Executed(executions=40, mean_ms=196.0)
    assert executed_words(quick, slow) == (
        "An execution took 2.93 ms with the first plan and 196 ms with the second, 67 times as long (75 and 40 captured)."
    )
    misled = executed_words(quick, slow, (71.0, 39.0))
    assert "The planner expected less (cost 71 became 39)" in misled
    assert "planner" not in executed_words(quick, slow, (39.0, 71.0)) + executed_words(slow, quick, (71.0, 39.0))
    assert "67 times quicker" in executed_words(slow, quick)
    assert "about the same" in executed_words(quick, Executed(executions=1, mean_ms=3.1))
    assert executed_words(quick, None) == executed_words(None, slow) == ""


@given(st.floats(0, 1e7), st.floats(0, 1e7))
def test_longer_and_quicker_are_never_confused(before: float, after: float) -> None:
    words = executed_words(Executed(executions=1, mean_ms=before), Executed(executions=1, mean_ms=after))
    if "as long" in words:
        assert after > before
    elif "quicker" in words:
        assert after < before
