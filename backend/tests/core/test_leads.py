"""Leads from made-up evidence: what is claimed, what of it counts, and in which order."""

from collections.abc import Iterator
from dataclasses import replace

import numpy as np
import pytest
from faena.core.answers.leads.choosing import diagnose, joined
from faena.core.answers.leads.claim import Claim, Root, Step
from faena.core.answers.leads.kinds import LeadKind
from faena.core.answers.leads.observed import Observed
from faena.core.answers.leads.rules import RULES
from faena.core.answers.leads.watched import Watched, observed
from faena.core.engines.postgres.profile import POSTGRES
from faena.core.readings import LockEdge, LockFact, SampleReading, SessionSample
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


@pytest.mark.parametrize(
    "sessions",
    [
        [holding(1), waiting(2, 1, ms=50), waiting(3, 1, ms=40)],
        [holding(1)],
        [],
        [session(n, query_id=QueryId(2), statement_ms=20) for n in range(1, 4)],
    ],
    ids=["waits of 50 ms", "blocks nobody", "nobody there", "three at work on eight cores"],
)
def test_what_harms_nobody_is_quiet(sessions: list[SessionSample]) -> None:
    found = diagnose(watched(30, sessions, cores=8))
    assert found.quiet
    assert "No rule finds harm" in found.ground


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
