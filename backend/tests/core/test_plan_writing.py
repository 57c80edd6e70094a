"""A plan written anew is the same plan without its literals, in whatever form it came."""

import json
from pathlib import Path

import pytest
from faena.core.engines.postgres.plans.reader import FORMS, read_plan
from faena.core.engines.postgres.plans.suspicions import examine
from faena.core.engines.postgres.plans.writing import bare_plan
from faena.core.plans.model import Plan, Step, walk
from faena.core.plans.shape import shape
from faena.core.sql.texts import bare_expression

GOLDEN = Path(__file__).parents[1] / "golden"
CORPUS = sorted((GOLDEN / "plans").glob("*.json"))
FIELDS = [name for name in Step._fields if name not in ("children", "conditions", "keys", "details")]
SECRET = "Zq7secretZq7"


def written_forms() -> list[tuple[str, str]]:
    found = [(path.stem, path.read_text()) for path in CORPUS]
    for path in sorted((GOLDEN / "versions").glob("*.json")):
        for name, forms in json.loads(path.read_text())["plans"].items():
            found += [(f"{path.stem} {name} {form}", text) for form, text in forms.items() if form in FORMS]
    return found


def figures(plan: Plan) -> list[dict[str, object]]:
    return [{"depth": d, **{name: getattr(s, name) for name in FIELDS}} for d, s in walk(plan.root)]


@pytest.mark.parametrize("text", [pytest.param(text, id=name) for name, text in written_forms()])
def test_a_plan_written_anew_has_the_same_steps_and_figures(text: str) -> None:
    plan = read_plan(text)
    again = read_plan(bare_plan(plan))
    assert figures(again) == figures(plan)
    assert shape(again) == shape(plan)
    for (_, before), (_, after) in zip(walk(plan.root), walk(again.root), strict=True):
        assert after.conditions == {name: bare_expression(words) for name, words in before.conditions.items()}
    assert bare_plan(again) == bare_plan(plan), "writing it twice changes nothing"
    for name in ("planning_ms", "execution_ms", "query_id", "triggers", "jit"):
        assert getattr(again, name) == getattr(plan, name)


@pytest.mark.parametrize("path", CORPUS, ids=lambda path: path.stem)
def test_what_is_suspected_of_a_plan_does_not_hang_on_its_literals(path: Path) -> None:
    plan = read_plan(path.read_text())
    again = read_plan(bare_plan(plan))
    assert [one.kind for one in examine(again)] == [one.kind for one in examine(plan)]


TEXT = f"""Query Text: SELECT *
  FROM booking -- {SECRET}
  WHERE note = '{SECRET}'
    AND other = $${SECRET}$$
Query Parameters: $1 = '{SECRET}'
Limit  (cost=0.00..1.00 rows=1 width=4)
  Output: '{SECRET}'::text, b.id
  ->  Foreign Scan on public.booking b  (cost=0.00..9.00 rows=1 width=4)
        Filter: (b.note ~~ '%{SECRET}%'::text)
        Order By: (b.place <-> '{SECRET}'::point)
        Remote SQL: SELECT id FROM booking WHERE note = '{SECRET}'
        Function Call: f('{SECRET}'::text)
        Something New: {SECRET}
Settings: search_path = '"$user", public'
"""


def test_no_literal_stays_in_any_property_of_any_form() -> None:
    node = {
        "Node Type": "Foreign Scan", "Relation Name": "booking", "Alias": "b", "Total Cost": 9.0, "Startup Cost": 0.0,
        **dict.fromkeys(("Filter", "Index Cond", "Recheck Cond", "Hash Cond", "Merge Cond", "Join Filter", "TID Cond", "One-Time Filter", "Run Condition", "Conflict Filter", "Order By", "Cache Key", "Remote SQL", "Function Call", "Table Function Call", "Output"), f"(note = '{SECRET}'::text)"),
        **{name: [f"('{SECRET}'::text)"] for name in ("Sort Key", "Group Key", "Presorted Key")},
        "Something New": SECRET, "Nested": {"deep": [SECRET]}, "Workers": [{"Said": SECRET}],
    }  # fmt: skip
    whole = {"Query Text": f"SELECT '{SECRET}\n{SECRET}'", "Query Parameters": f"$1 = '{SECRET}'", "Plan": node}
    xml = (
        '<explain xmlns="urn:x"><Query><Query-Text>SELECT \''
        + SECRET
        + "'</Query-Text><Plan><Node-Type>Seq Scan</Node-Type>"
        f"<Filter>(note = '{SECRET}'::text)</Filter><Something-New>{SECRET}</Something-New></Plan></Query></explain>"
    )
    yaml = f'- Plan: \n    Node Type: "Seq Scan"\n    Filter: "(note = \'{SECRET}\'::text)"\n    Other: "{SECRET}"\n'
    for form in (TEXT, json.dumps([whole]), xml, yaml):
        assert SECRET[2:9] in form
        assert SECRET[2:9] not in bare_plan(read_plan(form)), form


def test_the_wildcard_that_an_index_cannot_serve_is_kept() -> None:
    assert bare_expression("(note ~~ '%abc'::text)") == "(note ~~ '%?'::text)"
    assert bare_expression("(note ~~ 'abc%'::text)") == "(note ~~ ?::text)"
    assert (
        bare_expression("(a = -5) AND (hashed SubPlan 1) AND (b = $2)") == "(a = ?) AND (hashed SubPlan 1) AND (b = $2)"
    )


@pytest.mark.parametrize(
    "name", ["Plan Width", "Actual Rows", "Calls", "Shared Hit Blocks", "Workers Planned", "Of no name"]
)
@pytest.mark.parametrize("number", [2**63, -(2**70), 10**40, 1e25])
def test_no_figure_is_too_large_to_be_written(name: str, number: float) -> None:
    """In YAML a damaged figure is a whole number of any length; JSON and the store take 64 bits."""
    wide = f'- Plan:\n    Node Type: "Seq Scan"\n    Actual Loops: 1\n    {name}: {number}\n  Execution Time: 1.0\n'
    assert read_plan(bare_plan(read_plan(wide))).root.kind == "Seq Scan"
