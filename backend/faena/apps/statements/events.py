"""What logs tell beside executions, in lists and grouped by shape."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from django.db.models import Min, QuerySet

from faena.apps.statements.models import Execution, LogEvent
from faena.apps.statements.trails import BY_LOG, narrowed
from faena.core import logged
from faena.core.errors import BadInput
from faena.core.logged import EventKind
from faena.core.privacy import Normalised, Permit, shown
from faena.core.sampling.trail import Pick
from faena.core.series.window import Buckets, Window
from faena.core.sql.texts import normalise
from faena.core.units import EpochMs, Pid, QueryId

MOST_READ = 20_000


@dataclass(frozen=True, slots=True, kw_only=True)
class Entry:
    """One entry of a log, its texts as its reader may see them; `statement` is "" where it may not be seen with values."""

    at: int
    kind: str
    pid: int
    severity: str
    sqlstate: str
    message: str
    detail: str
    context: str
    statement: str
    query_id: int | None
    program: str
    user: str
    database: str
    client: str
    waited_ms: float | None


_AS_IS = ("kind", "pid", "severity", "sqlstate", "query_id", "program", "user", "database", "client", "waited_ms")


def entry_of(row: LogEvent, permit: Permit | None) -> Entry:
    """As a reader with or without a permit may see it."""
    return Entry(
        at=row.at_ms,
        message=shown(row.message, row.message_raw, permit),
        detail=shown(row.detail, row.detail_raw, permit),
        context=shown(row.context, row.context_raw, permit),
        statement=shown(Normalised(""), row.statement, permit),
        **{name: getattr(row, name) for name in _AS_IS},
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class EventShape:
    """Entries whose message is the same but for its figures and names. `last` is the newest; `series` counts by bucket."""

    kind: str
    message: str
    count: int
    programs: Sequence[str]
    statements: int
    waited_ms: float | None
    series: Sequence[int]
    last: Entry


def read_kinds(written: Sequence[str]) -> list[str]:
    """Raises BadInput."""
    known = {kind.value for kind in EventKind}
    for one in written:
        if one not in known:
            raise BadInput(f"{one!r:.40} is no kind of event; write one of {', '.join(sorted(known))}", field="kind")
    return list(written)


@dataclass(frozen=True, slots=True, kw_only=True)
class Asked:
    """Which entries: of these kinds (none: of all), with these words, inside the trail."""

    kinds: Sequence[str] = ()
    containing: str = ""
    trail: Sequence[Pick] = ()


def _events(server_id: int, window: Window, asked: Asked) -> QuerySet[LogEvent]:
    kinds, containing = asked.kinds, asked.containing
    rows = LogEvent.objects.filter(server_id=server_id, at_ms__gte=window.start, at_ms__lt=window.end)
    rows = narrowed(rows, server_id, asked.trail, BY_LOG)
    if kinds:
        rows = rows.filter(kind__in=kinds)
    return rows.filter(message__icontains=containing) if containing else rows


def shapes(
    server_id: int, window: Window, asked: Asked, cells: Buckets, permit: Permit | None
) -> tuple[list[EventShape], int]:
    """Grouped, those that came most often first; and how many entries there are, of which the newest MOST_READ are grouped."""
    rows = _events(server_id, window, asked)
    total = rows.count()
    groups: dict[tuple[str, str], list[LogEvent]] = {}
    for one in rows.order_by("-at_ms", "place")[:MOST_READ]:
        groups.setdefault((one.kind, shape_of(one.message)), []).append(one)
    found = [
        EventShape(
            kind=kind, message=message, count=len(members), programs=sorted({m.program for m in members if m.program})[:5],
            statements=len({m.query_id for m in members if m.query_id}),
            waited_ms=sum(w for m in members if (w := m.waited_ms) is not None) if any(m.waited_ms is not None for m in members) else None,
            series=np.bincount(cells.index_of(np.array([m.at_ms for m in members])), minlength=cells.count)[: cells.count].tolist(),
            last=entry_of(members[0], permit),
        )
        for (kind, message), members in groups.items()
    ]  # fmt: skip
    return sorted(found, key=lambda one: (-one.count, one.kind, one.message)), total


def shape_of(message: str) -> str:
    """A message without its figures and quoted names."""
    return normalise(message.replace('"', "'"))[:300]


def newest(server_id: int, window: Window, asked: Asked, limit: int, permit: Permit | None) -> list[Entry]:
    """Single entries, newest first."""
    rows = _events(server_id, window, asked).order_by("-at_ms", "place")[:limit]
    return [entry_of(row, permit) for row in rows]


def marks(server_id: int, window: Window, limit: int = 400) -> list[tuple[int, str]]:
    """(moment, kind) of what stands on the rail: deadlocks, crashes, full disks; and minutes in which much else went wrong."""
    rows = LogEvent.objects.filter(server_id=server_id, at_ms__gte=window.start, at_ms__lt=window.end)
    loud = (
        EventKind.DEADLOCK.value,
        EventKind.CRASH.value,
        EventKind.OUT_OF_SPACE.value,
        EventKind.CONNECTION_REFUSED.value,
    )
    found = list(rows.filter(kind__in=loud).order_by("-at_ms").values_list("at_ms", "kind")[:limit])
    return sorted(found)


def moments(server_id: int, window: Window, kinds: Sequence[EventKind], most: int = 5000) -> dict[str, list[int]]:
    """When each kind of event was logged, at most so many of all."""
    rows = LogEvent.objects.filter(
        server_id=server_id, at_ms__gte=window.start, at_ms__lt=window.end, kind__in=[one.value for one in kinds]
    )
    found: dict[str, list[int]] = {}
    for kind, at in rows.order_by("at_ms").values_list("kind", "at_ms")[:most]:
        found.setdefault(kind, []).append(at)
    return found


def first_ms(server_id: int) -> int | None:
    """The first moment that a server's log told of and that is still kept; None where it was never read."""
    firsts = [
        LogEvent.objects.filter(server_id=server_id).aggregate(at=Min("at_ms"))["at"],
        Execution.objects.filter(server_id=server_id).aggregate(at=Min("ended_ms"))["at"],
    ]
    known = [one for one in firsts if one is not None]
    return min(known) if known else None


TROUBLES = (EventKind.DEADLOCK, EventKind.SERIALIZATION_FAILURE, EventKind.CONNECTION_REFUSED)
MOST_TROUBLES = 5_000


def troubles(server_id: int, window: Window) -> list[logged.LogEvent]:
    """What a log told of transactions that failed for each other and of clients that were turned away; without literals."""
    rows = LogEvent.objects.filter(
        server_id=server_id, at_ms__gte=window.start, at_ms__lt=window.end, kind__in=[one.value for one in TROUBLES]
    )
    return [
        logged.LogEvent(
            at=EpochMs(row.at_ms), kind=EventKind(row.kind), pid=Pid(row.pid), place=row.place, severity=row.severity,
            sqlstate=row.sqlstate, message=row.message, query_id=None if row.query_id is None else QueryId(row.query_id),
            database=row.database, user=row.user, program=row.program, client=row.client,
        )
        for row in rows.order_by("at_ms", "pid", "place")[:MOST_TROUBLES]
    ]  # fmt: skip
