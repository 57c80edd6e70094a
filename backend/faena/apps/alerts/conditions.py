"""Conditions as they are kept, in the words of the core, and the ones that Faena comes with."""

from collections.abc import Sequence
from dataclasses import dataclass

from faena.apps.alerts.models import AlertCondition
from faena.apps.servers.models import Server
from faena.core.alerts.condition import Condition
from faena.core.alerts.signals import Signal
from faena.core.answers.leads.kinds import LeadKind
from faena.core.changes.kinds import ChangeKind
from faena.core.findings import Severity
from faena.core.logged import EventKind
from faena.core.series.calendar import Calendar
from faena.core.series.schedule import read_schedule

MINUTE_MS = 60_000


def to_core(row: AlertCondition, calendar: Calendar) -> Condition:
    """`calendar`: that of the condition's own time zone, or of the server that is looked at."""
    return Condition(
        signal=Signal(row.signal), level=row.level, clears=row.clears, kinds=tuple(row.kinds), below=row.below,
        of_usual=row.of_usual, for_ms=row.for_ms, clear_ms=row.clear_ms, schedule=read_schedule(row.schedule),
        calendar=calendar,
    )  # fmt: skip


def covering(server: Server, conditions: Sequence[AlertCondition]) -> list[AlertCondition]:
    """Those that look at a server: all that name neither servers nor groups, and those that name it or its group."""
    return [
        one for one in conditions
        if (not one.groups and not one.servers.all())
        or server.group in one.groups
        or any(mine.pk == server.pk for mine in one.servers.all())
    ]  # fmt: skip


def enabled() -> list[AlertCondition]:
    """With their servers, in the order in which they were made."""
    return list(AlertCondition.objects.filter(enabled=True).prefetch_related("servers").order_by("pk"))


@dataclass(frozen=True, slots=True, kw_only=True)
class Builtin:
    """A condition that every installation begins with."""

    slug: str
    name: str
    condition: Condition
    severity: Severity


def _one(
    slug: str, name: str, severity: Severity, signal: Signal, level: float, clears: float, minutes: float = 0.0,
    clear_minutes: float = 3.0, *, kinds: Sequence[str] = (), of_usual: bool = False,
) -> Builtin:  # fmt: skip
    condition = Condition(
        signal=signal, level=level, clears=clears, kinds=kinds, of_usual=of_usual, for_ms=round(minutes * MINUTE_MS),
        clear_ms=round(clear_minutes * MINUTE_MS),
    )  # fmt: skip
    condition.check()
    return Builtin(slug=slug, name=name, condition=condition, severity=severity)


BUILTIN = (
    _one("cores", "Running above its cores", Severity.SOON, Signal.RUNNING_PER_CORE, 1.2, 1.0, 3.0),
    _one("blocked", "Sessions blocked", Severity.NOW, Signal.BLOCKED, 3.0, 1.0, 1.0),
    _one(
        "idle", "Transaction left open that blocks", Severity.NOW, Signal.LEADS, 1.0, 0.0,
        kinds=(LeadKind.IDLE_TRANSACTION.value,),
    ),
    _one("deadlocks", "Deadlocks", Severity.SOON, Signal.DEADLOCKS, 1.0, 0.0, clear_minutes=15.0),
    _one(
        "timeouts", "Statement or lock timeouts", Severity.SOON, Signal.EVENTS, 3.0, 0.0, clear_minutes=10.0,
        kinds=(EventKind.TIMEOUT.value,),
    ),
    _one("errors", "Rollbacks above usual", Severity.SOON, Signal.ERRORS, 5.0, 2.0, 5.0, of_usual=True),
    _one("crash", "Server crashed, or ran out of disk", Severity.NOW, Signal.EVENTS, 1.0, 0.0, clear_minutes=15.0,
         kinds=(EventKind.CRASH.value, EventKind.OUT_OF_SPACE.value)),
    _one("disk-growth", "Allocated size grew by a fifth in a day", Severity.SOON, Signal.GROWTH, 0.2, 0.15, 10.0, 60.0),
    _one(
        "table-growth", "Table grew more than usual", Severity.NOTE, Signal.CHANGES, 1.0, 0.0, clear_minutes=30.0,
        kinds=(ChangeKind.TABLE_GREW.value,),
    ),
    _one("lag", "Replica lags", Severity.SOON, Signal.LAG, 60_000.0, 20_000.0, 2.0),
    _one(
        "cancelled", "Readers cancelled on a replica", Severity.SOON, Signal.CANCELLED_READERS, 1.0, 0.0,
        clear_minutes=10.0,
    ),
    _one("age", "Transaction ids run out", Severity.NOW, Signal.TRANSACTION_AGE, 1e9, 8e8, 5.0, 60.0),
    _one("stale", "No samples", Severity.NOW, Signal.STALE, 180_000.0, 30_000.0, 0.0, 0.5),
    _one("leads", "A lead of any kind", Severity.SOON, Signal.LEADS, 1.0, 0.0, 2.0, 5.0),
)  # fmt: skip


def provide() -> None:
    """Make the ones that are missing. One that somebody changed or switched off stays as it is."""
    known = set(AlertCondition.objects.exclude(builtin="").values_list("builtin", flat=True))
    for one in BUILTIN:
        if one.slug not in known:
            core = one.condition
            AlertCondition.objects.get_or_create(
                name=one.name,
                defaults={
                    "builtin": one.slug, "signal": core.signal.value, "kinds": list(core.kinds), "level": core.level,
                    "clears": core.clears, "of_usual": core.of_usual, "for_ms": core.for_ms, "clear_ms": core.clear_ms,
                    "severity": one.severity.value,
                },
            )  # fmt: skip
