"""What was new in a server's log."""

import base64
from dataclasses import dataclass
from typing import Any

from faena.collector.intake import Kind
from faena.core.logged import EventKind, Execution, LogEvent, LogPosition, LogReading


@dataclass(frozen=True, slots=True, kw_only=True)
class Logged:
    """What was new in a server's log."""

    server_id: int
    reading: LogReading


def _pack(record: Logged) -> list[Any]:
    r = record.reading
    tail = base64.b64encode(r.position.tail).decode()
    position = [r.position.name, r.position.offset, tail]
    runs, events = [tuple(one) for one in r.executions], [tuple(one) for one in r.events]
    return [position, runs, events, r.unreadable, r.behind, r.broken]


def _unpack(
    server_id: int, position: list[Any], runs: list[Any], events: list[Any], unreadable: int, behind: int, broken: str
) -> Logged:
    name, offset, tail = position
    reading = LogReading(
        position=LogPosition(name, offset, base64.b64decode(tail)),
        executions=tuple(Execution(*one) for one in runs),
        events=tuple(_event(one) for one in events),
        unreadable=unreadable,
        behind=behind,
        broken=broken,
    )
    return Logged(server_id=server_id, reading=reading)


def _event(told: list[Any]) -> LogEvent:
    event = LogEvent(*told)
    return event._replace(kind=EventKind(event.kind), names=tuple((oid, name) for oid, name in event.names))


KIND = Kind("logged", Logged, _pack, _unpack)
