"""What is asked of a watched server while somebody looks: plans, tables and indexes, in the database a statement ran in."""

from collections.abc import Callable, Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any

import orjson
import pytest
from faena.apps.accounts.roles import Role
from faena.apps.collecting.store import DjangoStore
from faena.apps.plans.models import CapturedPlan
from faena.apps.servers.actions import ServerForm, save_server
from faena.apps.servers.models import Server
from faena.collector.kinds import Counted, Learned
from faena.core.readings import StatementText
from faena.core.statements.counters import difference
from faena.core.units import QueryId
from faena.testing.builders import START, counters
from signing import signed_in
from watched import PASSWORD, PORT, owner

pytestmark = pytest.mark.django_db(transaction=True)
WINDOW = f"from={START}&to={START + 60_000}"
TEXTS = {
    7: "SELECT * FROM berth JOIN mooring ON mooring.berth = berth.id WHERE berth.quay = $1",
    8: "SELECT * FROM free_berth",
    9: "SELECT $1",
}


@pytest.fixture(scope="module")
def marina() -> Iterator[None]:
    """A database beside the one that Faena connects to, with a plain table, a partitioned one and a view."""
    with owner("postgres") as connection:
        connection.execute("DROP DATABASE IF EXISTS marina WITH (FORCE)")
        connection.execute("CREATE DATABASE marina")
    with owner("marina") as connection:
        connection.execute("CREATE TABLE berth (id int PRIMARY KEY, quay int, draught int)")
        connection.execute("CREATE INDEX berth_deep ON berth (draught) INCLUDE (quay) WHERE draught > 10")
        connection.execute("INSERT INTO berth SELECT i, i % 9000, i % 20 FROM generate_series(1, 60000) i")
        connection.execute("CREATE TABLE mooring (berth int, day date) PARTITION BY RANGE (day)")
        connection.execute(
            "CREATE TABLE mooring_early PARTITION OF mooring FOR VALUES FROM (MINVALUE) TO ('2026-01-01')"
        )
        connection.execute(
            "CREATE TABLE mooring_late PARTITION OF mooring FOR VALUES FROM ('2026-01-01') TO (MAXVALUE)"
        )
        connection.execute("CREATE VIEW free_berth AS SELECT * FROM berth WHERE id NOT IN (SELECT berth FROM mooring)")
        connection.execute("ANALYZE berth")
    yield
    with owner("postgres") as connection:
        connection.execute("DROP DATABASE marina WITH (FORCE)")


@pytest.fixture
def server(tmp_path: Path, marina: None) -> Server:
    """Connected to `postgres`, while all statements ran in `marina`."""
    form = ServerForm(
        name="port", host="127.0.0.1", port=PORT, database="postgres", username="keeper",
        password=PASSWORD,
    )  # fmt: skip
    made = save_server(form)
    texts = tuple(StatementText(query_id=QueryId(i), text=text) for i, text in TEXTS.items())
    delta = difference(
        counters(0, q7=(0, 0.0), q8=(0, 0.0), q9=(0, 0.0)), counters(60, q7=(9, 900.0), q8=(1, 9.0), q9=(1, 0.1))
    )
    there = replace(delta, keys=tuple(replace(key, database="marina", user="app") for key in delta.keys))
    DjangoStore(tmp_path).deliver([Learned(server_id=made.id, texts=texts), Counted(server_id=made.id, delta=there)])
    return made


@pytest.fixture
def get(server: Server) -> Callable[..., Any]:
    client = signed_in(Role.OPERATOR)

    def ask(path: str, status: int = 200) -> Any:
        answer = client.get(f"/api/v1/servers/{server.id}/{path}")
        assert answer.status_code == status, answer.content
        return orjson.loads(answer.content)

    return ask


def test_a_plan_is_asked_for_where_the_statement_ran(server: Server) -> None:
    client = signed_in(Role.OPERATOR)
    body = {"query_id": "7"}
    answer = client.post(f"/api/v1/servers/{server.id}/ask", body, content_type="application/json")
    assert answer.status_code == 200, answer.content
    plan = client.get(f"/api/v1/plans/{answer.json()['key']}").json()
    assert "berth" in {row["relation"] or row["target"] for row in plan["rows"]} | {
        row["target"] for row in plan["rows"]
    }
    elsewhere = client.post(f"/api/v1/servers/{server.id}/ask", {"text": TEXTS[7]}, content_type="application/json")
    assert elsewhere.status_code >= 400, "a text alone is asked about in the database that Faena connects to"
    assert b"is not a table that is seen in this database" in elsewhere.content


def test_the_tables_of_a_statement_come_with_their_indexes(get: Callable[..., Any]) -> None:
    found = get("statements/7/tables")
    berth, *moorings = found["tables"]
    assert (berth["name"], berth["rows"], found["surveyed"]) == ("berth", 60_000, False)
    assert berth["size_bytes"] > 1_000_000
    assert berth["analyzed_at"] is not None
    deep, key = sorted(berth["indexes"], key=lambda one: str(one["name"]))
    assert (deep["columns"], key["columns"]) == ("(draught) INCLUDE (quay) WHERE (draught > 10)", "(id)")
    assert key["size_bytes"] > 0
    assert {one["name"]: one["partition_of"] for one in moorings} == {
        "mooring_early": "mooring", "mooring_late": "mooring",
    }  # fmt: skip
    assert found["missing"] == []


def test_the_index_that_the_newest_plan_uses_is_marked(server: Server, get: Callable[..., Any]) -> None:
    with owner("marina") as connection:
        connection.execute("SET enable_seqscan = off")
        row = connection.execute("EXPLAIN (ANALYZE, FORMAT JSON) SELECT * FROM berth WHERE id = 4").fetchone()
    assert row
    written = orjson.dumps(row[0]).decode()
    CapturedPlan.objects.create(
        server=server, query_id=7, shape=1, first_ms=START, last_ms=START, took_ms=1.0, written=written, gist="",
    )  # fmt: skip
    (berth, *_) = get("statements/7/tables")["tables"]
    assert {one["name"]: one["used"] for one in berth["indexes"]} == {"berth_pkey": True, "berth_deep": False}


def test_what_is_no_table_is_named_and_what_touches_none_has_none(get: Callable[..., Any]) -> None:
    view = get("statements/8/tables")
    assert (view["tables"], view["missing"]) == ([], ["free_berth"])
    assert get("statements/9/tables") == {"tables": [], "missing": [], "surveyed": False}
    assert "not known" in get("statements/77/tables", status=404)["detail"]


def test_indexes_are_those_of_the_database_with_most_work_unless_another_is_chosen(get: Callable[..., Any]) -> None:
    found = get(f"indexes?{WINDOW}")
    assert (found["database"], found["databases"]) == ("marina", ["marina"])
    assert found["tables"] == 3
    other = get(f"indexes?{WINDOW}&database=postgres")
    assert (other["database"], other["databases"]) == ("postgres", ["marina", "postgres"])
    assert "berth" not in {one["table"] for one in other["findings"]}
    assert get(f"indexes?{WINDOW}&database=nowhere", status=422)["type"].startswith("urn:faena:")
