"""A real server that takes rights away, refuses, or stops: noticed, said in a sentence of its own, never an idle server."""

import asyncio
import os
import signal
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import replace

import psycopg
import pytest
from faena.collector.intake import Record
from faena.collector.kinds import Counted, Noted, Sampled
from faena.collector.orders import WatchOrder
from faena.collector.supervise import SystemClock
from faena.collector.watch import Watch
from faena.core.errors import SourceRefused
from faena.core.units import EpochMs
from faena.sources.postgres import PostgresSource, Target
from patience import PATIENCE_S
from watched import owner

ORDER = WatchOrder(server_id=1, name="faulty", revision=1, source={}, period_ms=200, counters_every_ms=400)


@pytest.fixture
def role(target: Target) -> Iterator[Target]:
    """A role of its own, that tests may maltreat."""
    with owner("postgres") as keeper:
        keeper.execute("DROP ROLE IF EXISTS fragile")
        keeper.execute("CREATE ROLE fragile LOGIN PASSWORD 'first'")
        keeper.execute("GRANT pg_read_all_stats, pg_read_all_settings TO fragile")
    yield replace(target, user="fragile", password="first")
    with owner("postgres") as keeper:
        keeper.execute("SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE usename = 'fragile'")
        keeper.execute("DROP ROLE IF EXISTS fragile")


async def watched(target: Target, *acts: Callable[[list[Record]], bool], seconds: float = PATIENCE_S) -> list[Record]:
    """Watch, and go on from act to act as soon as each says that it has seen enough."""
    records: list[Record] = []
    task = asyncio.create_task(Watch(ORDER, PostgresSource(target), records.append, SystemClock()).run())
    try:
        async with asyncio.timeout(seconds):
            for act in acts:
                while not await asyncio.to_thread(act, records):
                    await asyncio.sleep(0.1)
    finally:
        task.cancel()
        await asyncio.gather(task, return_exceptions=True)
    return records


def seen(kind: type[Record], count: int) -> Callable[[list[Record]], bool]:
    return lambda records: sum(isinstance(one, kind) for one in records) >= count


def noted(event: str, count: int = 1) -> Callable[[list[Record]], bool]:
    return lambda records: sum(isinstance(one, Noted) and one.event == event for one in records) >= count


def running(statement: str) -> Callable[[list[Record]], bool]:
    def act(_: list[Record]) -> bool:
        with owner("postgres") as keeper:
            keeper.execute(statement.encode())
        return True

    return act


def test_rights_that_are_taken_away_are_a_gap_and_not_an_idle_server(role: Target) -> None:
    with owner() as busy:
        busy.execute("BEGIN")  # somebody holds a transaction all the while, so no true sample is empty
        busy.execute("SELECT 1")
        records = asyncio.run(
            watched(
                role, seen(Sampled, 5), seen(Counted, 1), running("REVOKE pg_read_all_stats FROM fragile"), noted("away"),
                running("SELECT count(*) FROM generate_series(1, 1000)"), running("GRANT pg_read_all_stats TO fragile"),
                noted("connected", 2), seen(Sampled, 9), seen(Counted, 3),
            )
        )  # fmt: skip
    away = next(one for one in records if isinstance(one, Noted) and one.event == "away")
    assert "may not see what other sessions do any more" in away.detail
    assert 'GRANT pg_read_all_stats TO "fragile"' in away.detail
    samples = [one for one in records if isinstance(one, Sampled)]
    assert all(one.reading.sessions for one in samples), "no tick shows an idle server"
    calls = [float(one.delta.values[:, 0].sum()) for one in records if isinstance(one, Counted)]
    assert max(calls) < 5_000, "what comes back is no work of one moment"


def test_counters_that_were_away_are_not_taken_for_the_work_of_one_reading(role: Target) -> None:
    with owner() as keeper:
        for _ in range(300):
            keeper.execute("SELECT count(*) FROM deck_slot")
    source = PostgresSource(role)

    async def read() -> None:
        await source.connect()
        try:
            assert await source.counters(EpochMs(1)) is not None
            with owner("postgres") as keeper:
                keeper.execute("REVOKE pg_read_all_stats FROM fragile")
            with pytest.raises(SourceRefused, match="any more"):
                await source.counters(EpochMs(2))
        finally:
            await source.close()

    asyncio.run(read())


REFUSALS = {
    "another password": ("ALTER ROLE fragile PASSWORD 'second'", "refused the password", "settings"),
    "no login": ("ALTER ROLE fragile NOLOGIN", "may not log in", "ALTER ROLE"),
    "no connection left": (
        "ALTER ROLE fragile CONNECTION LIMIT 0",
        "CONNECTION LIMIT is reached",
        "CONNECTION LIMIT 5",
    ),
    "role dropped": ("DROP OWNED BY fragile; DROP ROLE fragile", "does not know our role", "role script"),
}


@pytest.mark.parametrize(("statement", "sentence", "remedy"), REFUSALS.values(), ids=REFUSALS)
def test_each_refusal_has_its_sentence_and_its_remedy(role: Target, statement: str, sentence: str, remedy: str) -> None:
    with owner("postgres") as keeper:
        for one in statement.split("; "):
            keeper.execute(one.encode())
    if statement.startswith("DROP"):
        pass  # with scram a role that is not there looks like one whose password is wrong, until pg_hba says otherwise
    with pytest.raises(SourceRefused) as refused:
        asyncio.run(PostgresSource(role).connect())
    words = str(refused.value)
    if statement.startswith("DROP"):
        assert sentence in words or "refused the password" in words
    else:
        assert sentence in words
        assert remedy in refused.value.remedy


def test_a_database_that_is_gone_is_said_so(role: Target) -> None:
    with pytest.raises(SourceRefused, match="does not have the database"):
        asyncio.run(PostgresSource(replace(role, database="gone")).connect())


def test_a_connection_that_must_be_checked_and_cannot_is_said_so(role: Target) -> None:
    with pytest.raises(SourceRefused) as refused:
        asyncio.run(PostgresSource(replace(role, sslmode="verify-full")).connect())
    assert "weaker TLS mode" in refused.value.remedy


@contextmanager
def stopped(pids: list[int]) -> Iterator[None]:
    for pid in pids:
        os.kill(pid, signal.SIGSTOP)
    try:
        yield
    finally:
        for pid in pids:
            os.kill(pid, signal.SIGCONT)


def backends(user: str) -> list[int]:
    with owner("postgres") as keeper:
        rows = keeper.execute("SELECT pid FROM pg_stat_activity WHERE usename = %s", [user]).fetchall()
    return [pid for (pid,) in rows]


def test_a_server_that_is_stopped_is_said_to_be_so_within_five_seconds(role: Target) -> None:
    async def scenario() -> tuple[list[Record], float]:
        records: list[Record] = []
        task = asyncio.create_task(Watch(ORDER, PostgresSource(role), records.append, SystemClock()).run())
        clock = SystemClock()
        try:
            async with asyncio.timeout(PATIENCE_S):
                while not seen(Sampled, 5)(records):
                    await asyncio.sleep(0.1)
                pids = await asyncio.to_thread(backends, "fragile")
                with stopped(pids):
                    begun = clock.monotonic()
                    while not noted("away")(records):
                        await asyncio.sleep(0.05)
                    told = clock.monotonic() - begun
                while not noted("connected", 2)(records):
                    await asyncio.sleep(0.1)
        finally:
            task.cancel()
            await asyncio.gather(task, return_exceptions=True)
        return records, told

    records, told = asyncio.run(scenario())
    assert told < 5
    away = next(one for one in records if isinstance(one, Noted) and one.event == "away")
    assert "stopped" in away.detail


def test_sampling_costs_no_right_it_does_not_need(role: Target) -> None:
    """The role script without more: sessions, counters, sizes, and no file, no table, no other session's end."""

    async def read() -> None:
        source = PostgresSource(role)
        facts = await source.connect()
        try:
            assert "shared_preload_libraries" in facts.settings
            assert (await source.sample(EpochMs(1000))) is not None
            assert (await source.counters(EpochMs(1000))) is not None
            await source.survey(EpochMs(1000))
        finally:
            await source.close()

    asyncio.run(read())
    with psycopg.connect(role.conninfo(), autocommit=True) as connection:
        for forbidden in ("SELECT pg_read_file('PG_VERSION')", "SELECT * FROM deck_slot", "SELECT pg_ls_logdir()"):
            with pytest.raises(psycopg.errors.InsufficientPrivilege):
                connection.execute(forbidden.encode())
