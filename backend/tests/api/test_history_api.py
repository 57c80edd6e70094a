"""Groups, indicators, the machine, capture settings, close watch, marks."""

import time
from collections.abc import Callable
from contextlib import AbstractContextManager
from pathlib import Path

import orjson
import pytest
from django.test import Client
from faena.apps.accounts.roles import Role
from faena.apps.collecting.store import DjangoStore
from faena.apps.hosts.models import HostReading
from faena.apps.samples.usual import past_days
from faena.apps.servers.actions import ServerForm, save_server
from faena.apps.servers.models import Server, ServerNote
from faena.collector.kinds import Counted, HostRead, Learned, Sampled, Surveyed
from faena.core.readings import StatementText, Survey
from faena.core.statements.counters import difference
from faena.core.units import EpochMs, QueryId
from faena.testing.builders import START, counters, host_figures, reading, session, survey, vitals
from signing import signed_in

pytestmark = pytest.mark.django_db(transaction=True)
MINUTES = f"from={START}&to={START + 600_000}"


@pytest.fixture
def viewer() -> Client:
    return signed_in(Role.VIEWER)


@pytest.fixture
def admin() -> Client:
    return signed_in(Role.ADMIN)


@pytest.fixture
def pair(tmp_path: Path) -> list[Server]:
    """A primary with three sessions on a core and a replica with one, which lags; ten minutes, one disk."""
    made = []
    for name, busy, lag in (("first", 3, None), ("second", 1, 45_000.0)):
        server = save_server(ServerForm(name=name, host="10.0.0.1", cores=4))
        Server.objects.filter(id=server.id).update(
            group="pair", storage="shelf", machine=f"m-{name}", facts={"in_recovery": lag is not None}
        )
        store = DjangoStore(tmp_path)
        running = [session(i, query_id=QueryId(7)) for i in range(busy)]
        store.deliver([Sampled(server_id=server.id, reading=reading(s, *running), missed=0) for s in range(0, 600, 5)])
        delta = difference(counters(0, q7=(0, 0.0)), counters(600, q7=(1000.0 * busy, 2000.0 * busy * busy)))
        text = StatementText(query_id=QueryId(7), text="SELECT 1 FROM booking")
        store.deliver([Counted(server_id=server.id, delta=delta), Learned(server_id=server.id, texts=(text,))])
        for minute in range(1, 11):
            at = EpochMs(START + 60_000 * minute)
            full = survey(at)
            store.deliver(
                [
                    Surveyed(server_id=server.id, survey=Survey(
                        at=at, since=full.since, vitals=vitals(at, lag_ms=lag, conflicts=2.0 if lag else 0.0),
                        tables=full.tables, host=host_figures(at, covers_ms=60_000, disk_reads=100.0 * busy))),
                ]
            )  # fmt: skip
        made.append(Server.objects.get(id=server.id))
    return made


def get(client: Client, path: str, status: int = 200) -> dict[str, object]:
    answer = client.get(f"/api/v1{path}")
    assert answer.status_code == status, answer.content[:500]
    return orjson.loads(answer.content)  # type: ignore[no-any-return]


def send(client: Client, method: str, path: str, body: object, status: int) -> dict[str, object]:
    answer = getattr(client, method)(f"/api/v1{path}", orjson.dumps(body), content_type="application/json")
    assert answer.status_code == status, answer.content[:500]
    return orjson.loads(answer.content) if answer.content else {}


def test_a_group_shows_balance_lag_and_one_statement_on_each_node(viewer: Client, pair: list[Server]) -> None:
    found = get(viewer, f"/groups/pair?{MINUTES}")
    first, second = found["nodes"]  # type: ignore[misc]
    assert (first["role"], second["role"]) == ("primary", "replica")  # type: ignore[index]
    assert (first["load"], second["load"]) == (3.0, 1.0)  # type: ignore[index]
    assert (first["share"], second["share"]) == (0.75, 0.25)  # type: ignore[index]
    assert (first["lag_ms"], second["lag_ms"]) == (None, 45_000.0)  # type: ignore[index]
    assert second["conflicts"] == pytest.approx(20.0)  # type: ignore[index]
    (statement,) = found["statements"]  # type: ignore[misc]
    assert [n["mean_ms"] for n in statement["nodes"]] == [6.0, 2.0]  # type: ignore[index]
    assert statement["spread"] == 3.0  # type: ignore[index]
    assert "no group" in str(get(viewer, f"/groups/nobody?{MINUTES}", 404)["detail"])


def test_indicators_come_from_all_kinds_of_evidence(viewer: Client, pair: list[Server]) -> None:
    names = [
        "load",
        "running",
        "waiting",
        "blocked",
        "calls",
        "errors",
        "connections",
        "cpu",
        "reads",
        "disk_latency",
        "size",
        "lag",
    ]
    query = "&".join(f"name={name}" for name in names)
    found = get(viewer, f"/indicators?{MINUTES}&{query}")
    means = {i["name"]: [c["mean"] for c in i["cells"]] for i in found["indicators"]}  # type: ignore[attr-defined]
    assert means["load"] == [3.0, 1.0] == means["running"]
    assert means["waiting"] == [0.0, 0.0] == means["blocked"]
    assert means["calls"] == [pytest.approx(5.0), pytest.approx(5 / 3)]
    assert means["errors"] == [0.1, 0.1]
    assert means["connections"] == [20.0, 20.0]
    assert means["cpu"] == [0.25, 0.25]
    assert means["reads"] == [300.0, 100.0]
    assert means["disk_latency"] == [0.5, 0.5]
    assert means["lag"] == [None, 45_000.0]
    cell = found["indicators"][0]["cells"][0]  # type: ignore[index]
    assert cell["yesterday"] == {"difference": None, "ratio": None}, "nothing was read then"
    running = [next(g["sessions"] for g in one["groups"] if g["key"] == "running") for one in found["loads"]]  # type: ignore[attr-defined]
    assert [max(v for v in values if v is not None) for values in running] == [3.0, 1.0]
    usual = get(viewer, f"/indicators?{MINUTES}&server={pair[1].pk}")
    assert [i["name"] for i in usual["indicators"]] == ["cpu", "calls", "disk_latency"]  # type: ignore[attr-defined]
    assert [one["server"] for one in usual["loads"]] == [pair[1].pk]  # type: ignore[attr-defined]
    get(viewer, f"/indicators?{MINUTES}&name=beauty", 400)


def test_the_machine_its_disk_and_its_tables(viewer: Client, pair: list[Server]) -> None:
    first, second = pair
    machine = get(viewer, f"/servers/{first.id}/machine?{MINUTES}")
    assert machine["bucket_ms"] == 60_000, "no narrower than its readings"
    assert set(machine["series"]["disk_reads"]) == {300.0}  # type: ignore[index]
    assert machine["processes"][0]["name"] == "postgres"  # type: ignore[index]
    disk = get(viewer, f"/servers/{second.id}/disk?{MINUTES}")
    assert [(s["name"], round(s["share"], 2)) for s in disk["servers"]] == [("first", 0.73), ("second", 0.27)]  # type: ignore[attr-defined]
    assert "not known yet" in str(disk["sentence"])
    tables = get(viewer, f"/servers/{first.id}/tables?{MINUTES}")
    assert tables["covered_ms"] == 600_000
    heap, index = tables["tables"]  # type: ignore[misc]
    assert (heap["table"], heap["reads"], index["index"], index["reads"]) == ("booking", 10.0, "booking_pkey", 1.0)  # type: ignore[index]
    assert heap["statements"][0]["label"] == "SELECT 1 FROM booking"  # type: ignore[index]
    nothing = get(viewer, f"/servers/{first.id}/tables?from={START - 600_000}&to={START - 60_000}")
    assert (nothing["covered_ms"], nothing["tables"]) == (0, [])


def test_of_a_made_up_server_the_surveys_tell_how_large_a_statements_tables_are(
    viewer: Client, pair: list[Server], tmp_path: Path
) -> None:
    first, _ = pair
    Server.objects.filter(id=first.id).update(engine="simulated")
    text = StatementText(query_id=QueryId(9), text="SELECT * FROM booking JOIN fare ON true")
    DjangoStore(tmp_path).deliver([Learned(server_id=first.id, texts=(text,))])
    found = get(viewer, f"/servers/{first.id}/statements/9/tables")
    (booking,) = found["tables"]  # type: ignore[misc]
    assert (booking["name"], booking["size_bytes"], booking["rows"]) == ("booking", 1_000_000, None)
    assert booking["indexes"] == [
        {"name": "booking_pkey", "columns": "", "size_bytes": 1_000_000, "scans": None, "used": False}
    ]
    assert (found["missing"], found["surveyed"]) == (["fare"], True)


def test_a_slow_disk_is_blamed_on_who_loads_it(viewer: Client, pair: list[Server], tmp_path: Path) -> None:
    second = pair[1]
    day = 86_400_000
    for days in range(1, 5):
        at = EpochMs(START - days * day + 60_000)
        DjangoStore(tmp_path).deliver([HostRead(machine="m-second", figures=host_figures(at, disk_latency_ms=0.05))])
    sentence = str(get(viewer, f"/servers/{second.id}/disk?{MINUTES}")["sentence"])
    assert "10.0 times the usual 0.05 ms" in sentence
    assert "its neighbour first" in sentence


def test_what_other_cores_would_do(viewer: Client, pair: list[Server], tmp_path: Path) -> None:
    found = get(viewer, f"/servers/{pair[0].id}/what-if?{MINUTES}&cores=2&cores=8")
    rows = {row["cores"]: row for row in found["rows"]}  # type: ignore[attr-defined]
    assert set(rows) == {2, 4, 8}
    assert 0.9 < rows[2]["overloaded"] < 1.0, "no more can queue than are connected"
    assert rows[2]["running"] <= 2
    assert rows[8]["queueing"] < rows[4]["queueing"]
    assert rows[4]["running"] + rows[4]["queueing"] == pytest.approx(3.0, abs=0.01)
    assert len(found["assumptions"]) >= 3  # type: ignore[arg-type]
    waiting = [session(i, wait_type="Lock", wait_event="tuple") for i in range(20, 40)]
    later = [Sampled(server_id=pair[1].id, reading=reading(s, *waiting), missed=0) for s in range(601, 700)]
    DjangoStore(tmp_path).deliver(later)
    refused = get(viewer, f"/servers/{pair[1].id}/what-if?from={START + 601_000}&to={START + 700_000}&cores=8", 400)
    assert "waits for something else" in str(refused["detail"])


def test_a_machine_pushes_with_its_token_only(viewer: Client, admin: Client) -> None:
    send(viewer, "post", "/machines/vm-9/token", {}, 403)
    token = send(admin, "post", "/machines/vm-9/token", {}, 201)["token"]
    one = {
        "at": START,
        "covers_ms": 10_000,
        "cores": 2,
        "cpu_user": 0.5,
        "cpu_system": 0.1,
        "memory_used": 1,
        "memory_total": 2,
    }

    def push(token: object, machine: str = "vm-9", **change: object) -> int:
        body = orjson.dumps({"readings": [{**one, **change}]})
        headers = {"Authorization": f"Bearer {token}"}
        return (
            Client()
            .post(f"/api/v1/machines/{machine}/readings", body, content_type="application/json", headers=headers)
            .status_code
        )

    assert push(token) == 200
    assert push(token) == 200, "the same reading again"
    assert HostReading.objects.count() == 1
    assert push("guessed") == 403
    assert push("") == 403
    assert push(token, machine="vm-10") == 403
    assert push(token, covers_ms=0) == 400
    send(admin, "post", "/machines/vm-9/token", {}, 201)
    assert push(token) == 403, "a new token ends the one before"


def capture_body(client: Client, server: Server, **change: object) -> dict[str, object]:
    found = get(client, f"/servers/{server.id}/capture")
    names = (
        "period_ms", "slow_ms", "schedule", "sample_retention_days", "sum_retention_days", "counter_retention_days",
        "machine_retention_days", "execution_retention_days", "cores", "group", "storage", "machine", "log",
        "time_zone", "fast_share", "keep_parameters",
    )  # fmt: skip
    return {name: found[name] for name in names} | change


def test_capture_settings_are_checked_costed_and_saved(
    viewer: Client, admin: Client, pair: list[Server], tmp_path: Path
) -> None:
    server = pair[0]
    path = f"/servers/{server.id}/capture"
    send(viewer, "put", path, capture_body(viewer, server), 403)
    for change, field in (
        ({"period_ms": 300}, "period_ms"),
        ({"sample_retention_days": 0}, "sample_retention_days"),
        ({"schedule": [{"days": [9], "from": "08:00", "to": "09:00"}]}, "schedule"),
        ({"cores": 0}, "cores"),
        ({"time_zone": "Harbour/North"}, "time_zone"),
    ):
        assert send(admin, "put", path, capture_body(admin, server, **change), 400)["field"] == field
    span = {"days": [0, 1], "from": "08:00", "to": "18:00"}
    saved = send(admin, "put", path, capture_body(admin, server, period_ms=2000, schedule=[span]), 200)
    assert (saved["period_ms"], saved["schedule"]) == (2000, [span])
    assert Server.objects.get(id=server.id).revision == server.revision + 1, "the collector takes it up anew"
    # Now with a measured cost of 30 ms a sample: ten a second would take 30% of a core.
    now = int(time.time()) * 1000
    slow = [reading((now - START) // 1000 - i) for i in range(20)]
    rows = [type(r)(due=r.due, took=30.0, sessions=()) for r in slow]  # type: ignore[arg-type]
    DjangoStore(tmp_path).deliver([Sampled(server_id=server.id, reading=r, missed=0) for r in rows])
    refused = send(admin, "put", path, capture_body(admin, server, period_ms=100), 400)
    assert refused["field"] == "confirmed"
    assert "30.0% of a core" in str(refused["detail"])
    send(admin, "put", path, capture_body(admin, server, period_ms=100, confirmed=True), 200)


def test_a_close_watch_begins_ends_and_outlives_the_collector(
    admin: Client, viewer: Client, pair: list[Server], tmp_path: Path
) -> None:
    server = pair[0]
    path = f"/servers/{server.id}/close-watch"
    send(viewer, "post", path, {"minutes": 5}, 403)
    assert send(admin, "post", path, {"minutes": 500}, 400)["field"] == "minutes"
    assert send(admin, "post", path, {"minutes": 5}, 200)["close_watch_until"]
    for _ in range(2):  # the second one is a collector that was restarted
        orders = {order.server_id: order for order in DjangoStore(tmp_path).orders()}
        assert (orders[server.id].period_ms, orders[pair[1].id].period_ms) == (100, 1000)
    Server.objects.filter(id=server.id).update(close_watch_until_ms=int(time.time() * 1000) - 1)
    assert {order.period_ms for order in DjangoStore(tmp_path).orders()} == {1000}, "back by itself"
    assert get(admin, f"/servers/{server.id}/capture")["close_watch_until"] is None
    assert ServerNote.objects.filter(event="close_watch", detail__contains="by admin").exists()


def test_who_reads_a_table_is_told_also_of_statements_that_no_counter_has_yet(
    viewer: Client, pair: list[Server], tmp_path: Path
) -> None:
    """A rebuild of the index waits for the disk in most samples; its one call has not ended."""
    server, store = pair[0], DjangoStore(tmp_path)
    texts = (
        StatementText(query_id=QueryId(8), text="REINDEX INDEX CONCURRENTLY booking_pkey"),
        StatementText(query_id=QueryId(9), text="SELECT 2 FROM gate"),
    )
    store.deliver([Learned(server_id=server.id, texts=texts)])
    rows = [
        session(90 + i, query_id=QueryId(number), wait_type="IO", wait_event="DataFileRead")
        for i, number in enumerate((8, 8, 9))
    ]
    store.deliver([Sampled(server_id=server.id, reading=reading(s, *rows), missed=0) for s in range(1, 500, 5)])
    found = get(viewer, f"/servers/{server.id}/tables?{MINUTES}")
    heap = next(one for one in found["tables"] if one["table"] == "booking" and not one["index"])  # type: ignore[attr-defined]
    told = [(one["label"], one["reads"] > 0, one["reading"] > 0) for one in heap["statements"]]
    assert told == [("REINDEX INDEX CONCURRENTLY booking_pkey", False, True), ("SELECT 1 FROM booking", False, False)]


def test_a_span_is_marked_and_unmarked(viewer: Client, admin: Client, pair: list[Server]) -> None:
    path = f"/servers/{pair[0].id}/unusual"
    body = {"start": START, "end": START + 60_000, "label": "the console"}
    send(viewer, "post", path, body, 403)
    assert send(admin, "post", path, {**body, "label": " "}, 400)["field"] == "label"
    mark = send(admin, "post", path, body, 201)
    usual = get(viewer, f"/servers/{pair[0].id}/load?{MINUTES}&usual=true")["usual"]
    assert usual["marks"] == [mark]  # type: ignore[index]
    assert (usual["days"], usual["departures"]) == (0, [])  # type: ignore[index]
    send(admin, "delete", f"{path}/{mark['id']}", None, 204)
    send(admin, "delete", f"{path}/{mark['id']}", None, 404)


def test_servers_in_trouble_come_first_and_say_why(viewer: Client, pair: list[Server], tmp_path: Path) -> None:
    now = int(time.time()) * 1000
    blocked = [session(i, wait_type="Lock", wait_event="tuple") for i in range(6)]
    second = (now - START) // 1000
    DjangoStore(tmp_path).deliver(
        [Sampled(server_id=pair[1].id, reading=reading(second - i, *blocked), missed=0) for i in range(1, 50)]
    )
    Server.objects.update(state="watching")
    found = get(viewer, "/servers")["servers"]
    assert [one["name"] for one in found] == ["first", "second"], "nothing is known of the first, which is worst"  # type: ignore[attr-defined]
    assert found[0]["trouble_words"] == "no samples lately"  # type: ignore[index]
    assert found[1]["trouble_words"] == "6.0 sessions wait for locks"  # type: ignore[index]
    assert found[1]["trouble"] == pytest.approx(12.0)  # type: ignore[index]


def test_the_list_of_servers_asks_as_much_of_the_store_for_thirty_as_for_two(
    viewer: Client,
    pair: list[Server],
    tmp_path: Path,
    django_assert_max_num_queries: Callable[[int], AbstractContextManager[object]],
) -> None:
    """And tells each server what its own samples tell, second by second, whatever came late."""
    now = int(time.time()) * 1000
    second, store = (now - START) // 1000, DjangoStore(tmp_path)
    for i in range(28):
        save_server(ServerForm(name=f"more-{i}", host="10.0.0.2"))
    Server.objects.update(state="watching")
    every = list(Server.objects.order_by("id"))

    def sample(server: Server, ago: int, busy: int) -> Sampled:
        return Sampled(server_id=server.id, reading=reading(second - ago, *map(session, range(busy))), missed=0)

    store.deliver([sample(server, ago, 1) for server in every for ago in range(50, 20, -1)])
    get(viewer, "/servers")
    for server in every:  # what is usual is read once, and only of servers that are there
        past_days(server)
    store.deliver([sample(server, ago, 1 + i % 3) for i, server in enumerate(every) for ago in range(20, 5, -1)])
    with django_assert_max_num_queries(14):
        found = get(viewer, "/servers")["servers"]
    loads = {one["id"]: round(one["load_now"], 2) for one in found}  # type: ignore[attr-defined]
    assert loads == {server.id: round((30 + 15 * (1 + i % 3)) / 45, 2) for i, server in enumerate(every)}
    late = every[0]
    store.deliver([sample(late, 51, 10)])
    again = {one["id"]: one["load_now"] for one in get(viewer, "/servers")["servers"]}  # type: ignore[attr-defined]
    assert again[late.id] == pytest.approx((45 + 10) / 46)
    assert get(viewer, f"/servers/{late.id}")["load_now"] == pytest.approx((45 + 10) / 46)
