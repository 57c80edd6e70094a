"""Writing what a server logged, and reading it back."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import datetime

from django.db import transaction

from faena.apps.bulk import copy_rows
from faena.apps.fields import raw
from faena.apps.statements.models import Execution, LogEvent, LogMark
from faena.core import logged
from faena.core.discreet import bare_event
from faena.core.logged import LogPosition, LogReading
from faena.core.privacy import Raw
from faena.core.sql.texts import storable
from faena.core.units import MS_PER_HOUR

# Fields that hold no texts of statements.
_EXECUTION = (
    "pid", "place", "took_ms", "query_id", "database", "user", "program", "client", "parse_ms", "bind_ms", "execute_ms",
    "temp_bytes", "weight",
)  # fmt: skip
_EVENT = (
    "pid", "place", "severity", "sqlstate", "query_id", "database", "user", "program", "client", "waited_ms",
)  # fmt: skip
BATCH = 1000


def _plain(value: object) -> object:
    """PostgreSQL's text cannot hold NUL or halves of surrogate pairs, and what a log was cut off in can."""
    return storable(value) if isinstance(value, str) else value


@transaction.atomic
def store_log(server_id: int, reading: LogReading, plans: Mapping[int, int], *, literals: bool) -> None:
    """Executions, events and how far the log was read; the same reading twice changes nothing.

    `plans` holds the shape of a plan by the index of its execution. Texts of events keep their literals with `literals`.
    """
    runs = (
        Execution(
            server_id=server_id,
            ended_ms=one.ended,
            plan_id=plans.get(i),
            statement=raw(one.statement),
            parameters=raw(one.parameters),
            **{name: _plain(getattr(one, name)) for name in _EXECUTION},
        )
        for i, one in enumerate(reading.executions)
    )
    Execution.objects.bulk_create(runs, ignore_conflicts=True, batch_size=BATCH)
    put_events(server_id, reading.events, literals=literals)
    position = reading.position
    LogMark.objects.update_or_create(
        server_id=server_id,
        defaults={
            "name": position.name, "offset": position.offset, "tail": position.tail, "behind": reading.behind,
            "unreadable": reading.unreadable,
        },
    )  # fmt: skip


def put_events(server_id: int, events: Iterable[logged.LogEvent], *, literals: bool) -> None:
    """Entries of a log that are no executions, each once."""
    rows = (_event(server_id, one, literals=literals) for one in events)
    LogEvent.objects.bulk_create(rows, ignore_conflicts=True, batch_size=BATCH)


def _event(server_id: int, one: logged.LogEvent, *, literals: bool) -> LogEvent:
    bare = bare_event(one)
    return LogEvent(
        server_id=server_id, at_ms=one.at, kind=one.kind.value, message=bare.message, detail=bare.detail,
        context=bare.context, **_as_they_were(one) if literals else {}, **{n: _plain(getattr(one, n)) for n in _EVENT},
    )  # fmt: skip


def _as_they_were(one: logged.LogEvent) -> dict[str, Raw | None]:
    return {
        "message_raw": raw(one.message), "detail_raw": raw(one.detail), "context_raw": raw(one.context),
        "statement": raw(one.statement),
    }  # fmt: skip


@transaction.atomic
def copy_executions(server_id: int, runs: Iterable[tuple[logged.Execution, int | None]]) -> None:
    """As `store_log`, without their texts, for many that are known to be new, each with the shape of its plan."""
    rows = ((server_id, one.ended, plan, "", "", *(getattr(one, n) for n in _EXECUTION)) for one, plan in runs)
    copy_rows(Execution, ("server", "ended_ms", "plan_id", "statement", "parameters", *_EXECUTION), rows)


def position(server_id: int) -> LogPosition | None:
    """How far a server's log was read; None when it never was."""
    mark = LogMark.objects.filter(server_id=server_id).first()
    return None if mark is None else LogPosition(mark.name, mark.offset, bytes(mark.tail))


@dataclass(frozen=True, slots=True, kw_only=True)
class LogState:
    """`read_at` None: never read."""

    read_at: datetime | None
    behind: int
    unreadable: int
    executions_last_hour: int


def state(server_id: int, now_ms: int) -> LogState:
    """How the reading of a server's log goes."""
    mark = LogMark.objects.filter(server_id=server_id).first()
    kept = Execution.objects.filter(server_id=server_id, ended_ms__gt=now_ms - MS_PER_HOUR).count()
    return LogState(
        read_at=mark.read_at if mark else None,
        behind=mark.behind if mark else 0,
        unreadable=mark.unreadable if mark else 0,
        executions_last_hour=kept,
    )


def read_at(server_id: int) -> int | None:
    """When a server's log was last read, in ms since 1970; None when it never was."""
    mark = LogMark.objects.filter(server_id=server_id).first()
    return None if mark is None else int(mark.read_at.timestamp() * 1000)


def forget_before(server_id: int, before_ms: int) -> None:
    """Retention of executions and events."""
    Execution.objects.filter(server_id=server_id, ended_ms__lt=before_ms)._raw_delete(using="default")
    LogEvent.objects.filter(server_id=server_id, at_ms__lt=before_ms)._raw_delete(using="default")
