"""Conditions as they are kept, in the words of the core, and the ones that Faena comes with."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from django.contrib.auth.models import AbstractBaseUser, AnonymousUser
from django.db import transaction

from faena.apps.accounts import audit
from faena.apps.accounts.policy import require
from faena.apps.accounts.roles import Role
from faena.apps.alerts.actions import end_all
from faena.apps.alerts.models import AlertCondition, Way
from faena.apps.servers.capture import MAX_CLOSE_MINUTES
from faena.apps.servers.clock import known_zone
from faena.apps.servers.models import Server
from faena.core.alerts.condition import Condition
from faena.core.alerts.signals import Signal
from faena.core.answers.leads.kinds import LeadKind
from faena.core.changes.kinds import ChangeKind
from faena.core.errors import BadInput, NotFound
from faena.core.findings import Severity
from faena.core.labels import Labelled
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


@dataclass(frozen=True, slots=True, kw_only=True)
class ConditionForm:
    """What is entered of a condition. `servers` and `ways` by number; none of either and no groups: all."""

    name: str
    condition: Condition
    schedule: Sequence[Mapping[str, Any]]
    time_zone: str
    severity: Severity
    servers: Sequence[int]
    groups: Sequence[str]
    ways: Sequence[int]
    close_watch_minutes: int
    enabled: bool

    def check(self) -> None:
        """Raises BadInput naming the field."""
        if not 0 < len(self.name.strip()) <= 120:
            raise BadInput("a name of 1 to 120 characters", field="name")
        if not 0 <= self.close_watch_minutes <= MAX_CLOSE_MINUTES:
            raise BadInput(f"up to {MAX_CLOSE_MINUTES} minutes, or 0", field="close_watch_minutes")
        known_zone(self.time_zone)
        read_schedule(self.schedule)
        self.condition.check()
        known = kinds_of(self.condition.signal)
        for one in self.condition.kinds:
            if one not in known:
                raise BadInput(f"{one!r:.40} is no kind of {self.condition.signal.label}", field="kinds")


def kinds_of(signal: Signal) -> dict[str, str]:
    """The kinds of which some can be chosen, with their labels; none for most signals."""
    kinds: dict[Signal, type[Labelled]] = {Signal.EVENTS: EventKind, Signal.LEADS: LeadKind, Signal.CHANGES: ChangeKind}
    return {kind.value: kind.label for kind in kinds.get(signal, ())}


def of(condition_id: int) -> AlertCondition:
    """Raises NotFound."""
    found = AlertCondition.objects.filter(pk=condition_id).first()
    if found is None:
        raise NotFound(f"there is no condition {condition_id}; it may have been removed")
    return found


def save(condition_id: int | None, form: ConditionForm, *, by: AbstractBaseUser | AnonymousUser) -> AlertCondition:
    """A new one, or another form of one that there is; then it is looked at from now on. Raises NotAllowed, BadInput."""
    require(by, Role.OPERATOR, "say when somebody is told")
    form.check()
    row = AlertCondition() if condition_id is None else of(condition_id)
    if AlertCondition.objects.filter(name=form.name.strip()).exclude(pk=row.pk).exists():
        raise BadInput(f"there is a condition named {form.name} already", field="name")
    core = form.condition
    row.name, row.signal, row.kinds, row.level, row.clears = (
        form.name.strip(),
        core.signal.value,
        list(core.kinds),
        core.level,
        core.clears,
    )
    row.below, row.of_usual, row.for_ms, row.clear_ms = core.below, core.of_usual, core.for_ms, core.clear_ms
    row.schedule, row.time_zone, row.severity = list(form.schedule), form.time_zone, form.severity.value
    row.groups, row.close_watch_minutes, row.enabled = list(form.groups), form.close_watch_minutes, form.enabled
    with transaction.atomic():
        row.save()
        row.servers.set(Server.objects.filter(pk__in=form.servers))
        row.ways.set(Way.objects.filter(pk__in=form.ways))
        end_all(condition=row)
        audit.record(by, "condition.saved", subject=row.name)
    return row


def switch(condition_id: int, *, enabled: bool, by: AbstractBaseUser | AnonymousUser) -> AlertCondition:
    """On or off; what fires by it is over when it is switched off. Raises NotAllowed, NotFound."""
    require(by, Role.OPERATOR, "switch a condition on or off")
    row = of(condition_id)
    with transaction.atomic():
        row.enabled = enabled
        row.save(update_fields=["enabled"])
        end_all(condition=row)
        audit.record(by, "condition.on" if enabled else "condition.off", subject=row.name)
    return row


def remove(condition_id: int, *, by: AbstractBaseUser | AnonymousUser) -> None:
    """Of one's own making; one that came with Faena is switched off instead. Raises NotAllowed, NotFound, BadInput."""
    require(by, Role.OPERATOR, "remove a condition")
    row = of(condition_id)
    if row.builtin:
        raise BadInput("this one came with Faena and would come back; switch it off", field="condition")
    with transaction.atomic():
        end_all(condition=row)
        audit.record(by, "condition.removed", subject=row.name)
        row.delete()
