"""Conditions of alerts, their trial on the past, and the ways by which alerts go out."""

from collections.abc import Collection
from typing import Annotated, Any

from django.conf import settings
from django.http import HttpRequest
from ninja import Field, Router, Schema, Status

from faena.api.out import Out
from faena.api.parameters import now_ms
from faena.api.standing import seen_by
from faena.apps.alerts import conditions, selectors, ways
from faena.apps.alerts.conditions import ConditionForm, to_core
from faena.apps.alerts.ways import WayForm, WayKind
from faena.apps.answers.alerts.trying import Would, tried, try_way
from faena.apps.servers import selectors as servers
from faena.apps.servers.clock import calendar_named
from faena.core.alerts.condition import Condition
from faena.core.alerts.signals import TRAITS, WITH_USUAL, Signal, Unit
from faena.core.alerts.words import level_in_words
from faena.core.findings import Severity
from faena.core.series.calendar import IN_UTC
from faena.core.series.window import Window
from faena.core.units import EpochMs

router = Router(tags=["alerts"])
Named = Annotated[str, Field(max_length=120)]


class SignalOut(Out):
    """What a condition can be set on. `kinds` can be chosen, by their labels; `with_usual`: a level in times of usual."""

    signal: Signal
    label: str
    meaning: str
    unit: Unit
    unit_label: str
    kinds: dict[str, str]
    with_usual: bool


class AlertConditionOut(Out):
    """A condition as it was entered; `in_words` says its level, `firing` names the servers on which it holds now."""

    id: int
    name: str
    builtin: bool
    signal: Signal
    signal_label: str
    kinds: list[str]
    level: float
    clears: float
    below: bool
    of_usual: bool
    for_ms: int
    clear_ms: int
    schedule: list[dict[str, Any]]
    time_zone: str
    severity: Severity
    severity_label: str
    servers: list[int]
    groups: list[str]
    ways: list[int]
    close_watch_minutes: int
    enabled: bool
    in_words: str
    firing: list[str]


class AlertConditionBody(Schema):
    """A condition as somebody wants it.

    `level` and `clears` in the signal's unit, or in times of what is usual. No servers and no groups: all.
    """

    name: Named
    signal: Signal
    level: float
    clears: float
    kinds: list[str] = Field(default_factory=list)
    below: bool = False
    of_usual: bool = False
    for_ms: int = 0
    clear_ms: int = 120_000
    schedule: list[dict[str, Any]] = Field(default_factory=list)
    time_zone: str = ""
    severity: Severity = Severity.SOON
    servers: list[int] = Field(default_factory=list)
    groups: list[str] = Field(default_factory=list)
    ways: list[int] = Field(default_factory=list)
    close_watch_minutes: int = 0
    enabled: bool = True


class SwitchBody(Schema):
    enabled: bool


class ConditionRemovedOut(Out):
    removed: bool = True


class ConditionTrialBody(Schema):
    """A condition that is tried on the past, on all its servers, or on one."""

    condition: AlertConditionBody
    start: int
    end: int
    server: int | None = None


class WouldOut(Out):
    """A trouble that it would have told of; `over` null: it would go on."""

    server: str
    server_id: int
    began: int
    fired: int
    over: int | None
    worst: float
    usual: float | None


class ConditionTrialOut(Out):
    """The newest first; `many` of all. `known`: of which share of the time anything is known."""

    many: int
    times: list[WouldOut]
    known: float


class WayOut(Out):
    """A way by which alerts go out. `last_*` tell of its newest notice, null: there was none."""

    id: int
    name: str
    kind: WayKind
    settings: dict[str, Any]
    has_secret: bool
    enabled: bool
    last_what: str | None
    last_state: str | None
    last_at: int | None
    last_error: str


class WayBody(Schema):
    """A way out as somebody wants it. `secret`: the password of a mail server; left out, it stays as it is."""

    name: Annotated[str, Field(max_length=80)]
    kind: WayKind
    settings: dict[str, Any]
    secret: Annotated[str, Field(max_length=500)] | None = None
    enabled: bool = True


class WayMadeOut(Out):
    """A way out that was just made. `secret` of a webhook, by which its calls are signed: shown this once."""

    way: WayOut
    secret: str


class WayRemovedOut(Out):
    removed: bool = True


@router.get("/signals", response=list[SignalOut], operation_id="alert_signals")
def get_signals(request: HttpRequest) -> list[SignalOut]:
    """All that a condition can be set on."""
    return [
        SignalOut(
            signal=one, label=one.label, meaning=one.meaning, unit=trait.unit, unit_label=trait.unit.label,
            kinds=conditions.kinds_of(one), with_usual=one in WITH_USUAL,
        )
        for one, trait in TRAITS.items()
    ]  # fmt: skip


@router.get("/conditions", response=list[AlertConditionOut], operation_id="conditions")
def get_conditions(request: HttpRequest) -> list[AlertConditionOut]:
    """All, with where they hold now."""
    groups = seen_by(request)
    firing, mine = selectors.firing_now(groups), {one.pk for one in servers.all_servers(groups)}
    found = [_condition(one, firing.get(one.pk, [])) for one in selectors.conditions()]
    return found if groups is None else [told for one in found if (told := _for_those(one, mine, groups))]


def _for_those(one: AlertConditionOut, servers: Collection[int], groups: Collection[str]) -> AlertConditionOut | None:
    """A condition with the servers and groups that are seen alone; None: it is set on others."""
    if not one.servers and not one.groups:
        return one
    here, these = (
        [number for number in one.servers if number in servers],
        [name for name in one.groups if name in groups],
    )
    return one.model_copy(update={"servers": here, "groups": these}) if here or these else None


def _condition(row: Any, firing: list[str]) -> AlertConditionOut:
    core = to_core(row, IN_UTC)
    severity = Severity(row.severity)
    return AlertConditionOut(
        id=row.pk, name=row.name, builtin=bool(row.builtin), signal=core.signal, signal_label=core.signal.label,
        kinds=list(core.kinds), level=core.level, clears=core.clears, below=core.below, of_usual=core.of_usual,
        for_ms=core.for_ms, clear_ms=core.clear_ms, schedule=row.schedule, time_zone=row.time_zone, severity=severity,
        severity_label=severity.label, servers=[one.pk for one in row.servers.all()], groups=row.groups,
        ways=[one.pk for one in row.ways.all()], close_watch_minutes=row.close_watch_minutes, enabled=row.enabled,
        in_words=level_in_words(core), firing=firing,
    )  # fmt: skip


def _core(body: AlertConditionBody) -> Condition:
    calendar = calendar_named(body.time_zone) if body.time_zone else None
    return Condition(
        signal=body.signal, level=body.level, clears=body.clears, kinds=tuple(body.kinds), below=body.below,
        of_usual=body.of_usual, for_ms=body.for_ms, clear_ms=body.clear_ms, calendar=calendar or IN_UTC,
    )  # fmt: skip


def _form(body: AlertConditionBody) -> ConditionForm:
    return ConditionForm(
        name=body.name, condition=_core(body), schedule=body.schedule, time_zone=body.time_zone,
        severity=body.severity, servers=body.servers, groups=body.groups, ways=body.ways,
        close_watch_minutes=body.close_watch_minutes, enabled=body.enabled,
    )  # fmt: skip


@router.post("/conditions", response={201: AlertConditionOut}, operation_id="condition_make")
def post_condition(request: HttpRequest, body: AlertConditionBody) -> Status[AlertConditionOut]:
    """A new one."""
    return Status(201, _condition(conditions.save(None, _form(body), by=request.user), []))


@router.post("/conditions/trial", response=ConditionTrialOut, operation_id="condition_trial")
def post_trial(request: HttpRequest, body: ConditionTrialBody) -> ConditionTrialOut:
    """Try a condition on the past: how often it would have fired, and when. Nothing is saved, and no notice goes out."""
    _form(body.condition).check()
    chosen = [
        one for one in servers.all_servers(seen_by(request))
        if body.server in (None, one.pk)
        and (
            (not body.condition.servers and not body.condition.groups)
            or one.pk in body.condition.servers
            or one.group in body.condition.groups
        )
    ]  # fmt: skip
    window = Window(start=EpochMs(body.start), end=EpochMs(body.end))
    found = tried(_core(body.condition), chosen, window, now_ms())
    return ConditionTrialOut(many=len(found.times), times=[_would(one) for one in found.times], known=found.known)


def _would(one: Would) -> WouldOut:
    return WouldOut(
        server=one.server.name, server_id=one.server.pk, began=one.began, fired=one.fired, over=one.over,
        worst=one.worst, usual=one.usual,
    )  # fmt: skip


@router.put("/conditions/{condition_id}", response=AlertConditionOut, operation_id="condition_change")
def put_condition(request: HttpRequest, condition_id: int, body: AlertConditionBody) -> AlertConditionOut:
    """Another form of it; it is looked at from now on."""
    return _condition(conditions.save(condition_id, _form(body), by=request.user), [])


@router.put("/conditions/{condition_id}/switch", response=AlertConditionOut, operation_id="condition_switch")
def put_switch(request: HttpRequest, condition_id: int, body: SwitchBody) -> AlertConditionOut:
    """On or off."""
    return _condition(conditions.switch(condition_id, enabled=body.enabled, by=request.user), [])


@router.delete("/conditions/{condition_id}", response=ConditionRemovedOut, operation_id="condition_remove")
def delete_condition(request: HttpRequest, condition_id: int) -> ConditionRemovedOut:
    """One of your own making; one that came with Faena is switched off instead."""
    conditions.remove(condition_id, by=request.user)
    return ConditionRemovedOut()


@router.get("/ways", response=list[WayOut], operation_id="ways")
def get_ways(request: HttpRequest) -> list[WayOut]:
    """All, with what became of their newest notice."""
    return [_way(one) for one in ways.all_of()]


def _way(row: Any) -> WayOut:
    last = selectors.last_of_way(row.pk)
    return WayOut(
        id=row.pk, name=row.name, kind=WayKind(row.kind), settings=row.settings, has_secret=bool(row.secret_sealed),
        enabled=row.enabled, last_what=last.what if last else None, last_state=last.state if last else None,
        last_at=(last.sent_ms or last.made_ms) if last else None, last_error=last.error if last else "",
    )  # fmt: skip


def _way_form(body: WayBody) -> WayForm:
    return WayForm(name=body.name, kind=body.kind, settings=body.settings, secret=body.secret, enabled=body.enabled)


@router.post("/ways", response={201: WayMadeOut}, operation_id="way_make")
def post_way(request: HttpRequest, body: WayBody) -> Status[WayMadeOut]:
    """A new way; for a webhook Faena makes the secret."""
    row, secret = ways.make(_way_form(body), by=request.user)
    return Status(201, WayMadeOut(way=_way(row), secret=secret))


@router.put("/ways/{way_id}", response=WayOut, operation_id="way_change")
def put_way(request: HttpRequest, way_id: int, body: WayBody) -> WayOut:
    """Other settings."""
    return _way(ways.change(way_id, _way_form(body), by=request.user))


@router.delete("/ways/{way_id}", response=WayRemovedOut, operation_id="way_remove")
def delete_way(request: HttpRequest, way_id: int) -> WayRemovedOut:
    """Remove a way; no notice goes out by it any more."""
    ways.remove(way_id, by=request.user)
    return WayRemovedOut()


@router.post("/ways/{way_id}/trial", response={201: WayOut}, operation_id="way_trial")
def post_way_trial(request: HttpRequest, way_id: int) -> Status[WayOut]:
    """Send a trial notice by this way; the list of ways shows what became of it."""
    row = ways.tryable(way_id, by=request.user)
    try_way(row, f"{settings.ENVIRONMENT.address}/alerts", now_ms())
    return Status(201, _way(row))
