"""What is told of an alert, when, and by which ways: once when it begins, when it gets worse, and when it is over.

What begins on a server while an alert goes on there is a part of it. It is told by itself all the same where it is graver,
where another cause is found for it, or where it was over and begins again: whoever knows of the first trouble knows nothing
of the second.
"""

import base64
import logging
from collections.abc import Sequence
from datetime import UTC, datetime
from typing import Any

from django.conf import settings
from django.db import transaction
from django.db.models import Count

from faena.apps.alerts import actions
from faena.apps.alerts.conditions import to_core
from faena.apps.alerts.models import Alert, Firing, Mute, Notice, Way
from faena.apps.answers.alerts.picture import waterline_png
from faena.apps.answers.leads import leads_of
from faena.apps.changes import selectors as changes
from faena.apps.leads.models import KnownLead
from faena.apps.servers import holdings
from faena.apps.servers.clock import clock_of
from faena.apps.servers.models import Server
from faena.core.alerts.stepping import What
from faena.core.alerts.words import sentence
from faena.core.answers.leads.choosing import Lead
from faena.core.answers.leads.identity import identity_of
from faena.core.errors import FaenaError
from faena.core.findings import Severity
from faena.core.numbers import took
from faena.core.series.window import Window
from faena.core.units import EpochMs

log = logging.getLogger(__name__)
AGAIN = "again"  # it still goes on when the time is over for which it was snoozed
BEFORE_MS, LONGEST_MS, LEAST_MS = 5 * 60_000, 30 * 60_000, 2 * 60_000  # of the window that is told of
CHANGED_MS = 30 * 60_000  # what changed so long before it began
MOST_CHANGES, MOST_STEPS = 6, 8
_ORDER = [one.value for one in Severity]


def tell_due(now_ms: int) -> int:
    """Each alert of which something is to be told now; how many there were."""
    due = list(Alert.objects.filter(due_ms__lte=now_ms).order_by("due_ms").values_list("pk", flat=True)[:50])
    return sum(_tell(pk, now_ms) for pk in due)


@transaction.atomic
def _tell(alert_id: int, now_ms: int) -> bool:
    """Decide, and write down what is to be sent, in one: nothing is told twice, whenever the machine dies."""
    alert = Alert.objects.select_for_update(skip_locked=True).filter(pk=alert_id, due_ms__lte=now_ms).first()
    if alert is None:
        return False
    firings = list(alert.firings.select_related("condition", "server").order_by("fired_ms", "pk"))
    if not firings:  # their server was removed
        alert.due_ms = None
        alert.save(update_fields=["due_ms"])
        return False
    loud = [one for one in firings if not _is_muted(one, now_ms)]
    alert.muted = bool(firings) and not loud
    what = _what(alert, loud, now_ms)
    if what == "later":
        alert.due_ms = alert.snoozed_ms
        alert.save()
        return False
    joined = None if what else _news(alert, loud, now_ms)
    if joined is not None:
        what, alert.state, alert.state_ms, alert.state_by = What.WORSE.value, actions.UNREAD, now_ms, ""
    body = _body(alert, firings, now_ms, joined)
    alert.headline, alert.told, alert.lead_id = body["headline"], body, body.pop("lead_id")
    alert.due_ms = None
    if alert.state == actions.SNOOZED and alert.snoozed_ms <= now_ms:
        alert.state, alert.state_ms, alert.state_by = actions.UNREAD, now_ms, ""
    alert.save()
    for one in firings:
        one.told, one.untold = one.untold or one.told, ""
        one.save(update_fields=["told", "untold"])
    if what:
        write_down(alert, what, body, loud, now_ms)
    return True


def _what(alert: Alert, loud: Sequence[Firing], now_ms: int) -> str:
    """began, worse, again, over; "later" while it is snoozed; "" where there is nothing to tell anybody."""
    before = Notice.objects.filter(alert=alert).exists()
    if not loud:
        return ""
    if alert.over_ms is not None:
        return What.OVER.value if before else What.BEGAN.value
    if alert.state == actions.SNOOZED:
        return "later" if now_ms < alert.snoozed_ms else AGAIN
    if not before:
        return What.BEGAN.value
    if alert.state in (actions.ACKNOWLEDGED, actions.HANDLED):
        return ""
    told = alert.told
    worse = any(one.untold == What.WORSE.value for one in loud)
    fresh = [one for one in loud if one.untold == What.BEGAN.value]
    graver = any(_ORDER.index(one.condition.severity) < _ORDER.index(told["severity"]) for one in fresh)
    elsewhere = any(one.server.name not in told["servers"] for one in fresh)
    return What.WORSE.value if worse or graver or elsewhere else ""


def _news(alert: Alert, loud: Sequence[Firing], now_ms: int) -> Firing | None:
    """What joined an alert that goes on, and was over in it before or whose best lead is not the one that was told of it."""
    if alert.over_ms is not None or alert.state == actions.SNOOZED:
        return None
    for one in loud:
        if one.untold == What.BEGAN.value and one.over_ms is None:
            if any(_same(one, other) and other.over_ms is not None for other in loud):
                return one
            lead = _lead(one.server, _window(one.began_ms, None, one.server, now_ms))
            if lead is not None and _identity(lead) != (alert.told.get("lead") or {}).get("identity"):
                return one
    return None


def _same(one: Firing, other: Firing) -> bool:
    return (one.condition_id, one.server_id) == (other.condition_id, other.server_id)


def _is_muted(one: Firing, now_ms: int) -> bool:
    return any(
        mute.server_id in (None, one.server_id) and mute.condition_id in (None, one.condition_id)
        for mute in Mute.objects.filter(until_ms__gt=now_ms)
    )


def write_down(alert: Alert | None, what: str, body: dict[str, Any], firings: Sequence[Firing], now_ms: int) -> None:
    """One notice for each way of the conditions that hold, or for all ways where they name none."""
    chosen: dict[int, Way] = {}
    for one in firings:
        for way in one.condition.ways.filter(enabled=True) or Way.objects.filter(enabled=True):
            chosen[way.pk] = way
    counts = dict(Notice.objects.filter(alert=alert).values_list("way").annotate(n=Count("*")).order_by())
    Notice.objects.bulk_create(
        Notice(alert=alert, way=way, number=counts.get(way.pk, 0), what=what, body=body, made_ms=now_ms, next_ms=now_ms)
        for way in chosen.values()
    )


def _body(alert: Alert, firings: Sequence[Firing], now_ms: int, joined: Firing | None) -> dict[str, Any]:
    """The contents of a notice, as they are known now; mainly of the condition that `joined` the alert, if one did."""
    gravest = joined or min(firings, key=lambda one: (_ORDER.index(one.condition.severity), one.began_ms))
    server = gravest.server
    window = _window(alert.began_ms if joined is None else joined.began_ms, alert.over_ms, server, now_ms)
    lead = _lead(server, window)
    names = sorted({one.server.name for one in firings})
    picture = waterline_png(server, window, now_ms)
    headline = _headline(gravest, names, lead)
    return {
        "alert": alert.pk,
        "severity": alert.severity,
        "servers": names,
        "headline": headline,
        "when": _when(alert, server),
        "began": alert.began_ms,
        "over": alert.over_ms,
        "firings": [
            {
                "server": one.server.name, "server_id": one.server_id, "condition": one.condition.name,
                "signal": one.condition.signal, "began": one.began_ms, "over": one.over_ms, "worst": one.worst,
                "usual": one.usual,
                "sentence": sentence(
                    to_core(one.condition, clock_of(one.server).calendar), one.condition.name, one.worst, one.usual,
                    one.server.name,
                ),
            }
            for one in firings
        ],
        "lead": None if lead is None else {
            "identity": _identity(lead), "title": lead.claim.title, "chain": [step.sentence for step in lead.claim.chain[:MOST_STEPS]],
            "next_step": lead.claim.next_step,
        },
        "lead_id": _known(server, lead),
        "changes": _changed(server, alert),
        "server_id": server.pk,
        "window": {"from": window.start, "to": window.end},
        "link": f"{settings.ENVIRONMENT.address}/servers/{server.pk}/leads?from={window.start}&to={window.end}",
        "picture": base64.b64encode(picture).decode() if picture else "",
        "picture_says": f"load of {server.name} in this window",
    }  # fmt: skip


def _window(began_ms: int, over_ms: int | None, server: Server, now_ms: int) -> Window:
    """From a little before it began until it is over, or to the newest sample; half an hour at most."""
    newest = holdings.read(server.pk).newest_ms or now_ms
    end = min(over_ms or newest, newest) + 1000
    start = max(began_ms - BEFORE_MS, end - LONGEST_MS)
    return Window(start=EpochMs(min(start, end - LEAST_MS)), end=EpochMs(end))


def _lead(server: Server, window: Window) -> Lead | None:
    """The best that nobody dismissed."""
    try:
        found, _ = leads_of(server.pk, window)
    except FaenaError:
        return None
    dismissed = set(KnownLead.objects.filter(server=server, state="dismissed").values_list("identity", flat=True))
    return next((one for one in found.leads if _identity(one) not in dismissed), None)


def _identity(lead: Lead) -> str:
    return identity_of(lead.claim.kind, lead.claim.root)


def _known(server: Server, lead: Lead | None) -> int | None:
    if lead is None:
        return None
    return KnownLead.objects.filter(server=server, identity=_identity(lead)).values_list("pk", flat=True).first()


def _headline(gravest: Firing, names: Sequence[str], lead: Lead | None) -> str:
    name = gravest.condition.name
    if len(names) > 1:
        return f"{name} on {len(names)} servers: {', '.join(names)}"
    return f"{names[0]}: {lead.claim.title if lead is not None else name}"


def _when(alert: Alert, server: Server) -> str:
    """Since when, or from when to when, on the server's own clock."""
    clock = clock_of(server)
    began, ended = (
        datetime.fromtimestamp(clock.calendar.local(at) / 1000, UTC) if at is not None else None
        for at in (alert.began_ms, alert.over_ms)
    )
    assert began is not None
    day = f"{began.day} {began:%B}"
    if ended is None:
        return f"Since {began:%H:%M:%S} on {day} ({clock.name})."
    assert alert.over_ms is not None
    return f"From {began:%H:%M:%S} on {day} to {ended:%H:%M:%S} ({clock.name}), {took(alert.over_ms - alert.began_ms)}."


def _changed(server: Server, alert: Alert) -> list[str]:
    window = Window(start=EpochMs(alert.began_ms - CHANGED_MS), end=EpochMs(alert.began_ms + 60_000))
    clock = clock_of(server).calendar
    found = changes.changes(server.pk, window, limit=MOST_CHANGES)
    return [f"{datetime.fromtimestamp(clock.local(one.at) / 1000, UTC):%H:%M} {one.line}" for one in found]
