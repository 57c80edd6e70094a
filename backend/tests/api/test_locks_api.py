"""Sessions, blocking, recordings, ending and deadlocks over the API, from what a collector delivers."""

from pathlib import Path
from typing import Any

import pytest
from faena.apps.accounts.roles import Role
from faena.apps.collecting.store import DjangoStore
from faena.apps.locks.actions import forget_before
from faena.apps.locks.models import LockWait
from faena.apps.samples.closing import close_hours
from faena.apps.servers.actions import ServerForm, note, save_server
from faena.apps.servers.models import Server
from faena.apps.sessions.models import EndedSession
from faena.collector.kinds import INTAKE, Learned, Logged, Sampled
from faena.core.logged import EventKind, Execution, LogEvent, LogPosition, LogReading
from faena.core.readings import LockEdge, LockFact, SampleReading, SessionSample, StatementText, Via
from faena.core.units import EpochMs, Millis, Pid, QueryId
from faena.testing.builders import START
from signing import signed_in

pytestmark = pytest.mark.django_db(transaction=True)
WINDOW = f"from={START}&to={START + 60_000}"
HELD = LockFact(lock_type="transactionid", object="row of sailing", table="sailing", mode_wanted="ShareLock", mode_held="ExclusiveLock")  # fmt: skip


def session(pid: int, program: str, *blocked_by: int, **more: object) -> SessionSample:
    lock = {"wait_type": "Lock", "wait_event": "transactionid"} if blocked_by else {}
    given = {
        "state": "active",
        "user": program,
        "client": "127.0.0.9",
        "transaction_ms": 5000,
        "statement_ms": 900,
        **lock,
        **more,
    }
    return SessionSample(
        pid=Pid(pid),
        started_s=START // 1000 - 60,
        program=program,
        blocked_by=tuple(Pid(b) for b in blocked_by),
        **given,  # type: ignore[arg-type]
    )


def tick(second: float) -> SampleReading:
    """The console idles on a row; web waits from second 5 on, gate behind it from 10 on; a report runs beside them."""
    sessions = [session(7, "ops-console", state="idle in transaction", query_id=QueryId(70)), session(20, "report")]
    edges = []
    if second >= 5:
        sessions.append(session(11, "web", 7, query_id=QueryId(80)))
        edges.append(
            LockEdge(waiter=Pid(11), blocker=Pid(7), fact=HELD, which="(0,3)", waited_ms=int(1000 * (second - 5)))
        )
    if second >= 10:
        sessions.append(session(12, "gate", 11, query_id=QueryId(80)))
        queue = LockFact(
            lock_type="tuple", object="row of sailing", table="sailing", mode_wanted="ExclusiveLock", via=Via.QUEUE
        )
        edges.append(LockEdge(waiter=Pid(12), blocker=Pid(11), fact=queue, which="(0,3)"))
    due = EpochMs(START + round(1000 * second))
    return SampleReading(due=due, took=Millis(1.0), sessions=tuple(sessions), edges=tuple(edges))


@pytest.fixture
def server(tmp_path: Path) -> Server:
    made = save_server(ServerForm(name="first", host="10.0.0.1"))
    store = DjangoStore(tmp_path)
    texts = (
        StatementText(query_id=QueryId(70), text="SELECT * FROM sailing FOR UPDATE"),
        StatementText(query_id=QueryId(80), text="UPDATE sailing SET booked = $1"),
    )
    store.deliver([Learned(server_id=made.id, texts=texts)])
    ticks = [Sampled(server_id=made.id, reading=tick(second), missed=0) for second in range(20)]
    assert [INTAKE.unpack(INTAKE.pack(one)) for one in ticks] == ticks, "the spool keeps what lock waits are about"
    store.deliver([*ticks, ticks[12]])  # one of them twice
    return made


def test_blocking_of_a_window_adds_up_and_names_its_root(server: Server) -> None:
    client = signed_in(Role.VIEWER)
    found = client.get(f"/api/v1/servers/{server.id}/blocking?{WINDOW}").json()
    assert found["lost_s"] == 25  # web from 5 to 19, gate from 10 to 19
    for name in ("by_statement", "by_program", "by_table", "by_mode"):
        assert sum(one["lost_s"] for one in found[name]) == 25, name
    assert found["by_program"] == [{"key": "ops-console", "label": "ops-console", "lost_s": 25}]
    assert found["by_statement"][0]["label"] == "SELECT * FROM sailing FOR UPDATE"
    (episode,) = found["episodes"]
    assert (episode["pid"], episode["state"], episode["waiters"], episode["depth"]) == (7, "idle in transaction", 2, 2)
    assert episode["held"]["object"] == "row of sailing"
    assert episode["outside"] is True, "it makes up none of the load"
    assert (found["objects"][0]["which"], found["objects"][0]["lost_s"]) == ("(0,3)", 15)
    assert found["most"] == 2


def test_the_trail_narrows_blocking_sessions_and_the_log(server: Server, tmp_path: Path) -> None:
    entry = LogEvent(at=EpochMs(START), kind=EventKind.TIMEOUT, pid=Pid(11), place=1, severity="ERROR", sqlstate="57014", message="canceling statement", program="web", query_id=QueryId(80))  # fmt: skip
    other = entry._replace(place=2, program="gate", query_id=None)
    reading = LogReading(position=LogPosition("a", 5), events=(entry, other))
    DjangoStore(tmp_path).deliver([Logged(server_id=server.id, reading=reading)])
    client = signed_in(Role.VIEWER)

    def ask(path: str, *picks: str) -> Any:
        query = "".join(f"&pick={pick}" for pick in picks)
        answer = client.get(f"/api/v1/servers/{server.id}/{path}?{WINDOW}{query}")
        assert answer.status_code == 200, answer.content
        return answer.json()

    assert ask("blocking", "program:gate")["lost_s"] == 10
    assert ask("blocking", "program:gate")["by_program"][0]["lost_s"] == 10
    assert ask("blocking", "program:gate")["by_table"] == [], "what was waited for is counted of all waiters"
    assert ask("blocking", "program:web", "program:gate")["lost_s"] == 25
    assert ask("blocking", "!program:gate")["lost_s"] == 15
    assert ask("blocking", "held_by:ops-console")["lost_s"] == 25
    assert ask("blocking", "program:report")["episodes"] == []

    now = lambda *picks: sorted(one["program"] for one in ask("sessions/now", *picks)["sessions"])  # noqa: E731
    assert now("kind:lock") == ["gate", "web"]
    assert now("!held_by:ops-console") == ["ops-console", "report"]
    assert now("statement:80", "program:web") == ["web"]
    assert now("tables:sailing") == ["gate", "ops-console", "web"]
    assert next(iter(ask("sessions/now", "program:web")["sessions"]))["blocks"] == 1, "chains stay whole"
    found = lambda *picks: sorted(one["program"] for one in ask("sessions", *picks)["sessions"])  # noqa: E731
    assert found("kind:lock") == ["gate", "web"]
    assert found("statement:70") == ["ops-console"]

    assert ask("events", "program:web")["total"] == 1
    assert ask("events", "statement:none")["total"] == 1
    assert ask("events", "!statement:80")["total"] == 1
    assert ask("events", "kind:lock")["total"] == 2, "the log does not tell of waits as samples do"
    assert client.get(f"/api/v1/servers/{server.id}/events?{WINDOW}&pick=nonsense").status_code == 400


def test_what_the_roots_transaction_ran_before_comes_from_samples_and_the_log(server: Server, tmp_path: Path) -> None:
    """Its transaction began five seconds before each sample, as these samples tell."""
    at = START + 12_000
    busy = session(7, "ops-console", query_id=QueryId(80), transaction_ms=500)
    early = SampleReading(due=EpochMs(START + 7_500), took=Millis(1.0), sessions=(busy,))
    position = LogPosition(name="x", offset=1)
    logged = [
        Execution(EpochMs(START + ended), took, Pid(7), place, "SELECT 1", QueryId(number))
        for place, (ended, took, number) in enumerate([(5_000, 3.0, 90), (9_000, 40.0, 91), (9_500, 60.0, 91)])
    ]
    kept = [one._replace(query_id=QueryId(one.query_id or 0)) for one in logged]
    DjangoStore(tmp_path).deliver([
        Sampled(server_id=server.id, reading=early, missed=0),
        Logged(server_id=server.id, reading=LogReading(position=position, executions=tuple(kept), events=())),
    ])  # fmt: skip
    path = f"/api/v1/servers/{server.id}/blocking/before?pid=7&started={START // 1000 - 60}"
    found = signed_in(Role.VIEWER).get(f"{path}&at={at}").json()
    assert (found["begun"], found["cut"]) == (START + 7_000, False)
    told = [(one["query_id"], one["text"], one["busy_s"], one["logged"], one["took_ms"]) for one in found["ran"]]
    assert told == [
        ("70", "SELECT * FROM sailing FOR UPDATE", 0, 0, 0),
        ("80", "UPDATE sailing SET booked = $1", 1, 0, 0),
        ("91", "text not known", 0, 2, 100),
    ]
    assert signed_in(Role.VIEWER).get(f"{path.replace('pid=7', 'pid=99')}&at={at}").json() == {
        "begun": None,
        "cut": False,
        "ran": [],
    }


def test_the_same_is_told_once_the_hour_is_closed(server: Server) -> None:
    client = signed_in(Role.VIEWER)
    paths = [
        f"/api/v1/servers/{server.id}/blocking?{WINDOW}",
        f"/api/v1/servers/{server.id}/blocking/lanes?{WINDOW}&pid=7&started={START // 1000 - 60}",
        f"/api/v1/servers/{server.id}/sessions/11/tape?{WINDOW}",
        f"/api/v1/servers/{server.id}/sessions?{WINDOW}",
    ]
    before = [client.get(path).json() for path in paths]
    assert close_hours(server.id, START + 10_000_000) == 1
    assert [client.get(path).json() for path in paths] == before


def test_the_chain_of_a_moment(server: Server) -> None:
    client = signed_in(Role.VIEWER)
    path = f"/api/v1/servers/{server.id}/blocking/chains?at="
    (chain,) = client.get(f"{path}{START + 12_400}").json()["chains"]
    assert [(link["pid"], link["depth"], link["behind"]) for link in chain["links"]] == [
        (7, 0, 2),
        (11, 1, 1),
        (12, 2, 0),
    ]
    assert chain["links"][2]["edge"]["via"] == "queue"
    assert chain["links"][1]["wants"] == "change or lock a row that another transaction has"
    assert chain["links"][1]["edge"]["waited_ms"] == 7000
    assert client.get(f"{path}{START + 3_000}").json()["chains"] == []
    assert client.get(f"{path}{START - 60_000}").json()["at"] is None


def test_lanes_have_the_root_first_and_who_waited_as_they_came(server: Server) -> None:
    path = f"/api/v1/servers/{server.id}/blocking/lanes?{WINDOW}&pid=7&started={START // 1000 - 60}"
    found = signed_in(Role.VIEWER).get(path).json()
    assert [(lane["session"]["program"], lane["depth"], lane["waited_s"]) for lane in found["lanes"]] == [
        ("ops-console", 0, 0), ("web", 1, 15), ("gate", 2, 10),
    ]  # fmt: skip
    (stretch,) = found["lanes"][1]["stretches"]
    assert (stretch["blocker"], stretch["first"], stretch["ticks"]) == (7, START + 5000, 15)


def test_sessions_now_and_the_tape_of_one(server: Server) -> None:
    client = signed_in(Role.VIEWER)
    now = client.get(f"/api/v1/servers/{server.id}/sessions/now").json()
    told = {one["pid"]: one for one in now["sessions"]}
    assert now["stale"] is True
    assert (told[7]["blocks"], told[11]["blocks"], told[12]["blocked_by"]) == (2, 1, [11])
    assert told[11]["waits_for"]["object"] == "row of sailing"
    tape = client.get(f"/api/v1/servers/{server.id}/sessions/12/tape?{WINDOW}").json()
    assert tape["session"]["program"] == "gate"
    assert [(one["label"], one["count"], one["ticks"]) for one in tape["waits"]] == [("Lock: transactionid", 1, 10)]
    assert tape["waits"][0]["hint"].startswith("Row locks")
    assert tape["others"][0]["pid"] == 11
    assert tape["gaps"][-1]["end"] == START + 60_000
    missing = client.get(f"/api/v1/servers/{server.id}/sessions/99/tape?{WINDOW}")
    assert (missing.status_code, "wider" in missing.json()["detail"]) == (404, True)


def test_sessions_are_found_by_pid_program_statement_and_error(server: Server, tmp_path: Path) -> None:
    failed = LogEvent(at=EpochMs(START + 9000), kind=EventKind.TIMEOUT, pid=Pid(20), place=1, severity="ERROR", sqlstate="57014", message="canceling statement due to statement timeout")  # fmt: skip
    reading = LogReading(position=LogPosition("a", 1), events=(failed,))
    DjangoStore(tmp_path).deliver([Logged(server_id=server.id, reading=reading)])
    client = signed_in(Role.VIEWER)

    def pids(words: str, more: str = "") -> list[int]:
        found = client.get(f"/api/v1/servers/{server.id}/sessions?{WINDOW}&containing={words}{more}").json()
        return [one["pid"] for one in found["sessions"]]

    assert pids("") == [20, 11, 12, 7], "errors first, then the longest behind locks"
    assert pids("12") == [12]
    assert pids("OPS-con") == [7]
    assert pids("set booked") == [11, 12]
    assert pids("statement timeout") == [20]
    assert pids("", "&errors=true") == [20]
    assert pids("nothing like it") == []


def test_recording_sums_the_waits_of_one_session(server: Server) -> None:
    operator = signed_in(Role.OPERATOR)
    body = {"minutes": 1, "pid": 12, "started_s": START // 1000 - 60}
    made = operator.post(f"/api/v1/servers/{server.id}/recordings", body, content_type="application/json")
    assert made.status_code == 201, made.content
    server.refresh_from_db()
    assert server.close_watch_until_ms > 0, "the server is watched closely meanwhile"
    recording = made.json()
    found = operator.get(f"/api/v1/servers/{server.id}/recordings/{recording['id']}").json()
    assert (found["seen"], found["waits"]) == (0, []), "nothing was sampled since"
    for wrong in ({"minutes": 0, "pid": 12, "started_s": 1}, {"minutes": 5}):
        answer = operator.post(f"/api/v1/servers/{server.id}/recordings", wrong, content_type="application/json")
        assert answer.status_code == 400, answer.content
    viewer = signed_in(Role.VIEWER)
    assert (
        viewer.post(f"/api/v1/servers/{server.id}/recordings", body, content_type="application/json").status_code == 403
    )


@pytest.mark.parametrize(
    ("role", "change", "status"),
    [
        (Role.VIEWER, {}, 403),
        (Role.OPERATOR, {"reason": "  "}, 400),
        (Role.OPERATOR, {"confirmed": False}, 400),
        (Role.OPERATOR, {"started_s": 5}, 404),
        (Role.OPERATOR, {}, 504),
    ],
)
def test_ending_takes_a_role_a_reason_a_yes_and_the_same_session(
    server: Server, role: Role, change: dict[str, object], status: int
) -> None:
    """The server of this test does not exist, so the last of them fails at the connection, and is kept."""
    body = {"started_s": START // 1000 - 60, "what": "session", "reason": "holds all up", "confirmed": True, **change}
    answer = signed_in(role).post(f"/api/v1/servers/{server.id}/sessions/7/end", body, content_type="application/json")
    assert answer.status_code == status, answer.content
    assert EndedSession.objects.count() == (status == 504)


DETAIL = (
    "Process 11 waits for ShareLock on transaction 90; blocked by process 12.\n"
    "Process 12 waits for ShareLock on transaction 91; blocked by process 11.\n"
    "Process 11: UPDATE sailing SET booked = {a} WHERE id = {a}\n"
    "Process 12: UPDATE fare SET amount = 5 WHERE id = {b}"
)


def deadlock(second: int, a: int = 1, b: int = 2) -> LogEvent:
    return LogEvent(
        at=EpochMs(START + 1000 * second), kind=EventKind.DEADLOCK, pid=Pid(11), place=second, severity="ERROR", sqlstate="40P01",
        message="deadlock detected", detail=DETAIL.format(a=a, b=b), statement=f"UPDATE sailing SET booked = {a} WHERE id = {a}",
        context='while updating tuple (0,3) in relation "sailing"', query_id=QueryId(80), program="web",
    )  # fmt: skip


def test_deadlocks_are_grouped_told_and_followed_up(server: Server, tmp_path: Path) -> None:
    store = DjangoStore(tmp_path)
    events = (deadlock(12), deadlock(15, 8, 9))
    for _ in range(2):  # read again after a crash of the collector
        store.deliver([Logged(server_id=server.id, reading=LogReading(position=LogPosition("a", 5), events=events))])
    client = signed_in(Role.OPERATOR)
    path = f"/api/v1/servers/{server.id}/deadlocks"
    (pattern,) = client.get(f"{path}?{WINDOW}").json()["patterns"]
    count = lambda *picks: sum(  # noqa: E731
        one["count"]
        for one in client.get(f"{path}?{WINDOW}" + "".join(f"&pick={pick}" for pick in picks)).json()["patterns"]
    )
    assert [count(*picks) for picks in (["program:gate"], ["program:web", "statement:80"], ["program:report"])] == [
        2,
        2,
        0,
    ]
    assert [count("!program:gate"), count("!program:report"), count("wait:IO:X")] == [0, 2, 2]
    tapes = [client.get(f"/api/v1/servers/{server.id}/sessions/{pid}/tape?{WINDOW}").json() for pid in (11, 12)]
    assert [[(one["at"], one["victim"]) for one in tape["deadlocks"]] for tape in tapes] == [
        [(START + 12_000, True), (START + 15_000, True)], [(START + 12_000, False), (START + 15_000, False)],
    ]  # fmt: skip
    assert tapes[0]["deadlocks"][0]["pattern"] == pattern["pattern"]
    assert (pattern["count"], pattern["state"], pattern["cause"]) == (2, "new", "opposite_order")
    assert pattern["programs"] == ["web", "gate"], "the survivor is known from the samples"
    assert pattern["lost_ms"] == 10_000
    assert sum(pattern["series"]) == 2
    page = client.get(f"{path}/{pattern['pattern']}?{WINDOW}").json()
    newest = page["deadlocks"][0]
    assert newest["sentence"].startswith("web (pid 11) wanted a row of sailing, which gate (pid 12) held")
    assert newest["parties"][0]["query_id"] == "80"
    assert "= 8" not in str(page), "literals are gone unless they are to be kept"
    assert page["mends"]
    comment = client.post(
        f"{path}/{pattern['pattern']}/comments", {"text": "seen in the fare engine"}, content_type="application/json"
    )
    assert comment.status_code == 201
    handled = {"handled": True, "change": "fares first", "at": START + 13_000}
    assert (
        client.put(f"{path}/{pattern['pattern']}/handled", handled, content_type="application/json").status_code == 200
    )
    (after,) = client.get(f"{path}?{WINDOW}").json()["patterns"]
    assert (after["state"], after["since_change"], after["comments"]) == ("came back", 1, 1)
    handled["at"] = START + 20_000
    client.put(f"{path}/{pattern['pattern']}/handled", handled, content_type="application/json")
    (after,) = client.get(f"{path}?{WINDOW}").json()["patterns"]
    assert (after["state"], after["since_change"]) == ("handled", 0)
    assert client.get(f"{path}/0123456789ab?{WINDOW}").status_code == 404
    viewer = signed_in(Role.VIEWER)
    assert (
        viewer.post(f"{path}/{pattern['pattern']}/comments", {"text": "x"}, content_type="application/json").status_code
        == 403
    )


PLAN = """Update on sailing  (cost=0.00..2500.00 rows=0 width=0) (actual time=900.0..900.0 rows=0 loops=1)
  ->  Seq Scan on sailing  (cost=0.00..2500.00 rows=1 width=10) (actual time=1.0..899.0 rows=1 loops=1)
        Filter: (id = 7)
        Rows Removed by Filter: 99999"""


def test_a_plan_that_is_logged_after_the_deadlock_tells_its_cause_too(server: Server, tmp_path: Path) -> None:
    store, client = DjangoStore(tmp_path), signed_in(Role.VIEWER)
    path = f"/api/v1/servers/{server.id}/deadlocks?{WINDOW}"
    store.deliver(
        [Logged(server_id=server.id, reading=LogReading(position=LogPosition("a", 5), events=(deadlock(12),)))]
    )
    (pattern,) = client.get(path).json()["patterns"]
    assert pattern["cause"] == "opposite_order"
    statement = "UPDATE sailing SET booked = 7 WHERE id = 7"
    for at, query_id, plan in ((20_000, 80, PLAN.replace("2500", "25")), (21_000, 81, PLAN), (22_000, 80, PLAN)):
        run = Execution(
            EpochMs(START + at),
            900.0,
            Pid(11),
            at,
            statement,
            QueryId(query_id),
            plan=f"Query Text: {statement}\n{plan}",
        )
        store.deliver(
            [Logged(server_id=server.id, reading=LogReading(position=LogPosition("a", at), executions=(run,)))]
        )
        (now,) = client.get(path).json()["patterns"]
        assert now["pattern"] == pattern["pattern"]
        expected = "missing_index_scan" if (query_id, plan) == (80, PLAN) else "opposite_order"
        assert now["cause"] == expected, "a small table, or another statement, is no reason"


def test_a_circle_is_told_with_its_parties_and_leads_to_its_deadlock(server: Server, tmp_path: Path) -> None:
    store = DjangoStore(tmp_path)
    around = (
        LockEdge(waiter=Pid(11), blocker=Pid(12), fact=HELD),
        LockEdge(waiter=Pid(12), blocker=Pid(11), fact=HELD),
    )
    sessions = (session(11, "web", 12, query_id=QueryId(80)), session(12, "gate", 11), session(13, "report", 12))
    for second in (30, 31):
        due = EpochMs(START + 1000 * second)
        reading = SampleReading(due=due, took=Millis(1.0), sessions=sessions, edges=around)
        store.deliver([Sampled(server_id=server.id, reading=reading, missed=0)])
    client = signed_in(Role.VIEWER)
    path = f"/api/v1/servers/{server.id}/blocking"
    asked = f"{path}?from={START + 25_000}&to={START + 50_000}"

    def told() -> dict[str, Any]:
        (one,) = client.get(asked).json()["episodes"]
        return one  # type: ignore[no-any-return]

    one = told()
    assert (one["state"], one["pid"], one["session"], one["gid"]) == ("in a circle", 11, None, "")
    assert [(party["pid"], party["program"]) for party in one["parties"]] == [(11, "web"), (12, "gate")]
    assert (one["waiters"], one["depth"], one["lost_s"], one["outside"]) == (3, 1, 6, False)
    assert one["held"]["object"] == "row of sailing"
    assert one["pattern"] is None, "its log was not read yet"
    store.deliver(
        [Logged(server_id=server.id, reading=LogReading(position=LogPosition("a", 5), events=(deadlock(32),)))]
    )
    pattern = told()["pattern"]
    assert client.get(f"/api/v1/servers/{server.id}/deadlocks/{pattern}?{WINDOW}").json()["deadlocks"]
    lanes = client.get(
        f"{path}/lanes?from={START + 25_000}&to={START + 50_000}&pid=11&started={one['started_s']}"
    ).json()
    assert [(lane["session"]["pid"], lane["depth"]) for lane in lanes["lanes"]] == [(11, 0), (12, 0), (13, 1)]
    (chain,) = client.get(f"{path}/chains?at={START + 31_000}").json()["chains"]
    assert chain["state"] == "in a circle"
    assert [(link["pid"], link["edge"]["blocker"]) for link in chain["links"]] == [(11, 12), (12, 11), (13, 12)]


def test_none_is_told_with_how_far_the_log_was_read(server: Server, tmp_path: Path) -> None:
    client = signed_in(Role.VIEWER)
    paths = [f"/api/v1/servers/{server.id}/{one}?{WINDOW}" for one in ("deadlocks", "events")]
    assert [client.get(path).json()["log"] for path in paths] == [{"read_at": None, "refused": ""}] * 2
    nothing = Logged(server_id=server.id, reading=LogReading(position=LogPosition("a", 5)))
    note(server.id, START, "log_refused", "no right to read it", None)
    DjangoStore(tmp_path).deliver([nothing])
    for path in paths:
        told = client.get(path).json()["log"]
        assert told["read_at"] > START
        assert told["refused"] == "no right to read it"


def test_events_are_grouped_by_shape(server: Server, tmp_path: Path) -> None:
    def wait(second: int, pid: int) -> LogEvent:
        message = f"process {pid} still waiting for ShareLock on transaction {second} after 1000.{second} ms"
        return LogEvent(at=EpochMs(START + 1000 * second), kind=EventKind.LOCK_WAIT, pid=Pid(pid), place=second, severity="LOG", sqlstate="", message=message, waited_ms=1000.0, query_id=QueryId(80))  # fmt: skip

    events = (wait(3, 11), wait(4, 12), deadlock(12))
    DjangoStore(tmp_path).deliver(
        [Logged(server_id=server.id, reading=LogReading(position=LogPosition("a", 5), events=events))]
    )
    client = signed_in(Role.VIEWER)
    found = client.get(f"/api/v1/servers/{server.id}/events?{WINDOW}").json()
    assert (found["total"], [one["count"] for one in found["shapes"]]) == (3, [2, 1])
    assert found["shapes"][0]["waited_ms"] == 2000
    assert found["newest"][0]["kind"] == "deadlock"
    assert found["newest"][1]["statement"] == "UPDATE sailing SET booked = $1"
    one = client.get(f"/api/v1/servers/{server.id}/events?{WINDOW}&kind=deadlock").json()
    assert one["total"] == 1
    assert client.get(f"/api/v1/servers/{server.id}/events?{WINDOW}&kind=nonsense").status_code == 400
    assert [m["kind"] for m in client.get(f"/api/v1/servers/{server.id}/marks?{WINDOW}").json()] == ["deadlock"]


def test_lock_waits_go_with_their_samples(server: Server) -> None:
    assert LockWait.objects.count() == 25
    forget_before(server.id, START + 10_000)
    assert LockWait.objects.count() == 20


def test_a_close_watch_does_not_weigh_more_in_sums_and_shows_on_short_tapes(server: Server, tmp_path: Path) -> None:
    fine = [Sampled(server_id=server.id, reading=tick(19 + i / 10), missed=0) for i in range(1, 10)]
    DjangoStore(tmp_path).deliver(list(fine))
    client = signed_in(Role.VIEWER)
    assert client.get(f"/api/v1/servers/{server.id}/blocking?{WINDOW}").json()["lost_s"] == 25
    short = client.get(f"/api/v1/servers/{server.id}/sessions/11/tape?from={START + 18_500}&to={START + 20_000}").json()
    assert (short["ticks"], short["tick_ms"]) == (10, 100)
    assert (short["waits"][0]["ticks"], short["wait_tick_ms"]) == (1, 1000)
    long = client.get(f"/api/v1/servers/{server.id}/sessions/11/tape?from={START}&to={START + 121_000}").json()
    assert (long["ticks"], long["tick_ms"]) == (20, 1000)
