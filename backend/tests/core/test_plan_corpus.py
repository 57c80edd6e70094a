"""The corpus of real plans (demo/tidewrack/plancorpus.py makes it): each cause is suspected, and what is right is left alone."""

import json
from pathlib import Path

import pytest
from faena.core.engines.postgres.indexes.fromplan import facts_of
from faena.core.engines.postgres.indexes.proposals import propose
from faena.core.engines.postgres.plans.reader import read_plan
from faena.core.engines.postgres.plans.suspicion import Suspicion
from faena.core.engines.postgres.plans.suspicions import examine
from faena.core.engines.postgres.plans.writing import bare_plan
from faena.core.plans.memory import memory_of
from faena.core.plans.model import walk
from faena.core.plans.times import step_times

CORPUS = sorted((Path(__file__).parents[1] / "golden" / "plans").glob("*.json"))


def test_the_corpus_holds_every_suspicion_and_ten_healthy_plans() -> None:
    names = {path.stem.partition("-")[0] for path in CORPUS}
    assert {str(one) for one in Suspicion if one is not Suspicion.HEALTHY} <= names
    assert sum(name.startswith("healthy_") for name in names) >= 10


@pytest.mark.parametrize("path", CORPUS, ids=lambda path: path.stem)
def test_a_plan_of_the_corpus_is_judged_right(path: Path) -> None:
    plan = read_plan(path.read_text())
    found = [str(one.kind) for one in examine(plan)]
    if path.stem.startswith("healthy_"):
        assert found == ["healthy"]
    else:
        assert path.stem.partition("-")[0] in found
    own = [one.own_ms for one in step_times(plan).values() if one.own_ms is not None]
    assert all(ms >= 0 for ms in own)
    assert sum(own) <= (plan.execution_ms or 0) * 1.02 + 1, "own times make up no more than the whole"
    assert len(list(walk(plan.root))) >= len(list(memory_of(plan)))


FORESEEN = {
    "missing_index", "function_on_column", "implicit_cast", "leading_wildcard", "or_predicate", "offset_paging",
    "limit_bad_index_choice", "cartesian_join", "cte_or_subplan_repeated", "large_discard", "top_n",
}  # fmt: skip
# Of these the planner expects so many rows that its estimate shows no waste.
TOO_MANY_EXPECTED = {"large_discard-having", "missing_index-partitions"}
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
    found = [str(one.kind) for one in findings]
    if path.stem.startswith("healthy_"):
        assert found == ["healthy"]
    if (wanted := path.stem.partition("-")[0]) in FORESEEN and path.stem not in TOO_MANY_EXPECTED:
        assert wanted in found
    assert all(one.at_stake_ms is None for one in findings), "no time is known"
    assert all("estimate" in one.sentence for one in findings if one.kind is not Suspicion.CARTESIAN_JOIN)


def test_memory_is_told_of_what_sorts_and_hashes() -> None:
    plans = {path.stem: list(memory_of(read_plan(path.read_text()))) for path in CORPUS}
    assert any(one.spilled and one.disk_kb for one in plans["sort_spill"])
    assert any(one.spilled and (one.batches or 0) > 1 for one in plans["hash_spill"])
    fits = plans["healthy_sort_that_fits"]
    assert fits
    assert not any(one.spilled for one in fits)
    assert fits[0].target == "fare"
    assert not plans["healthy_by_key"]


KINDS = (
    "Seq Scan", "Index Scan", "Index Only Scan", "Bitmap Heap Scan", "CTE Scan", "Subquery Scan", "Function Scan",
    "Foreign Scan", "Aggregate", "Hash Join", "Merge Join", "Nested Loop", "Sample Scan", "Values Scan", "WindowAgg",
    "Custom Scan", "Tid Scan",
)  # fmt: skip
CONDITIONS = (
    "urgent", "(NOT urgent)", "(held_by IS NULL)", "(held_by IS NOT NULL)", "(decks @> '{1}'::integer[])", "(code ~ '^a'::text)",
    "(code ~~ 'a%'::text)", "(code ~~* 'a%'::text)", "((payload ->> 'k'::text) = 'v'::text)", "((id % 7) = 3)", "(a <> b)",
    "((state = 'x'::text) OR (state = 'y'::text))", "(id = ANY ('{1,2}'::integer[]))", "(SubPlan 1)", "?", "",
)  # fmt: skip


@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize(
    "lost", ["Rows Removed by Filter", "Rows Removed by Join Filter", "Rows Removed by Index Recheck"]
)
def test_nothing_is_called_healthy_that_makes_rows_in_vain(kind: str, lost: str) -> None:
    if (lost.endswith("Join Filter") and "Join" not in kind and kind != "Nested Loop") or (
        lost.endswith("Recheck") and "Index" not in kind and "Bitmap" not in kind
    ):
        return
    leaf = {"Node Type": "Seq Scan", "Relation Name": "t", "Actual Rows": 3, "Plan Rows": 3, "Actual Loops": 1,
            "Actual Startup Time": 0.1, "Actual Total Time": 10.0}  # fmt: skip
    name = "Join Filter" if lost.endswith("Join Filter") else "Recheck Cond" if lost.endswith("Recheck") else "Filter"
    for condition in CONDITIONS:
        step = {
            **leaf, "Node Type": kind, "Relation Name": "dispatch", "Actual Total Time": 900.0, lost: 500_000,
            "Plans": [leaf, leaf] if kind in ("Hash Join", "Merge Join", "Nested Loop") else [],
            **({name: condition} if condition else {}),
        }  # fmt: skip
        found = examine(read_plan(json.dumps([{"Plan": step, "Execution Time": 901.0}])))
        assert [one.kind for one in found] != [Suspicion.HEALTHY], (kind, condition)
        assert any("500 k" in one.sentence for one in found), "with its figures"


def test_of_partitions_a_plan_alone_proposes_one_index_on_their_table() -> None:
    plan = read_plan((CORPUS[0].parent / "missing_index-partitions.json").read_text())
    (found,), _ = propose(plan, facts_of(plan))
    assert found.ddl == "CREATE INDEX ON gate_log (gate);"
    assert found.writes is None, "nobody counted them"
    # Where the table goes by an alias its name is not told, and none is made up.
    aliased = read_plan(bare_plan(plan).replace('"Alias":"gate_log_', '"Alias":"g_'))
    assert propose(aliased, facts_of(aliased))[0] == []
