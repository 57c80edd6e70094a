"""Tools told from the application, conditions as people build them, since when a call is dear, plans by their shape."""

import json

import pytest
from faena.core.answers.dearer import dearer_since, near
from faena.core.discreet import without_literals
from faena.core.engines.postgres.plans.reader import read_plan
from faena.core.errors import BadInput
from faena.core.plans.shape import gist, shape
from faena.core.readings import COUNTER_FIELDS
from faena.core.series.window import Buckets
from faena.core.statements.conditions import NameCondition, NumberCondition, of_field, read_conditions
from faena.core.statements.tools import is_tool
from faena.core.statements.usualcost import hours_before, usual_cost
from faena.core.units import MS_PER_HOUR, EpochMs


@pytest.mark.parametrize(
    ("text", "tables", "tool"),
    [
        ("SELECT relname FROM pg_class", ("pg_class",), True),
        ("SHOW server_version", (), True),
        ("SET search_path = $1", (), True),
        ("SELECT pg_is_in_recovery()", (), True),
        ("SELECT * FROM booking", ("booking",), False),
        ("SELECT * FROM booking JOIN pg_class c ON true", ("booking", "pg_class"), False),
        ("COMMIT", (), False),
        ("VACUUM booking", (), False),
        ("SELECT $1", (), False),
    ],
)
def test_tools_are_told_from_the_application(text: str, tables: tuple[str, ...], tool: bool) -> None:
    assert is_tool(text, tables) is tool


def test_conditions_are_read_and_fit() -> None:
    dear, not_report, table = read_conditions(["mean_ms >= 10", "user != report", "table = booking"])
    assert isinstance(dear, NumberCondition)
    assert [dear.fits(value) for value in (9.9, 10.0, None)] == [False, True, False]
    assert not_report == NameCondition("user", False, "report")
    assert of_field([dear, not_report, table], "table") == (["booking"], [])
    assert of_field([dear, not_report, table], "user") == ([], ["report"])


@pytest.mark.parametrize(
    "written", ["beauty > 3", "mean_ms ~ 3", "mean_ms >= many", "", "user > report", "calls >= 1; DROP"]
)
def test_what_is_no_condition_is_named(written: str) -> None:
    with pytest.raises(BadInput, match="no condition"):
        read_conditions([written])


STARTS = [i * 60_000 for i in range(10)]


def test_dear_calls_are_dated_and_weighed_by_calls() -> None:
    usual: list[float | None] = [10.0] * 10
    cost: list[float | None] = [10.0, 11.0, 9.0, 40.0, None, 40.0, 80.0, 40.0, 10.0, 10.0]
    found = dearer_since(STARTS, 60_000, cost, usual, [100.0, 100, 100, 100, 0, 100, 100, 100, 100, 100])
    assert found is not None
    assert (found.since, found.until) == (STARTS[3], STARTS[8])
    assert found.times == pytest.approx(5.0)
    still = dearer_since(STARTS, 60_000, [*cost[:8], None, None], usual, [1.0] * 10)
    assert still is not None
    assert still.until is None


@pytest.mark.parametrize(
    "cost", [[10.0] * 10, [10.0] * 4 + [90.0] + [10.0] * 5, [None] * 10], ids=["usual", "once", "never ran"]
)
def test_one_dear_bucket_or_none_is_no_change(cost: list[float | None]) -> None:
    assert dearer_since(STARTS, 60_000, cost, [10.0] * 10, [1.0] * 10) is None


def test_a_change_of_plan_far_away_is_not_blamed() -> None:
    assert near(1_000_000, [1_000_000 + 10 * 60_000]) == 1_600_000
    assert near(1_000_000, [1_000_000 + 20 * 60_000]) is None
    assert near(1_000_000, []) is None


def test_the_usual_cost_is_the_median_of_earlier_days_at_that_hour() -> None:
    day = 24 * MS_PER_HOUR
    buckets = Buckets(start=EpochMs(22 * day + 9 * MS_PER_HOUR), width_ms=MS_PER_HOUR, count=2)  # a Friday
    noughts = dict.fromkeys(COUNTER_FIELDS, 0.0)
    hours = {
        (22 - back) * day + 9 * MS_PER_HOUR: {**noughts, "calls": 3600.0, "total_ms": 3600.0 * ms, "rows": 7200.0}
        for back, ms in enumerate((99, 4, 5, 400, 6))
    }
    found = usual_cost(hours, buckets, 14)
    assert found.per_call["total_ms"] == [5.5, None], "today does not count, and a bad day is not the rule"
    assert found.per_call["rows"] == [2.0, None]
    assert found.per_call["temp_written"] == [0.0, None], "nothing, as usual, is known to be nothing"
    assert found.calls_per_s == [1.0, None]
    assert found.days == 0
    assert usual_cost(hours, buckets, 2).per_call["total_ms"] == [None, None], "two days are no rule"
    weekend = Buckets(start=EpochMs(23 * day + 9 * MS_PER_HOUR), width_ms=MS_PER_HOUR, count=1)
    found = usual_cost(hours, weekend, 14)
    assert found.calls_per_s == [None], "how often it is called on workdays says nothing of a Saturday"
    assert found.per_call["total_ms"] == [6.0], "what a call costs then does"
    idle = usual_cost(dict.fromkeys(hours, noughts), buckets, 14)
    assert (idle.per_call["total_ms"], idle.calls_per_s) == ([None, None], [0.0, None])


def test_the_hours_before_are_those_of_earlier_days_only() -> None:
    day = 24 * MS_PER_HOUR
    tuesday = 19 * day
    night = Buckets(start=EpochMs(tuesday + 23 * MS_PER_HOUR), width_ms=MS_PER_HOUR // 2, count=4)
    friday, sunday, monday = (tuesday - back * day + 23 * MS_PER_HOUR for back in (4, 2, 1))
    midnights = [tuesday - day, tuesday]
    assert hours_before(night, 2) == sorted([friday, sunday, monday, *midnights]), "two of any kind and two alike"


def plan(node: str, *, literal: str = "'a'", cost: float = 1.0) -> str:
    return json.dumps(
        [
            {
                "Plan": {
                    "Node Type": node,
                    "Relation Name": "t",
                    "Alias": "t",
                    "Total Cost": cost,
                    "Filter": f"(x = {literal})",
                }
            }
        ]
    )


def test_a_plan_is_known_by_its_steps_and_not_by_its_figures() -> None:
    one = read_plan(plan("Seq Scan"))
    assert shape(one) == shape(read_plan(plan("Seq Scan", literal="'b'", cost=9.0)))
    assert shape(one) != shape(read_plan(plan("Index Scan")))
    assert gist(one) == "Seq Scan t"


@pytest.mark.parametrize("form", ["json", "text"])
def test_a_plan_without_literals_is_the_same_plan(form: str) -> None:
    text = " Seq Scan on t  (cost=0.00..9.00 rows=1 width=4)\n   Filter: ((name = 'Mrs Smith'::text) AND (no = 4711))"
    written = plan("Seq Scan", literal="'Mrs Smith'") if form == "json" else text
    clean = without_literals(written)
    assert "Smith" not in clean
    assert "4711" not in clean
    assert shape(read_plan(clean)) == shape(read_plan(written))
