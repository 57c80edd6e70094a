"""Ranking, executions, cause split and plans over the API, from what a collector delivers."""

import time
from collections.abc import Callable
from dataclasses import replace
from itertools import pairwise
from pathlib import Path
from typing import Any

import orjson
import pytest
from faena.apps.accounts.roles import Role
from faena.apps.collecting.store import DjangoStore
from faena.apps.servers.actions import ServerForm, save_server
from faena.apps.servers.models import Server
from faena.apps.statements.hours import sum_up
from faena.apps.statements.models import Execution, LogEvent, WorkHour
from faena.apps.statements.selectors import figures
from faena.collector.kinds import Counted, Learned, Logged, Sampled
from faena.core.logged import EventKind, LogPosition, LogReading
from faena.core.logged import Execution as Run
from faena.core.logged import LogEvent as Event
from faena.core.readings import COUNTER_FIELDS, StatementText
from faena.core.series.window import Window
from faena.core.statements.counters import difference
from faena.core.units import EpochMs, Pid, QueryId
from faena.testing.builders import START, counters, reading, session
from signing import signed_in

pytestmark = pytest.mark.django_db(transaction=True)
WINDOW = f"from={START}&to={START + 600_000}"
SEQ = '{"Plan": {"Node Type": "Seq Scan", "Relation Name": "booking", "Alias": "booking", "Total Cost": 900.0}}'
INDEX = (
    '{"Plan": {"Node Type": "Index Scan", "Relation Name": "booking", "Alias": "booking", "Index Name": "b_ref", '
    '"Total Cost": 8.0, "Index Cond": "(reference = \'secret\'::text)"}}'
)


def run(second: float, took: float, query_id: int = 7, **more: object) -> Run:
    at = EpochMs(START + round(second * 1000))
    return Run(at, took, Pid(5), int(second * 10), "SELECT 'secret'", QueryId(query_id), "$1 = 'secret'", **more)  # type: ignore[arg-type]


TEXTS = {
    7: "SELECT * FROM booking WHERE reference = $1",
    8: "UPDATE deck_slot SET held = $1",
    9: "SELECT relname FROM pg_class",
}


@pytest.fixture
def store(tmp_path: Path) -> DjangoStore:
    return DjangoStore(tmp_path)


@pytest.fixture
def server(store: DjangoStore) -> Server:
    """Three statements over twenty minutes; in the second ten, 7 costs four times as much per call."""
    made = save_server(ServerForm(name="first", host="10.0.0.1", keep_parameters=True))
    readings = [
        counters(-600, q7=(0, 0.0), q8=(0, 0.0), q9=(0, 0.0)),
        counters(0, q7=(600, 6000.0), q8=(60, 6000.0), q9=(10, 10.0)),
        counters(600, q7=(1200, 30_000.0), q8=(120, 12_000.0), q9=(20, 20.0)),
    ]
    deltas = [difference(a, b) for a, b in pairwise(readings)]
    texts = tuple(StatementText(query_id=QueryId(i), text=text) for i, text in TEXTS.items())
    store.deliver([Learned(server_id=made.id, texts=texts), *(Counted(server_id=made.id, delta=d) for d in deltas)])
    return made


def deliver(store: DjangoStore, server: Server, *runs: Run, events: tuple[Event, ...] = (), offset: int = 1) -> None:
    reading = LogReading(position=LogPosition("a.json", offset, b"x"), executions=runs, events=events)
    store.deliver([Logged(server_id=server.id, reading=reading)])


@pytest.fixture
def ask(server: Server) -> Callable[..., dict[str, object]]:
    client = signed_in(Role.OPERATOR)

    def get(path: str, query: str = "") -> dict[str, object]:
        answer = client.get(f"/api/v1/servers/{server.id}/{path}?{WINDOW}&{query}")
        assert answer.status_code == 200, answer.content
        return orjson.loads(answer.content)  # type: ignore[no-any-return]

    return get


def test_a_log_stored_twice_is_stored_once(store: DjangoStore, server: Server) -> None:
    event = Event(START, EventKind.TIMEOUT, Pid(5), 9, "ERROR", "57014", "canceling statement", query_id=QueryId(7))
    for _ in range(2):
        deliver(store, server, run(1, 5), run(2, 900, plan=SEQ), events=(event,))
    assert Execution.objects.count() == 2
    assert LogEvent.objects.count() == 1
    assert store.log_position(server.id) == LogPosition("a.json", 1, b"x")


def test_ranking_hides_tools_and_keeps_conditions(ask: Callable[..., dict[str, object]]) -> None:
    def ids(query: str = "") -> list[str]:
        return [row["query_id"] for row in ask("statements", query)["rows"]]  # type: ignore[attr-defined]

    assert ids() == ["7", "8"]
    assert ask("statements")["hidden"] == 1
    assert ids("tools=true") == ["7", "8", "9"]
    assert ids("where=mean_ms >= 100") == ["8"]
    assert ids("where=table = booking") == ["7"]
    assert ids("where=table != booking&tools=true") == ["8", "9"]
    assert ids("where=user != nobody&where=calls > 100") == ["7"]
    assert ask("statements", "where=calls > 100")["unfit"] == 1


def test_the_trail_narrows_ranking_and_executions_as_far_as_they_know(
    store: DjangoStore, server: Server, ask: Callable[..., dict[str, Any]]
) -> None:
    deliver(store, server, run(301, 50, program="report"), run(302, 70, 8, program="web", user="app"))

    def ids(*picks: str) -> list[str]:
        return [row["query_id"] for row in ask("statements", "&".join(f"pick={pick}" for pick in picks))["rows"]]

    assert ids("statement:8") == ["8"]
    assert ids("!statement:8") == ["7"]
    assert ids("tables:booking") == ["7"]
    assert ids("user:nobody") == []
    assert ids("program:report") == ["7", "8"], "the server counts by user and database, not by program"
    count = lambda *picks: ask("executions", "&".join(f"pick={pick}" for pick in picks))["captured"]  # noqa: E731
    assert [count("program:report"), count("!program:report"), count("tables:deck_slot"), count("wait:IO:X")] == [
        1,
        1,
        1,
        2,
    ]


def test_sessions_stand_beside_the_counters_also_of_calls_that_did_not_end(
    store: DjangoStore, server: Server, ask: Callable[..., dict[str, Any]]
) -> None:
    store.deliver(
        [Learned(server_id=server.id, texts=(StatementText(query_id=QueryId(70), text="LOCK TABLE booking"),))]
    )
    for second in range(60):
        waiting = [
            session(pid, query_id=QueryId(70), wait_type="Lock", wait_event="relation", user="late")
            for pid in range(1, 1 + 5 * (second >= 30))
        ]
        running = [session(90, query_id=QueryId(7))] if second % 4 == 0 else []
        store.deliver([Sampled(server_id=server.id, reading=reading(second, *waiting, *running), missed=0)])
    found = ask("statements", "sort=sessions")
    rows = {row["query_id"]: row for row in found["rows"]}
    assert [row["query_id"] for row in found["rows"]][:2] == ["70", "7"]
    lock, lookup, other = rows["70"], rows["7"], rows["8"]
    assert (lock["sessions"], lock["on_cpu"], lock["calls"], lock["mean_ms"]) == (2.5, 0.0, 0.0, None)
    assert (lookup["sessions"], lookup["on_cpu"], lookup["calls"]) == (0.25, 0.25, 600.0)
    assert (other["sessions"], other["on_cpu"]) == (0.0, 0.0)
    assert found["uncounted"] == [{"query_id": "70", "label": "LOCK TABLE booking", "sessions": 2.5}]
    narrowed = ask("statements", "where=user = u")
    assert [row["query_id"] for row in narrowed["rows"]] == ["7", "8"], (
        "what was only seen is no part of a narrowed ranking"
    )
    assert narrowed["uncounted"] == []
    assert [row["query_id"] for row in ask("statements", "where=on_cpu > 0.2")["rows"]] == ["7"]


def test_without_samples_sessions_are_not_known(ask: Callable[..., dict[str, Any]]) -> None:
    assert {row["sessions"] for row in ask("statements")["rows"]} == {None}
    assert ask("statements")["uncounted"] == []


def test_a_condition_that_cannot_be_read_is_named(server: Server) -> None:
    answer = signed_in(Role.VIEWER).get(f"/api/v1/servers/{server.id}/statements?{WINDOW}&where=beauty > 3")
    assert answer.status_code == 400
    assert b"beauty" in answer.content


def test_change_and_errors_stand_in_the_ranking(
    store: DjangoStore, server: Server, ask: Callable[..., dict[str, object]]
) -> None:
    events = tuple(
        Event(START, EventKind.ERROR, Pid(5), i, "ERROR", "22012", "division by zero", query_id=QueryId(8))
        for i in range(3)
    )
    deliver(store, server, events=events)
    rows = {row["query_id"]: row for row in ask("statements")["rows"]}  # type: ignore[attr-defined]
    assert rows["7"]["change"] == pytest.approx(4.0)
    assert rows["8"]["change"] == pytest.approx(1.0)
    assert rows["8"]["errors"] == 3
    assert ask("statements", "sort=errors")["rows"][0]["query_id"] == "8"  # type: ignore[index]


def test_the_split_adds_up_and_names_the_cause(ask: Callable[..., dict[str, object]]) -> None:
    split = ask("split")
    parts = {name: float(split[name]) for name in ("before", "volume", "mix", "cost", "after")}  # type: ignore[arg-type]
    assert parts["before"] + parts["volume"] + parts["mix"] + parts["cost"] == pytest.approx(parts["after"])
    assert parts["cost"] == pytest.approx(30, rel=0.01)
    assert split["parts"][0]["query_id"] == "7"  # type: ignore[index]
    assert "dearer" in str(split["sentence"])
    narrowed = ask("split", "pick=statement:8")
    assert [part["query_id"] for part in narrowed["parts"]] == ["8"]  # type: ignore[attr-defined]
    assert ask("split", "pick=program:report")["parts"] == split["parts"], "counters know no program"


def test_a_statement_is_seen_inside_the_trail_as_far_as_its_sessions_tell(
    store: DjangoStore, server: Server, ask: Callable[..., dict[str, Any]]
) -> None:
    for second in range(60):
        web, job = session(1, query_id=QueryId(7), program="web"), session(2, query_id=QueryId(7), program="job")
        sampled = reading(second, web, *([job] if second % 2 else []))
        store.deliver([Sampled(server_id=server.id, reading=sampled, missed=0)])
    assert ask("statements/7")["load"] == 1.5
    inside = ask("statements/7", "pick=program:job&pick=statement:8")
    assert inside["load"] == 0.5
    assert inside["totals"] == ask("statements/7")["totals"], "calls are counted by the server, whoever made them"
    assert ask("statements/7", "pick=program:nobody")["load"] == 0.0


def test_the_distribution_and_its_region(
    store: DjangoStore, server: Server, ask: Callable[..., dict[str, object]]
) -> None:
    fast = [run(i, 5 + i % 3, weight=10, program="web") for i in range(1, 101)]
    deliver(store, server, *fast, run(300, 60_000, program="report"))
    whole = ask("executions", "only=statement:7")
    assert whole["captured"] == 101
    assert whole["executions"] == 1001
    assert len(whole["points"]) == 101  # type: ignore[arg-type]
    assert whole["max_ms"] == 60_000
    assert (sum(whole["row_executions"]), max(whole["row_total_ms"])) == (1001, 60_000)  # type: ignore[arg-type,type-var]
    assert len(whole["row_executions"]) == len(whole["edges_ms"]) - 1  # type: ignore[arg-type]
    sessions = next(one["rows"] for one in whole["by"] if one["by"] == "session")  # type: ignore[attr-defined]
    assert sessions[0]["value"].endswith(" report")
    slow = ask("executions", "least_ms=1000")
    assert slow["captured"] == 1
    assert slow["by"][0]["rows"][0]["value"] == "report"  # type: ignore[index]
    (listed,) = ask("executions/list", "least_ms=1000")
    assert listed["parameters"] == "$1 = 'secret'"  # type: ignore[index]
    counted = sum(map(sum, slow["counts"]))  # type: ignore[call-overload]
    assert counted == round(60_000 / int(slow["bucket_ms"])) + 1, "it stands over all the time it ran"  # type: ignore[call-overload]


def test_parameters_are_for_operators(store: DjangoStore, server: Server) -> None:
    deliver(store, server, run(1, 5, plan=INDEX))
    viewer, operator = signed_in(Role.VIEWER), signed_in(Role.OPERATOR)
    assert b"secret" not in viewer.get(f"/api/v1/servers/{server.id}/executions/list?{WINDOW}").content
    assert b"secret" in operator.get(f"/api/v1/servers/{server.id}/executions/list?{WINDOW}").content
    plan = orjson.loads(viewer.get(f"/api/v1/servers/{server.id}/statements/7?{WINDOW}").content)["plans"][0]["id"]
    for client, shown in ((viewer, False), (operator, True)):
        key = client.post(f"/api/v1/servers/{server.id}/captured-plans/{plan}").json()["key"]
        assert (b"secret" in client.get(f"/api/v1/plans/{key}").content) is shown


def test_a_switch_of_plan_is_an_event(
    store: DjangoStore, server: Server, ask: Callable[..., dict[str, object]]
) -> None:
    runs = [run(i, 4, plan=INDEX) for i in range(1, 60)] + [run(i, 400, plan=SEQ) for i in range(60, 120)]
    deliver(store, server, *runs)
    found = ask("statements/7")
    assert [one["gist"] for one in found["plans"]] == ["Seq Scan booking", "Index Scan b_ref on booking"]  # type: ignore[attr-defined]
    (switch,) = found["switches"]  # type: ignore[misc]
    assert switch["at"] == START + 60_000
    assert switch["before"].startswith("Index Scan")
    newest, oldest = (one["id"] for one in found["plans"])  # type: ignore[attr-defined]
    assert (switch["before_plan"], switch["after_plan"]) == (oldest, newest)
    assert [one["executions"] for one in found["plans"]] == [60, 59]  # type: ignore[attr-defined]
    (mark,) = ask("marks")
    assert mark == {
        "at": START + 60_000, "kind": "plan_switch", "detail": f"{TEXTS[7]} now uses Seq Scan booking",
        "query_id": "7", "change": None, "alert": None,
    }  # fmt: skip


def test_plans_tell_what_executions_took_with_them(store: DjangoStore, server: Server) -> None:
    sampled = [run(i, 4, plan=INDEX, weight=99.0) for i in range(1, 10)]  # quick ones, of which few were logged
    deliver(store, server, *sampled, run(20, 104.0, plan=INDEX), run(30, 400.0, plan=SEQ))
    client = signed_in(Role.VIEWER)
    page = client.get(f"/api/v1/servers/{server.id}/statements/7?{WINDOW}").json()
    quick = pytest.approx((9 * 99 * 4 + 104) / (9 * 99 + 1))
    means = {one["gist"]: one["mean_ms"] for one in page["plans"]}
    assert means == {"Seq Scan booking": 400.0, "Index Scan b_ref on booking": quick}
    keys = {
        one["gist"]: client.post(f"/api/v1/servers/{server.id}/captured-plans/{one['id']}").json()["key"]
        for one in page["plans"]
    }
    path = f"/api/v1/plans/{keys['Index Scan b_ref on booking']}/against/{keys['Seq Scan booking']}"
    found = client.get(path).json()
    assert found["before"]["executed"] == {"executions": 10, "mean_ms": quick}
    assert found["after"]["executed"] == {"executions": 1, "mean_ms": 400.0}
    assert "times as long (10 and 1 captured)" in found["executed"]
    brought = client.post("/api/v1/plans", {"plan": SEQ}, content_type="application/json").json()
    assert brought["executed"] is None, "whose it is is not known"


def test_a_table_of_executions(store: DjangoStore, server: Server, ask: Callable[..., dict[str, object]]) -> None:
    deliver(store, server, run(1, 10, program="web"), run(2, 30, program="gate", weight=2), run(3, 5, query_id=8))
    table = ask("executions/pivot", "rows=statement&columns=program&measure=took_ms&aggregate=sum")
    assert table["row_labels"][0] == TEXTS[7]  # type: ignore[index]
    assert table["total"] == 75
    assert ask("executions/pivot", "rows=program&aggregate=count")["row_totals"] == [2, 1, 1]


def test_search_finds_statements_of_any_time_names_and_sessions(server: Server, store: DjangoStore) -> None:
    seen = session(
        4411, program="gate-scan", user="gates", query_id=QueryId(8), wait_type="IO", wait_event="DataFileRead"
    )
    store.deliver([Sampled(server_id=server.id, reading=reading(5, seen), missed=0)])
    client = signed_in(Role.VIEWER)

    def hits(words: str) -> list[tuple[str, str]]:
        answer = client.get("/api/v1/search", {"words": words, "server": server.id})
        assert answer.status_code == 200, answer.content
        return [(one["kind"], one["value"]) for one in answer.json()["hits"]]

    assert hits("booking") == [("statement", "7")], "it ran years ago"
    assert hits("GATE") == [("program", "gate-scan"), ("user", "gates")]
    assert hits("deck_slot") == [("tables", "deck_slot"), ("statement", "8")]
    assert hits("datafile") == [("wait", "IO:DataFileRead")]
    assert hits("4411")[0] == ("session", "4411")
    assert hits("nowhere at all") == []
    assert client.get("/api/v1/search", {"words": "a", "server": server.id}).status_code in (400, 422)


def test_stars_and_filters_are_kept_for_each_user(server: Server) -> None:
    one, other = signed_in(Role.VIEWER), signed_in(Role.OPERATOR)
    assert one.put(f"/api/v1/servers/{server.id}/stars/7?on=true").json() == ["7"]
    rows = one.get(f"/api/v1/servers/{server.id}/statements?{WINDOW}&starred=true").json()["rows"]
    assert [row["query_id"] for row in rows] == ["7"]
    assert other.get(f"/api/v1/servers/{server.id}/statements?{WINDOW}&starred=true").json()["rows"] == []
    body = {"name": "dear", "query": "where=mean_ms >= 10"}
    assert one.put("/api/v1/filters", body, content_type="application/json").json() == [body]
    assert other.get("/api/v1/filters").json() == []
    assert one.put("/api/v1/filters", {"name": "dear", "query": ""}, content_type="application/json").json() == []


def test_running_a_statement_takes_an_operator_and_a_yes(server: Server) -> None:
    body = {"text": "SELECT 1", "run": True}
    path = f"/api/v1/servers/{server.id}/ask"
    assert signed_in(Role.VIEWER).post(path, body, content_type="application/json").status_code == 403
    assert signed_in(Role.OPERATOR).post(path, body, content_type="application/json").status_code == 403, "no grant"
    answer = signed_in(Role.OPERATOR, may_run=True).post(path, body, content_type="application/json")
    assert answer.status_code == 400
    assert b"explicit yes" in answer.content


def test_a_close_watch_keeps_what_it_sees_whole(store: DjangoStore, server: Server) -> None:
    Server.objects.filter(id=server.id).update(keep_parameters=False, fast_share=0.0, lease_until=None)
    (usual,) = store.orders()
    assert (usual.rules.slow_ms, usual.rules.parameters) == (1000, False)
    Server.objects.update(close_watch_until_ms=int(time.time() * 1000) + 60_000)
    (close,) = store.orders()
    assert (close.rules.slow_ms, close.rules.parameters, close.period_ms) == (0, True, 100)


def test_hours_summed_up_say_the_same_and_take_what_comes_late(store: DjangoStore, server: Server) -> None:
    def totals(window: Window) -> dict[int, tuple[float, float]]:
        return {one.query_id: (one.calls, round(one.total_ms, 6)) for one in figures(server.id, window)}

    hour = START // 3_600_000 * 3_600_000
    for second in range(0, 7200, 15):
        at = hour - 7_200_000 + second * 1000
        before, after = counters(0, q7=(0, 0.0), q8=(0, 0.0)), counters(15, q7=(second, 2.0 * second), q8=(1, 5.0))
        delta = replace(difference(before, after), since=EpochMs(at), until=EpochMs(at + 15_000))
        store.deliver([Counted(server_id=server.id, delta=delta)])
    windows = [
        Window(start=EpochMs(hour - a), end=EpochMs(hour - b))
        for a, b in ((7_200_000, 0), (7_000_000, 100_000), (900_000, 60_000))
    ]
    plain = [totals(window) for window in windows]
    assert sum_up(server.id, hour + 3_600_000) >= 2
    assert WorkHour.objects.filter(server=server).exists()
    assert [totals(window) for window in windows] == plain
    late = replace(
        difference(counters(0, q9=(0, 0.0)), counters(15, q9=(3, 9.0))),
        since=EpochMs(hour - 3_600_001), until=EpochMs(hour - 3_599_990),
    )  # fmt: skip
    store.deliver([Counted(server_id=server.id, delta=late)])
    calls, took = plain[0].get(9, (0.0, 0.0))
    assert totals(windows[0])[9] == (calls + 3, took + 9), "read one by one until it is summed anew"
    assert sum_up(server.id, hour + 3_600_000) == 1
    assert totals(windows[0])[9] == (calls + 3, took + 9)


def test_a_statement_has_a_usual_time_once_three_days_are_known(store: DjangoStore, server: Server) -> None:
    hour = START // 3_600_000 * 3_600_000
    for day, ms in zip((1, 4, 5, 6), (6000.0, 3000.0, 3000.0, 90_000.0), strict=True):  # workdays before a Tuesday
        at = hour - day * 24 * 3_600_000
        delta = replace(
            difference(counters(0, q7=(0, 0.0)), counters(15, q7=(5, ms))),
            since=EpochMs(at + 60_000), until=EpochMs(at + 75_000),
        )  # fmt: skip
        store.deliver([Counted(server_id=server.id, delta=delta)])
    client = signed_in(Role.VIEWER)
    path = f"/api/v1/servers/{server.id}/usual-times?from={hour}&to={hour + 3_600_000}"
    assert client.get(path).json() == [], "hours are not summed up yet"
    while sum_up(server.id, hour + 3_600_000):
        pass
    assert client.get(path).json() == [{"query_id": "7", "ms_per_s": 4500 / 3600}]
    assert client.get(path.replace(f"from={hour}", f"from={hour - 3 * 86_400_000}")).json() == [], "too long a window"


def test_what_a_call_usually_costs_is_told_of_each_figure(store: DjangoStore, server: Server) -> None:
    hour = START // 3_600_000 * 3_600_000
    for day, ms in zip((1, 4, 5), (30.0, 60.0, 900.0), strict=True):  # workdays before a Tuesday
        at = hour - day * 24 * 3_600_000
        delta = replace(
            difference(counters(0, q7=(0, 0.0)), counters(15, q7=(5, 5 * ms))),
            since=EpochMs(at + 60_000), until=EpochMs(at + 75_000),
        )  # fmt: skip
        delta.values[0, COUNTER_FIELDS.index("rows")] = 5 * 2.0
        store.deliver([Counted(server_id=server.id, delta=delta)])
    while sum_up(server.id, hour + 3_600_000):
        pass
    path = f"/api/v1/servers/{server.id}/statements/7?from={hour}&to={hour + 3_600_000}"
    found = signed_in(Role.VIEWER).get(path).json()
    usual = found["usual_per_call"]
    assert set(usual["total_ms"]) == {60.0}, "the median of three days"
    assert set(usual["rows"]) == {2.0}
    assert set(usual["temp_written"]) == {0.0}
    assert set(found["usual_calls_per_s"]) == {5 / 3600}
    other = signed_in(Role.VIEWER).get(path.replace("statements/7", "statements/8")).json()
    assert set(other["usual_per_call"]["total_ms"]) == {None}, "it ran on none of these days"


def test_memory_tells_how_often_it_was_too_small(store: DjangoStore, server: Server) -> None:
    spilt = (
        '{"Plan": {"Node Type": "Sort", "Sort Method": "external merge", "Sort Space Used": 2048, "Sort Space Type": "Disk", '
        '"Plans": [{"Node Type": "Seq Scan", "Relation Name": "booking"}]}}'
    )
    deliver(
        store,
        server,
        run(10, 900.0, temp_bytes=3_000_000, plan=spilt),
        run(20, 5.0),
        run(30, 700.0, temp_bytes=1_000_000),
    )
    found = signed_in(Role.VIEWER).get(f"/api/v1/servers/{server.id}/statements/7/memory?{WINDOW}").json()
    assert (found["captured"], found["spilled"]) == (3, 2)
    assert (found["mean_bytes"], found["most_bytes"]) == (2_000_000, 3_000_000)
    (step,) = found["steps"]
    assert (step["step"], step["target"], step["disk_kb"], step["spilled"]) == ("Sort", "booking", 2048, True)
    other = signed_in(Role.VIEWER).get(f"/api/v1/servers/{server.id}/statements/8/memory?{WINDOW}").json()
    assert (other["captured"], other["mean_bytes"], other["steps"]) == (0, None, [])


def test_a_statement_is_compared_with_the_other_nodes_of_its_group(store: DjangoStore, server: Server) -> None:
    client = signed_in(Role.VIEWER)
    path = f"/api/v1/servers/{server.id}/statements/7/nodes?{WINDOW}"
    assert client.get(path).json() == [], "it stands alone"
    other = save_server(ServerForm(name="second", host="10.0.0.2"))
    Server.objects.filter(id__in=(server.id, other.id)).update(group="bookings")
    Server.objects.filter(id=other.id).update(facts={"in_recovery": True})
    readings = [counters(0, q7=(0, 0.0)), counters(600, q7=(200, 1000.0))]
    store.deliver([Counted(server_id=other.id, delta=difference(*readings))])
    first, second = client.get(path).json()
    assert (first["name"], first["role"], second["role"]) == ("first", "primary", "replica")
    assert (first["calls"], second["calls"]) == (600, 200)
    assert first["share_of_calls"] == 0.75
    assert (first["ms_per_call"], second["ms_per_call"]) == (40.0, 5.0)
