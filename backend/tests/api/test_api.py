"""The API: the committed contract, roles, errors, windows, paging, exports."""

import csv
import io
import json
from collections.abc import Iterator
from pathlib import Path

import orjson
import pytest
from django.test import Client
from faena.api.application import api
from faena.api.out import Out
from faena.api.parameters import now_ms
from faena.api.words import as_modules
from faena.apps.accounts.actions import save_user
from faena.apps.accounts.roles import Role
from faena.apps.collecting.store import DjangoStore
from faena.apps.servers.actions import ServerForm, save_server
from faena.apps.servers.models import Server
from faena.collector.kinds import Counted, Learned, Sampled
from faena.core.readings import StatementText
from faena.core.statements.counters import difference
from faena.core.units import EpochMs, Pid, QueryId
from faena.testing.builders import START, counters, reading, session
from ninja import Schema

pytestmark = pytest.mark.django_db(transaction=True)
BACKEND = "django.contrib.auth.backends.ModelBackend"
CONTRACT = Path(__file__).parents[3] / "contract" / "openapi.json"
MINUTE = f"from={START}&to={START + 60_000}"
UPDATE = "UPDATE deck_slot SET held_until = $1 WHERE sailing_id = $2"


@pytest.fixture
def client() -> Client:
    """Signed in as a viewer."""
    client = Client()
    client.force_login(save_user("vera", "correct horse", Role.VIEWER), backend=BACKEND)
    return client


@pytest.fixture
def server(tmp_path: Path) -> Server:
    """A minute: a console holds what three wait for, one runs; counters over the first 15 seconds."""
    server = save_server(ServerForm(name="bookings", host="127.0.0.1", username="watch", cores=2))
    rows = []
    for second in range(60):
        waiters = [
            session(10 + i, wait_type="Lock", wait_event="transactionid", blocked_by=(Pid(1),), query_id=QueryId(-42))
            for i in range(3)
        ]
        console = session(1, program="ops-console", state="idle in transaction")
        rows.append(reading(second, console, session(2, program="fare-engine", query_id=QueryId(7)), *waiters))
    store = DjangoStore(tmp_path)
    store.deliver([Sampled(server_id=server.id, reading=r, missed=0) for r in rows])
    delta = difference(counters(0, q7=(0, 0.0)), counters(15, q7=(30, 60.0)))
    texts = (StatementText(query_id=QueryId(-42), text=UPDATE), StatementText(query_id=QueryId(7), text="SELECT 1"))
    store.deliver([Counted(server_id=server.id, delta=delta), Learned(server_id=server.id, texts=texts)])
    return server


def get(client: Client, path: str, status: int = 200) -> dict[str, object]:
    answer = client.get(f"/api/v1{path}")
    assert answer.status_code == status, answer.content[:500]
    return orjson.loads(answer.content)  # type: ignore[no-any-return]


def test_words_of_screens_are_those_of_the_core(client: Client) -> None:
    """The modules that the front end is built with have the lists that the API answers with."""
    folder = Path(__file__).parents[3] / "frontend" / "src" / "lib" / "words"
    assert {file.stem: file.read_text() for file in folder.iterdir()} == as_modules(), "run ./faena contract"
    lists = get(client, "/words")
    assert {"value": "lock", "label": "row and table locks", "meaning": ""} in lists["wait_kinds"]  # type: ignore[operator]
    assert all(one["label"] for found in lists.values() for one in found)  # type: ignore[attr-defined]


def test_the_contract_is_the_committed_one() -> None:
    """A changed API is a difference that somebody reviews; ./faena contract writes it."""
    made = json.loads(json.dumps(api.get_openapi_schema(path_prefix="/api/v1/")))
    assert made == json.loads(CONTRACT.read_text())


def test_every_path_but_signing_in_wants_a_session(server: Server) -> None:
    stranger = Client()
    paths = json.loads(CONTRACT.read_text())["paths"]
    for path, methods in paths.items():
        if "get" in methods and path != "/api/v1/session":
            url = path.replace("{server_id}", str(server.id)).replace("{query_id}", "7")
            answer = stranger.get(url)
            assert answer.status_code == 401, path
            assert answer["Content-Type"] == "application/problem+json"
            assert orjson.loads(answer.content)["type"] == "urn:faena:not-signed-in"


def test_load_says_what_it_waits_for_and_since_when(client: Client, server: Server) -> None:
    found = get(client, f"/servers/{server.id}/load?{MINUTE}&buckets=60")
    assert found["sentence"] == "Waiting: row and table locks, 3.00 of 4.00 sessions"
    groups = {g["key"]: g["total"] for g in found["groups"]}  # type: ignore[attr-defined, index]
    assert groups == {"lock": 3.0, "running": 1.0}
    assert (found["total"], found["cores"], found["missing"], found["idle_holders"]) == (4.0, 2, 0, 1.0)
    assert found["ticks"] == [1] * 60
    inside = get(client, f"/servers/{server.id}/load?{MINUTE}&pick=program:fare-engine")
    assert (inside["total"], inside["unpicked_total"]) == (1.0, 4.0)


def test_the_sieve_names_statement_program_and_holder(client: Client, server: Server) -> None:
    found = get(
        client,
        f"/servers/{server.id}/sieve?{MINUTE}&dimension=statement&dimension=held_by&dimension=tables&pick=kind:lock",
    )
    first = [column["rows"][0] for column in found["columns"]]  # type: ignore[attr-defined, index]
    assert [row["label"] for row in first] == [UPDATE, "ops-console", "deck_slot"]
    assert first[0]["value"] == "-42"
    assert 0 < first[0]["share_margin"] < 0.05


@pytest.mark.parametrize(
    ("query", "words"),
    [
        ("", "a window is needed"),
        ("last=60&from=1", "not both"),
        ("from=1700000000&to=1700000600", "not seconds"),
        (f"from={START}&to={START}", "empty"),
        (f"from={START}&to={START + 91 * 86_400_000}", "longer than 90 days"),
        ("from=99999999999999&to=99999999999999999", "future"),
        ("last=abc", "integer"),
        ("last=0", "greater than or equal to 1"),
        (f"{MINUTE}&pick=colour:red", "not a dimension"),
        (f"{MINUTE}&buckets=5", "greater than or equal to 10"),
        (f"{MINUTE}&split=colour", "kind"),
    ],
)
def test_nonsense_answers_400_with_the_reason(client: Client, server: Server, query: str, words: str) -> None:
    found = get(client, f"/servers/{server.id}/load?{query}", 400)
    assert words in str(found["detail"])
    assert found["type"] == "urn:faena:bad-input"


def test_what_does_not_exist_is_404(client: Client, server: Server) -> None:
    for path in ("/servers/999", f"/servers/999/load?{MINUTE}", f"/servers/{server.id}/statements/12345?{MINUTE}"):
        assert get(client, path, 404)["type"] == "urn:faena:not-found"
    get(client, f"/servers/{server.id}/statements/12x45?{MINUTE}", 400)


def pages(client: Client, server: Server) -> Iterator[dict[str, object]]:
    offset: object = 0
    while offset is not None:
        page = get(client, f"/servers/{server.id}/samples?{MINUTE}&limit=77&offset={offset}")
        yield from page["rows"]  # type: ignore[misc]
        offset = page["next"]


def test_raw_samples_page_by_page_and_as_export_are_the_same(client: Client, server: Server) -> None:
    rows = list(pages(client, server))
    assert len(rows) == 300
    assert len({(r["at"], r["pid"]) for r in rows}) == 300
    path = f"/api/v1/servers/{server.id}/samples/export?{MINUTE}"
    lines = b"".join(client.get(f"{path}&format=jsonl").streaming_content).splitlines()  # type: ignore[attr-defined]
    assert [orjson.loads(line) for line in lines] == rows
    text = b"".join(client.get(f"{path}&format=csv").streaming_content).decode()  # type: ignore[attr-defined]
    table = list(csv.DictReader(io.StringIO(text)))
    assert len(table) == 300
    assert {row["state"] for row in table} == {"active", "idle in transaction"}
    waiting = next(row for row in table if row["kind"] == "lock")
    assert (waiting["query_id"], waiting["blocker"]) == ("'-42", "1"), "what a spreadsheet would compute is quoted"


def test_statements_are_ranked_and_told_apart_from_faenas_own(client: Client, server: Server) -> None:
    found = get(client, f"/servers/{server.id}/statements?{MINUTE}&sort=calls")
    row, under_way = found["rows"]  # type: ignore[misc]
    assert (row["query_id"], row["calls"], row["mean_ms"], row["share"]) == ("7", 30.0, 2.0, 1.0)
    assert (under_way["query_id"], under_way["calls"], under_way["sessions"]) == ("-42", 0.0, 3.0), "no call has ended"
    assert [one["query_id"] for one in found["uncounted"]] == ["-42", "7"]  # type: ignore[attr-defined]
    assert found["covered_ms"] == 15_000
    Server.objects.update(username="u")  # the counters' user is Faena's account now
    own = get(client, f"/servers/{server.id}/statements?{MINUTE}")
    assert [one["calls"] for one in own["rows"]] == [0.0, 0.0], "seen in sessions, counted for nobody"  # type: ignore[attr-defined]
    get(client, f"/servers/{server.id}/statements?{MINUTE}&sort=beauty", 400)


def test_a_statements_page_adds_up(client: Client, server: Server) -> None:
    found = get(client, f"/servers/{server.id}/statements/-42?{MINUTE}")
    assert (found["text"], found["load"], found["share"], found["samples"]) == (UPDATE, 3.0, 0.75, 180)
    assert found["totals"] is None, "no call has ended yet"
    other = get(client, f"/servers/{server.id}/statements/7?{MINUTE}")
    assert other["calls_per_s"] == [2.0, None, None, None]
    assert other["per_call"]["total_ms"] == [2.0, None, None, None]


def test_the_list_of_servers_never_shows_a_password(client: Client, server: Server) -> None:
    text = json.dumps(get(client, "/servers"))
    assert "password" not in text
    found = get(client, "/servers")["servers"][0]  # type: ignore[index]
    assert found["name"] == "bookings"
    assert (found["load_now"], found["state"]) == (None, "new"), "its samples are from long ago"
    assert found["freshness_ms"] > 86_400_000


def test_signing_in_wants_the_token_and_is_limited() -> None:
    save_user("ada", "correct horse", Role.ADMIN)
    browser = Client(enforce_csrf_checks=True)
    body = {"username": "ada", "password": "correct horse"}
    assert browser.post("/api/v1/session", body, content_type="application/json").status_code == 403
    token = orjson.loads(browser.get("/api/v1/session").content)["csrf"]
    headers = {"X-CSRFToken": token}
    for attempt in range(7):
        wrong = browser.post(
            "/api/v1/session", {**body, "password": "x"}, content_type="application/json", headers=headers
        )
        assert wrong.status_code == (400 if attempt < 5 else 429), attempt
    assert "quarter of an hour" in orjson.loads(wrong.content)["detail"]
    right = browser.post("/api/v1/session", body, content_type="application/json", headers=headers)
    assert right.status_code == 429, "locked out, even with the right password"


def test_signing_in_and_out() -> None:
    save_user("ada", "correct horse", Role.ADMIN)
    browser = Client()
    body = {"username": "ada", "password": "correct horse"}
    found = orjson.loads(browser.post("/api/v1/session", body, content_type="application/json").content)
    assert (found["username"], found["role"]) == ("ada", "admin")
    assert orjson.loads(browser.delete("/api/v1/session").content)["username"] is None
    assert browser.get("/api/v1/servers").status_code == 401


def test_only_admins_try_connections(client: Client) -> None:
    body = {"name": "x", "host": "127.0.0.1", "port": 1, "password": "hush"}
    for path in ("/api/v1/servers/check", "/api/v1/servers"):
        answer = client.post(path, body, content_type="application/json")
        assert answer.status_code == 403
    client.force_login(save_user("ada", "correct horse", Role.ADMIN), backend=BACKEND)
    checked = orjson.loads(client.post("/api/v1/servers/check", body, content_type="application/json").content)
    assert checked["ready"] is False
    assert checked["steps"][0]["ok"] is False
    refused = client.post("/api/v1/servers", body, content_type="application/json")
    assert refused.status_code == 422
    assert b"hush" not in refused.content
    wrong = client.post("/api/v1/servers", {**body, "port": 0}, content_type="application/json")
    assert orjson.loads(wrong.content)["field"] == "port"


def test_waits_are_explained(client: Client) -> None:
    server = Server.objects.create(name="meanings").pk
    found = get(client, f"/servers/{server}/waits?wait=Lock:transactionid")
    assert found["kind"] == "lock"
    assert "disk" in found["rules_out"]  # type: ignore[operator]
    assert get(client, f"/servers/{server}/waits?wait=running")["kind"] == "running"
    assert get(client, f"/servers/{server}/waits?wait=IO:Whatever")["known"] is False


def test_the_page_forbids_foreign_and_inline_scripts(client: Client) -> None:
    answer = client.get("/servers/1/load")
    policy = answer["Content-Security-Policy"]
    assert "script-src 'self'" in policy
    assert "unsafe" not in policy
    assert answer["X-Frame-Options"] == "DENY"


def test_a_store_that_is_away_is_said_so(client: Client, server: Server, monkeypatch: pytest.MonkeyPatch) -> None:
    from django.db import OperationalError

    def away(*args: object) -> None:
        raise OperationalError("gone")

    monkeypatch.setattr("faena.apps.servers.selectors.server", away)
    found = get(client, f"/servers/{server.id}/load?{MINUTE}", 503)
    assert found["type"] == "urn:faena:store-away"
    assert "Nothing is lost" in str(found["detail"])


def test_last_follows_the_present(client: Client, server: Server) -> None:
    found = get(client, f"/servers/{server.id}/load?last=60")
    assert abs(int(str(found["end"])) - now_ms()) < 5000
    assert found["total"] is None
    assert found["sentence"] == "Nothing was sampled in this window."
    assert EpochMs(int(str(found["end"]))) > START


def test_load_is_split_by_any_dimension_and_adds_up(client: Client, server: Server) -> None:
    whole = get(client, f"/servers/{server.id}/load?{MINUTE}")["total"]
    for split in ("wait", "statement", "tables", "program", "user", "client", "database", "held_by", "backend"):
        found = get(client, f"/servers/{server.id}/load?{MINUTE}&split={split}")
        groups = found["groups"]
        assert sum(g["total"] for g in groups) == pytest.approx(whole), split  # type: ignore[attr-defined, misc]
        assert sum(g["share"] for g in groups) == pytest.approx(1.0), split  # type: ignore[attr-defined, misc]
        assert all(g["label"] for g in groups), split  # type: ignore[attr-defined]


def test_excluding_everything_leaves_nothing_and_says_so(client: Client, server: Server) -> None:
    query = f"{MINUTE}&pick=!kind:lock&pick=!kind:running"
    assert get(client, f"/servers/{server.id}/load?{query}")["total"] == 0.0
    found = get(client, f"/servers/{server.id}/sieve?{query}&dimension=program")
    assert found["columns"][0]["rows"] == []  # type: ignore[index]
    assert found["ticks"] == 60


def test_no_two_parts_of_answers_share_a_name() -> None:
    """The contract knows them by their names alone: of two alike, one takes the other's place without a word."""

    def kinds(base: type) -> list[type]:
        return [one for kind in base.__subclasses__() for one in (kind, *kinds(kind))]

    ours = {kind for base in (Out, Schema) for kind in kinds(base) if kind.__module__.startswith("faena.api")}
    places = {name: {one.__module__ for one in ours if one.__name__ == name} for name in {k.__name__ for k in ours}}
    assert {name: found for name, found in places.items() if len(found) > 1} == {}
