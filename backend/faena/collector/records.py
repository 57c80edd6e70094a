"""What the collector hands to the store, and how it is written to disk while the store is away."""

import base64
from dataclasses import asdict, dataclass
from typing import Any, Protocol, TypeAlias, assert_never

import numpy as np
import orjson

from faena.core.logged import CaptureRules, EventKind, Execution, LogEvent, LogPosition, LogReading
from faena.core.readings import (
    CounterKey,
    DiskBytes,
    HostFigures,
    LockEdge,
    LockFact,
    ProcessBytes,
    SampleReading,
    ServerVitals,
    SessionSample,
    StatementText,
    Survey,
    TableFigures,
    Via,
)
from faena.core.series.schedule import WeekSpan
from faena.core.sql.texts import conceal
from faena.core.statements.counters import Break, CounterDelta
from faena.core.units import EpochMs, Millis, Pid, QueryId


@dataclass(frozen=True, slots=True, kw_only=True)
class Sampled:
    """One tick. `missed` ticks came due just before it and were not taken."""

    server_id: int
    reading: SampleReading
    missed: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Counted:
    """Work of all statements between two readings of the counters."""

    server_id: int
    delta: CounterDelta


@dataclass(frozen=True, slots=True, kw_only=True)
class Learned:
    """Texts of statements seen for the first time."""

    server_id: int
    texts: tuple[StatementText, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class Noted:
    """Something that happened to the watching itself: connected, away, restarted, reset, buffered."""

    server_id: int
    at: EpochMs
    event: str
    detail: str = ""
    facts: dict[str, Any] | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Surveyed:
    """What a server told of itself in a minute."""

    server_id: int
    survey: Survey


@dataclass(frozen=True, slots=True, kw_only=True)
class HostRead:
    """Figures of the machine that the collector runs on; they belong to no single server."""

    server_id: int = 0
    machine: str
    figures: HostFigures


@dataclass(frozen=True, slots=True, kw_only=True)
class Logged:
    """What was new in a server's log."""

    server_id: int
    reading: LogReading


Record: TypeAlias = Sampled | Counted | Learned | Noted | Surveyed | HostRead | Logged


DEFAULT_RULES = CaptureRules()


@dataclass(frozen=True, slots=True, kw_only=True)
class WatchOrder:
    """A server this collector shall watch now. `revision` changes with its settings, so that it is taken up anew."""

    server_id: int
    name: str
    revision: int
    source: dict[str, Any]
    period_ms: int = 1000
    counters_every_ms: int = 15_000
    schedule: tuple[WeekSpan, ...] = ()  # when to sample; empty: always
    rules: CaptureRules = DEFAULT_RULES


class Store(Protocol):
    """The collector's side of the store. All methods raise StoreAway and may then be repeated: writing is idempotent."""

    def orders(self) -> list[WatchOrder]: ...
    def log_position(self, server_id: int) -> LogPosition | None: ...
    def deliver(self, records: list[Record]) -> None: ...
    def report(self, status: dict[str, Any]) -> None: ...


_SESSION_FIELDS = tuple(SessionSample.__dataclass_fields__)
_FACT_FIELDS = tuple(LockFact.__dataclass_fields__)


def pack(record: Record) -> bytes:
    """One line of JSON, without the line end."""
    match record:
        case Sampled(server_id=server, reading=r, missed=missed):
            sessions = [[getattr(s, name) for name in _SESSION_FIELDS] for s in r.sessions]
            edges = [
                [e.waiter, e.blocker, e.which, e.waited_ms, *(getattr(e.fact, n) for n in _FACT_FIELDS)]
                for e in r.edges
            ]
            resting = [[getattr(s, name) for name in _SESSION_FIELDS] for s in r.disk.resting] if r.disk else []
            body: list[Any] = ["sampled", server, r.due, r.took, missed, sessions, edges, r.late,
                                    r.disk and [r.disk.covers, [tuple(one) for one in r.disk.processes], resting]]  # fmt: skip
        case Counted(server_id=server, delta=d):
            keys = [[k.query_id, k.database, k.user, k.toplevel] for k in d.keys]
            body = ["counted", server, d.since, d.until, keys, d.values.tolist(), sorted(d.breaks)]
        case Learned(server_id=server, texts=texts):
            body = ["learned", server, [[t.query_id, t.text] for t in texts]]
        case Noted(server_id=server, at=at, event=event, detail=detail, facts=facts):
            body = ["noted", server, at, event, detail, facts]
        case Surveyed(server_id=server, survey=survey):
            body = ["surveyed", server, asdict(survey)]
        case Logged(server_id=server, reading=r):
            tail = base64.b64encode(r.position.tail).decode()
            body = ["logged", server, [r.position.name, r.position.offset, tail], [tuple(one) for one in r.executions],
                    [tuple(one) for one in r.events],
                    r.unreadable, r.behind, r.broken]  # fmt: skip
        case HostRead(server_id=server, machine=machine, figures=figures):
            body = ["host", server, machine, asdict(figures)]
        case _:
            assert_never(record)
    return orjson.dumps(body)


def unpack(line: bytes) -> Record:
    """Inverse of `pack`. Raises ValueError for a line that was cut off or is none of ours."""
    try:
        kind, server, *rest = orjson.loads(line)
        match kind:
            case "sampled":
                due, took, missed, rows, edges, *more = rest  # earlier versions did not write the last ones
                late, disk = (*more, None, None)[:2]
                reading = SampleReading(
                    due=EpochMs(due),
                    took=Millis(took),
                    sessions=tuple(_session(row) for row in rows),
                    edges=tuple(_edge(*row) for row in edges),
                    late=Millis(late or 0),
                    disk=_disk(*disk) if disk else None,
                )
                return Sampled(server_id=server, reading=reading, missed=missed)
            case "counted":
                return Counted(server_id=server, delta=_delta(*rest))
            case "learned":
                texts = tuple(StatementText(query_id=QueryId(i), text=conceal(text)) for i, text in rest[0])
                return Learned(server_id=server, texts=texts)
            case "noted":
                at, event, detail, facts = rest
                return Noted(server_id=server, at=EpochMs(at), event=event, detail=detail, facts=facts)
            case "surveyed":
                return Surveyed(server_id=server, survey=_survey(rest[0]))
            case "logged":
                return Logged(server_id=server, reading=_log_reading(*rest))
            case "host":
                return HostRead(machine=rest[0], figures=_host(rest[1]))
    except (TypeError, KeyError, IndexError) as error:
        raise ValueError(f"not a record of ours: {line[:60]!r}") from error
    raise ValueError(f"not a record of ours: {line[:60]!r}")


def _log_reading(
    position: list[Any], runs: list[Any], events: list[Any], unreadable: int, behind: int, broken: str
) -> LogReading:
    name, offset, tail = position
    return LogReading(
        position=LogPosition(name, offset, base64.b64decode(tail)),
        executions=tuple(Execution(*one) for one in runs),
        events=tuple(_log_event(one) for one in events),
        unreadable=unreadable,
        behind=behind,
        broken=broken,
    )


def _log_event(told: list[Any]) -> LogEvent:
    event = LogEvent(*told)
    return event._replace(kind=EventKind(event.kind), names=tuple((oid, name) for oid, name in event.names))


def _survey(raw: dict[str, Any]) -> Survey:
    vitals, host = raw.pop("vitals"), raw.pop("host")
    return Survey(
        vitals=ServerVitals(**vitals) if vitals else None,
        host=_host(host) if host else None,
        tables=tuple(TableFigures(**one) for one in raw.pop("tables")),
        **raw,
    )


def _host(raw: dict[str, Any]) -> HostFigures:
    return HostFigures(**{**raw, "processes": tuple(raw["processes"])})


def _session(row: list[Any]) -> SessionSample:
    values = dict(zip(_SESSION_FIELDS, row, strict=True))
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


def _delta(since: int, until: int, keys: list[Any], values: list[Any], breaks: list[str]) -> CounterDelta:
    return CounterDelta(
        since=EpochMs(since),
        until=EpochMs(until),
        keys=tuple(CounterKey(query_id=QueryId(k[0]), database=k[1], user=k[2], toplevel=k[3]) for k in keys),
        values=np.array(values, dtype=np.float64),
        breaks=frozenset(Break(b) for b in breaks),
    )
