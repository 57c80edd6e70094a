"""The corpus of real plans (demo/tidewrack/plancorpus.py makes it): each cause is suspected, and what is right is left alone."""

import json
from pathlib import Path

import pytest
from faena.core.plans.look import Suspicion
from faena.core.plans.memory import memory_of
from faena.core.plans.model import walk
from faena.core.plans.reader import read_plan
from faena.core.plans.suspicions import examine
from faena.core.plans.times import step_times

CORPUS = sorted((Path(__file__).parents[1] / "golden" / "plans").glob("*.json"))


def test_the_corpus_holds_every_suspicion_and_ten_healthy_plans() -> None:
    names = {path.stem for path in CORPUS}
    assert {str(one) for one in Suspicion if one is not Suspicion.HEALTHY} <= names
    assert sum(name.startswith("healthy_") for name in names) >= 10


@pytest.mark.parametrize("path", CORPUS, ids=lambda path: path.stem)
def test_a_plan_of_the_corpus_is_judged_right(path: Path) -> None:
    plan = read_plan(path.read_text())
    found = [str(one.code) for one in examine(plan)]
    if path.stem.startswith("healthy_"):
        assert found == ["healthy"]
    else:
        assert path.stem in found
    own = [one.own_ms for one in step_times(plan).values() if one.own_ms is not None]
    assert all(ms >= 0 for ms in own)
    assert sum(own) <= (plan.execution_ms or 0) * 1.02 + 1, "own times make up no more than the whole"
    assert len(list(walk(plan.root))) >= len(list(memory_of(plan)))


FORESEEN = {
    "missing_index", "function_on_column", "implicit_cast", "leading_wildcard", "or_predicate", "offset_paging",
    "limit_bad_index_choice", "cartesian_join", "cte_or_subplan_repeated",
}  # fmt: skip
MEASURED = (
    "Actual", "Rows Removed", "Workers Launched", "Heap Fetches", "Sort Method", "Sort Space", "Hash B", "Original Hash",
    "Peak", "Exact Heap", "Lossy Heap", "Shared", "Local", "Temp", "I/O", "Execution", "Planning", "Triggers", "JIT",
)  # fmt: skip


def only_made(written: object) -> object:
    """The same plan as EXPLAIN alone tells it."""
    if isinstance(written, list):
        return [only_made(one) for one in written]
    if isinstance(written, dict):
        return {name: only_made(one) for name, one in written.items() if not name.startswith((*MEASURED, "Workers"))}
    return written


@pytest.mark.parametrize("path", CORPUS, ids=lambda path: path.stem)
def test_an_estimate_tells_what_can_be_known_without_running_it(path: Path) -> None:
    plan = read_plan(json.dumps(only_made(json.loads(path.read_text()))))
    assert not plan.analysed
    findings = examine(plan)
    found = [str(one.code) for one in findings]
    if path.stem.startswith("healthy_"):
        assert found == ["healthy"]
    if path.stem in FORESEEN:
        assert path.stem in found
    assert all(one.at_stake_ms is None for one in findings), "no time is known"
    assert all("estimate" in one.sentence for one in findings if one.code is not Suspicion.CARTESIAN_JOIN)


def test_memory_is_told_of_what_sorts_and_hashes() -> None:
    plans = {path.stem: list(memory_of(read_plan(path.read_text()))) for path in CORPUS}
    assert any(one.spilled and one.disk_kb for one in plans["sort_spill"])
    assert any(one.spilled and (one.batches or 0) > 1 for one in plans["hash_spill"])
    fits = plans["healthy_sort_that_fits"]
    assert fits
    assert not any(one.spilled for one in fits)
    assert fits[0].target == "fare"
    assert not plans["healthy_by_key"]
