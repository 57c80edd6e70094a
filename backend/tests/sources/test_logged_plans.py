"""Plans as auto_explain logs them, in each form of a log and each form of a plan: read from the log and from the file as it is."""

import io

import pytest
from faena.core.engines.postgres.plans.reader import read_plan
from faena.core.logged import Execution
from faena.core.plans.model import walk
from faena.core.plans.shape import shape
from faena.sources.logs.plans import plans_brought
from faena.sources.logs.reading import Summary, read_stream
from faena.sources.postgres import Target
from serverlog import FORMS, logging, written
from watched import owner

FORMATS = ("text", "json", "yaml", "xml")
STATEMENTS = (
    "SELECT count(*) FROM deck_slot a JOIN deck_slot b ON a.id = b.held WHERE a.held < 5 AND 'it''s \"x\"' <> 'y'",
    "SELECT id,\n  held\n  FROM deck_slot\n  WHERE id > 3 ORDER BY held, id",
)


@pytest.fixture(scope="module")
def logs(target: Target) -> dict[tuple[str, str], bytes]:
    del target
    settings = {
        "log_line_prefix": "%m [%p] %q[user=%u,db=%d,app=%a] ", "auto_explain.log_min_duration": "0",
        "auto_explain.log_analyze": "on", "log_min_duration_statement": "-1", "log_min_duration_sample": "-1",
    }  # fmt: skip
    found = {}
    for kind in FORMATS:
        with logging(**settings, **{"auto_explain.log_format": kind}):
            with owner() as session:
                for statement in STATEMENTS:
                    session.execute(statement.encode())
                session.execute("SELECT 'the last one'")
            found |= {(form, kind): written(form, "the last one") for form in FORMS}
    return found


@pytest.mark.parametrize("kind", FORMATS)
@pytest.mark.parametrize("form", FORMS)
def test_each_plan_of_a_log_is_read_with_its_statement(
    logs: dict[tuple[str, str], bytes], form: str, kind: str
) -> None:
    summary = Summary()
    runs = [one for one in read_stream(io.BytesIO(logs[form, kind]), summary) if isinstance(one, Execution)]
    mine = [one for one in runs if "deck_slot" in one.statement]
    assert [one.statement for one in mine] == list(STATEMENTS), summary.notes
    for one in mine:
        plan = read_plan(one.plan)
        assert plan.analysed
        assert plan.form == kind
    assert [shape(read_plan(one.plan)) for one in mine] == shapes(logs)


def shapes(logs: dict[tuple[str, str], bytes]) -> list[int]:
    runs = [one for one in read_stream(io.BytesIO(logs["csvlog", "json"]), Summary()) if isinstance(one, Execution)]
    return [shape(read_plan(one.plan)) for one in runs if "deck_slot" in one.statement]


@pytest.mark.parametrize("kind", FORMATS)
@pytest.mark.parametrize("form", FORMS)
def test_a_file_of_entries_is_read_as_the_plans_that_stand_in_it(
    logs: dict[tuple[str, str], bytes], form: str, kind: str
) -> None:
    """As somebody pastes it, or gives it to read-plan: with prefixes, other entries between, and several plans."""
    plans = plans_brought(logs[form, kind].decode())
    mine = [plan for plan in plans if any(step.table == "deck_slot" for _, step in walk(plan.root))]
    assert [shape(plan) for plan in mine] == shapes(logs)
    assert [" ".join(plan.statement.split()) for plan in mine] == [" ".join(one.split()) for one in STATEMENTS]
