"""Records with everything filled in but what a test cares about."""

from collections.abc import Sequence

import numpy as np

from faena.core.engines.postgres.waits.catalogue import kind_of
from faena.core.readings import (
    COUNTER_FIELDS,
    CounterKey,
    CounterReading,
    HostFigures,
    SampleReading,
    ServerVitals,
    SessionSample,
    Survey,
    TableFigures,
)
from faena.core.sampling.dimensions import Combination, Dictionary, combination_of
from faena.core.sessions.frame import SampleFrame
from faena.core.units import EpochMs, Millis, Pid, QueryId

START = EpochMs(1_700_000_000_000 - 1_700_000_000_000 % 3_600_000)  # a full hour


def session(pid: int = 1, **values: object) -> SessionSample:
    """An active client session, running, unless said otherwise."""
    defaults: dict[str, object] = {"started_s": 0, "state": "active", "program": "booking-web", "user": "web"}
    return SessionSample(pid=Pid(pid), **{**defaults, **values})  # type: ignore[arg-type]


def reading(second: int, *sessions: SessionSample) -> SampleReading:
    """A sample `second` seconds after START."""
    return SampleReading(due=EpochMs(START + 1000 * second), took=Millis(0.5), sessions=sessions)


def frame_of(readings: Sequence[SampleReading]) -> tuple[SampleFrame, Dictionary]:
    """Frame and dictionary as the store would hold them."""
    codes: dict[Combination, int] = {}
    tick, code = [], []
    for index, one in enumerate(readings):
        present = {s.pid: s for s in one.sessions}
        for s in one.sessions:
            tick.append(index)
            code.append(codes.setdefault(combination_of(s, present), len(codes)))
    combinations = list(codes)
    kinds = [kind_of(c.wait_type, c.wait_event) for c in combinations]
    ticks = np.array([r.due for r in readings], dtype=np.int64)
    frame = SampleFrame(ticks, np.array(tick, dtype=np.int32), np.array(code, dtype=np.int32))
    return frame, Dictionary(combinations, kinds, ["none"] * len(combinations))


def host_figures(at: EpochMs, **values: object) -> HostFigures:
    """A machine of four cores, a quarter busy, with a disk that takes 0.5 ms."""
    defaults: dict[str, object] = {
        "covers_ms": 10_000, "cores": 4, "cpu_user": 0.2, "cpu_system": 0.05, "cpu_iowait": 0.0, "cpu_steal": 0.0,
        "memory_used": 3_000_000_000, "memory_total": 8_000_000_000, "disk_reads": 100.0, "disk_writes": 20.0,
        "disk_read_bytes": 819_200.0, "disk_write_bytes": 163_840.0, "disk_latency_ms": 0.5, "disk_queue": 0.06,
        "net_in_bytes": 1000.0, "net_out_bytes": 5000.0, "processes": ({"name": "postgres", "cpu": 1.0, "memory": 5},),
    }  # fmt: skip
    return HostFigures(at=at, **{**defaults, **values})  # type: ignore[arg-type]


def vitals(at: EpochMs, **values: object) -> ServerVitals:
    """A minute of a primary at work."""
    defaults: dict[str, object] = {
        "covers_ms": 60_000, "connections": 20, "size_bytes": 5_000_000, "commits": 600.0, "rollbacks": 6.0,
        "deadlocks": 0.0, "conflicts": 0.0, "temp_bytes": 0.0, "blocks_read": 1200.0, "blocks_hit": 9000.0,
        "lag_ms": None,
    }  # fmt: skip
    return ServerVitals(at=at, **{**defaults, **values})  # type: ignore[arg-type]


def table_figures(table: str, reads: float, index: str = "") -> TableFigures:
    return TableFigures(
        table=table, index=index, blocks_read=reads, blocks_hit=9 * reads, scans=1.0, rows_read=10.0, rows_written=2.0,
        size_bytes=1_000_000,
    )  # fmt: skip


def survey(at: EpochMs) -> Survey:
    """Of a minute, with everything in it."""
    return Survey(
        at=at,
        since=EpochMs(at - 60_000),
        vitals=vitals(at),
        tables=(table_figures("booking", 600.0), table_figures("booking", 60.0, "booking_pkey")),
        host=host_figures(at, covers_ms=60_000),
    )


def counters(second: int, **calls_and_ms: tuple[float, float]) -> CounterReading:
    """Counters `second` seconds after START: q1=(calls, total_ms) for statement 1, and so on."""
    values = np.zeros((len(calls_and_ms), len(COUNTER_FIELDS)))
    for row, (calls, total) in enumerate(calls_and_ms.values()):
        values[row, :3] = (calls, total, total * total / calls if calls else 0.0)
    keys = tuple(CounterKey(query_id=QueryId(int(name[1:])), database="d", user="u") for name in calls_and_ms)
    return CounterReading(
        at=EpochMs(START + 1000 * second), took=Millis(1.0), server_started=EpochMs(0), keys=keys, values=values
    )
