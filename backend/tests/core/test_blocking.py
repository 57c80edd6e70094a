"""Chains, time lost and tapes, against slow twins that are obviously right."""

from collections import Counter
from dataclasses import replace
from itertools import groupby

import numpy as np
import pytest
from faena.core.engines.postgres.locks.modes import MODES, conflict, holds, strongest, wants
from faena.core.engines.postgres.locks.table import LockedThing, LockRow, Names, describe
from faena.core.engines.postgres.waits.catalogue import behind_sessions
from faena.core.locks.chains import RootState, chains_at, to_blame
from faena.core.locks.history import CIRCLE, NOT_SEEN, episodes, lost_by, roots_of
from faena.core.locks.watching import ChainWatch
from faena.core.readings import LockEdge, LockFact, SampleReading, SessionSample, Via
from faena.core.series.window import Window
from faena.core.sessions.frame import COLUMNS, SessionFrame, joined
from faena.core.sessions.tape import Ran, Stretch, statements_run, stretches, wait_sums
from faena.core.units import EpochMs, Millis, Pid
from hypothesis import given
from hypothesis import strategies as st


def frame(*rows: tuple[int, int, int], ticks: int = 0, code: int = 0) -> SessionFrame:
    """Rows of (tick, pid, blocker); a tick a second."""
    rows = tuple(sorted(rows))
    table = np.array([(t, pid, blocker, code, 7, 50, 10) for t, pid, blocker in rows], dtype=np.int64).reshape(-1, 7)
    count = max(ticks, 1 + max((row[0] for row in rows), default=-1))
    return SessionFrame(
        tick_ms=np.arange(count, dtype=np.int64) * 1000, **{name: table[:, i] for i, name in enumerate(COLUMNS)}
    )


# Up to eight sessions at each of a few ticks, each blocked by nobody or by another that may or may not be there.
TICKS = st.dictionaries(
    st.tuples(st.integers(0, 3), st.integers(1, 8)), st.integers(0, 10).filter(bool) | st.just(0), max_size=24
).map(lambda told: [(tick, pid, 0 if blocker == pid else blocker) for (tick, pid), blocker in told.items()])


def slow_root(blockers: dict[int, int], pid: int) -> tuple[int, int, int]:
    """(what was found, pid, steps): NOT_SEEN, CIRCLE, or 0 for a session that is there and blocked by nobody."""
    met, way, steps = {pid}, [pid], 0
    while blockers[pid]:
        ahead = blockers[pid]
        steps += 1
        if ahead not in blockers:
            return NOT_SEEN, ahead, steps
        if ahead in met:
            around = [ahead]
            while blockers[around[-1]] != ahead:
                around.append(blockers[around[-1]])
            first = next((at for at, one in enumerate(way) if one in around), 0)
            return CIRCLE, min(around), first
        met.add(ahead)
        way.append(ahead)
        pid = ahead
    return 0, pid, steps


@given(TICKS)
def test_roots_agree_with_walking_each_chain(rows: list[tuple[int, int, int]]) -> None:
    made = frame(*rows)
    roots = roots_of(made)
    present = {t: {pid: blocker for _, pid, blocker in group} for t, group in groupby(sorted(rows), key=lambda r: r[0])}
    for i, (tick, pid) in enumerate(zip(made.tick.tolist(), made.pid.tolist(), strict=True)):
        kind, root, steps = slow_root(present[tick], pid)
        if kind == CIRCLE:
            assert (roots.row[i], roots.pid[i], roots.depth[i]) == (CIRCLE, root, steps)
            at = int(roots.circle[i])
            assert (made.tick[at], made.pid[at]) == (tick, root)
        elif kind == NOT_SEEN:
            assert (roots.row[i], roots.pid[i], roots.depth[i]) == (NOT_SEEN, root, steps)
        else:
            at = int(roots.row[i])
            assert (made.tick[at], made.pid[at]) == (tick, root)
            assert roots.depth[i] == steps


@given(TICKS, st.data())
def test_time_lost_adds_up_to_all_lock_waiting_however_it_is_grouped(
    rows: list[tuple[int, int, int]], data: st.DataObject
) -> None:
    made = frame(*rows)
    roots, waits = roots_of(made), made.blocker != 0
    group = np.array(data.draw(st.lists(st.integers(0, 4), min_size=len(rows), max_size=len(rows))), dtype=np.int64)
    lost = lost_by(roots, waits, group, unseen=5, circle=6)
    assert lost.sum() == waits.sum()
    found = episodes(made, roots, waits)
    assert sum(one.lost for one in found) == waits.sum()
    assert all(one.most <= one.lost and one.first <= one.worst <= one.last for one in found)
    assert all(1 <= one.waiters <= one.lost for one in found)
    for one in found:
        around = made.pid[list(one.circle)].tolist()
        assert (one.row == CIRCLE) == bool(around)
        assert all(made.blocker[row] == around[(i + 1) % len(around)] for i, row in enumerate(one.circle))
        assert not around or one.pid == min(around)


def session(pid: int, *blocked_by: int, wait: str = "", state: str = "active", age: int = 50) -> SessionSample:
    wait_type, _, event = (wait or ("Lock:relation" if blocked_by else "")).partition(":")
    return SessionSample(
        pid=Pid(pid), started_s=7, state=state, wait_type=wait_type, wait_event=event, program=f"p{pid}",
        blocked_by=tuple(Pid(b) for b in blocked_by), transaction_ms=age,
    )  # fmt: skip


def edge(waiter: int, blocker: int, via: Via = Via.HOLDER, gid: str = "", waited: int = 10) -> LockEdge:
    fact = LockFact(lock_type="relation", object="table fare", table="fare", mode_wanted="ShareLock", via=via, gid=gid)
    return LockEdge(waiter=Pid(waiter), blocker=Pid(blocker), fact=fact, waited_ms=waited)


def test_a_holder_is_to_blame_before_a_queue_and_the_longer_transaction_before_the_shorter() -> None:
    present = {one.pid: one for one in (session(1, age=10), session(2, age=900), session(3, age=9000), session(4))}
    edges = [edge(4, 3, Via.QUEUE), edge(4, 1), edge(4, 2)]
    assert to_blame(edges, present)[Pid(4)].blocker == 2
    assert to_blame(edges[:1], present)[Pid(4)].blocker == 3


def test_chains_are_told_apart_and_the_longest_comes_first() -> None:
    sessions = [
        session(1, state="idle in transaction"),
        session(2, 1),
        session(3, 2),
        session(4, 2),
        session(5),
        session(6, 5),
    ]
    edges = [edge(2, 1), edge(3, 2, waited=5), edge(4, 2, waited=50), edge(6, 5)]
    first, second = chains_at(sessions, edges)
    assert [(link.pid, link.depth, link.behind) for link in first.links] == [(1, 0, 3), (2, 1, 2), (4, 2, 0), (3, 2, 0)]
    assert (first.state, second.state) == (RootState.IDLE_IN_TRANSACTION, RootState.RUNNING)
    assert [link.pid for link in second.links] == [5, 6]


def test_a_circle_is_a_chain_and_no_endless_walk() -> None:
    (chain,) = chains_at([session(2, 3), session(3, 2), session(4, 3)], [edge(2, 3), edge(3, 2), edge(4, 3)])
    assert chain.state is RootState.CIRCLE
    assert {link.pid for link in chain.links} == {2, 3, 4}
    assert chain.root.pid == 2
    assert chain.root.edge == edge(2, 3), "nobody in it waits for nobody"


def test_circles_are_told_apart_and_not_taken_for_prepared_transactions() -> None:
    """Seen live: rebookings that wait for each other, thousands of layers deep behind "prepared transaction (unnamed)"."""
    rows = [(t, a, b) for t in range(2) for a, b in ((1, 2), (2, 1), (3, 4), (4, 5), (5, 3), (9, 4), (8, -1))]
    made = frame(*rows)
    found = episodes(made, roots_of(made), made.blocker != 0)
    told = {one.pid: (one.row, made.pid[list(one.circle)].tolist(), one.waiters, one.depth, one.lost) for one in found}
    assert told == {
        3: (CIRCLE, [3, 4, 5], 4, 1, 8), 1: (CIRCLE, [1, 2], 2, 0, 4), -1: (NOT_SEEN, [], 1, 1, 2),
    }  # fmt: skip


def test_a_root_that_was_in_a_circle_before_begins_an_episode_of_its_own() -> None:
    """The server ended 2; 1 went on, and 3 waits for it."""
    made = frame((0, 1, 2), (0, 2, 1), (1, 1, 0), (1, 3, 1), (2, 1, 0), (2, 3, 1))
    found = episodes(made, roots_of(made), made.blocker != 0)
    assert [(one.pid, one.row == CIRCLE, one.first, one.last) for one in found] == [(1, True, 0, 0), (1, False, 1, 2)]


def test_a_gap_without_any_wait_ends_an_episode() -> None:
    """Only ticks with a wait are read, so what lies next to each other in the frame can be an hour apart."""
    made = frame((0, 1, 0), (0, 2, 1), (1, 1, 0), (1, 2, 1), (2, 1, 0), (2, 2, 1))
    made = replace(made, tick_ms=np.array([0, 1000, 3_600_000]))
    found = episodes(made, roots_of(made), made.blocker != 0)
    assert sorted((one.first, one.last) for one in found) == [(0, 1), (2, 2)]


def test_who_only_stands_in_line_closes_no_circle() -> None:
    """3 waits behind 2 only because 2 came first, and 2 waits for what 3 holds: the server lets 3 go first."""
    edges = [edge(2, 3), edge(3, 2, Via.QUEUE), edge(4, 2)]
    (chain,) = chains_at([session(2, 3), session(3, 2), session(4, 2)], edges)
    assert (chain.root.pid, chain.state) == (3, RootState.WAITING)
    assert [(link.pid, link.depth) for link in chain.links] == [(3, 0), (2, 1), (4, 2)]
    watch = ChainWatch(behind_sessions)
    watch.take(SampleReading(due=EpochMs(0), took=Millis(1), sessions=(session(2, 3), session(3, 2), session(4, 2)), edges=tuple(edges)), 1)  # fmt: skip
    assert watch.total_s == 3, "all three wait"


def test_two_prepared_transactions_are_two_chains() -> None:
    first, second = chains_at([session(2, -1), session(3, -1)], [edge(2, -1, gid="a"), edge(3, -1, gid="b")])
    assert (first.gid, second.gid) == ("a", "b")
    assert first.state is second.state is RootState.PREPARED
    assert [link.pid for link in first.links] == [-1, 2]


@pytest.mark.parametrize(
    ("wait", "state", "told"),
    [
        ("IO:DataFileRead", "active", RootState.DISK),
        ("Client:ClientWrite", "active", RootState.CLIENT),
        ("Timeout:PgSleep", "active", RootState.WAITING),
        ("Client:ClientRead", "idle in transaction (aborted)", RootState.IDLE_IN_TRANSACTION),
        ("Client:ClientRead", "idle", RootState.IDLE),
    ],
)
def test_what_a_root_does(wait: str, state: str, told: RootState) -> None:
    (chain,) = chains_at([session(1, wait=wait, state=state), session(2, 1)], [edge(2, 1)])
    assert chain.state is told


def test_a_root_that_ended_meanwhile_is_gone() -> None:
    (chain,) = chains_at([session(2, 1)], [edge(2, 1)])
    assert (chain.state, chain.root.session) == (RootState.GONE, None)


def test_a_watch_adds_up_what_each_root_cost() -> None:
    watch = ChainWatch(behind_sessions)
    sessions = (session(1), session(2, 1), session(3, 1))
    for second in range(3):
        reading = SampleReading(
            due=EpochMs(second), took=Millis(1), sessions=sessions[: 2 + (second > 0)],
            edges=(edge(2, 1), edge(3, 1))[: 1 + (second > 0)],
        )  # fmt: skip
        watch.take(reading, 0.5)
    (chain,) = watch.worst_first()
    assert chain.lost_s == watch.total_s == 2.5
    assert {key[0] for key in chain.edges} == {2, 3}


def test_each_holder_is_a_root_and_one_is_to_blame() -> None:
    """4 waits for a table that 1 and 2 hold, and 3 only came first in the line."""
    sessions = (session(1, age=9000), session(2, age=10), session(3, 1), session(4, 1, 2, 3))
    edges = (edge(3, 1), edge(4, 1), edge(4, 2), edge(4, 3, Via.QUEUE))
    watch = ChainWatch(behind_sessions)
    watch.take(SampleReading(due=EpochMs(0), took=Millis(1), sessions=sessions, edges=edges), 1.0)
    first, second = watch.worst_first()
    assert (first.root.pid, first.lost_s) == (1, 2.0)
    assert (second.root.pid, second.lost_s, list(second.edges)) == (2, 0.0, [(4, 2, "table fare")])
    assert watch.total_s == first.lost_s
    assert {key[:2] for key in first.edges} == {(3, 1), (4, 1), (4, 2), (4, 3)}, "every edge is told"


def test_conflicts_are_mutual_and_weaker_modes_conflict_with_no_more() -> None:
    for one in MODES:
        assert conflict(one, "AccessExclusiveLock")
        assert all(conflict(one, other) == conflict(other, one) for other in MODES)
        assert wants("relation", one) != "have it"
        assert holds("relation", one)
    assert not conflict("RowExclusiveLock", "RowExclusiveLock")
    assert not conflict("ShareLock", "ShareLock")
    assert conflict("ShareUpdateExclusiveLock", "ShareUpdateExclusiveLock")
    assert not any(conflict("SIReadLock", other) or conflict(other, "SIReadLock") for other in (*MODES, "SIReadLock"))
    assert conflict("NobodyKnowsLock", "AccessShareLock"), "of one that is not known the worst is assumed"
    assert strongest(["RowShareLock", "ShareLock"]) == "ShareLock"
    assert strongest([]) == ""
    assert conflict("a mode of tomorrow", "ShareLock")


def test_things_have_names_and_where_there_is_none_a_number() -> None:
    names = Names(
        relations={5: ("fare", ""), 6: ("fare_pkey", "fare"), 8: ("port", ""), 9: ("port_pkey", "port")}, database=1
    )

    def told(thing: LockedThing, *own: LockRow) -> tuple[str, str, str]:
        return tuple(describe(thing, own, names))  # type: ignore[return-value]

    assert told(LockedThing("relation", 1, 6)) == ("index fare_pkey", "", "fare")
    assert told(LockedThing("relation", 2, 5)) == ("relation 5", "", ""), "of another database"
    assert told(LockedThing("tuple", 1, 5, 3, 4)) == ("row of fare", "(3,4)", "fare")
    assert told(LockedThing("extend", 1, 5)) == ("end of table fare", "", "fare")
    assert told(LockedThing("advisory", 1, classid=2, objid=3, objsubid=2)) == ("advisory lock", "(2, 3)", "")
    assert told(LockedThing("advisory", 1, classid=0xFFFFFFFF, objid=0xFFFFFFF9, objsubid=1))[1] == "-7"
    behind = LockedThing("transactionid", transaction=99)
    writes = [LockRow(1, LockedThing("relation", 1, oid), "", "RowExclusiveLock", True) for oid in (5, 6, 8)]
    assert told(behind) == ("end of a transaction", "99", "")
    assert told(behind, writes[0], writes[1]) == ("row of fare", "", "fare"), "its index is no second table"
    assert told(behind, *writes) == ("row of fare", "", "fare"), (
        "where keys are inserted, the table's indexes are locked"
    )
    both = [*writes, LockRow(1, LockedThing("relation", 1, 9), "", "RowExclusiveLock", True)]
    assert told(behind, *both) == ("end of a transaction", "99", ""), "one of two tables, and nobody knows which"
    assert told(LockedThing("something new"))[0] == "something new"


def test_stretches_end_where_what_it_does_changes_or_it_is_not_seen() -> None:
    rows = frame((0, 5, 0), (1, 5, 0), (2, 5, 9), (5, 5, 9), ticks=8)
    assert stretches(rows) == [Stretch(0, 1, 0, 0), Stretch(2, 2, 0, 9), Stretch(5, 5, 0, 9)]
    assert stretches(rows.rows(rows.pid == 77)) == []


def test_statements_are_told_apart_by_when_they_began() -> None:
    ages = np.array([300, 1300, 200, 1200, -1, -1], dtype=np.int64)
    tick = np.array([0, 1, 2, 3, 4, 6], dtype=np.int64)
    base = frame(*((int(t), 5, 0) for t in tick))
    made = replace(base, tick=tick, statement_ms=ages)
    assert statements_run(made, [True]) == [
        Ran(-300, 1000, 0), Ran(1800, 4000, 0), Ran(6000, 6000, 0),
    ]  # fmt: skip
    assert statements_run(made, [False]) == []


@given(st.lists(st.tuples(st.integers(0, 3), st.integers(1, 4), st.integers(0, 2)), max_size=20))
def test_waits_add_up_to_the_ticks_they_were_seen(parts: list[tuple[int, int, int]]) -> None:
    """Parts of (code, length, gap before)."""
    found, at = [], 0
    for code, length, gap in parts:
        at += gap
        found.append(Stretch(at, at + length - 1, code, 0))
        at += length
    sums = wait_sums(found, np.array([0, 1, 1, 2]))
    assert sum(one.ticks for one in sums) == sum(length for _, length, _ in parts)
    per_group = Counter[int]()
    for code, length, _ in parts:
        per_group[[0, 1, 1, 2][code]] += length
    assert sorted(one.ticks for one in sums) == sorted(per_group.values())
    assert all(one.count >= 1 and one.longest <= one.ticks for one in sums)


def test_frames_join_in_order_and_cut_at_ticks() -> None:
    early, late = frame((0, 5, 0), (1, 4, 5)), frame((0, 9, 0))
    shifted = replace(late, tick_ms=late.tick_ms + 500)
    both = joined([shifted, early])
    assert both.tick_ms.tolist() == [0, 500, 1000]
    assert list(zip(both.tick.tolist(), both.pid.tolist(), strict=True)) == [(0, 5), (1, 9), (2, 4)]
    part = both.within(Window(start=EpochMs(400), end=EpochMs(1001)))
    assert (part.tick_ms.tolist(), part.pid.tolist(), part.tick.tolist()) == ([500, 1000], [9, 4], [0, 1])
    assert len(joined([]).pid) == 0
