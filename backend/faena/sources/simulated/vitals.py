"""What the simulated server and its machine would say of themselves, minute by minute."""

from collections.abc import Iterator
from functools import cache
from zlib import crc32

import numpy as np

from faena.core.readings import HostFigures, ServerVitals, TableFigures
from faena.core.sql.names import tables_of
from faena.core.units import MS_PER_HOUR, EpochMs
from faena.sources.simulated.engine import CACHE_HITS_PER_READ, Engine, Hour
from faena.sources.simulated.incidents import Activity, Deadlock, happenings
from faena.sources.simulated.queues import Floats

MINUTE_S = 60
BLOCK_BYTES = 8192
SYSTEM_SHARE = 0.18  # of busy time, the part the kernel takes
GROWTH_BYTES_PER_DAY = 140_000_000
BASE_BYTES = 38_000_000_000
BASE_AGE = 120_000_000.0  # transactions; freezing keeps it there


def _by_minute(values: Floats) -> list[float]:
    means: list[float] = values.reshape(-1, MINUTE_S).mean(axis=1).tolist()
    return means


def host_minutes(engine: Engine, hour: Hour, until: int) -> Iterator[HostFigures]:
    """The machine's figures up to a moment."""
    server = engine.server
    commits = _commits(hour)
    busy, requests, latency = (_by_minute(v) for v in (hour.done, hour.disk_requests, hour.disk_latency_ms))
    queue = _by_minute(hour.disk_requests * hour.disk_latency_ms / 1000)
    for minute, used in enumerate(busy):
        at = hour.start + (minute + 1) * MINUTE_S * 1000
        if at > until:
            return
        share = used / server.cores
        waiting = min(0.9 * (1 - share), queue[minute] / server.cores)
        yield HostFigures(
            at=EpochMs(at),
            covers_ms=MINUTE_S * 1000,
            cores=server.cores,
            cpu_user=share * (1 - SYSTEM_SHARE),
            cpu_system=share * SYSTEM_SHARE + 0.004,
            cpu_iowait=waiting,
            cpu_steal=0.0,
            memory_used=int(server.memory_gb * 0.62e9),
            memory_total=int(server.memory_gb * 1e9),
            disk_reads=requests[minute],
            disk_writes=commits[minute],
            disk_read_bytes=requests[minute] * BLOCK_BYTES,
            disk_write_bytes=commits[minute] * 2 * BLOCK_BYTES,
            disk_latency_ms=latency[minute],
            disk_queue=queue[minute],
            net_in_bytes=2000 + 90 * commits[minute],
            net_out_bytes=5000 + 40_000 * used,
            processes=({"name": "postgres", "cpu": round(used, 3), "memory": int(server.memory_gb * 0.3e9)},),
        )


def _commits(hour: Hour) -> list[float]:
    each = np.array([one.commits for one in hour.traffic.statements])[:, None]
    return _by_minute((hour.arrived * each).sum(axis=0).astype(np.float64))


def vital_minutes(engine: Engine, hour: Hour, until: int) -> Iterator[ServerVitals]:
    """The server's own figures up to a moment."""
    commits, reads = _commits(hour), _by_minute(hour.disk_requests)
    lag, conflicts = _by_minute(hour.lag_s), _by_minute(hour.conflicts)
    effects = happenings(engine.incidents, engine.server.name, engine.anchor, hour.start, hour.start + MS_PER_HOUR)
    pools = sum(engine.estate.programs[name].pool for name in {s.program for s in hour.traffic.statements})
    for minute in range(len(commits)):
        start, at = hour.start + minute * MINUTE_S * 1000, hour.start + (minute + 1) * MINUTE_S * 1000
        if at > until:
            return
        now = [h.effect for h in effects if h.start < at and h.end > start]
        spilled = sum(e.reads_per_s for e in now if isinstance(e, Activity) and "Buf" in e.wait)
        deadlocks = float(sum(e.pairs for e in now if isinstance(e, Deadlock)))
        yield ServerVitals(
            at=EpochMs(at),
            covers_ms=MINUTE_S * 1000,
            connections=int(pools * 0.7) + 8,
            size_bytes=BASE_BYTES + int((at - engine.anchor) / 86_400_000 * GROWTH_BYTES_PER_DAY),
            commits=commits[minute] * MINUTE_S,
            rollbacks=deadlocks + conflicts[minute] * MINUTE_S,
            deadlocks=deadlocks,
            conflicts=conflicts[minute] * MINUTE_S,
            temp_bytes=spilled * MINUTE_S * BLOCK_BYTES,
            blocks_read=reads[minute] * MINUTE_S,
            blocks_hit=reads[minute] * MINUTE_S * CACHE_HITS_PER_READ,
            lag_ms=lag[minute] * 1000 if engine.server.role == "replica" else None,
            transaction_age=BASE_AGE + commits[minute] * MINUTE_S,
        )


def table_figures(engine: Engine, hour: Hour, first_s: int, seconds: int = MINUTE_S) -> Iterator[TableFigures]:
    """What statements and lasting activities read of each table over some seconds; a statement's first table bears it."""
    span = slice(first_s, first_s + seconds)
    reads: dict[str, list[float]] = {}
    for row, one in enumerate(hour.traffic.statements):
        calls = float(hour.arrived[row, span].sum())
        figures = reads.setdefault(_first_table(one.text), [0.0, 0.0, 0.0])
        figures[0] += float((hour.arrived[row, span] * hour.traffic.reads[row, -3600:][span]).sum())
        figures[1] += calls * one.rows
        figures[2] += calls * one.commits
    start, end = hour.start + 1000 * first_s, hour.start + 1000 * (first_s + seconds)
    for h in happenings(engine.incidents, engine.server.name, engine.anchor, start, end):
        if isinstance(h.effect, Activity):
            overlap = (min(end, h.end) - max(start, h.start)) / 1000
            reads.setdefault(_first_table(h.effect.text), [0.0, 0.0, 0.0])[0] += h.effect.reads_per_s * overlap
    for table, (blocks, rows, written) in reads.items():
        yield TableFigures(
            table=table,
            index="",
            blocks_read=blocks,
            blocks_hit=blocks * CACHE_HITS_PER_READ,
            scans=0.0,
            rows_read=rows,
            rows_written=written,
            size_bytes=400_000_000 + crc32(table.encode()) % 3_000_000_000,
        )


@cache
def _first_table(text: str) -> str:
    return next(iter(tables_of(text)), "") or (text.split()[-1] if text.startswith("REINDEX") else "fact_stock")
