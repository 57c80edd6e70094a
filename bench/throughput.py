"""What sampling costs an application: pgbench with sampling at 1 and 10 Hz against without, interleaved."""

import asyncio
import os
import re
import subprocess
import threading

import numpy as np
from faena.core.units import EpochMs
from faena.sources.postgres import PostgresSource, Target
from reporting import report

PORT = os.environ["FERRY_PORT"]
PASSWORD = os.environ["FAENA_BENCH_FERRY_PASSWORD"]
ENVIRONMENT = {**os.environ, "PGPASSWORD": PASSWORD, "PGHOST": "127.0.0.1", "PGPORT": PORT, "PGUSER": "keeper"}
SECONDS, ROUNDS = "8", 8


def pgbench(*arguments: str) -> str:
    return subprocess.run(
        ["pgbench", *arguments, "postgres"], env=ENVIRONMENT, capture_output=True, text=True, check=True
    ).stdout


def throughput(rate_hz: int) -> float:
    """Transactions per second while a real source samples beside it."""
    stop = threading.Event()

    async def sample() -> None:
        source = PostgresSource(Target(host="127.0.0.1", port=int(PORT), user="keeper", password=PASSWORD))
        await source.connect()
        while not stop.is_set():
            await source.sample(EpochMs(0))
            await asyncio.sleep(1 / rate_hz)
        await source.close()

    thread = threading.Thread(target=lambda: asyncio.run(sample())) if rate_hz else None
    if thread:
        thread.start()
    out = pgbench("-S", "-c", "8", "-j", "1", "-T", SECONDS)
    stop.set()
    if thread:
        thread.join()
    found = re.search(r"tps = ([\d.]+)", out)
    assert found
    return float(found[1])


pgbench("-i", "-q", "-s", "10")
throughput(0)
measured: dict[int, list[float]] = {0: [], 1: [], 10: []}
for turn in range(ROUNDS):
    for rate in (0, 1, 10) if turn % 2 else (10, 1, 0):
        measured[rate].append(throughput(rate))
base = np.array(measured[0])
for rate in (1, 10):
    lost = 100 * (1 - np.array(measured[rate]) / base)  # pairs of one round, so that a slow spell hits both
    error = float(np.std(lost, ddof=1)) / ROUNDS**0.5
    report(
        f"pgbench throughput lost at {rate} Hz", float(np.mean(lost)), "%", note=f"±{1.96 * error:.1f}, {ROUNDS} pairs"
    )
