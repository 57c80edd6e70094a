"""What one sample costs the watched server: CPU time of the sampling backend itself, from the kernel's own account."""

import asyncio
import os
from pathlib import Path
from statistics import median
from time import process_time

import psycopg
from faena.core.units import EpochMs
from faena.sources.postgres import PostgresSource, Target
from reporting import report

PORT = int(os.environ["FERRY_PORT"])
PASSWORD = os.environ["FAENA_BENCH_FERRY_PASSWORD"]
BLOCK, BLOCKS = 60, 9  # samples a block
ACTIVE = 12


def target(name: str = "postgres") -> Target:
    return Target(host="127.0.0.1", port=PORT, database=name, user="keeper", password=PASSWORD)


def cpu_ms(pid: int) -> float:
    """Time the process has spent on a core, in milliseconds, from the scheduler's nanoseconds."""
    return int(Path(f"/proc/{pid}/schedstat").read_text().split()[0]) / 1e6


async def crowd(connections: int, waiters: int) -> list[psycopg.AsyncConnection]:
    """Idle sessions, ACTIVE that sleep, and some that wait for a row that one holds."""
    made = []
    conninfo = target().conninfo().replace("application_name=faena", "application_name=crowd")
    for _ in range(connections):
        made.append(await psycopg.AsyncConnection.connect(conninfo, autocommit=True))
    await made[0].execute("CREATE TABLE IF NOT EXISTS crowd_row (id int PRIMARY KEY)")
    await made[0].execute("INSERT INTO crowd_row VALUES (1) ON CONFLICT DO NOTHING")
    for one in made:
        await one.execute("SET lock_timeout = 0")
        await one.execute("SET idle_in_transaction_session_timeout = 0")
    if waiters:
        await made[0].execute("BEGIN")
        await made[0].execute("SELECT * FROM crowd_row FOR UPDATE")
    for one in made[1 : 1 + waiters]:
        one.task = asyncio.create_task(one.execute("SELECT * FROM crowd_row FOR UPDATE"))  # type: ignore[attr-defined]
    for one in made[1 + waiters : 1 + waiters + ACTIVE]:
        one.task = asyncio.create_task(one.execute("SELECT pg_sleep(600)"))  # type: ignore[attr-defined]
    await asyncio.sleep(1.5)
    return made


async def bare(connection: psycopg.AsyncConnection) -> float:
    """The least that any sample can cost: the server's own copy of its sessions, counted and thrown away."""
    pid = connection.info.backend_pid
    count = "SELECT count(*) FROM pg_stat_get_activity(NULL)"
    before = cpu_ms(pid)
    for _ in range(BLOCK):
        await connection.execute(count, prepare=True)
        await asyncio.sleep(0.004)
    return (cpu_ms(pid) - before) / BLOCK


async def sampled(source: PostgresSource, pid: int) -> float:
    before = cpu_ms(pid)
    for _ in range(BLOCK):
        await source.sample(EpochMs(0))
        await asyncio.sleep(0.004)  # as if apart: caches cool between samples
    return (cpu_ms(pid) - before) / BLOCK


async def measure(what: str, connections: int, waiters: int, at_most: float) -> None:
    made = await crowd(connections, waiters)
    source = PostgresSource(target())
    await source.connect()
    assert source._quick is not None
    pid = source._quick.info.backend_pid
    for _ in range(20):
        reading = await source.sample(EpochMs(0))
    assert sum(s.wait_type == "Lock" for s in reading.sessions) == waiters
    await bare(source._quick)
    pairs = [
        (await sampled(source, pid), await bare(source._quick)) for _ in range(BLOCKS)
    ]  # alternating: noise hits both
    ours, floor = median(pair[0] for pair in pairs), median(pair[1] for pair in pairs)
    report(
        f"server CPU per sample, {what}", ours, "ms", note=f"budget elsewhere {at_most} ms; bare reading {floor:.2f} ms"
    )
    report(
        f"  the same against a bare reading of the sessions, {what}",
        median(mine / least for mine, least in pairs),
        "x",
        at_most=1.35 if not waiters else 1.9,
    )
    if source._processes is not None:
        begun = process_time()
        for _ in range(BLOCK):
            source._processes.read()
        report(f"collector CPU to look at the bytes of every process, {what}", 1000 * (process_time() - begun) / BLOCK, "ms",
               at_most=10)  # fmt: skip
    await source.close()
    for one in made:
        one.cancel()
        if task := getattr(one, "task", None):
            await asyncio.gather(task, return_exceptions=True)
        await one.close()


async def main() -> None:
    await measure("64 connections", 64, 0, 0.5)
    await measure("300 connections", 300, 0, 1.0)
    await measure("64 connections, 27 lock waiters", 64, 27, 0.9)


asyncio.run(main())
