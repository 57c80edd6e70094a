"""Reading what is known of leads."""

from collections.abc import Collection, Mapping
from dataclasses import dataclass, replace
from typing import Any

from faena.apps.leads.models import KnownLead, LeadLook, LeadSpan
from faena.core.answers.leads.beginning import Lasted, began_again
from faena.core.answers.leads.kinds import LeadKind
from faena.core.series.window import Window


@dataclass(frozen=True, slots=True, kw_only=True)
class Span:
    """A time during which a lead was seen, in ms since 1970."""

    start: int
    end: int
    share: float
    seconds: float
    title: str


@dataclass(frozen=True, slots=True, kw_only=True)
class History:
    """A lead with all that is known of it; `came_back`: when it came again after it was handled, None: it did not."""

    id: int
    identity: str
    kind: LeadKind
    title: str
    root: Mapping[str, Any]
    first: int
    last: int
    times: int
    state: str
    state_at: int
    state_by: str
    reason: str
    came_back: int | None
    spans: list[Span]


def history(server_id: int, *, states: Collection[str] = (), limit: int = 200, spans: int = 30) -> list[History]:
    """Leads of a server, the one seen last first, with their newest spans."""
    rows = KnownLead.objects.filter(server_id=server_id).order_by("-last_ms", "-pk")
    if states:
        rows = rows.filter(state__in=states)
    found = list(rows[:limit])
    seen: dict[int, list[Span]] = {}
    for one in LeadSpan.objects.filter(lead__in=found).order_by("-end_ms"):
        mine = seen.setdefault(one.lead_id, [])
        if len(mine) < spans:
            mine.append(Span(start=one.start_ms, end=one.end_ms, share=one.share, seconds=one.seconds, title=one.title))
    return [told(one, seen.get(one.pk, [])) for one in found]


def told(one: KnownLead, spans: list[Span]) -> History:
    """A record as it is told."""
    return History(
        id=one.pk, identity=one.identity, kind=LeadKind(one.kind), title=one.title, root=one.root, first=one.first_ms,
        last=one.last_ms, times=one.times, state=one.state, state_at=one.state_ms, state_by=one.state_by,
        reason=one.reason, came_back=one.came_back_ms, spans=spans,
    )  # fmt: skip


def looked_until(server_id: int) -> int | None:
    """Up to when a server's newest samples were looked at for leads; None: never."""
    return LeadLook.objects.filter(server_id=server_id).values_list("until_ms", flat=True).first()


def spans_of(server_id: int, window: Window, kinds: Collection[str]) -> list[tuple[int, int]]:
    """When leads were seen that nobody dismissed, of these kinds or of any."""
    rows = LeadSpan.objects.filter(lead__server_id=server_id, start_ms__lt=window.end, end_ms__gt=window.start)
    rows = rows.exclude(lead__state="dismissed")
    rows = rows.filter(lead__kind__in=kinds) if kinds else rows
    return list(rows.values_list("start_ms", "end_ms"))


def by_identity(server_id: int, identities: Collection[str]) -> dict[str, History]:
    """What is known of these, without their spans."""
    rows = KnownLead.objects.filter(server_id=server_id, identity__in=identities)
    return {one.identity: told(one, []) for one in rows}


def as_of(known: History, when: Lasted) -> History:
    """A lead's record as it is told of a window in which it was seen at those times.

    A handled one that began once more after that is open, though no look at the newest samples has noticed yet.
    """
    if known.state != "handled" or not began_again(when, known.state_at):
        return known
    return replace(known, state="open", came_back=when.newest.start)


@dataclass(frozen=True, slots=True, kw_only=True)
class Newest:
    """What the last look at a server's newest samples found; `line` "" when nothing, `until` 0 when there was none."""

    until: int
    line: str
    lead: int | None


def newest(server_ids: Collection[int]) -> dict[int, Newest]:
    """By server."""
    rows = LeadLook.objects.filter(server_id__in=server_ids)
    return {one.server_id: Newest(until=one.until_ms, line=one.line, lead=one.lead_id) for one in rows}


def marks(server_id: int, window: Window, limit: int = 200) -> list[tuple[int, str]]:
    """When main leads began that nobody dismissed, with their titles, in order of time."""
    rows = LeadSpan.objects.filter(
        lead__server_id=server_id, start_ms__gte=window.start, start_ms__lt=window.end, main=True
    ).exclude(lead__state="dismissed")
    return sorted(rows.order_by("-start_ms").values_list("start_ms", "title")[:limit])


def by_number(lead_id: int) -> KnownLead | None:
    """A lead by its number; None when it was forgotten."""
    return KnownLead.objects.filter(pk=lead_id).first()
