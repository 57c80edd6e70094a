"""What becomes of alerts: a condition begins to hold or is over, and people say what they do about it."""

from collections.abc import Sequence
from dataclasses import asdict
from typing import Any

from django.contrib.auth.models import AbstractBaseUser, AnonymousUser
from django.db import connection, transaction

from faena.apps.accounts import audit
from faena.apps.accounts.policy import require
from faena.apps.accounts.roles import Role
from faena.apps.alerts import selectors
from faena.apps.alerts.models import Alert, AlertComment, AlertCondition, ConditionState, Firing, Mute
from faena.apps.servers.capture import set_close_watch
from faena.apps.servers.models import Server
from faena.core.alerts.signals import WITH_KINDS, Signal
from faena.core.alerts.stepping import Phase, State, Turn, What
from faena.core.errors import BadInput, NotFound
from faena.core.findings import Severity
from faena.core.units import MS_PER_DAY, EpochMs

UNREAD, ACKNOWLEDGED, SNOOZED, HANDLED = "unread", "acknowledged", "snoozed", "handled"
STATES = (UNREAD, ACKNOWLEDGED, SNOOZED, HANDLED)
GATHER_MS = 20_000  # what fires so soon after is told with it
STORM_MS = 120_000  # the same on another server within that time is one trouble
LONGEST_SNOOZE_MS = 30 * MS_PER_DAY
LONGEST_TEXT = 4000
_LOCK = 0xA1E27  # one at a time decides which alert a firing is a part of
_FIELDS = ("worst", "said", "usual")
_MOMENTS = ("until", "since", "began", "worst_at", "known")


def locked(condition: AlertCondition, server: Server, from_ms: int) -> ConditionState | None:
    """Where a condition stands on a server, for this transaction alone; None while somebody else looks at it.

    One that is new begins at `from_ms`.
    """
    ConditionState.objects.get_or_create(condition=condition, server=server, defaults={"until_ms": from_ms})
    rows = ConditionState.objects.select_for_update(skip_locked=True, of=("self",)).select_related("firing")
    return rows.filter(condition=condition, server=server).first()


def state_of(row: ConditionState) -> State:
    """As the core has it."""
    return State(
        until=EpochMs(row.until_ms), phase=Phase(row.phase), since=EpochMs(row.since_ms), began=EpochMs(row.began_ms),
        worst=row.worst, worst_at=EpochMs(row.worst_ms), usual=row.usual, said=row.said, known=EpochMs(row.known_ms),
    )  # fmt: skip


def keep(row: ConditionState, state: State, turns: Sequence[Turn], now_ms: int) -> None:
    """The state after some steps, and what happened in them: all of it, or nothing. Inside of a transaction."""
    for turn in turns:
        _take(row, turn, now_ms)
    if row.firing is not None and row.firing.worst_ms != state.worst_at:
        row.firing.worst, row.firing.worst_ms, row.firing.usual = state.worst, state.worst_at, state.usual
        row.firing.save(update_fields=["worst", "worst_ms", "usual"])
    told = asdict(state)
    row.phase = state.phase.value
    row.until_ms, row.since_ms, row.began_ms, row.known_ms = state.until, state.since, state.began, state.known
    row.worst_ms = state.worst_at
    for name in _FIELDS:
        setattr(row, name, told[name])
    row.save()


def _take(row: ConditionState, turn: Turn, now_ms: int) -> None:
    if turn.what is What.BEGAN:
        row.firing = _begin(row, turn, now_ms)
        return
    firing = row.firing
    if firing is None:  # its alert was forgotten meanwhile
        return
    alert = Alert.objects.select_for_update().get(pk=firing.alert_id)
    firing.worst, firing.worst_ms, firing.usual = turn.value, turn.worst_at, turn.usual
    firing.untold = turn.what.value
    if turn.what is What.OVER:
        firing.over_ms, row.firing = turn.ended, None
    firing.save()
    if turn.what is What.OVER:
        left = alert.firings.filter(over_ms__isnull=True).exists()
        alert.over_ms = None if left else max(one.over_ms or 0 for one in alert.firings.all())
    if turn.what is What.WORSE or alert.over_ms is not None:
        alert.due_ms = min(alert.due_ms or now_ms, now_ms)
    alert.save()


def _begin(row: ConditionState, turn: Turn, now_ms: int) -> Firing:
    """A new firing, as a part of the trouble that it belongs to."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT pg_advisory_xact_lock(%s)", [_LOCK])
    alert = _trouble_of(row, turn) or Alert(began_ms=turn.began, fired_ms=turn.at, severity=row.condition.severity)
    alert.began_ms = min(alert.began_ms, turn.began)
    alert.over_ms = None
    alert.severity = _worse(alert.severity, row.condition.severity)
    alert.due_ms = min(alert.due_ms or now_ms + GATHER_MS, now_ms + GATHER_MS)
    alert.save()
    minutes = row.condition.close_watch_minutes
    if minutes and row.server.close_watch_until_ms < now_ms + minutes * 60_000:
        set_close_watch(row.server, minutes, now_ms, by=f"the alert “{row.condition.name}”")
    return Firing.objects.create(
        alert=alert, condition=row.condition, server=row.server, began_ms=turn.began, fired_ms=turn.at,
        first=turn.value, worst=turn.value, worst_ms=turn.worst_at, usual=turn.usual,
    )  # fmt: skip


def _trouble_of(row: ConditionState, turn: Turn) -> Alert | None:
    """The newest that goes on, on the same server, or by the same condition elsewhere since a moment ago.

    A condition that waits for anything that is found, of whatever kind, says nothing of a cause in common.
    """
    going_on = Firing.objects.filter(alert__over_ms__isnull=True)
    found = going_on.filter(server=row.server, over_ms__isnull=True).order_by("-pk").first()
    of_anything = Signal(row.condition.signal) in WITH_KINDS and len(row.condition.kinds) != 1
    if found is None and not of_anything:
        same = going_on.filter(condition=row.condition, fired_ms__gte=turn.at - STORM_MS)
        found = same.order_by("-pk").first()
    return Alert.objects.select_for_update().get(pk=found.alert_id) if found is not None else None


def _worse(one: str, other: str) -> str:
    order = [severity.value for severity in Severity]
    return min(one, other, key=order.index)


def end_all(**of: Any) -> None:
    """What fires by a `condition` that is changed or switched off, or on a `server` that is not watched any more, is over,
    and it begins anew. Inside of a transaction."""
    for row in ConditionState.objects.select_for_update(of=("self",)).select_related("firing").filter(**of):
        if row.firing is not None:
            alert = Alert.objects.select_for_update().get(pk=row.firing.alert_id)
            row.firing.over_ms, row.firing.untold = row.until_ms, ""
            row.firing.save(update_fields=["over_ms", "untold"])
            if not alert.firings.filter(over_ms__isnull=True).exists():
                alert.over_ms = row.until_ms
                alert.due_ms = row.until_ms
                alert.save(update_fields=["over_ms", "due_ms"])
        row.delete()


def mute(
    server: Server | None, condition: AlertCondition | None, until_ms: int, reason: str, now_ms: int, *,
    by: AbstractBaseUser | AnonymousUser,
) -> Mute:  # fmt: skip
    """No notice of a server or a condition until a moment. Raises NotAllowed, BadInput."""
    user = require(by, Role.OPERATOR, "mute alerts")
    if server is None and condition is None:
        raise BadInput("say of which server or condition no notice shall go out", field="server")
    if not now_ms < until_ms <= now_ms + LONGEST_SNOOZE_MS:
        raise BadInput("mute it until a moment within the next 30 days", field="until")
    row = Mute.objects.create(
        server=server, condition=condition, until_ms=until_ms, by=user.username, reason=reason.strip()[:LONGEST_TEXT]
    )
    audit.record(by, "mute.made", server=server.name if server else "", subject=condition.name if condition else "")
    return row


def unmute(mute_id: int, *, by: AbstractBaseUser | AnonymousUser) -> None:
    """Raises NotAllowed, NotFound."""
    require(by, Role.OPERATOR, "let alerts be told again")
    row = Mute.objects.filter(pk=mute_id).first()
    if row is None:
        raise NotFound("this is not muted any more")
    audit.record(by, "mute.ended", server=row.server.name if row.server else "")
    row.delete()


def set_state(
    alert_id: int, state: str, now_ms: int, *, until_ms: int = 0, by: AbstractBaseUser | AnonymousUser
) -> Alert:
    """Unread again, acknowledged, snoozed until a moment, or handled. Raises NotAllowed, NotFound, BadInput."""
    user = require(by, Role.OPERATOR, "say what is done about an alert")
    if state not in STATES:
        raise BadInput(f"an alert is {', '.join(STATES)}, not {state!r:.20}", field="state")
    if state == SNOOZED and not now_ms < until_ms <= now_ms + LONGEST_SNOOZE_MS:
        raise BadInput("snooze it until a moment within the next 30 days", field="until")
    with transaction.atomic():
        row = Alert.objects.select_for_update().get(pk=selectors.alert(alert_id).pk)
        row.state, row.state_ms, row.state_by = state, now_ms, user.username
        row.snoozed_ms = until_ms if state == SNOOZED else 0
        if state == SNOOZED and row.over_ms is None:
            row.due_ms = until_ms
        row.save()
        audit.record(by, f"alert.{state}", subject=row.headline[:100] or f"alert {row.pk}")
    return row


def comment(alert_id: int, text: str, now_ms: int, *, by: AbstractBaseUser | AnonymousUser) -> AlertComment:
    """Raises NotAllowed, NotFound, BadInput."""
    user = require(by, Role.OPERATOR, "comment on an alert")
    if not 0 < len(text.strip()) <= LONGEST_TEXT:
        raise BadInput(f"a comment has 1 to {LONGEST_TEXT} characters", field="text")
    return AlertComment.objects.create(
        alert=selectors.alert(alert_id), at_ms=now_ms, by=user.username, text=text.strip()
    )


def forget_before(before_ms: int, now_ms: int) -> None:
    """Drop alerts that were over before then; one whose server was removed is over now."""
    Alert.objects.filter(firings=None, over_ms=None).update(over_ms=now_ms, due_ms=None)
    Alert.objects.filter(over_ms__lt=before_ms).delete()
