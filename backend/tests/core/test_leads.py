"""Leads from made-up evidence: what is claimed, what of it counts, and in which order."""

from collections.abc import Iterator
from dataclasses import replace

import numpy as np
import pytest
from faena.core.answers.leads.beginning import CAN_CAUSE, lasted, suspects
from faena.core.answers.leads.blocked import blockages
from faena.core.answers.leads.choosing import diagnose, joined
from faena.core.answers.leads.claim import Claim, Root, Step
from faena.core.answers.leads.identity import identity_of
from faena.core.answers.leads.kinds import LeadKind
from faena.core.answers.leads.observed import Observed, PlanSwitch, RequestTrouble, SharedDisk, UsualWork
from faena.core.answers.leads.picture import picture_of
from faena.core.answers.leads.rules import RULES
from faena.core.answers.leads.watched import Watched, observed
from faena.core.changes.change import Found
from faena.core.changes.kinds import ChangeKind
from faena.core.engines.postgres.profile import POSTGRES
from faena.core.logged import EventKind, LogEvent
from faena.core.privacy import Normalised
from faena.core.readings import (
    COUNTER_FIELDS,
    CounterKey,
    CounterReading,
    LockEdge,
    LockFact,
    SampleReading,
    SessionSample,
    TableFigures,
)  # fmt: skip
from faena.core.series.window import Window
from faena.core.sql.joining import unjoined
from faena.core.statements.figures import StatementFigures
from faena.core.units import EpochMs, Millis, Pid, QueryId
from faena.testing.builders import START, session, vitals
from hypothesis import given
from hypothesis import strategies as st

TEXTS = {
    QueryId(1): "UPDATE sailing SET slots = $1 WHERE id = $2",
    QueryId(2): "SELECT 1 FROM booking",
    QueryId(3): "COMMIT",
}


def watched(seconds: int, *at_each: list[SessionSample], edges: tuple[LockEdge, ...] = (), **more: object) -> Observed:
    """The same sessions at each second, older each time, or several lists in turn."""

    def aged(one: SessionSample, n: int) -> SessionSample:
        by = 1000 * n if len(at_each) == 1 else 0
        return replace(one, transaction_ms=one.transaction_ms + by) if one.transaction_ms >= 0 else one

    readings = [
        SampleReading(
            due=EpochMs(START + 1000 * n),
            took=Millis(0.5),
            sessions=tuple(aged(one, n) for one in at_each[n % len(at_each)]),
            edges=edges,
        )
        for n in range(seconds)
    ]
    made = Watched(readings=readings, texts=TEXTS, **more)  # type: ignore[arg-type]
    return observed(made, POSTGRES.waits, START + 1000 * seconds)


def waiting(pid: int, behind: int, ms: int = 5000, wait: str = "transactionid") -> SessionSample:
    return session(
        pid, query_id=QueryId(1), wait_type="Lock", wait_event=wait, blocked_by=(Pid(behind),), statement_ms=ms,
        transaction_ms=ms,
    )  # fmt: skip


def holding(pid: int, state: str = "idle in transaction", **more: object) -> SessionSample:
    told = {"program": "ops-console", "query_id": QueryId(1), "transaction_ms": 60_000, "statement_ms": 50_000}
    return session(pid, state=state, **{**told, **more})


ROW = LockFact(lock_type="transactionid", object="row of sailing", table="sailing")


def test_who_idles_in_a_transaction_and_blocks_is_at_fault_and_the_rest_is_left_unexplained() -> None:
    edges = tuple(LockEdge(waiter=Pid(n), blocker=Pid(1), fact=ROW) for n in (2, 3))
    seen = watched(20, [holding(1), waiting(2, 1), waiting(3, 1), session(9, query_id=QueryId(2))], edges=edges)
    found = diagnose(seen)
    (lead,) = found.leads
    assert (lead.claim.kind, lead.claim.root.pid, lead.claim.root.table) == (LeadKind.IDLE_TRANSACTION, 1, "sailing")
    assert lead.share == pytest.approx(2 / 3)
    assert found.unexplained == pytest.approx(1 / 3)
    assert lead.seconds == pytest.approx(40)
    assert lead.claim.chain[-1].sentence.endswith("It holds a row of sailing.")


def test_nobody_is_told_to_end_a_session_of_a_time_that_is_over() -> None:
    seen = watched(20, [holding(1), waiting(2, 1), waiting(3, 1)])
    assert "pg_terminate_backend(1)" in diagnose(seen).leads[0].claim.next_step
    told = diagnose(replace(seen, past=True)).leads[0].claim.next_step
    assert "_backend(" not in told
    assert "idle_in_transaction_session_timeout" in told


@pytest.mark.parametrize(
    "sessions",
    [
        [holding(1)],
        [],
        [session(n, query_id=QueryId(2), statement_ms=20) for n in range(1, 4)],
    ],
    ids=["blocks nobody", "nobody there", "three at work on eight cores"],
)
def test_what_harms_nobody_is_quiet(sessions: list[SessionSample]) -> None:
    found = diagnose(watched(30, sessions, cores=8))
    assert found.quiet
    assert "No rule finds harm" in found.ground


def test_waits_of_fifty_milliseconds_are_how_locks_work() -> None:
    turns = [[holding(n, transaction_ms=60, statement_ms=50), waiting(n + 1, n, ms=50)] for n in range(1, 9)]
    assert diagnose(watched(32, *turns)).quiet


def test_those_who_give_up_and_come_again_are_blocked_all_the_same() -> None:
    """Each waits for half a second at most, by its lock_timeout."""
    found = diagnose(watched(20, [holding(1), waiting(2, 1, ms=300), waiting(3, 1, ms=400)]))
    assert [one.claim.kind for one in found.leads] == [LeadKind.IDLE_TRANSACTION]


def test_a_queue_for_one_row_is_no_transaction_left_open() -> None:
    """Each is at the root for a second only, however old its transaction is by then: it waited in line before."""
    line = list(range(1, 7))
    turns = []
    for n in range(6):
        first = line[n]
        others = [waiting(pid, first, ms=3000) for pid in line if pid != first]
        turns.append([holding(first, program="booking-web", transaction_ms=3500), *others])
    found = diagnose(watched(30, *turns))
    assert [one.claim.kind for one in found.leads] == [LeadKind.HOT_ROW]


def test_without_a_number_of_cores_nobody_is_told_that_there_are_too_few() -> None:
    busy = [session(n, query_id=QueryId(2), statement_ms=30) for n in range(1, 20)]
    assert diagnose(watched(20, busy)).quiet
    (lead,) = diagnose(watched(20, busy, cores=4)).leads
    assert lead.claim.kind is LeadKind.CPU_SATURATION


def test_commits_that_are_few_are_a_slow_disk_and_not_too_many_of_them() -> None:
    flushing = [session(n, query_id=QueryId(3), wait_type="IO", wait_event="WALSync") for n in range(1, 6)]
    assert [one.claim.kind for one in diagnose(watched(20, flushing)).leads] == [LeadKind.COMMIT_RATE]
    assert diagnose(watched(20, flushing, vitals=vitals(START, covers_ms=20_000, commits=200.0))).quiet


def test_no_rule_fails_on_evidence_that_is_missing() -> None:
    for seen in (watched(1, []), watched(1, [waiting(2, 77)]), watched(3, [waiting(2, 3), waiting(3, 2)])):
        for rule in RULES:
            list(rule(seen))


def claim(kind: LeadKind, mask: list[bool], **more: object) -> Claim:
    told = {"title": kind.label, "root": Root(), "chain": (Step("seen"),), "certainty": 0.9}
    return Claim(kind=kind, mask=np.array(mask), **{**told, **more})  # type: ignore[arg-type]


def test_whoever_blocks_for_a_reason_that_another_claim_knows_becomes_one_chain_with_it() -> None:
    block = claim(LeadKind.LOCK_CHAIN, [True, False], waits_on=frozenset((1,)), chain=(Step("they wait"),))
    slow = claim(LeadKind.MISSING_INDEX, [False, True], about=frozenset((1,)), chain=(Step("it scans"),))
    other = claim(LeadKind.SPILL, [False, False], about=frozenset((7,)))
    found = joined([block, slow, other])
    (chain,) = [one for one in found if len(one.chain) == 2]
    assert (chain.kind, chain.mask.tolist()) == (LeadKind.MISSING_INDEX, [True, True])
    assert [step.sentence for step in chain.chain] == ["they wait", "it scans"]
    assert len(found) == 2


@given(st.lists(st.lists(st.booleans(), min_size=24, max_size=24), max_size=6))
def test_no_second_is_explained_twice(masks: list[list[bool]]) -> None:
    seen = watched(12, [session(1, query_id=QueryId(2)), session(2, query_id=QueryId(2))])

    def rule(_: Observed) -> Iterator[Claim]:
        for i, mask in enumerate(masks):
            yield claim(LeadKind.OTHER, mask, certainty=0.5 + i / 20)

    found = diagnose(seen, (rule,))
    assert sum(one.share for one in found.leads) + found.unexplained == pytest.approx(1.0)
    union = np.logical_or.reduce([np.array(one) for one in masks]) if masks else np.zeros(24, dtype=bool)
    assert found.unexplained >= 1 - union.mean() - 1e-9
    seconds = [one.seconds * one.claim.certainty for one in found.leads]
    assert seconds == sorted(seconds, reverse=True), "what explains most beyond the others comes first"


def figures(query_id: int, calls: float, ms: float, **more: float) -> StatementFigures:
    sums = dict.fromkeys(COUNTER_FIELDS, 0.0) | {"calls": calls, "total_ms": calls * ms} | more
    return StatementFigures(query_id=QueryId(query_id), **sums)


def with_history(seen: Observed, work: StatementFigures, usual: UsualWork | None, **more: object) -> Observed:
    told = {work.query_id: usual} if usual is not None else {}
    return replace(seen, work={work.query_id: work}, work_s=seen.seconds, usual_work=told, **more)  # type: ignore[arg-type]


def at_work(many: int, query_id: int = 2, **more: object) -> list[SessionSample]:
    return [session(n, query_id=QueryId(query_id), statement_ms=20, **more) for n in range(1, many + 1)]


USUAL = UsualWork(ms=3.0, reads=4.0, rows=10.0, calls_s=20.0, days=6)
SWITCH = PlanSwitch(at=START, before="Index Scan a on booking", after="Seq Scan on booking")


@pytest.mark.parametrize(
    ("work", "more", "kind"),
    [
        (figures(2, 1200, 60.0, rows=12_000.0), {"switches": {QueryId(2): SWITCH}}, LeadKind.PLAN_CHANGE),
        (figures(2, 1200, 60.0, rows=60_000.0), {}, LeadKind.VOLUME_GROWTH),
        (figures(2, 1200, 60.0, rows=12_000.0), {}, None),
        (figures(2, 1200, 4.0, rows=12_000.0), {"switches": {QueryId(2): SWITCH}}, None),
    ],
    ids=["another plan", "more rows", "dear, and nobody knows why", "another plan that costs the same"],
)
def test_a_statement_that_became_dear_is_told_with_what_made_it_so(
    work: StatementFigures, more: dict[str, object], kind: LeadKind | None
) -> None:
    seen = with_history(watched(60, at_work(2), cores=8), work, USUAL, **more)
    found = diagnose(seen)
    assert [one.claim.kind for one in found.leads] == ([kind] if kind else [])
    if kind:
        assert "instead of 3 ms" in found.leads[0].claim.chain[1].sentence


@pytest.mark.parametrize(
    ("usual", "before", "told"),
    [
        (USUAL, None, "times as often as usual"),
        (replace(USUAL, calls_s=None), figures(2, 1200, 3.0), "times as often as before"),
        (replace(USUAL, calls_s=300.0), None, ""),
        (replace(USUAL, calls_s=None), None, ""),
    ],
    ids=["more than usual", "more than just before", "as usual", "nothing to compare with"],
)
def test_a_statement_called_far_more_often_is_told_against_what_is_known(
    usual: UsualWork, before: StatementFigures | None, told: str
) -> None:
    seen = with_history(
        watched(60, at_work(2), cores=8), figures(2, 18_000, 3.0), usual,
        work_before={QueryId(2): before} if before else {},
    )  # fmt: skip
    titles = [one.claim.title for one in diagnose(seen).leads]
    assert [told in title for title in titles] == ([True] if told else [])


def test_of_few_calls_a_second_the_figures_differ_in_words_too() -> None:
    dear = replace(USUAL, ms=900.0, calls_s=0.6)
    (lead,) = diagnose(with_history(watched(60, at_work(1), cores=8), figures(2, 78, 900.0), dear)).leads
    told = [step.sentence for step in lead.claim.chain]
    assert "1.30 times a second, usually 0.60" in told[1]
    assert "0.63 of them are more than usual" in told[0]


@pytest.mark.parametrize(
    ("sqlstate", "message", "found"),
    [
        ("53300", "", True), ("", "sorry, too many clients already", True), ("57P03", "", False), ("28P01", "", False),
        ("", "the database system is shutting down", False), ("", "database ? does not exist", False),
    ],
)  # fmt: skip
def test_a_client_that_is_refused_for_another_reason_is_no_storm(sqlstate: str, message: str, found: bool) -> None:
    refused = [
        LogEvent(
            at=EpochMs(START + n), kind=EventKind.CONNECTION_REFUSED, pid=Pid(n), place=n, severity="FATAL",
            sqlstate=sqlstate, message=Normalised(message),
        )
        for n in range(5)
    ]  # fmt: skip
    kinds = [one.claim.kind for one in diagnose(watched(60, [], events=refused)).leads]
    assert kinds == ([LeadKind.CONNECTION_STORM] if found else [])


def hosts(which: list[str]) -> list[SessionSample]:
    """A heavy statement by the hosts given, and light ones by four."""
    heavy = [session(10 + i, query_id=QueryId(2), client=one, statement_ms=900) for i, one in enumerate(which)]
    return heavy + [session(20 + i, query_id=QueryId(1), client=f"10.0.0.{i}", statement_ms=1) for i in range(4)]


def test_a_host_that_runs_what_its_like_do_not_is_named() -> None:
    (lead,) = diagnose(watched(60, hosts(["10.0.0.3"] * 3), cores=16)).leads
    assert (lead.claim.kind, lead.claim.root.object) == (LeadKind.HOST_VERSION, "10.0.0.3")
    assert diagnose(watched(60, hosts(["10.0.0.3", "10.0.0.1", "10.0.0.2"]), cores=16)).quiet


def test_a_neighbour_is_at_fault_only_where_own_reads_are_as_usual() -> None:
    reading = at_work(4, wait_type="IO", wait_event="DataFileRead")
    disk = SharedDisk(latency_ms=9.0, usual_ms=0.6, neighbour="warehouse", share=0.8)
    seen = with_history(watched(60, reading), figures(2, 600, 90.0, blocks_read=2_400.0), USUAL, disk=disk)
    (lead,) = diagnose(seen).leads
    assert (lead.claim.kind, lead.claim.root.object) == (LeadKind.NEIGHBOUR, "warehouse")
    itself = with_history(watched(60, reading), figures(2, 600, 90.0, blocks_read=240_000.0), USUAL, disk=disk)
    assert LeadKind.NEIGHBOUR not in [one.claim.kind for one in diagnose(itself).leads]
    as_usual = with_history(watched(60, reading), figures(2, 600, 9.0), USUAL, disk=replace(disk, usual_ms=8.0))
    assert diagnose(as_usual).quiet


def test_a_reader_that_holds_back_the_replay_of_a_replica_is_named() -> None:
    replay = session(5, backend="startup", program="startup", wait_type="IPC", wait_event="RecoveryConflictSnapshot")
    report = session(6, query_id=QueryId(2), program="nightly-report", statement_ms=1_800_000)
    (lead,) = diagnose(watched(60, [replay, report], vitals=vitals(START, conflicts=9.0, lag_ms=90_000.0))).leads
    assert (lead.claim.kind, lead.claim.root.program, lead.claim.root.pid) == (
        LeadKind.REPLICA_CONFLICT,
        "nightly-report",
        6,
    )
    lagging = vitals(START, conflicts=0.0, lag_ms=90_000.0)
    assert diagnose(watched(60, [report], vitals=lagging)).quiet, "a replica far away lags as well"


def test_a_statement_that_takes_long_by_itself_is_at_fault_only_if_it_joins_without_a_condition() -> None:
    long = [session(n, query_id=QueryId(2), program="ops-console", statement_ms=900_000) for n in (1, 2)]
    for text, kinds in (
        ("SELECT count(*) FROM duty d, member m WHERE d.week > $1", [LeadKind.RUNAWAY_STATEMENT]),
        ("SELECT count(*) FROM duty d, member m WHERE d.member = m.id", []),
    ):
        seen = watched(700, long, cores=8)
        told = replace(seen, texts={QueryId(2): text})
        assert [one.claim.kind for one in diagnose(told).leads] == kinds, text


@pytest.mark.parametrize(
    ("text", "apart"),
    [
        ("SELECT count(*) FROM duty d, crew_member m WHERE d.week > $1", ("d", "m")),
        ("SELECT * FROM a, b, c WHERE a.x = b.x", ("a", "c")),
        ("SELECT * FROM a AS p, b q WHERE p.x = q.y AND q.z <= $1", None),
        ("SELECT * FROM a, b WHERE a.x >= b.y", None),
        ("SELECT * FROM a, b WHERE x = y", None),
        ("SELECT * FROM a, b WHERE a.x = 3 AND y = 4", None),
        ("SELECT * FROM a JOIN b ON true", None),
        ("SELECT * FROM a, b WHERE a.x IN (SELECT x FROM c)", None),
        ("SELECT * FROM a, generate_series(1, 3) g", None),
        ("SELECT * FROM a", None),
        ("SELECT * FROM a, b", ("a", "b")),
        ("DELETE FROM a", None),
        ("SELECT * FROM a, b WHERE", ("a", "b")),
        ("", None),
    ],
)  # fmt: skip
def test_tables_that_no_condition_ties_together_are_told_where_it_is_clear(
    text: str, apart: tuple[str, str] | None
) -> None:
    assert unjoined(text) == apart


@pytest.mark.parametrize(
    ("text", "scans", "rows_read", "found"),
    [
        ("SELECT id FROM booking WHERE reference = $1", 1200, 1200 * 400_000.0, True),
        ("SELECT id FROM booking WHERE reference = $1", 60, 60 * 400_000.0, False),
        ("SELECT id FROM booking WHERE reference = $1", 1200, 1200 * 300.0, False),
        ("SELECT count(*) FROM booking", 1200, 1200 * 400_000.0, False),
        ("SELECT 1 FROM booking b JOIN other o ON o.id = b.id WHERE b.reference = $1", 1200, 1200 * 400_000.0, False),
    ],
    ids=["each call reads the table", "few of its calls do", "a small table", "all rows are wanted", "two tables"],
)
def test_a_table_read_through_for_each_call_wants_an_index_where_no_plan_is_known(
    text: str, scans: int, rows_read: float, found: bool
) -> None:
    seen = with_history(watched(60, at_work(2), cores=8), figures(2, 1200, 30.0, rows=1200.0), None)
    table = TableFigures(
        table="booking", index="", blocks_read=0.0, blocks_hit=9e6, scans=float(scans), rows_read=rows_read,
        rows_written=0.0, size_bytes=10**8,
    )  # fmt: skip
    leads = diagnose(replace(seen, texts={QueryId(2): text}, tables=[table])).leads
    assert [(one.claim.kind, one.claim.root.column) for one in leads] == (
        [(LeadKind.MISSING_INDEX, "reference")] if found else []
    )


@pytest.mark.parametrize(
    ("rows", "calls", "found"), [(60_000.0, 60_000.0, True), (60_000.0, 40_000.0, False), (900.0, 900.0, False)]
)
def test_a_statement_that_runs_as_often_as_another_returns_rows_is_told_as_a_guess(
    rows: float, calls: float, found: bool
) -> None:
    keys = tuple(CounterKey(query_id=QueryId(q), database="d", user="u") for q in (1, 2))
    values = np.zeros((2, len(COUNTER_FIELDS)))
    at = {name: COUNTER_FIELDS.index(name) for name in ("calls", "rows", "total_ms")}
    values[0, [at["calls"], at["rows"]]] = 1000, rows
    values[1, [at["calls"], at["rows"], at["total_ms"]]] = calls, calls, calls * 0.2
    before, after = (
        CounterReading(
            at=EpochMs(START + ms), took=Millis(1), server_started=EpochMs(0), keys=keys, values=values * times
        )
        for ms, times in ((0, 1), (20_000, 2))
    )
    callers = {QueryId(2): "manifest-export"}
    leads = diagnose(watched(20, [], counters=(before, after), callers=callers)).leads
    assert [one.claim.kind for one in leads] == ([LeadKind.REPEATED_STATEMENT] if found else [])
    assert all("is a guess" in one.claim.chain[1].sentence for one in leads)
    assert all(one.claim.root.program == "manifest-export" for one in leads), "too quick for a sample to catch it"


def trouble(kind: str, **more: object) -> RequestTrouble:
    told: dict[str, object] = {
        "kind": kind, "endpoint": "POST /holds", "endpoint_id": 4, "service": "booking-web", "detail": "told so",
        "requests": 100.0, "mean_ms": 900.0, "usual_most_ms": 60.0, "satisfaction": 0.6, "share": 0.9,
        "database_share": 0.02, "statements": [QueryId(2)], "repeated": QueryId(2), "callee": "port-authority",
    }  # fmt: skip
    return RequestTrouble(**{**told, **more})  # type: ignore[arg-type]


@pytest.mark.parametrize(
    ("told", "kind"),
    [
        (trouble("external_layer"), LeadKind.EXTERNAL_LAYER),
        (trouble("external_layer", mean_ms=50.0), None),
        (trouble("external_layer", usual_most_ms=None), LeadKind.EXTERNAL_LAYER),
        (trouble("external_layer", usual_most_ms=None, satisfaction=0.97), None),
        (trouble("cache_missing", mean_ms=50.0), LeadKind.CACHE_MISSING),
        (trouble("repeated_statement"), LeadKind.REPEATED_STATEMENT),
        (trouble("repeated_statement", repeated=None), None),
        (trouble("own_code"), None),
    ],
    ids=[
        "slower than usual", "as slow as ever", "users wait", "users are content", "cache gone", "row by row",
        "of a statement that the server does not know", "own code",
    ],
)  # fmt: skip
def test_what_requests_tell_is_a_lead_where_somebody_suffers(told: RequestTrouble, kind: LeadKind | None) -> None:
    seen = replace(watched(60, at_work(1), cores=8), requests=[told])
    leads = diagnose(seen).leads
    assert [one.claim.kind for one in leads] == ([kind] if kind else [])
    if kind is LeadKind.EXTERNAL_LAYER:
        assert ("the database", "its statements take 2% of the time of these requests") in leads[0].claim.ruled_out
        assert leads[0].claim.root.object == "port-authority"


@pytest.mark.parametrize(
    ("calls", "usual", "found"), [(60_000, None, True), (6_000, None, False), (60_000, 1000.0, False)]
)
def test_a_statement_run_once_a_row_is_a_lead_where_it_is_most_of_what_the_server_is_asked(
    calls: float, usual: float | None, found: bool
) -> None:
    """Though no sample catches it at work and users are content: its time lies in going to and fro."""
    seen = with_history(watched(60, at_work(1, query_id=3), cores=8), figures(2, calls, 0.05), None)
    told = trouble("repeated_statement", usual_most_ms=usual, satisfaction=1.0)
    leads = diagnose(replace(seen, requests=[told])).leads
    assert [one.claim.kind for one in leads] == ([LeadKind.REPEATED_STATEMENT] if found else [])


def test_a_statement_called_more_often_for_want_of_a_cache_is_one_lead_with_it() -> None:
    seen = with_history(watched(60, at_work(2), cores=8), figures(2, 18_000, 3.0), USUAL)
    (lead,) = diagnose(replace(seen, requests=[trouble("cache_missing")])).leads
    assert lead.claim.kind is LeadKind.CACHE_MISSING
    assert lead.share == pytest.approx(1.0)


def test_sessions_that_wait_for_the_servers_own_locks_are_told_with_the_lock() -> None:
    inside = at_work(4, wait_type="LWLock", wait_event="BufferMapping")
    (lead,) = diagnose(watched(30, inside, cores=8)).leads
    assert (lead.claim.kind, lead.claim.root.object) == (LeadKind.INTERNAL_CONTENTION, "BufferMapping")


def test_a_disk_is_overloaded_only_where_others_than_the_main_reader_wait_for_it() -> None:
    reading = at_work(3, wait_type="IO", wait_event="DataFileRead")
    other = session(9, query_id=QueryId(1), wait_type="IO", wait_event="DataFileRead", statement_ms=30)
    (lead,) = diagnose(watched(30, [*reading, other], cores=8)).leads
    assert (lead.claim.kind, lead.claim.root.table) == (LeadKind.DISK_SATURATION, "booking")
    assert diagnose(watched(30, reading, cores=8)).quiet, "a report that reads much harms nobody by that"


def test_a_second_cause_is_told_beside_a_crowd_that_is_blocked() -> None:
    """Two sessions that nobody takes rows from are 5% of a load of forty, and a trouble of their own."""
    crowd = [holding(1), *(waiting(n, 1) for n in range(2, 40))]
    slow = [
        session(
            n, query_id=QueryId(2), wait_type="Client", wait_event="ClientWrite", program="exporter", statement_ms=9000
        )
        for n in (60, 61)
    ]
    kinds = [one.claim.kind for one in diagnose(watched(60, [*crowd, *slow], cores=8)).leads]
    assert kinds == [LeadKind.IDLE_TRANSACTION, LeadKind.SLOW_CLIENT]


def reading_of(table: str, blocks: float) -> TableFigures:
    return TableFigures(
        table=table,
        index="",
        blocks_read=blocks,
        blocks_hit=0.0,
        scans=0.0,
        rows_read=0.0,
        rows_written=0.0,
        size_bytes=1,
    )


def test_who_reads_most_is_at_fault_for_the_disk_though_others_wait_for_it_more() -> None:
    """One report under way that no counter knows yet, and many lookups that wait for what it takes."""
    report = session(1, query_id=QueryId(1), wait_type="IO", wait_event="DataFileRead", program="report")
    lookups = [
        session(n, query_id=QueryId(2), wait_type="IO", wait_event="DataFileRead", program="web", statement_ms=30)
        for n in range(2, 9)
    ]
    seen = watched(60, [report, *lookups], cores=8)
    seen = replace(seen, work={QueryId(2): figures(2, 9000, 20.0, blocks_read=9000.0)}, work_s=60.0)
    (lead,) = diagnose(replace(seen, tables=[reading_of("sailing", 900_000.0), reading_of("booking", 9000.0)])).leads
    assert (lead.claim.kind, lead.claim.root.program, lead.claim.root.table) == (
        LeadKind.DISK_SATURATION, "report", "sailing",
    )  # fmt: skip
    assert diagnose(seen).leads[0].claim.root.program == "web", (
        "nothing is known of tables, so it is told as it is seen"
    )


@pytest.mark.parametrize(("blocks", "blamed"), [(900_000.0, True), (100.0, False)])
def test_maintenance_that_waits_for_the_disk_itself_is_not_to_blame(blocks: float, blamed: bool) -> None:
    texts = {**TEXTS, QueryId(4): "VACUUM vessel"}
    vacuum = session(1, query_id=QueryId(4), wait_type="IO", wait_event="DataFileRead", program="maintenance")
    others = [session(n, query_id=QueryId(2), wait_type="IO", wait_event="DataFileRead") for n in (2, 3, 4)]
    seen = replace(
        watched(60, [vacuum, *others], cores=8), texts=texts,
        tables=[reading_of("vessel", blocks), reading_of("booking", 50_000.0)],
    )  # fmt: skip
    kinds = [one.claim.kind for one in diagnose(seen).leads]
    assert (LeadKind.MAINTENANCE in kinds) is blamed


def test_a_call_that_looks_at_more_blocks_by_the_same_plan_is_dear_for_more_data() -> None:
    usual = replace(USUAL, blocks=10.0)
    more = with_history(watched(60, at_work(2), cores=8), figures(2, 600, 90.0, rows=600.0, blocks_hit=60_000.0), usual)
    (lead,) = diagnose(more).leads
    assert lead.claim.kind is LeadKind.VOLUME_GROWTH
    assert "looks at 100 blocks instead of 10" in lead.claim.chain[-1].sentence
    same = with_history(watched(60, at_work(2), cores=8), figures(2, 600, 90.0, rows=600.0, blocks_hit=6_000.0), usual)
    assert LeadKind.VOLUME_GROWTH not in [one.claim.kind for one in diagnose(same).leads]


def test_a_row_that_many_want_for_half_an_hour_is_one_lead() -> None:
    """Each second another session is at the root: a thousand and a half short episodes."""

    def turn(n: int) -> list[SessionSample]:
        root = 1 + n % 20
        wait = {"wait_type": "IO", "wait_event": "WALSync"}
        return [session(root, query_id=QueryId(1), statement_ms=40, transaction_ms=45, **wait)] + [
            waiting(p, root, ms=60 * ((p - root) % 20)) for p in range(1, 21) if p != root
        ]

    seen = watched(1800, *(turn(n) for n in range(20)), cores=8)
    assert len(blockages(seen)) > 500
    assert diagnose(seen).leads[0].claim.kind is LeadKind.HOT_ROW


def test_a_gap_in_the_samples_is_nobodys_waiting() -> None:
    """Two sessions wait for a minute of ten of which nothing else is known: two minutes in all, and not twenty."""
    seen = watched(60, [holding(1), waiting(2, 1), waiting(3, 1)])
    longer = replace(seen, window=Window(start=EpochMs(seen.window.end - 600_000), end=seen.window.end))
    lead = diagnose(longer).leads[0]
    assert (longer.tick_s, round(lead.seconds)) == (1.0, 120)
    assert "2 min in all" in lead.claim.chain[0].sentence


def found_change(kind: ChangeKind, at: int, **more: str) -> Found:
    return Found(kind=kind, at=EpochMs(at), since=EpochMs(at), **{"object": "x", **more})


def test_a_lead_tells_when_it_lasted_and_since_when_without_a_break() -> None:
    seen = watched(300, [session(9)])
    ours = [30 <= second < 60 or 150 <= second < 180 or 200 <= second < 250 for second in range(300)]
    when = lasted(seen, claim(LeadKind.OTHER, ours))
    assert (when.whole.start, when.whole.end) == (START + 30_000, START + 250_000)
    assert (when.newest.start, when.newest.end) == (START + 150_000, START + 250_000), "20 s without it are no break"


def test_changes_at_the_beginning_are_told_with_whether_they_can_be_the_cause() -> None:
    seen = watched(60, [holding(1), waiting(2, 1), waiting(3, 1)])
    claim = diagnose(seen).leads[0].claim
    begun = lasted(seen, claim).whole.start
    told = suspects(
        claim, begun,
        [
            found_change(ChangeKind.DEPLOY, begun - 60_000),
            found_change(ChangeKind.PROGRAM_NEW, begun - 30_000, object="ops-console"),
            found_change(ChangeKind.PROGRAM_NEW, begun - 30_000, object="kiosk"),
            found_change(ChangeKind.INDEX_DROPPED, begun - 10_000, table="sailing"),
            found_change(ChangeKind.DEPLOY, begun - 3_600_000),
            found_change(ChangeKind.DEPLOY, begun + 120_000),
        ],
    )  # fmt: skip
    assert [(one.change.kind, one.change.object, one.can) for one in told] == [
        (ChangeKind.PROGRAM_NEW, "ops-console", True),
        (ChangeKind.DEPLOY, "x", True),
        (ChangeKind.INDEX_DROPPED, "x", False),
        (ChangeKind.PROGRAM_NEW, "kiosk", False),
    ]
    assert told[0].why == "ops-console is at fault"


def test_each_kind_of_lead_says_what_can_cause_it_or_that_only_a_deploy_can() -> None:
    without = {LeadKind.NEIGHBOUR, LeadKind.EXTERNAL_LAYER, LeadKind.CACHE_MISSING}  # of other servers and services
    assert set(LeadKind) - set(CAN_CAUSE) == without


def test_the_same_trouble_is_the_same_lead_whatever_its_pid_and_figures() -> None:
    root = Root(statement="SELECT 1 FROM booking", program="web", table="booking", pid=7)
    same = identity_of(LeadKind.MISSING_INDEX, root)
    assert identity_of(LeadKind.MISSING_INDEX, replace(root, pid=8, statement="select 1  from booking")) == same
    assert identity_of(LeadKind.DEEP_PAGING, root) != same
    assert identity_of(LeadKind.MISSING_INDEX, replace(root, program="desk")) != same


def test_the_picture_of_a_lead_has_what_it_explains_and_no_more() -> None:
    seen = watched(60, [holding(1), waiting(2, 1), waiting(3, 1), session(9, query_id=QueryId(2))], cores=8)
    picture = picture_of(seen, diagnose(seen).leads[0].claim)
    assert [name for name, _ in picture.kinds] == ["lock"]
    assert picture.kinds[0][1] == [2.0] * 60
