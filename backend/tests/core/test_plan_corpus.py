"""The corpus of real plans (demo/tidewrack/plancorpus.py makes it): each cause is suspected, and what is right is left alone."""

from pathlib import Path

import pytest
from faena.core.plans.memory import memory_of
from faena.core.plans.model import walk
from faena.core.plans.reader import read_plan
from faena.core.plans.suspicions import Suspicion, examine
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


def test_memory_is_told_of_what_sorts_and_hashes() -> None:
    plans = {path.stem: list(memory_of(read_plan(path.read_text()))) for path in CORPUS}
    assert any(one.spilled and one.disk_kb for one in plans["sort_spill"])
    assert any(one.spilled and (one.batches or 0) > 1 for one in plans["hash_spill"])
    fits = plans["healthy_sort_that_fits"]
    assert fits
    assert not any(one.spilled for one in fits)
    assert fits[0].target == "fare"
    assert not plans["healthy_by_key"]
