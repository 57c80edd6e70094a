"""A marker is planted in every text of every input; nothing that a viewer can ask for shows it, whatever is captured.

Operators see it where capture is on, and only there. All GET routes of the contract are asked, so a new one is, too.
"""

import json
from pathlib import Path
from typing import Any

import orjson
import pytest
from django.test import Client
from faena.apps.accounts.roles import Role
from faena.apps.collecting.store import DjangoStore
from faena.apps.plans.models import CapturedPlan
from faena.apps.servers.actions import ServerForm, save_server
from faena.apps.servers.models import Server
from faena.apps.statements.logged import store_log
from faena.apps.statements.models import Execution, LogEvent
from faena.collector.kinds import Learned, Logged, Sampled
from faena.core.logged import EventKind, LogPosition, LogReading
from faena.core.logged import Execution as Run
from faena.core.logged import LogEvent as Event
from faena.core.privacy import Normalised, Permit, Raw, shown
from faena.core.readings import StatementText
from faena.core.sql.texts import conceal
from faena.core.units import EpochMs, Pid, QueryId
from faena.testing.builders import START, reading, session
from signing import signed_in

CONTRACT = json.loads((Path(__file__).parents[3] / "contract" / "openapi.json").read_text())
MARK = "Zq7markZq7"
ROUTES = sorted(path for path, acts in CONTRACT["paths"].items() if "get" in acts)

PLAN_TEXT = f"""Query Text: SELECT *
  FROM booking
  WHERE note = '{MARK}'
Query Parameters: $1 = '{MARK}'
Seq Scan on booking b  (cost=0.00..9999.00 rows=1 width=4) (actual time=0.1..90.0 rows=1 loops=1)
  Filter: ((note = '{MARK}'::text) AND (place = 5))
  Order By: (place <-> '{MARK}'::text)
  Remote SQL: SELECT '{MARK}'
  Something New: {MARK}
  Rows Removed by Filter: 999999
"""
PLAN_JSON = json.dumps(
    {"Query Text": f"SELECT '{MARK}'", "Query Parameters": f"$1 = '{MARK}'",
     "Plan": {"Node Type": "Seq Scan", "Relation Name": "booking", "Total Cost": 900.0, "Startup Cost": 0.0, "Plan Rows": 5,
              "Plan Width": 4, "Filter": f"(note = '{MARK}'::text)", "Output": [f"'{MARK}'::text"], "Odd": MARK}}
)  # fmt: skip
DEADLOCK = (
    f"Process 11 waits for ShareLock on transaction 5; blocked by process 12.\n"
    f"Process 12 waits for ShareLock on transaction 6; blocked by process 11.\n"
    f"Process 11: UPDATE booking SET note = '{MARK}' WHERE id = 1\n"
    f"Process 12: UPDATE booking SET note = '{MARK}"  # cut off by the server
)
EVENTS = [
    ("23505", 'duplicate key value violates unique constraint "customer_email"', f"Key (email)=({MARK}) already exists.", ""),
    ("23514", 'new row for relation "customer" violates check constraint "c"', f"Failing row contains (1, {MARK}, null).", ""),
    ("22P02", f'invalid input syntax for type integer: "{MARK}"', "", f'COPY t, line 3, column a: "{MARK}"'),
    ("42601", f'syntax error at or near "{MARK}"', "", ""),
    ("42703", f'column "{MARK}" does not exist', f'There is a column named "{MARK}".', ""),
    ("P0001", f"booking {MARK} is closed", f"told by {MARK}", f"PL/pgSQL function f(text) line 3 at RAISE\nSQL statement \"SELECT '{MARK}'\""),
    ("22007", f'invalid input syntax for type date: "{MARK}"', "", f"unnamed portal with parameters: $1 = '{MARK}'"),
    ("XX000", MARK, MARK, MARK),
    ("", f"something {MARK} in no language we know", MARK, MARK),
    ("42501", f"permission denied for {MARK}", "", ""),
]  # fmt: skip


def plant(server: Server, store: DjangoStore, *, capture: bool) -> None:
    Server.objects.filter(id=server.id).update(keep_parameters=capture, lease_until=None)
    store.deliver(
        [
            Sampled(server_id=server.id, reading=reading(s, session(11, query_id=QueryId(7))), missed=0)
            for s in range(30)
        ]
    )
    texts = (
        f"ALTER ROLE app PASSWORD '{MARK}'", f"SELECT * FROM booking WHERE note = '{MARK}' /* {MARK} */",
        f"CREATE USER MAPPING FOR a SERVER b OPTIONS (password '{MARK}')", f"SELECT '{MARK}",
    )  # fmt: skip
    learned = tuple(StatementText(query_id=QueryId(7 + i), text=conceal(text)) for i, text in enumerate(texts))
    store.deliver([Learned(server_id=server.id, texts=learned)])
    text = f"SELECT * FROM booking WHERE note = '{MARK}'" if capture else ""
    runs = tuple(
        Run(EpochMs(START + 1000 * i), 5000.0, Pid(11), i, text, QueryId(7), f"$1 = '{MARK}'" if capture else "",
            program="app", plan=plan if capture else "")
        for i, plan in enumerate((PLAN_TEXT, PLAN_JSON, ""))
    )  # fmt: skip
    events = [
        Event(EpochMs(START + 2000 + i), EventKind.ERROR, Pid(11), 50 + i, "ERROR", state, message, detail, context,
              f"SELECT '{MARK}'", QueryId(7), program="app")
        for i, (state, message, detail, context) in enumerate(EVENTS)
    ]  # fmt: skip
    events.append(
        Event(EpochMs(START + 9000), EventKind.DEADLOCK, Pid(11), 90, "ERROR", "40P01", "deadlock detected", DEADLOCK,
              f'while updating tuple (0,1) in relation "booking"\nSQL statement "UPDATE booking SET note = \'{MARK}\'"',
              f"UPDATE booking SET note = '{MARK}' WHERE id = 1", QueryId(7), program="app")
    )  # fmt: skip
    told = LogReading(position=LogPosition("log", 1), executions=runs, events=tuple(events))
    store.deliver([Logged(server_id=server.id, reading=told)])


@pytest.fixture(params=[False, True], ids=["capture off", "capture on"])
def planted(request: pytest.FixtureRequest, transactional_db: None, tmp_path: Path) -> tuple[Server, bool]:
    server = save_server(ServerForm(name="watched", host="127.0.0.1", password=MARK))
    plant(server, DjangoStore(tmp_path), capture=request.param)
    return server, request.param


def everything(client: Client, server: Server) -> dict[str, bytes]:
    """Answers of all routes that read, with what their places stand for filled in from other answers."""
    window = {"from": START - 60_000, "to": START + 60_000, "last": None}
    patterns = client.get(f"/api/v1/servers/{server.id}/deadlocks", {"from": START - 1000, "to": START + 60_000}).json()
    plan = CapturedPlan.objects.filter(server=server).order_by("id").first()
    opened: dict[str, Any] = {}
    if plan is not None:
        answer = client.post(f"/api/v1/servers/{server.id}/captured-plans/{plan.pk}")
        opened = answer.json()
    places = {
        "server_id": server.id, "query_id": 7, "pid": 11, "machine": "m", "recording_id": 1, "person_id": 1, "group": "g",
        "pattern": patterns["patterns"][0]["pattern"] if patterns.get("patterns") else "x", "plan_id": plan.pk if plan else 1,
        "key": opened.get("key", "none"), "other": opened.get("key", "none"), "name": "x",
    }  # fmt: skip
    more = {"cores": 4, "dimension": "statement", "limit": 100, "query_id": 7, "containing": "", "sort": "total_ms"}
    found = {}
    for route in ROUTES:
        path = route
        for name, value in places.items():
            path = path.replace("{" + name + "}", str(value))
        query = {**{k: v for k, v in window.items() if v is not None}, **more}
        answer = client.get(path, query)
        body = b"".join(answer.streaming_content) if answer.streaming else answer.content  # type: ignore[arg-type]
        found[route] = body
    return found


def test_no_route_shows_a_viewer_the_mark(planted: tuple[Server, bool]) -> None:
    server, _ = planted
    answers = everything(signed_in(Role.VIEWER), server)
    leaks = {
        route: body[max(0, at - 80) : at + 30]
        for route, body in answers.items()
        if (at := body.find(MARK.encode())) >= 0
    }
    assert leaks == {}
    assert sum(b'"type":"urn:' not in body for body in answers.values()) > 25, "most routes answered"


def test_operators_see_it_where_capture_is_on_and_nowhere_else(planted: tuple[Server, bool]) -> None:
    server, capture = planted
    answers = everything(signed_in(Role.OPERATOR), server)
    shows = {route for route, body in answers.items() if MARK.encode() in body}
    if not capture:
        assert shows == set()
        return
    for part in ("/executions/list", "/events", "/deadlocks/{pattern}", "/plans/{key}"):
        assert any(part in route for route in shows), f"{part} shows it to operators"


def test_with_capture_off_the_mark_is_in_no_table_of_the_store(planted: tuple[Server, bool]) -> None:
    from django.apps import apps
    from django.db import connection

    _, capture = planted
    found = set()
    with connection.cursor() as cursor:
        for model in apps.get_models():
            cursor.execute(f'SELECT count(*) FROM "{model._meta.db_table}" t WHERE t::text LIKE %s', [f"%{MARK[3:]}%"])
            if cursor.fetchone()[0]:
                found.add(model.__name__)
    raw = {"Execution", "LogEvent", "CapturedPlan", "Deadlock"}
    assert found == (raw if capture else set())


def test_a_password_never_stays_even_with_capture_on(planted: tuple[Server, bool]) -> None:
    server, _ = planted
    for role in (Role.OPERATOR, Role.ADMIN):
        for route, body in everything(signed_in(role), server).items():
            if "statements/{query_id}" in route:
                assert b"PASSWORD '" not in body


def test_a_plan_pasted_by_one_person_is_without_literals_for_others(db: None) -> None:
    viewer = signed_in(Role.VIEWER)
    made = viewer.post("/api/v1/plans", {"plan": PLAN_TEXT}, content_type="application/json").json()
    assert MARK in viewer.get(f"/api/v1/plans/{made['key']}").content.decode(), "whoever brought it sees it as it was"
    from faena.apps.accounts.actions import save_user
    from signing import BACKEND

    other = Client()
    other.force_login(save_user("somebody", "correct horse", Role.VIEWER), backend=BACKEND)
    assert MARK not in other.get(f"/api/v1/plans/{made['key']}").content.decode()
    assert MARK in signed_in(Role.OPERATOR).get(f"/api/v1/plans/{made['key']}").content.decode()


def test_raw_shows_itself_to_nobody_by_mistake() -> None:
    raw = Raw(MARK)
    assert MARK not in f"{raw} {raw!r} {[raw]}"
    with pytest.raises(TypeError):
        orjson.dumps({"text": raw})
    assert shown(Normalised("?"), raw, None) == "?"
    assert shown(Normalised("?"), raw, Permit(holder="ada")) == MARK
    assert shown(Normalised("?"), None, Permit(holder="ada")) == "?"


def test_a_plain_text_is_no_raw_one(db: None) -> None:
    server = save_server(ServerForm(name="watched", host="127.0.0.1"))
    with pytest.raises(TypeError, match="written as Raw"):
        Execution.objects.create(server=server, ended_ms=1, pid=1, place=1, took_ms=1, statement="SELECT 1")


def test_what_a_log_was_cut_off_in_is_stored(db: None) -> None:
    server = save_server(ServerForm(name="watched", host="127.0.0.1"))
    event = Event(
        START, EventKind.ERROR, Pid(1), 1, "ERROR", "22P02", "bad \0 \ud800 text", "\0", "\ud800", "\ud800 \0"
    )
    store_log(server.id, LogReading(position=LogPosition("x", 1), events=(event,)), {}, literals=True)
    assert LogEvent.objects.count() == 1
