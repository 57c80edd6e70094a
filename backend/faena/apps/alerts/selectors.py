"""Reading alerts, what was sent of them, and what is muted."""

from collections.abc import Collection
from dataclasses import dataclass

from django.db.models import Count, Q, QuerySet

from faena.apps.alerts.models import Alert, AlertComment, AlertCondition, ConditionState, Firing, Mute, Notice
from faena.apps.servers.sight import Groups, seen
from faena.core.alerts.stepping import Phase
from faena.core.errors import NotFound
from faena.core.series.window import Window

MOST = 500


@dataclass(frozen=True, slots=True, kw_only=True)
class Told:
    """An alert with what fired in it and how often its ways were told; `waiting` notices are not taken yet.

    `in_part`: more fired in it, on servers that are not seen.
    """

    alert: Alert
    firings: list[Firing]
    sent: int
    waiting: int
    comments: int
    in_part: bool


def alert(alert_id: int, groups: Groups = None) -> Alert:
    """Raises NotFound, also where all of it fired on servers of other groups."""
    found = _seen(groups).filter(pk=alert_id).first()
    if found is None:
        raise NotFound(f"there is no alert {alert_id}; it may be older than what is kept")
    return found


def groups_of(alert_id: int) -> set[str]:
    """Groups of all servers on which it fired; "" stands for those without one."""
    return set(Firing.objects.filter(alert_id=alert_id).values_list("server__group", flat=True))


def _seen(groups: Groups) -> QuerySet[Alert]:
    rows = Alert.objects.all()
    return rows if groups is None else rows.filter(pk__in=_firings(groups).values("alert_id"))


def _firings(groups: Groups) -> QuerySet[Firing]:
    rows = Firing.objects.all()
    return rows if groups is None else rows.filter(server__in=seen(groups))


def alerts(
    *,
    states: Collection[str] = (),
    server_id: int | None = None,
    condition_id: int | None = None,
    lead: str = "",
    limit: int = 200,
    groups: Groups = None,
) -> list[Told]:
    """Unread ones first, of these the newest; of some states, a server, a condition, a lead, groups, or of all."""
    rows = _seen(groups)
    rows = rows.filter(state__in=states) if states else rows
    mine = Q()
    if server_id is not None:
        mine &= Q(firings__server_id=server_id)
    if condition_id is not None:
        mine &= Q(firings__condition_id=condition_id)
    rows = rows.filter(mine).distinct() if mine else rows
    rows = rows.filter(lead__identity=lead) if lead else rows
    found = list(rows.order_by("-fired_ms", "-pk")[: min(limit, MOST)])
    found.sort(key=lambda one: one.state != "unread")
    return _told(found, groups)


def told(alert: Alert, groups: Groups = None) -> Told:
    """One with the same."""
    return _told([alert], groups)[0]


def _told(found: list[Alert], groups: Groups) -> list[Told]:
    firings: dict[int, list[Firing]] = {one.pk: [] for one in found}
    rows = _firings(groups).filter(alert__in=found)
    for firing in rows.select_related("condition", "server").order_by("began_ms", "pk"):
        firings[firing.alert_id].append(firing)
    in_all = Firing.objects.filter(alert__in=found).values_list("alert_id").annotate(n=Count("pk")).order_by()
    more = {number for number, n in in_all if n > len(firings[number])}
    counted = Notice.objects.filter(alert__in=found).values("alert_id").order_by()
    notices = {
        row["alert_id"]: (row["sent"], row["waiting"])
        for row in counted.annotate(
            sent=Count("pk", filter=Q(state="sent")), waiting=Count("pk", filter=Q(state="waiting"))
        )
    }
    said = AlertComment.objects.filter(alert__in=found).values("alert_id").order_by().annotate(n=Count("*"))
    comments = {row["alert_id"]: row["n"] for row in said}
    return [
        Told(
            alert=one, firings=firings[one.pk], sent=notices.get(one.pk, (0, 0))[0],
            waiting=notices.get(one.pk, (0, 0))[1], comments=comments.get(one.pk, 0),
            in_part=one.pk in more,
        )
        for one in found
    ]  # fmt: skip


def notices(alert_id: int) -> list[Notice]:
    """Of an alert, in the order in which they were made."""
    return list(Notice.objects.filter(alert_id=alert_id).select_related("way").order_by("made_ms", "pk"))


def last_of_way(way_id: int) -> Notice | None:
    """The newest notice of a way."""
    return Notice.objects.filter(way_id=way_id).order_by("-made_ms", "-pk").first()


def comments(alert_id: int) -> list[AlertComment]:
    """In order of time."""
    return list(AlertComment.objects.filter(alert_id=alert_id).order_by("at_ms", "pk"))


def times(alert: Alert, since_ms: int) -> int:
    """How often the same conditions fired on the same servers since then, this time among them."""
    same = Q()
    for one in alert.firings.all():
        same |= Q(condition_id=one.condition_id, server_id=one.server_id)
    if not same:
        return 0
    return Firing.objects.filter(same, began_ms__gte=since_ms).values("alert_id").distinct().count()


def mutes(now_ms: int, groups: Groups = None) -> list[Mute]:
    """Those that have not ended."""
    rows = Mute.objects.filter(until_ms__gt=now_ms)
    rows = rows if groups is None else rows.filter(Q(server=None) | Q(server__in=seen(groups)))
    return list(rows.select_related("server", "condition").order_by("until_ms"))


def began(server_id: int, window: Window) -> list[Firing]:
    """What began to fire on a server in a window, one for each alert, in order of time."""
    rows = Firing.objects.filter(server_id=server_id, began_ms__gte=window.start, began_ms__lt=window.end)
    found: dict[int, Firing] = {}
    for one in rows.select_related("condition").order_by("began_ms", "pk"):
        found.setdefault(one.alert_id, one)
    return list(found.values())


def conditions() -> list[AlertCondition]:
    """All, in the order in which they were made."""
    return list(AlertCondition.objects.prefetch_related("servers", "ways").order_by("pk"))


def firing_now(groups: Groups = None) -> dict[int, list[str]]:
    """Names of the servers on which each condition holds, by its number."""
    rows = ConditionState.objects.filter(phase__in=[Phase.FIRING.value, Phase.FALLING.value], server__in=seen(groups))
    found: dict[int, list[str]] = {}
    for condition, server in rows.order_by("server__name").values_list("condition_id", "server__name"):
        found.setdefault(condition, []).append(server)
    return found
