"""Plans stored by an earlier version, which told a plan as text from the same plan in JSON, are one after the migration."""

from importlib import import_module

import orjson
import pytest
from django.apps import apps
from faena.apps.plans.models import CapturedPlan
from faena.apps.servers.actions import ServerForm, save_server
from faena.apps.statements.models import Execution
from faena.core.engines.postgres.plans.reader import read_plan
from faena.core.plans.shape import shape
from faena.core.privacy import Normalised

pytestmark = pytest.mark.django_db(transaction=True)
INNER = {"Node Type": "Index Scan", "Relation Name": "berth", "Index Name": "berth_pkey", "Alias": "b", "Plan Rows": 1}
OUTER = {"Node Type": "Seq Scan", "Relation Name": "passage", "Alias": "p", "Plan Rows": 40}


def written(*, text: bool) -> Normalised:
    """As it was kept of a plan in JSON, and of one in text, which told of no sides."""
    sides = ({}, {}) if text else ({"Parent Relationship": "Outer"}, {"Parent Relationship": "Inner"})
    joined = {} if text else {"Join Words": "Inner"}
    steps = [{**OUTER, **sides[0]}, {**INNER, **sides[1]}]
    return Normalised(orjson.dumps([{"Plan": {"Node Type": "Nested Loop", **joined, "Plans": steps}}]).decode())


def test_what_was_told_apart_is_one_plan_with_all_its_executions() -> None:
    server = save_server(ServerForm(name="first", host="10.0.0.1"))
    right = shape(read_plan(written(text=False)))
    for old, text, took in ((777, True, 9.0), (right, False, 5.0)):
        CapturedPlan.objects.create(
            server=server, query_id=5, shape=old, first_ms=old % 1000, last_ms=5000, took_ms=took, written=written(text=text),
            gist="",
        )  # fmt: skip
        Execution.objects.create(
            server=server, ended_ms=1000 + text, took_ms=1.0, pid=7, place=1, query_id=5, plan_id=old,
            database="", user="", program="", client="",
        )  # fmt: skip
    import_module("faena.apps.plans.migrations.0004_shapes_alike").tell_anew(apps, None)
    (kept,) = CapturedPlan.objects.all()
    assert (kept.shape, kept.took_ms) == (right, 9.0)
    assert shape(read_plan(kept.written)) == right
    assert {one.plan_id for one in Execution.objects.all()} == {right}
