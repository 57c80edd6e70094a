"""Bytes of a real server's processes: counted for the session that moves them, also when it ends, and not lost.

The tests need a Linux machine on which they own the server, as the start command makes it.
"""

import asyncio
import os
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

import psycopg
import pytest
from faena.core.readings import ENDED, Processes, SampleReading, ServerFacts
from faena.core.units import EpochMs
from faena.sources.machine import NotReadable, ServerProcesses
from faena.sources.postgres import PostgresSource, Target
from watched import owner

TABLE_MB = 48


@pytest.fixture
def big(target: Target) -> Iterator[Path]:
    """A table of TABLE_MB that is not in the server's own cache; its file."""
    with owner() as connection:
        connection.execute("CREATE TABLE freight (i int, cargo text)")
        connection.execute("ALTER TABLE freight ALTER cargo SET STORAGE PLAIN")
        rows = TABLE_MB * 1024 // 8
        connection.execute(f"INSERT INTO freight SELECT i, repeat('x', 7000) FROM generate_series(1, {rows}) i")
        connection.execute("VACUUM FULL freight")  # writes the table past the server's own cache
        told = "SELECT current_setting('data_directory'), pg_relation_filepath('freight')"
        folder, file = connection.execute(told).fetchone() or ("", "")
        yield Path(folder) / file
        connection.execute("DROP TABLE freight")


def forget_pages(file: Path) -> None:
    """Make the system read the file from the disk again."""
    os.sync()
    handle = os.open(file, os.O_RDONLY)
    os.posix_fadvise(handle, 0, 0, os.POSIX_FADV_DONTNEED)
    os.close(handle)


def processes_of(connection: psycopg.Connection) -> ServerProcesses:
    row = connection.execute(
        "SELECT pid, date_part('epoch', backend_start), current_setting('cluster_name') "
        "FROM pg_stat_get_activity(pg_backend_pid())"
    ).fetchone()
    assert row is not None
    found = ServerProcesses.around(*row)
    assert found is not None
    assert found.read() is None  # there is nothing to count from yet
    return found


def test_what_a_session_reads_is_counted_for_its_process(target: Target, big: Path) -> None:
    with owner() as reader, owner() as other:
        processes = processes_of(other)
        forget_pages(big)
        reader.execute("SET max_parallel_workers_per_gather = 0")
        reader.execute("SELECT sum(length(cargo)) FROM freight")
        told = processes.read()
        assert told is not None
        found = {one.pid: one for one in told.processes}
        assert found[reader.info.backend_pid].read > 0.8 * TABLE_MB * 2**20
        assert found[reader.info.backend_pid].backend == "client backend"
        assert other.info.backend_pid not in found
        assert 0 < told.covers < 60_000


def test_what_an_ended_session_wrote_is_not_lost(target: Target) -> None:
    with owner() as other:
        processes = processes_of(other)
        with owner() as short:
            short.execute("SET work_mem = '64kB'")
            short.execute("SELECT count(*) FROM (SELECT random() r FROM generate_series(1, 400000) ORDER BY r) x")
            pid = short.info.backend_pid
        while Path(f"/proc/{pid}").exists():
            pass
        told = processes.read()
    assert told is not None
    assert pid not in {one.pid for one in told.processes}
    assert sum(one.written for one in told.processes if one.pid == ENDED) > 2**20


def test_every_kind_of_process_is_called_as_the_server_calls_it(target: Target) -> None:
    with owner() as connection:
        processes = processes_of(connection)
        kinds = connection.execute("SELECT pid, backend_type FROM pg_stat_activity").fetchall()
    assert {kind for _, kind in kinds} >= {"client backend", "checkpointer", "background writer", "walwriter"}
    wrong = [(kind, told) for pid, kind in kinds if (told := processes._kind(pid)) not in (kind, "client backend")]
    assert not wrong
    assert {processes._kind(pid) for pid, kind in kinds if kind == "checkpointer"} == {"checkpointer"}


def test_a_sample_carries_the_bytes_and_the_server_is_known_to_run_here(target: Target) -> None:
    async def asked() -> tuple[ServerFacts, list[SampleReading]]:
        source = PostgresSource(target)
        try:
            return await source.connect(), [await source.sample(EpochMs(1000 * i)) for i in (1, 2)]
        finally:
            await source.close()

    facts, (first, second) = asyncio.run(asked())
    assert facts.processes is Processes.SEEN
    assert first.disk is None
    assert second.disk is not None


def test_a_session_that_rests_again_is_told_by_name(target: Target) -> None:
    async def asked() -> SampleReading:
        source = PostgresSource(target)
        try:
            await source.connect()
            await source.sample(EpochMs(1000))
            with owner() as writer:
                writer.execute("SET application_name = 'tally'; SET work_mem = '64kB'")
                writer.execute("SELECT count(*) FROM (SELECT random() r FROM generate_series(1, 400000) ORDER BY r) x")
                return await source.sample(EpochMs(2000))
        finally:
            await source.close()

    reading = asyncio.run(asked())
    assert reading.disk is not None
    assert "tally" not in {one.program for one in reading.sessions}
    (tally,) = [one for one in reading.disk.resting if one.program == "tally"]
    assert next(one.written for one in reading.disk.processes if one.pid == tally.pid) > 2**20


def test_another_process_with_that_number_is_not_taken_for_the_server() -> None:
    assert ServerProcesses.around(os.getpid(), 0.0) is None
    assert ServerProcesses.around(2**22 + 1, 0.0) is None


ASKING = """
import os, sys
from faena.sources.machine import NotReadable, ServerProcesses
os.setuid(65534)
try:
    print(ServerProcesses.around(int(sys.argv[1]), float(sys.argv[2])))
except NotReadable:
    print("not readable")
"""


def test_an_account_that_may_not_look_is_told_so(target: Target) -> None:
    if os.getuid() != 0:
        pytest.skip("only root can become another account")
    with owner() as connection:
        pid, started = connection.execute(
            "SELECT pid, date_part('epoch', backend_start) FROM pg_stat_get_activity(pg_backend_pid())"
        ).fetchone() or (0, 0)
        asked = subprocess.run(
            [sys.executable, "-c", ASKING, str(pid), str(started)],
            capture_output=True, text=True, check=False, env={**os.environ, "PYTHONDONTWRITEBYTECODE": "1"},
        )  # fmt: skip
    assert asked.stdout.strip() == "not readable", asked.stderr
    assert issubclass(NotReadable, Exception)
