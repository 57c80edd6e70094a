"""What is no plan is refused in words, and nothing breaks the reader."""

import pytest
from faena.core.engines.postgres.plans.guard import explainable
from faena.core.engines.postgres.plans.predicates import (
    alternatives,
    conjuncts,
    function_on_column,
    implicit_cast,
    predicates,
)
from faena.core.engines.postgres.plans.reader import read_plan
from faena.core.engines.postgres.plans.writing import bare_plan
from faena.core.errors import BadInput
from faena.core.plans.model import BadPlan, walk
from faena.core.plans.shape import shape
from faena.core.plans.times import step_times
from hypothesis import given
from hypothesis import strategies as st

PARALLEL = """
 Finalize Aggregate  (cost=100.00..100.01 rows=1 width=8) (actual time=40.000..41.000 rows=1 loops=1)
   ->  Gather  (cost=99.00..99.50 rows=2 width=8) (actual time=39.000..40.500 rows=3 loops=1)
         Workers Planned: 2
         Workers Launched: 2
         ->  Partial Aggregate  (cost=98.00..98.01 rows=1 width=8) (actual time=36.000..36.000 rows=1 loops=3)
               ->  Parallel Seq Scan on t  (cost=0.00..90.00 rows=4000 width=0) (actual time=0.010..30.000 rows=3300 loops=3)
                     Filter: (n > 5)
                     Rows Removed by Filter: 33
 Planning Time: 0.100 ms
 Execution Time: 41.200 ms
"""
CTE = """
 Hash Join  (cost=1.00..9.00 rows=10 width=8) (actual time=30.000..60.000 rows=10 loops=1)
   Hash Cond: (x.id = y.id)
   CTE late
     ->  Seq Scan on t  (cost=0.00..1.00 rows=100 width=4) (actual time=0.010..20.000 rows=100 loops=1)
   ->  CTE Scan on late x  (cost=0.00..2.00 rows=100 width=4) (actual time=0.020..24.000 rows=100 loops=1)
   ->  Hash  (cost=2.00..2.00 rows=100 width=4) (actual time=8.000..8.000 rows=100 loops=1)
         Buckets: 1024  Batches: 1  Memory Usage: 12kB
         ->  CTE Scan on late y  (cost=0.00..2.00 rows=100 width=4) (actual time=0.000..6.000 rows=100 loops=1)
"""


def own(text: str) -> dict[str, float]:
    plan = read_plan(text)
    times = step_times(plan)
    return {f"{s.kind} {s.alias}".strip(): round(times[id(s)].own_ms or 0.0, 2) for _, s in walk(plan.root)}


def test_workers_side_by_side_are_not_added_up() -> None:
    found = own(PARALLEL)
    assert found == {"Finalize Aggregate": 0.5, "Gather": 4.5, "Partial Aggregate": 6.0, "Parallel Seq Scan t": 30.0}
    assert sum(found.values()) == pytest.approx(41.0)
    plan = read_plan(PARALLEL)
    assert (plan.execution_ms, plan.planning_ms) == (41.2, 0.1)


def test_a_cte_costs_where_it_is_read_and_not_where_it_hangs() -> None:
    found = own(CTE)
    assert found["Seq Scan t"] == 20.0
    assert found["Hash Join"] == 28.0, "60 - 24 - 8, the CTE not taken off once more"
    assert found["CTE Scan x"] + found["CTE Scan y"] == pytest.approx(24 + 6 - 20)


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "nothing to read"),
        ("SELECT 1", "no step of a plan was found, beginning with 'SELECT 1'"),
        ('{"Plan": 5}', 'no "Plan"'),
        ('[{"Plan": {}}]', 'no "Node Type"'),
        ("[1, 2", "begins like JSON and is none"),
        ("<a><b></a>", "begins like XML and is none"),
        ("<a/>", "no <Query> element"),
        ('<!DOCTYPE x [<!ENTITY a "b">]><explain/>', "no document type"),
        ("- Plan: [1", "begins like YAML and is none"),
    ],
)
def test_what_is_no_plan_is_refused_in_words(text: str, words: str) -> None:
    with pytest.raises(BadPlan) as refused:
        read_plan(text)
    assert words in str(refused.value)
    assert refused.value.field == "plan"


@given(
    st.text(max_size=200)
    | st.from_regex(r"(\s*->\s)?[A-Z][a-z]+ (Scan|Join)( on \S+)?  \(cost=.{0,30}\)", fullmatch=True)
)
def test_no_text_breaks_the_reader(text: str) -> None:
    try:
        plan = read_plan(text)
    except BadPlan:
        return
    assert step_times(plan)


def test_a_deep_plan_is_read_and_a_bottomless_one_refused() -> None:
    deep = '{"Node Type": "Limit", "Plans": [' * 300 + '{"Node Type": "Result"}' + "]}" * 300
    assert len(list(walk(read_plan(f'[{{"Plan": {deep}}}]').root))) == 301
    with pytest.raises(BadPlan):
        read_plan('[{"Plan": ' + '{"Node Type": "Limit", "Plans": [' * 200_000)


def test_conditions_are_taken_apart_outside_brackets_and_quotes() -> None:
    condition = "((a = 5) AND (note = 'x AND y'::text) AND ((b = 1) OR (c > 2)) AND (lower(d) = 'z'::text))"
    assert conjuncts(condition) == ["a = 5", "note = 'x AND y'::text", "(b = 1) OR (c > 2)", "lower(d) = 'z'::text"]
    assert alternatives(condition) == ["b = 1", "c > 2"]
    assert [(p.column, p.equal) for p in predicates("((t.made > 5) AND ((x.reference)::text = 'R'::text))")] == [
        ("reference", True),
        ("made", False),
    ]
    assert function_on_column(condition) == "lower"
    assert function_on_column("((at)::date = '2026-01-01'::date)") == "a cast to date"
    assert function_on_column("((reference)::text = 'x'::text)") is None
    assert implicit_cast("((code)::numeric = 5.0)") == ("code", "numeric")
    assert implicit_cast("((reference)::text = 'x'::text)") is None


@pytest.mark.parametrize(
    "written",
    [
        "Seq Scan on t\ud800  (cost=0.00..1.00 rows=1 width=4)",
        r'[{"Plan": {"Node Type": "Seq Scan", "Relation Name": "t\ud800", "Total Cost": 1}}]',
        r'[{"Query Text": "SELECT \ud800", "Plan": {"Node Type": "Seq Scan", "Relation Name": "s", "Total Cost": 1}}]',
    ],
)
def test_half_a_character_does_not_keep_a_plan_from_being_told_from_others(written: str) -> None:
    found = read_plan(written)
    assert shape(found) != shape(read_plan("Seq Scan on t  (cost=0.00..1.00 rows=1 width=4)"))
    assert "\ud800" not in read_plan(bare_plan(found)).statement + found.statement + found.root.table


@pytest.mark.parametrize("sign", ["\0", "\ud800"])
def test_a_statement_with_what_no_server_reads_is_refused_in_words(sign: str) -> None:
    with pytest.raises(BadInput, match="no server reads"):
        explainable(f"SELECT 'a{sign}b'")
