"""What the simulated server's own counters would say."""

from collections.abc import Callable, Iterator

import numpy as np
import numpy.typing as npt

from faena.core.readings import COUNTER_FIELDS, CounterKey
from faena.core.sql.texts import fingerprint
from faena.core.units import MS_PER_HOUR, EpochMs
from faena.sources.simulated.engine import CACHE_HITS_PER_READ, Engine, Hour
from faena.sources.simulated.incidents import Activity, Happening, happenings

_AT = {name: i for i, name in enumerate(COUNTER_FIELDS)}
SPREAD = 0.8  # standard deviation of single executions over their mean
BLOCKS_PER_MB = 128
WAL_BYTES_PER_COMMIT = 420.0
Sums = dict[CounterKey, npt.NDArray[np.float64]]


def work_between(engine: Engine, hour_at: Callable[[EpochMs], Hour], since: EpochMs, until: EpochMs) -> Sums:
    """Work of (since, until] by statement, each with the fields COUNTER_FIELDS; whole seconds only."""
    sums: Sums = {}
    start = EpochMs(since - since % MS_PER_HOUR)
    while start < until:
        hour = hour_at(start)
        first, last = max(0, (since - start) // 1000), min(3600, (until - start) // 1000)
        for key, values in hour_work(engine, hour, int(first), int(last)).items():
            sums[key] = sums[key] + values if key in sums else values
        start = EpochMs(start + MS_PER_HOUR)
    return sums


def hour_work(engine: Engine, hour: Hour, first: int, last: int) -> Sums:
    """Work of the seconds [first, last) of an hour."""
    seconds = slice(first, last)
    sums: Sums = {}
    for row, one in enumerate(hour.traffic.statements):
        calls = hour.arrived[row, seconds].astype(np.float64)
        total = calls.sum()
        if not total:
            continue
        took_ms = hour.took_s[row, seconds] * 1000
        reads = calls * one.reads * _dearer(hour, row, one.reads)[seconds]
        values = np.zeros(len(COUNTER_FIELDS))
        values[_AT["calls"]] = total
        values[_AT["total_ms"]] = (calls * took_ms).sum()
        values[_AT["sumsq_ms2"]] = (calls * took_ms**2).sum() * (1 + SPREAD**2)
        values[_AT["rows"]] = total * one.rows
        values[_AT["plan_ms"]] = total * 0.05
        values[_AT["blocks_hit"]] = reads.sum() * CACHE_HITS_PER_READ + total * (5 + 10 * one.cpu_ms)
        values[_AT["blocks_read"]] = reads.sum()
        values[_AT["read_ms"]] = (reads * hour.disk_latency_ms[seconds]).sum()
        values[_AT["wal_bytes"]] = total * one.commits * WAL_BYTES_PER_COMMIT
        user = engine.estate.programs[one.program].user
        key = CounterKey(query_id=one.query_id, database=engine.server.group or engine.server.name, user=user)
        sums[key] = sums[key] + values if key in sums else values
    for h, effect in ended_activities(engine, hour, first, last):
        values = np.zeros(len(COUNTER_FIELDS))
        values[_AT["calls"]] = effect.sessions
        values[_AT["total_ms"]] = effect.sessions * (h.end - h.start)
        values[_AT["sumsq_ms2"]] = effect.sessions * (h.end - h.start) ** 2
        values[_AT["blocks_read"]] = effect.reads_per_s * (h.end - h.start) / 1000
        values[_AT["temp_read"]] = values[_AT["temp_written"]] = effect.sessions * effect.temp_mb * BLOCKS_PER_MB
        user = engine.estate.programs[effect.activity].user
        database = engine.server.group or engine.server.name
        key = CounterKey(query_id=fingerprint(effect.text), database=database, user=user)
        sums[key] = sums[key] + values if key in sums else values
    return sums


def ended_activities(engine: Engine, hour: Hour, first: int, last: int) -> Iterator[tuple[Happening, Activity]]:
    """Long statements that end in the seconds [first, last) of an hour: a server counts and logs them then."""
    since, until = EpochMs(hour.start + 1000 * first), EpochMs(hour.start + 1000 * last)
    for h in happenings(engine.incidents, engine.server.name, engine.anchor, EpochMs(since - 1000), until):
        if isinstance(h.effect, Activity) and since <= h.end < until:
            yield h, h.effect


def _dearer(hour: Hour, row: int, usual: float) -> npt.NDArray[np.float64]:
    """How many times the usual reads a call costs in each second."""
    reads = hour.traffic.reads[row, -3600:]
    return reads / usual if usual else np.zeros_like(reads)
