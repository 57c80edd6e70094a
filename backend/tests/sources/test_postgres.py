"""The PostgreSQL source against a real server: real sessions, real lock waits, real counters."""

import asyncio
import re
import threading
import time
from collections.abc import Callable, Coroutine, Iterator
from contextlib import contextmanager, suppress
from dataclasses import replace
from pathlib import Path
from typing import Any, TypeVar

import psycopg
import pytest
from contention import scene
from faena.core.engines.postgres.logneeds import log_needs
from faena.core.engines.postgres.waits.catalogue import CATALOGUE
from faena.core.errors import SourceAway, SourceRefused, SourceUnfit
from faena.core.logged import CaptureRules
from faena.core.readings import COUNTER_FIELDS, CounterReading, SampleReading, SessionSample, Survey
from faena.core.statements.counters import Break, difference
from faena.core.statements.executions import logged_share
from faena.core.units import EpochMs
from faena.sources.postgres import PostgresSource, Target, check_connection, queries
from faena.sources.postgres.check import role_script
from faena.sources.postgres.surveys import Counts, survey_between
from patience import PATIENCE_S
from watched import owner

T = TypeVar("T")
NOW = EpochMs(1_700_000_000_000)


def with_source(target: Target, work: Callable[[PostgresSource], Coroutine[Any, Any, T]]) -> T:
    async def scenario() -> T:
        source = PostgresSource(target)
        await source.connect()
        try:
            return await work(source)
        finally:
            await source.close()

    return asyncio.run(scenario())


@contextmanager
def busy(statement: str, program: str) -> Iterator[psycopg.Connection]:
    """A client that runs a statement in the background until the block ends."""
    connection = owner()
    connection.execute(f"SET application_name = '{program}'")

    def work() -> None:
        with suppress(psycopg.Error):
            connection.execute(statement)

    thread = threading.Thread(target=work)
    thread.start()
    try:
        yield connection
    finally:
        connection.cancel()
        thread.join(5)
        connection.close()


def sample_until(target: Target, condition: Callable[[dict[str, SessionSample]], object]) -> dict[str, SessionSample]:
    """Sample until the sessions by program satisfy the condition."""

    async def work(source: PostgresSource) -> dict[str, SessionSample]:
        found: dict[str, SessionSample] = {}
        end = time.monotonic() + PATIENCE_S
        while not condition(found):
            assert time.monotonic() < end, f"not seen; last were {sorted(found)}"
            reading: SampleReading = await source.sample(NOW)
            found = {s.program: s for s in reading.sessions}
            await asyncio.sleep(0.05)
        return found

    return with_source(target, work)


def test_a_sleeping_session_is_seen_with_its_wait_and_statement(target: Target) -> None:
    with busy("SELECT pg_sleep(20)", "sleeper"):
        found = sample_until(target, lambda s: "sleeper" in s and s["sleeper"].query_id)["sleeper"]
    assert (found.wait_type, found.wait_event) == ("Timeout", "PgSleep")
    assert (found.database, found.user, found.client) == ("watched", "keeper", "127.0.0.1")
    assert found.statement_ms >= 0
    assert found.is_active


@pytest.mark.parametrize("form", ["traceparent='{}'", "traceparent:{}", 'traceparent="{}",route=%2Fbeds'])
def test_a_trace_context_in_a_comment_is_told_also_while_its_transaction_idles(target: Target, form: str) -> None:
    context = "0af7651916cd43dd8448eb211c80319c-b7ad6b7169203331"
    comment = "/*db_driver='psycopg'," + form.format(f"00-{context}-01") + "*/"
    with busy(f"SELECT pg_sleep(20) {comment}", "sleeper"):
        assert sample_until(target, lambda s: "sleeper" in s)["sleeper"].context == context
    with owner() as idle:
        idle.execute("SET application_name = 'idler'")
        idle.execute("BEGIN")
        idle.execute(f"SELECT 1 {comment}")
        assert sample_until(target, lambda s: "idler" in s)["idler"].context == context
        idle.execute("SELECT 'traceparent' AS word")
        assert sample_until(target, lambda s: "idler" in s)["idler"].context == ""


def test_who_blocks_whom_over_two_layers(target: Target) -> None:
    holder = owner()
    holder.execute("SET application_name = 'console'")
    holder.execute("BEGIN")
    holder.execute("UPDATE deck_slot SET held = 1 WHERE id = 7")
    try:
        with busy("UPDATE deck_slot SET held = 2 WHERE id = 7", "first"):
            sample_until(target, lambda s: "first" in s and s["first"].wait_type == "Lock")
            with busy("UPDATE deck_slot SET held = 3 WHERE id = 7", "second"):
                found = sample_until(target, lambda s: "second" in s and s["second"].blocked_by)
    finally:
        holder.execute("ROLLBACK")
        holder.close()
    assert found["console"].state == "idle in transaction"
    assert not found["console"].is_active
    assert found["console"].pid in found["first"].blocked_by
    assert found["first"].pid in found["second"].blocked_by
    assert {found["first"].wait_event, found["second"].wait_event} == {"transactionid", "tuple"}


def test_own_sessions_are_left_out(target: Target) -> None:
    reading = with_source(target, lambda source: source.sample(NOW))
    assert all(s.user != "watcher" for s in reading.sessions)


def test_a_statement_that_waits_before_it_has_an_identifier_is_known_by_its_text(target: Target) -> None:
    """Behind a table lock a statement waits while it is analysed, when the server has not numbered it yet."""
    text = "SELECT held FROM deck_slot WHERE id = 5"
    with owner() as connection:
        connection.execute(text)

    async def work(source: PostgresSource) -> tuple[set[int], int]:
        with owner() as connection:
            ids = {
                r[0]
                for r in connection.execute(
                    "SELECT queryid FROM pg_stat_statements WHERE query LIKE 'SELECT held FROM deck_slot WHERE id = $1'"
                )
            }
            await source.texts(list(ids))
            connection.execute("BEGIN")
            connection.execute("LOCK TABLE deck_slot")
            with busy(text.replace("5", "6"), "reader"):
                end = time.monotonic() + PATIENCE_S
                while time.monotonic() < end:
                    for s in (await source.sample(NOW)).sessions:
                        if s.program == "reader" and s.wait_type == "Lock" and s.query_id is not None:
                            connection.execute("ROLLBACK")
                            return ids, s.query_id
                    await asyncio.sleep(0.05)
        raise AssertionError("the reader was not seen waiting")

    known, seen = with_source(target, work)
    assert seen in known, "the same identifier as the server's own counters use"


def test_counters_grow_by_what_was_done(target: Target) -> None:
    async def work(source: PostgresSource) -> tuple[CounterReading, CounterReading]:
        with owner() as connection:
            connection.execute("SELECT count(*) FROM deck_slot WHERE held = 12345")
            before = await source.counters(NOW)
            for _ in range(7):
                connection.execute("SELECT count(*) FROM deck_slot WHERE held = 12345")
            after = await source.counters(EpochMs(NOW + 1000))
        assert before is not None
        assert after is not None
        return before, after

    before, after = with_source(target, work)
    delta = difference(before, after)
    calls = {k.query_id: v[COUNTER_FIELDS.index("calls")] for k, v in zip(delta.keys, delta.values, strict=True)}
    assert 7.0 in calls.values()
    assert delta.breaks == frozenset()

    async def texts(source: PostgresSource) -> list[str]:
        return [t.text for t in await source.texts([i for i, n in calls.items() if n == 7.0])]

    assert "SELECT count(*) FROM deck_slot WHERE held = $1" in with_source(target, texts)


def test_a_reset_of_the_counters_is_noticed(target: Target) -> None:
    async def work(source: PostgresSource) -> frozenset[Break]:
        before = await source.counters(NOW)
        with owner() as connection:
            connection.execute("SELECT pg_stat_statements_reset()")
        after = await source.counters(EpochMs(NOW + 1000))
        assert before is not None
        assert after is not None
        return difference(before, after).breaks

    assert with_source(target, work) == {Break.RESET}


def test_a_server_without_the_extension_has_no_counters(target: Target) -> None:
    plain = replace(target, database="postgres")
    assert with_source(plain, lambda source: source.counters(NOW)) is None


@pytest.mark.parametrize(
    ("change", "error", "words"),
    [
        ({"port": 1}, SourceAway, "refused"),
        ({"password": "wrong"}, SourceRefused, "refused the password"),
        ({"database": "nowhere"}, SourceRefused, "does not have the database"),
        ({"user": "stranger", "password": "secret-stranger"}, SourceUnfit, "may not see"),
    ],
)
def test_what_is_wrong_is_said(target: Target, change: dict[str, Any], error: type[Exception], words: str) -> None:
    with pytest.raises(error, match=words) as caught:
        asyncio.run(PostgresSource(replace(target, **change)).connect())
    assert caught.value.remedy  # type: ignore[attr-defined]
    assert "secret" not in str(caught.value)


def test_a_password_shows_nowhere(target: Target) -> None:
    assert "secret-watcher" not in repr(target)


def test_the_check_names_each_gap_with_its_remedy(target: Target) -> None:
    stranger = replace(target, database="postgres", user="stranger", password="secret-stranger")
    steps = {step.name: step for step in asyncio.run(check_connection(stranger))}
    assert steps["reachable"].ok
    assert steps["may see sessions"].remedy == 'GRANT pg_read_all_stats TO "stranger";'
    assert steps["statement counters"].remedy == "CREATE EXTENSION pg_stat_statements;"
    assert not steps["statement counters"].needed
    steps = {step.name: step for step in asyncio.run(check_connection(target))}
    assert all(step.ok for step in steps.values())
    steps = {step.name: step for step in asyncio.run(check_connection(replace(target, port=1)))}
    assert [step.ok for step in steps.values()] == [False, None, None, None, None, None]


def test_the_role_script_makes_a_role_that_passes_the_check(target: Target) -> None:
    with owner() as connection:
        connection.execute('DROP ROLE IF EXISTS "night watch"')
        for statement in filter(
            None, (line.split("--")[0].strip() for line in role_script("night watch").splitlines())
        ):
            connection.execute(statement)
    made = replace(target, user="night watch", password="choose-one")
    assert all(step.ok for step in asyncio.run(check_connection(made)) if step.needed)
    assert '""' in role_script('a"b')


def test_a_session_that_is_ended_makes_the_source_away(target: Target) -> None:
    async def work(source: PostgresSource) -> None:
        with owner() as connection:
            connection.execute(
                "SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE application_name = 'faena'"
            )
        end = time.monotonic() + PATIENCE_S  # it ends when it comes to it
        while time.monotonic() < end:
            await source.sample(NOW)

    with pytest.raises(SourceAway):
        with_source(target, work)


@pytest.mark.parametrize("version", [120000, 130000, 140000, 150000, 160000, 170000])
def test_queries_differ_by_version_where_the_server_does(version: int) -> None:
    assert ("query_id," in queries.sample(version)) == (version >= 140000)
    assert ("total_exec_time" in queries.counters(version)) == (version >= 130000)
    assert ("shared_blk_read_time" in queries.counters(version)) == (version >= 170000)


def test_every_wait_event_in_the_servers_own_program_is_explained() -> None:
    """Names that the server's binary holds beside its known wait events must be in the catalogue."""
    binary = Path("/usr/lib/postgresql/15/bin/postgres").read_bytes()
    words = {w.decode() for w in re.findall(rb"[A-Z][A-Za-z]{3,40}(?=\0)", binary)}
    in_15 = {key for key, m in CATALOGUE.items() if m.first_version <= 15 <= m.last_version}
    io = {event for wait_type, event in in_15 if wait_type == "IO"}
    assert len(io & words) >= 70, "the binary and the catalogue speak of the same events"
    suspicious = {
        w
        for w in words
        if re.fullmatch(
            r"(WAL|DataFile|BufFile|SLRU|LogicalRewrite|ControlFile)[A-Za-z]*(Read|Write|Sync|Flush|Truncate|Extend)", w
        )
    }
    assert suspicious <= {event for _, event in in_15}


def test_sizes_are_told_without_standing_in_line_for_a_table(target: Target) -> None:
    """A table that somebody wants for himself alone made the survey wait, and so ended the watch just when it was needed."""
    with scene("watched") as s:
        reader, builder = s.player("reader"), s.player("builder")
        reader.ask("BEGIN")
        reader.ask("SELECT count(*) FROM deck_slot")
        builder.start("ALTER TABLE deck_slot ALTER COLUMN held SET DEFAULT 0")
        s.until_waiting(builder)

        async def surveyed() -> Survey:
            source = PostgresSource(target)
            await source.connect()
            try:
                await source.survey(NOW)
                return await source.survey(EpochMs(NOW + 60_000))
            finally:
                await source.close()

        assert asyncio.run(surveyed()).vitals is not None


def test_a_survey_counts_what_happened_since_the_one_before(target: Target) -> None:
    with owner() as connection:
        connection.execute("DROP TABLE IF EXISTS surveyed")
        connection.execute("CREATE TABLE surveyed (id int PRIMARY KEY, filler text)")

        async def scenario(source: PostgresSource) -> tuple[Survey, Survey]:
            first = await source.survey(NOW)
            connection.execute("INSERT INTO surveyed SELECT i, repeat('x', 100) FROM generate_series(1, 5000) i")
            connection.execute("SELECT count(*) FROM surveyed WHERE filler <> ''")
            connection.execute("SELECT * FROM surveyed WHERE id = 77")
            with suppress(psycopg.Error):
                connection.execute("SELECT 1 / 0")
            connection.execute("SELECT pg_stat_force_next_flush()") if target else None
            connection.execute("SELECT 1")
            end = time.monotonic() + PATIENCE_S
            while time.monotonic() < end:
                second = await source.survey(EpochMs(NOW + 60_000))
                if any(one.table == "surveyed" and one.rows_written for one in second.tables):
                    return first, second
                await asyncio.sleep(0.1)
                source._surveyed = before  # the statistics were not flushed yet: look again from the same start
            raise AssertionError("the statistics never came")

        before = None

        async def remembering(source: PostgresSource) -> tuple[Survey, Survey]:
            nonlocal before
            await source.survey(NOW)
            before = source._surveyed
            return await scenario(source)

        first, second = with_source(target, remembering)
        connection.execute("DROP TABLE surveyed")
    assert second.since is not None
    assert second.vitals is not None
    assert second.vitals.commits > 0
    assert (second.vitals.size_bytes or 0) > 1_000_000
    assert second.vitals.lag_ms is None, "no replica"
    table = next(one for one in second.tables if one.table == "surveyed" and not one.index)
    assert table.rows_written == 5000
    assert table.blocks_hit > 0
    assert table.size_bytes > 500_000
    assert any(one.index == "surveyed_pkey" for one in second.tables)
    assert first.at == NOW


def test_counts_that_went_back_are_no_figures() -> None:
    def counts(at: int, commits: float) -> Counts:
        return Counts(at=EpochMs(at), vitals=(5, commits, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 10, None, 1.2e8), tables=())

    assert survey_between(None, counts(1, 5.0)) == Survey(at=EpochMs(1))
    assert survey_between(counts(1, 5.0), counts(60_001, 3.0)).vitals is None, "the statistics were reset"
    vitals = survey_between(counts(1, 5.0), counts(60_001, 8.0)).vitals
    assert vitals is not None
    assert (vitals.commits, vitals.covers_ms, vitals.connections) == (3.0, 60_000, 5)
    assert vitals.transaction_age == 1.2e8, "an age, and no count of the minute"


def test_password_file_and_service_name_lead_to_the_server(
    target: Target, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    passfile = tmp_path / "passfile"
    passfile.write_text(f"127.0.0.1:{target.port}:*:{target.user}:{target.password}\n")
    passfile.chmod(0o600)
    services = tmp_path / "services"
    services.write_text(f"[shelf]\nhost=127.0.0.1\nport={target.port}\ndbname=watched\nuser={target.user}\n")
    monkeypatch.setenv("PGSERVICEFILE", str(services))

    async def works(source: PostgresSource) -> bool:
        return (await source.sample(NOW)).due == NOW

    by_file = replace(target, password="", passfile=str(passfile))
    assert with_source(by_file, works)
    by_service = replace(by_file, host="", database="", user="", service="shelf")
    assert by_service.where == "service shelf"
    assert with_source(by_service, works)
    (first, *_) = asyncio.run(check_connection(replace(by_service, service="nowhere")))
    assert not first.ok
    assert "nowhere" in first.found


def test_what_is_logged_otherwise_for_some_is_read_and_our_own_is_not_taken_for_all(target: Target) -> None:
    """And the statement that mends it does."""

    async def settings() -> dict[str, str]:
        source = PostgresSource(target)
        try:
            return dict((await source.connect()).settings)
        finally:
            await source.close()

    with owner() as keeper:
        keeper.execute("CREATE ROLE gate_keeper")
        try:
            keeper.execute("ALTER ROLE gate_keeper SET log_min_duration_statement = '2min'")
            keeper.execute(f"ALTER ROLE {target.user} SET log_min_duration_statement = -1".encode())
            found = asyncio.run(settings())
            assert "log_min_duration_statement" not in found, "ours alone"
            share = logged_share(found)
            assert share.of_some["gate_keeper", ""].all_from_ms == 120_000
            assert share.of_some[target.user, ""].all_from_ms is None
            for need in log_needs(found, 150000, CaptureRules(slow_ms=200), None):
                if need.name.startswith("slow executions of"):
                    keeper.execute(need.remedy.encode())
            assert not logged_share(asyncio.run(settings())).of_some
        finally:
            keeper.execute(f"ALTER ROLE {target.user} RESET log_min_duration_statement".encode())
            keeper.execute("DROP ROLE gate_keeper")
