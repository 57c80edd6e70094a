"""Leads, deadlock patterns and alerts of all servers in one list: what nobody has dealt with first."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from faena.apps.alerts.models import Firing
from faena.apps.leads.models import KnownLead, LeadSpan
from faena.apps.locks.models import Deadlock
from faena.apps.servers.clock import clock_of
from faena.apps.servers.models import Server
from faena.apps.servers.sight import Groups, seen
from faena.core.labels import Labelled
from faena.core.units import MS_PER_HOUR

MOST = 500


class TroubleKind(Labelled):
    """What a line of the list is."""

    ALERT = "alert", "alert"
    LEAD = "lead", "lead"
    PATTERN = "pattern", "deadlock pattern"


@dataclass(frozen=True, slots=True, kw_only=True)
class Trouble:
    """Moments in ms since 1970. `others`: on how many more servers it is. `unread`: nobody has said anything of it. `hours` counts how often it came by hour of the day,
    as the clocks of its server have it."""

    kind: TroubleKind
    key: str
    server: Server
    title: str
    first: int
    last: int
    times: int
    state: str
    unread: bool
    hours: Sequence[int]
    others: int = 0


def troubles(
    since_ms: int, *, server_id: int | None = None, kind: TroubleKind | None = None, groups: Groups = None
) -> list[Trouble]:
    """What came since then: unread first, of these the newest."""
    rows = seen(groups)
    servers = list(rows if server_id is None else rows.filter(pk=server_id))
    found = _alerts(servers, since_ms, groups) if kind in (None, TroubleKind.ALERT) else []
    for server in servers:
        for one, tell in ((TroubleKind.LEAD, _leads), (TroubleKind.PATTERN, _patterns)):
            if kind in (None, one):
                found += tell(server, since_ms)
    found.sort(key=lambda one: (not one.unread, -one.last))
    return found[:MOST]


def _by_hour(server: Server, moments: Iterable[int]) -> list[int]:
    calendar, found = clock_of(server).calendar, [0] * 24
    for at in moments:
        found[calendar.local(at) // MS_PER_HOUR % 24] += 1
    return found


def _leads(server: Server, since_ms: int) -> list[Trouble]:
    rows = list(KnownLead.objects.filter(server=server, last_ms__gte=since_ms).order_by("-last_ms")[:MOST])
    spans: dict[int, list[int]] = {}
    for lead, start in LeadSpan.objects.filter(lead__in=rows, end_ms__gte=since_ms).values_list("lead_id", "start_ms"):
        spans.setdefault(lead, []).append(start)
    return [
        Trouble(
            kind=TroubleKind.LEAD, key=one.identity, server=server, title=one.title, first=one.first_ms, last=one.last_ms,
            times=len(spans.get(one.pk, ())), state=one.state, unread=one.state == "open",
            hours=_by_hour(server, spans.get(one.pk, ())),
        )
        for one in rows
    ]  # fmt: skip


def _patterns(server: Server, since_ms: int) -> list[Trouble]:
    rows = Deadlock.objects.filter(server=server, at_ms__gte=since_ms).select_related("pattern").order_by("-at_ms")
    by_pattern: dict[int, list[Deadlock]] = {}
    for row in rows[: 20 * MOST]:
        by_pattern.setdefault(row.pattern_id, []).append(row)
    found = list[Trouble]()
    for mine in by_pattern.values():
        pattern, newest = mine[0].pattern, mine[0]
        handled = pattern.handled_at_ms
        again = handled is not None and newest.at_ms > handled
        found.append(
            Trouble(
                kind=TroubleKind.PATTERN, key=pattern.pattern, server=server, title=newest.reason, first=mine[-1].at_ms,
                last=newest.at_ms, times=len(mine), state="came back" if again else "open" if handled is None else "handled",
                unread=handled is None or again, hours=_by_hour(server, (one.at_ms for one in mine)),
            )
        )  # fmt: skip
    return found


def _alerts(servers: Sequence[Server], since_ms: int, groups: Groups) -> list[Trouble]:
    """Each once, on however many servers it fired; it stands at the one where it began."""
    others = Firing.objects.none() if groups is None else Firing.objects.exclude(server__in=seen(groups))
    in_part = set(others.filter(began_ms__gte=since_ms).values_list("alert_id", flat=True))
    rows = Firing.objects.filter(server__in=servers, began_ms__gte=since_ms).select_related(
        "alert", "condition", "server"
    )
    by_alert: dict[int, list[Firing]] = {}
    for row in rows.order_by("began_ms", "pk")[: 4 * MOST]:
        by_alert.setdefault(row.alert_id, []).append(row)
    return [
        Trouble(
            kind=TroubleKind.ALERT, key=str(number), server=mine[0].server, others=len({one.server_id for one in mine}) - 1,
            title=(number not in in_part and mine[0].alert.headline) or mine[0].condition.name, first=mine[0].began_ms,
            last=max(one.began_ms for one in mine), times=1, state=mine[0].alert.state,
            unread=mine[0].alert.state == "unread", hours=_by_hour(mine[0].server, [mine[0].began_ms]),
        )
        for number, mine in by_alert.items()
    ]  # fmt: skip
