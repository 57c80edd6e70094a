"""Chains from a real server under real contention, checked against what the server itself says at that moment."""

import asyncio
import time
from collections.abc import Callable, Iterator, Sequence
from dataclasses import replace
from typing import LiteralString

import pytest
from contention import Player, Scene, sampled, scene
from faena.core.engines.postgres.locks.table import Names, edges_of
from faena.core.locks.chains import Chain, RootState, chains_at
from faena.core.readings import LockEdge, SampleReading, Via
from faena.core.units import EpochMs, Pid
from faena.sources.postgres import PostgresSource, Target
from psycopg.rows import TupleRow
from watched import owner

SETUP = """
CREATE TABLE sailing (id int PRIMARY KEY, booked int NOT NULL DEFAULT 0);
INSERT INTO sailing SELECT i FROM generate_series(1, 50) i;
CREATE TABLE slot (id int PRIMARY KEY, sailing_id int NOT NULL REFERENCES sailing);
CREATE TABLE fare (id int PRIMARY KEY, amount int);
INSERT INTO fare SELECT i, i FROM generate_series(1, 200000) i;
CREATE TABLE berth (code text UNIQUE);
CREATE TABLE tide (height int PRIMARY KEY) PARTITION BY RANGE (height);
CREATE TABLE tide_low PARTITION OF tide FOR VALUES FROM (0) TO (10);
"""


@pytest.fixture(scope="module")
def quay(target: Target) -> Target:
    """A database of its own."""
    with owner("postgres") as keeper:
        keeper.execute("DROP DATABASE IF EXISTS quay WITH (FORCE)")
        keeper.execute("CREATE DATABASE quay")
    with owner("quay") as keeper:
        keeper.execute(SETUP.encode())
    return replace(target, database="quay")


@pytest.fixture
def stage(quay: Target) -> Iterator[Scene]:
    with scene("quay") as made:
        yield made


def seen(quay: Target, stage: Scene) -> tuple[SampleReading, list[Chain]]:
    """One sample, whose edges are those of the server, and the chains in it."""
    reading = sampled(quay)
    for player in stage.players:
        mine = {edge.blocker if edge.blocker > 0 else 0 for edge in reading.edges if edge.waiter == player.pid}
        assert mine == stage.blocking(player), player.name
    return reading, chains_at(reading.sessions, reading.edges)


def edge(reading: SampleReading, waiter: Player, blocker: Player | None) -> LockEdge:
    """The one edge between two players; None: the one to a prepared transaction."""
    wanted = blocker.pid if blocker else -1
    (found,) = [one for one in reading.edges if one.waiter == waiter.pid and one.blocker == wanted]
    return found


def names(chain: Chain) -> list[tuple[str, int]]:
    return [(link.session.program if link.session else "", link.depth) for link in chain.links]


def test_an_idle_root_with_many_waiters(quay: Target, stage: Scene) -> None:
    console, *webs = (stage.player(name) for name in ("console", *(f"web-{i}" for i in range(8))))
    console.ask("BEGIN")
    console.ask("SELECT * FROM sailing WHERE id = 1 FOR UPDATE")
    for web in webs:
        web.start("UPDATE sailing SET booked = booked + 1 WHERE id = 1")
        stage.until_waiting(web)
    reading, (chain,) = seen(quay, stage)
    assert (chain.state, chain.waiting) == (RootState.IDLE_IN_TRANSACTION, 8)
    assert chain.root.session
    assert chain.root.session.program == "console"
    first = edge(reading, webs[0], console)
    assert (first.fact.lock_type, first.fact.object, first.fact.table) == ("transactionid", "row of sailing", "sailing")
    assert first.which == "(0,1)"
    assert (first.fact.mode_wanted, first.fact.mode_held) == ("ShareLock", "ExclusiveLock")
    assert first.waited_ms >= 0
    # The first stands behind the console, and all others only behind those that came before them.
    assert names(chain)[:3] == [("console", 0), ("web-0", 1), ("web-1", 2)]
    second = edge(reading, webs[1], webs[0])
    assert (second.fact.lock_type, second.fact.via) == ("tuple", Via.HOLDER)
    third = edge(reading, webs[2], webs[1])
    assert third.fact.via is Via.QUEUE


def test_three_layers_through_a_change_of_the_table(quay: Target, stage: Scene) -> None:
    report, crew, web, gate = (stage.player(name) for name in ("report", "crew", "web", "gate"))
    report.ask("BEGIN")
    report.ask("SELECT count(*) FROM fare")
    crew.start("ALTER TABLE fare ADD COLUMN note text")
    stage.until_waiting(crew)
    web.start("SELECT * FROM fare WHERE id = 5")
    stage.until_waiting(web)
    gate.start("UPDATE fare SET amount = 1 WHERE id = 7")
    stage.until_waiting(gate)
    reading, (chain,) = seen(quay, stage)
    assert names(chain) == [("report", 0), ("crew", 1), ("web", 2), ("gate", 2)]
    assert edge(reading, crew, report).fact.via is Via.HOLDER
    behind = edge(reading, web, crew)
    # The report's own lock would not stop the web: it stands only behind the one that asked before it.
    assert (behind.fact.via, behind.fact.object) == (Via.QUEUE, "table fare")
    assert (behind.fact.mode_wanted, behind.fact.mode_held) == ("AccessShareLock", "")
    assert chain.links[1].behind == 2


def test_a_foreign_key(quay: Target, stage: Scene) -> None:
    office, web = stage.player("office"), stage.player("web")
    office.ask("BEGIN")
    office.ask("DELETE FROM sailing WHERE id = 9")
    web.start("INSERT INTO slot VALUES (1, 9)")
    stage.until_waiting(web)
    reading, (chain,) = seen(quay, stage)
    assert names(chain) == [("office", 0), ("web", 1)]
    assert edge(reading, web, office).fact.table == "sailing"


def test_advisory_locks_also_of_an_idle_session(quay: Target, stage: Scene) -> None:
    nightly, other, shared = stage.player("nightly"), stage.player("other"), stage.player("shared")
    nightly.ask("SELECT pg_advisory_lock(4711)")
    other.start("SELECT pg_advisory_lock(4711)")
    stage.until_waiting(other)
    reading, (chain,) = seen(quay, stage)
    assert chain.state is RootState.IDLE
    assert chain.root.session
    assert (chain.root.session.program, chain.root.session.is_active) == ("nightly", False)
    found = edge(reading, other, nightly)
    assert (found.fact.object, found.which) == ("advisory lock", "4711")
    shared.ask("SELECT pg_advisory_lock(-7)")
    third = stage.player("third")
    third.start("SELECT pg_advisory_lock_shared(-7)")
    stage.until_waiting(third)
    reading, chains = seen(quay, stage)
    assert len(chains) == 2
    assert edge(reading, third, shared).which == "-7"


def test_a_prepared_transaction_has_no_session(quay: Target, stage: Scene) -> None:
    gone, web = stage.player("gone"), stage.player("web")
    gone.ask("BEGIN")
    gone.ask("UPDATE sailing SET booked = 5 WHERE id = 3")
    gone.ask("PREPARE TRANSACTION 'ferry-77'")
    try:
        web.start("UPDATE sailing SET booked = 6 WHERE id = 3")
        stage.until_waiting(web)
        reading, (chain,) = seen(quay, stage)
        assert chain.state is RootState.PREPARED
        assert chain.gid == "ferry-77"
        assert chain.root.session is None
        assert edge(reading, web, None).fact.gid == "ferry-77"
        (waiter,) = [one for one in reading.sessions if one.pid == web.pid]
        assert waiter.blocked_by == (-1,)
    finally:
        with owner("quay") as keeper:
            keeper.execute("ROLLBACK PREPARED 'ferry-77'")


def test_a_unique_insert(quay: Target, stage: Scene) -> None:
    first, second = stage.player("first"), stage.player("second")
    first.ask("BEGIN")
    first.ask("INSERT INTO berth VALUES ('A1')")
    second.start("INSERT INTO berth VALUES ('A1')")
    stage.until_waiting(second)
    reading, (chain,) = seen(quay, stage)
    assert names(chain) == [("first", 0), ("second", 1)]
    found = edge(reading, second, first)
    assert (found.fact.lock_type, found.fact.table) == ("transactionid", "berth")


def test_a_unique_insert_after_others_names_the_table_it_inserts_into(quay: Target, stage: Scene) -> None:
    first, second = stage.player("first"), stage.player("second")
    for player, key in ((first, 71), (second, 72)):
        player.ask("BEGIN")
        player.ask(f"INSERT INTO sailing VALUES ({key})")
        player.ask(f"INSERT INTO slot VALUES ({key}, 1)")
    first.ask("INSERT INTO berth VALUES ('B1')")
    second.start("INSERT INTO berth VALUES ('B1')")
    stage.until_waiting(second)
    reading, _ = seen(quay, stage)
    assert edge(reading, second, first).fact.table == "berth"


def test_a_unique_insert_into_a_partition_names_the_partition(quay: Target, stage: Scene) -> None:
    first, second = stage.player("first"), stage.player("second")
    for player in (first, second):
        player.ask("BEGIN")
    first.ask("INSERT INTO tide VALUES (1)")
    second.start("INSERT INTO tide VALUES (1)")
    stage.until_waiting(second)
    reading, _ = seen(quay, stage)
    assert edge(reading, second, first).fact.table == "tide_low"


def test_a_unique_insert_after_a_change_of_another_table_is_not_put_down_to_it(quay: Target, stage: Scene) -> None:
    first, second = stage.player("first"), stage.player("second")
    for player, row in ((first, 31), (second, 32)):
        player.ask("BEGIN")
        player.ask(f"UPDATE sailing SET booked = 1 WHERE id = {row}")
    first.ask("INSERT INTO berth VALUES ('C1')")
    second.start("INSERT INTO berth VALUES ('C1')")
    stage.until_waiting(second)
    reading, _ = seen(quay, stage)
    assert edge(reading, second, first).fact.table in ("berth", ""), "which of the two cannot always be told"


def test_a_wait_for_a_safe_snapshot_has_its_blockers(quay: Target, stage: Scene) -> None:
    writer, report = stage.player("writer"), stage.player("report")
    writer.ask("BEGIN ISOLATION LEVEL SERIALIZABLE")
    writer.ask("UPDATE sailing SET booked = 2 WHERE id = 41")
    report.ask("BEGIN ISOLATION LEVEL SERIALIZABLE READ ONLY DEFERRABLE")
    report.start("SELECT count(*) FROM sailing")
    stage.until("SELECT wait_event FROM pg_stat_activity WHERE pid = %s", (report.pid,), "SafeSnapshot")
    reading = sampled(quay)
    found = edge(reading, report, writer)
    assert (found.fact.lock_type, found.fact.object) == ("safe snapshot", "safe snapshot")
    (chain,) = chains_at(reading.sessions, reading.edges)
    assert names(chain) == [("writer", 0), ("report", 1)]
    writer.ask("COMMIT")
    report.join()
    assert not report.failed
    assert not sampled(quay).edges


def test_vacuum_against_a_change_of_the_table(quay: Target, stage: Scene) -> None:
    vacuum, crew, web = stage.player("upkeep"), stage.player("crew"), stage.player("web")
    vacuum.ask("SET vacuum_cost_delay = 50")
    vacuum.ask("SET vacuum_cost_limit = 1")
    vacuum.start("VACUUM (DISABLE_PAGE_SKIPPING) fare")
    stage.until("SELECT count(*) FROM pg_stat_progress_vacuum WHERE pid = %s", (vacuum.pid,), 1)
    crew.start("ALTER TABLE fare ADD COLUMN extra int")
    stage.until_waiting(crew)
    web.start("SELECT count(*) FROM fare")
    stage.until_waiting(web)
    reading, (chain,) = seen(quay, stage)
    assert names(chain) == [("upkeep", 0), ("crew", 1), ("web", 2)]
    assert edge(reading, crew, vacuum).fact.mode_held == "ShareUpdateExclusiveLock"
    assert chain.state in (RootState.RUNNING, RootState.WAITING, RootState.DISK)


def test_a_worker_of_autovacuum_that_gives_way_after_a_second_is_seen(quay: Target, stage: Scene) -> None:
    """The server ends its work for whoever waits for longer than deadlock_timeout: until then it stands in the way."""
    crew = stage.player("crew")
    with owner("quay") as keeper:
        keeper.execute("ALTER SYSTEM SET autovacuum_naptime = '1s'")
        try:
            keeper.execute("SELECT pg_reload_conf()")
            keeper.execute("CREATE TABLE ledger (id int, note text) WITH (autovacuum_vacuum_threshold = 1, "
                           "autovacuum_vacuum_scale_factor = 0, autovacuum_vacuum_cost_delay = 100, autovacuum_vacuum_cost_limit = 1)")  # fmt: skip
            keeper.execute("INSERT INTO ledger SELECT i, repeat('x', 200) FROM generate_series(1, 50000) i")
            keeper.execute("DELETE FROM ledger WHERE id % 3 = 0")
            working = "SELECT count(*) FROM pg_stat_activity WHERE backend_type = 'autovacuum worker' AND query LIKE '%%ledger%%'"
            stage.until(f"{working} AND %s::int = 1", (1,), 1)
            crew.start("ALTER TABLE ledger ADD COLUMN extra int")
            stage.until_waiting(crew)
            reading = sampled(quay)
            (found,) = [one for one in reading.edges if one.waiter == crew.pid]
            (worker,) = [one for one in reading.sessions if one.pid == found.blocker]
            assert (worker.backend, worker.program) == ("autovacuum worker", "autovacuum worker")
            assert (found.fact.table, found.fact.mode_held) == ("ledger", "ShareUpdateExclusiveLock")
            crew.join()
            assert not crew.failed, "it gave way"
        finally:
            keeper.execute("ALTER SYSTEM RESET autovacuum_naptime")
            keeper.execute("SELECT pg_reload_conf()")
            keeper.execute("DROP TABLE ledger")


def test_two_chains_at_once_stay_apart(quay: Target, stage: Scene) -> None:
    one, two, web, gate, late = (stage.player(name) for name in ("one", "two", "web", "gate", "late"))
    for player, row in ((one, 20), (two, 21)):
        player.ask("BEGIN")
        player.ask(f"UPDATE sailing SET booked = 1 WHERE id = {row}")
    web.start("UPDATE sailing SET booked = 2 WHERE id = 20")
    gate.start("UPDATE sailing SET booked = 2 WHERE id = 21")
    stage.until_waiting(web, gate)
    late.start("UPDATE sailing SET booked = 3 WHERE id = 20")
    stage.until_waiting(late)
    _, chains = seen(quay, stage)
    assert [names(chain)[0][0] for chain in chains] == ["one", "two"]
    assert [chain.waiting for chain in chains] == [2, 1]


def test_a_root_that_waits_for_its_client_and_one_that_sleeps(quay: Target, stage: Scene) -> None:
    export, web, sleeper, gate = (stage.player(name) for name in ("export", "web", "sleeper", "gate"))
    export.ask("BEGIN")
    export.ask("LOCK TABLE berth IN ACCESS EXCLUSIVE MODE")
    pipe = export.connection.cursor()
    copying = pipe.copy("COPY (SELECT repeat('x', 1000) FROM generate_series(1, 100000)) TO STDOUT")
    with copying as rows:
        rows.read()
        stage.until("SELECT wait_event FROM pg_stat_activity WHERE pid = %s", (export.pid,), "ClientWrite")
        web.start("SELECT * FROM berth")
        stage.until_waiting(web)
        sleeper.ask("BEGIN")
        sleeper.ask("UPDATE sailing SET booked = 1 WHERE id = 30")
        sleeper.start("SELECT pg_sleep(20)")
        gate.start("UPDATE sailing SET booked = 1 WHERE id = 30")
        stage.until_waiting(gate)
        _, chains = seen(quay, stage)
        states = {names(chain)[0][0]: chain.state for chain in chains}
        assert states == {"export": RootState.CLIENT, "sleeper": RootState.WAITING}
        stage.keeper.execute("SELECT pg_terminate_backend(%s)", (export.pid,))
        with pytest.raises(Exception, match=r"terminat|closed|lost"):
            for _ in rows:
                pass


def test_a_root_that_waits_for_its_disk(quay: Target, stage: Scene) -> None:
    report, web = stage.player("report"), stage.player("web")
    report.ask("SET work_mem = '64kB'")
    report.ask("BEGIN")
    report.ask("UPDATE sailing SET booked = 1 WHERE id = 45")
    report.start("SELECT md5(a::text) FROM generate_series(1, 20000000) a ORDER BY 1")
    web.start("UPDATE sailing SET booked = 2 WHERE id = 45")
    stage.until_waiting(web)
    for _ in range(400):  # it spills, and is seen waiting for it now and then
        reading = sampled(quay)
        (chain,) = chains_at(reading.sessions, reading.edges)
        if chain.state is RootState.DISK:
            break
    assert chain.state is RootState.DISK
    assert names(chain) == [("report", 0), ("web", 1)]


def test_parallel_workers_stand_under_their_leader(quay: Target, stage: Scene) -> None:
    report, crew = stage.player("report"), stage.player("crew")
    for setting in ("parallel_setup_cost = 0", "parallel_tuple_cost = 0", "min_parallel_table_scan_size = 0"):
        report.ask(f"SET {setting}")
    report.ask("SET max_parallel_workers_per_gather = 2")
    report.start("SELECT count(*) FROM fare a JOIN fare b ON a.amount % 50 = b.amount % 50 AND a.id < b.id")
    stage.until("SELECT count(*) > 0 FROM pg_stat_activity WHERE leader_pid = %s", (report.pid,), True)
    crew.start("ALTER TABLE fare ADD COLUMN more int")
    stage.until_waiting(crew)
    reading, (chain,) = seen(quay, stage)
    assert names(chain) == [("report", 0), ("crew", 1)]
    assert edge(reading, crew, report).fact.mode_held == "AccessShareLock"
    workers = [one for one in reading.sessions if one.leader == report.pid]
    assert workers
    assert all(one.backend == "parallel worker" for one in workers)


def test_a_holder_that_the_lock_table_does_not_show(quay: Target, stage: Scene) -> None:
    """Two share a row; a waiter stands behind one of them at a time, and behind the other once that one has gone."""
    first, second, web = stage.player("first"), stage.player("second"), stage.player("web")
    for player in (first, second):
        player.ask("BEGIN")
        player.ask("SELECT * FROM sailing WHERE id = 40 FOR SHARE")
    web.start("UPDATE sailing SET booked = 9 WHERE id = 40")
    stage.until_waiting(web)
    _, (chain,) = seen(quay, stage)
    (holder,) = [player for player in (first, second) if player.pid == chain.root.pid]
    (other,) = [player for player in (first, second) if player is not holder]
    holder.ask("COMMIT")
    stage.until("SELECT pg_blocking_pids(%s)", (web.pid,), [other.pid])
    reading, (chain,) = seen(quay, stage)
    assert names(chain)[0][0] == other.name
    assert edge(reading, web, other).fact.object == "row of sailing"


def readings(quay: Target, *between: Callable[[], None]) -> tuple[list[SampleReading], list[int]]:
    """Samples on one connection with something done between them, and how often each asked for the lock table."""
    asked = [0]

    async def take() -> list[SampleReading]:
        source = PostgresSource(quay)
        await source.connect()
        quickly = source._locks._quickly

        async def counted(query: LiteralString, args: Sequence[object] | None) -> list[TupleRow]:
            asked[-1] += "pg_lock_status" in query
            return await quickly(query, args)

        source._locks._quickly = counted
        found = [await source.sample(EpochMs(0))]
        for act in between:
            asked.append(0)
            await asyncio.to_thread(act)
            found.append(await source.sample(EpochMs(0)))
        await source.close()
        return found

    return asyncio.run(take()), asked


def test_the_lock_table_is_asked_for_anew_only_when_other_waits_are_there(quay: Target, stage: Scene) -> None:
    holder, web, late = stage.player("holder"), stage.player("web"), stage.player("late")
    holder.ask("BEGIN")
    holder.ask("UPDATE sailing SET booked = 1 WHERE id = 41")
    web.start("UPDATE sailing SET booked = 2 WHERE id = 41")
    stage.until_waiting(web)

    def more() -> None:
        holder.ask("SELECT 1")  # a root at work changes nothing for those behind it
        time.sleep(0.3)

    def another() -> None:
        late.start("CREATE INDEX IF NOT EXISTS late ON sailing (booked)")
        stage.until_waiting(late)

    def a_new_transaction() -> None:
        holder.ask("COMMIT")
        stage.until(
            "SELECT count(*) FROM pg_stat_activity WHERE wait_event_type = 'Lock' AND datname = %s", ("quay",), 0
        )
        late.join()
        web.join()
        for statement in ("BEGIN", "UPDATE sailing SET booked = 1 WHERE id = 42"):
            holder.ask(statement)
        web.start("UPDATE sailing SET booked = 2 WHERE id = 42")
        stage.until_waiting(web)

    found, asked = readings(quay, more, another, more, a_new_transaction)
    assert asked == [1, 0, 1, 0, 1]
    first, second, third, fourth, last = (edge(one, web, holder) for one in found)
    assert first.fact == second.fact == third.fact == fourth.fact
    assert first.which == second.which
    assert second.waited_ms - first.waited_ms >= 250, "the wait went on meanwhile"
    assert edge(found[3], late, holder).fact.object == "table sailing"
    assert (last.fact.object, last.waited_ms < fourth.waited_ms) == ("row of sailing", True)


def test_a_lock_that_is_let_go_while_we_look_leaves_an_edge_without_detail(quay: Target) -> None:
    (found,) = edges_of([], {Pid(5): [6]}, {}, Names())
    assert (found.waiter, found.blocker, found.fact.object) == (5, 6, "")
