"""One tick of a server: who was at work, and who waited for whom."""

from dataclasses import dataclass
from typing import Any

from faena.collector.intake import Kind
from faena.core.readings import DiskBytes, LockEdge, LockFact, ProcessBytes, SampleReading, SessionSample, Via
from faena.core.units import EpochMs, Millis, Pid


@dataclass(frozen=True, slots=True, kw_only=True)
class Sampled:
    """One tick. `missed` ticks came due just before it and were not taken."""

    server_id: int
    reading: SampleReading
    missed: int


_SESSION_FIELDS = tuple(SessionSample.__dataclass_fields__)
_FACT_FIELDS = tuple(LockFact.__dataclass_fields__)


def _pack(record: Sampled) -> list[Any]:
    r = record.reading
    edges = [[e.waiter, e.blocker, e.which, e.waited_ms, *(getattr(e.fact, n) for n in _FACT_FIELDS)] for e in r.edges]
    disk = None
    if r.disk is not None:
        disk = [r.disk.covers, [tuple(one) for one in r.disk.processes], [_row(one) for one in r.disk.resting]]
    return [r.due, r.took, record.missed, [_row(one) for one in r.sessions], edges, r.late, disk]


def _unpack(
    server_id: int, due: int, took: float, missed: int, rows: list[Any], edges: list[Any], late: float = 0.0,
    disk: list[Any] | None = None,
) -> Sampled:  # fmt: skip
    """Earlier versions did not write the last ones."""
    reading = SampleReading(
        due=EpochMs(due),
        took=Millis(took),
        sessions=tuple(_session(row) for row in rows),
        edges=tuple(_edge(*row) for row in edges),
        late=Millis(late or 0),
        disk=_disk(*disk) if disk else None,
    )
    return Sampled(server_id=server_id, reading=reading, missed=missed)


def _row(one: SessionSample) -> list[Any]:
    return [getattr(one, name) for name in _SESSION_FIELDS]


def _session(row: list[Any]) -> SessionSample:
    values = dict(zip(_SESSION_FIELDS, row, strict=False))  # earlier versions did not write the last ones
    values["blocked_by"] = tuple(Pid(pid) for pid in values["blocked_by"])
    return SessionSample(**values)


def _disk(covers: float, processes: list[list[Any]], resting: list[Any]) -> DiskBytes:
    return DiskBytes(
        covers=Millis(covers),
        processes=tuple(ProcessBytes(Pid(pid), *rest) for pid, *rest in processes),
        resting=tuple(_session(row) for row in resting),
    )


def _edge(waiter: int, blocker: int, which: str, waited_ms: int, *told: str) -> LockEdge:
    values: dict[str, Any] = dict(zip(_FACT_FIELDS, told, strict=True))
    fact = LockFact(**{**values, "via": Via(values["via"])})
    return LockEdge(waiter=Pid(waiter), blocker=Pid(blocker), fact=fact, which=which, waited_ms=waited_ms)


KIND = Kind("sampled", Sampled, _pack, _unpack)
