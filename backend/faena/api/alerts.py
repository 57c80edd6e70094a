"""Alerts over all servers: what fired, what was sent of it, and what people did about it."""

from collections.abc import Collection, Mapping
from typing import Annotated, Any

from django.contrib.auth.models import AbstractBaseUser, AnonymousUser
from django.http import HttpRequest
from ninja import Field, Query, Router, Schema, Status

from faena.api.out import Out
from faena.api.parameters import now_ms
from faena.api.standing import seen_by
from faena.apps.accounts.people import operates
from faena.apps.accounts.policy import may
from faena.apps.accounts.roles import Role
from faena.apps.alerts import actions, conditions, selectors
from faena.apps.alerts.conditions import to_core
from faena.apps.alerts.selectors import Told
from faena.apps.servers import selectors as servers
from faena.core.alerts.words import sentence
from faena.core.findings import Severity
from faena.core.series.calendar import IN_UTC
from faena.core.units import MS_PER_HOUR

router = Router(tags=["alerts"])
MONTH_MS = 30 * 24 * MS_PER_HOUR


class FiringOut(Out):
    """A condition that holds or held on a server. `over` null: it goes on. `usual` null: not asked, or not known."""

    condition_id: int
    condition: str
    server_id: int
    server: str
    began: int
    fired: int
    over: int | None
    worst: float
    usual: float | None
    sentence: str


class AlertOut(Out):
    """One trouble.

    `state`: unread, acknowledged, snoozed or handled; `may_act`: the asker may say which. `over` null: it goes on.
    `sent` and `waiting` count its notices; a muted one has none.
    """

    id: int
    headline: str
    severity: Severity
    severity_label: str
    began: int
    fired: int
    over: int | None
    state: str
    state_at: int
    state_by: str
    snoozed_until: int | None
    muted: bool
    firings: list[FiringOut]
    sent: int
    waiting: int
    comments: int
    may_act: bool


class NoticeOut(Out):
    """What was sent by a way; `error` is of the last try. `state`: waiting, sent or given_up."""

    way: str
    what: str
    state: str
    made: int
    sent: int | None
    next: int
    tries: int
    error: str


class AlertCommentOut(Out):
    at: int
    by: str
    text: str


class AlertPageOut(Out):
    """An alert with all that was told of it. `lead` is empty where none was found; `chain` its sentences. `server` and
    `start` to `end` are the window that its link opens. `times`: how often the same fired in 30 days. `picture`: the address of an image
    of the load, as it was told, and `picture_says` what it shows; "" where nothing was told yet."""

    alert: AlertOut
    when: str
    lead: str
    chain: list[str]
    next_step: str
    changes: list[str]
    server: int | None
    start: int
    end: int
    notices: list[NoticeOut]
    said: list[AlertCommentOut]
    times: int
    picture: str
    picture_says: str


class AlertStateBody(Schema):
    """Somebody's answer to an alert. `until`: a moment in ms since 1970, for snoozed ones."""

    state: str
    until: int = 0


class AlertCommentBody(Schema):
    text: Annotated[str, Field(max_length=4000)]


class MuteOut(Out):
    """No notice goes out of a server, a condition, or the one on the other; null: of any."""

    id: int
    server: str | None
    condition: str | None
    until: int
    by: str
    reason: str


class MuteBody(Schema):
    server: int | None = None
    condition: int | None = None
    until: int
    reason: Annotated[str, Field(max_length=1000)] = ""


class UnmutedOut(Out):
    unmuted: bool = True


class AlertsIn(Schema):
    """Which alerts.

    `state`: one or more of unread, acknowledged, snoozed, handled; all where none is given. `lead`: told with the
    lead of this identity.
    """

    state: list[str] = Field(default_factory=list)
    server: int | None = None
    condition: int | None = None
    lead: Annotated[str, Field(max_length=40)] = ""
    limit: Annotated[int, Field(ge=1, le=500)] = 200


def _alert(told: Told, by: AbstractBaseUser | AnonymousUser) -> AlertOut:
    one = told.alert
    severity = Severity(one.severity)
    first = told.firings[0] if told.firings else None
    # A headline may name servers that the reader does not see.
    return AlertOut(
        id=one.pk,
        headline=(not told.in_part and one.headline) or (f"{first.condition.name} on {first.server.name}" if first else "Its server was removed"),
        severity=severity,
        severity_label=severity.label,
        began=one.began_ms,
        fired=one.fired_ms,
        over=one.over_ms,
        state=one.state,
        state_at=one.state_ms,
        state_by=one.state_by,
        snoozed_until=one.snoozed_ms or None,
        muted=one.muted,
        firings=[
            FiringOut(
                condition_id=f.condition_id, condition=f.condition.name, server_id=f.server_id, server=f.server.name,
                began=f.began_ms, fired=f.fired_ms, over=f.over_ms, worst=f.worst, usual=f.usual,
                sentence=sentence(to_core(f.condition, IN_UTC), f.condition.name, f.worst, f.usual, f.server.name),
            )
            for f in told.firings
        ],
        sent=told.sent,
        waiting=told.waiting,
        comments=told.comments,
        may_act=may(by, Role.OPERATOR) or (not told.in_part and operates(by, {f.server.group for f in told.firings})),
    )  # fmt: skip


def _unless_of_others(told: Mapping[str, Any], servers: Collection[int]) -> Mapping[str, Any]:
    """What was told of an alert, if that is of one of these servers: it may name others."""
    return told if told.get("server_id") in servers else {}


@router.get("/alerts", response=list[AlertOut], operation_id="alerts")
def get_alerts(request: HttpRequest, asked: Query[AlertsIn]) -> list[AlertOut]:
    """Over all servers: unread ones first, the newest of them on top."""
    found = selectors.alerts(
        states=asked.state, server_id=asked.server, condition_id=asked.condition, lead=asked.lead, limit=asked.limit,
        groups=seen_by(request),
    )  # fmt: skip
    return [_alert(one, request.user) for one in found]


@router.get("/alerts/mutes", response=list[MuteOut], operation_id="alert_mutes")
def get_mutes(request: HttpRequest) -> list[MuteOut]:
    """Mutes that have not ended."""
    return [
        MuteOut(
            id=one.pk, server=one.server.name if one.server else None,
            condition=one.condition.name if one.condition else None, until=one.until_ms, by=one.by, reason=one.reason,
        )
        for one in selectors.mutes(now_ms(), seen_by(request))
    ]  # fmt: skip


@router.post("/alerts/mutes", response={201: list[MuteOut]}, operation_id="alert_mute")
def post_mute(request: HttpRequest, body: MuteBody) -> Status[list[MuteOut]]:
    """Mute a server or a condition until a moment."""
    server = servers.server(body.server) if body.server is not None else None
    condition = conditions.of(body.condition) if body.condition is not None else None
    actions.mute(server, condition, body.until, body.reason, now_ms(), by=request.user)
    return Status(201, get_mutes(request))


@router.delete("/alerts/mutes/{mute_id}", response=UnmutedOut, operation_id="alert_unmute")
def delete_mute(request: HttpRequest, mute_id: int) -> UnmutedOut:
    """Let notices go out again."""
    actions.unmute(mute_id, by=request.user)
    return UnmutedOut()


@router.get("/alerts/{alert_id}", response=AlertPageOut, operation_id="alert")
def get_alert(request: HttpRequest, alert_id: int) -> AlertPageOut:
    """One alert with its chain of causes, its notices and comments."""
    groups = seen_by(request)
    row = selectors.alert(alert_id, groups)
    found = selectors.told(row, groups)
    told: Mapping[str, Any] = (
        _unless_of_others(row.told, [one.server_id for one in found.firings]) if found.in_part else row.told
    )
    lead, window = told.get("lead") or {}, told.get("window") or {}
    first = found.firings[0] if found.firings else None
    return AlertPageOut(
        alert=_alert(found, request.user),
        when=told.get("when", ""),
        lead=lead.get("title", ""),
        chain=lead.get("chain", []),
        next_step=lead.get("next_step", ""),
        changes=told.get("changes", []),
        server=told.get("server_id", first.server_id if first else None),
        start=window.get("from", row.began_ms - 300_000),
        end=window.get("to", row.fired_ms + 300_000),
        notices=[
            NoticeOut(
                way=one.way.name, what=one.what, state=one.state, made=one.made_ms, sent=one.sent_ms, next=one.next_ms,
                tries=one.tries, error=one.error,
            )
            for one in ([] if found.in_part else selectors.notices(alert_id))
        ],
        said=[AlertCommentOut(at=one.at_ms, by=one.by, text=one.text) for one in selectors.comments(alert_id)],
        times=selectors.times(row, now_ms() - MONTH_MS),
        picture=f"data:image/png;base64,{told['picture']}" if told.get("picture") else "",
        picture_says=told.get("picture_says", ""),
    )  # fmt: skip


@router.put("/alerts/{alert_id}/state", response=AlertOut, operation_id="alert_state")
def put_state(request: HttpRequest, alert_id: int, body: AlertStateBody) -> AlertOut:
    """Acknowledge, snooze, handle, or make it unread again."""
    row = actions.set_state(alert_id, body.state, now_ms(), until_ms=body.until, by=request.user)
    return _alert(selectors.told(row, seen_by(request)), request.user)


@router.post("/alerts/{alert_id}/comments", response={201: AlertCommentOut}, operation_id="alert_comment")
def post_comment(request: HttpRequest, alert_id: int, body: AlertCommentBody) -> Status[AlertCommentOut]:
    """Say something of it."""
    made = actions.comment(alert_id, body.text, now_ms(), by=request.user)
    return Status(201, AlertCommentOut(at=made.at_ms, by=made.by, text=made.text))
