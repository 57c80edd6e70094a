"""Reading changes of a server."""

from collections.abc import Collection, Iterable
from dataclasses import dataclass
from datetime import UTC, datetime

from django.db.models import Q, QuerySet

from faena.apps.changes.models import Change
from faena.core.changes.kinds import ChangeKind
from faena.core.errors import NotFound
from faena.core.series.window import Window


@dataclass(frozen=True, slots=True, kw_only=True)
class Kept:
    """A change as it is kept; moments in ms since 1970. `origin`: found, hand or api."""

    id: int
    at: int
    since: int
    kind: ChangeKind
    object: str
    table: str
    before: str
    after: str
    query_id: int | None
    note: str
    version: str
    link: str
    origin: str
    by: str

    @property
    def line(self) -> str:
        """In a line, without its moment."""
        if self.note:
            return f"{self.note}{f' ({self.version})' if self.version else ''}"
        to = f": {self.before} → {self.after}" if self.before and self.after else f": {self.after or self.before}"
        of = f" on {self.table}" if self.table and self.table != self.object else ""
        named = "" if self.object == "server" else f" {self.object}"
        return f"{self.kind.label}{named}{of}{to if self.before or self.after else ''}"


def changes(
    server_id: int, window: Window, *, kinds: Collection[ChangeKind] = (), words: str = "", limit: int = 500
) -> list[Kept]:
    """The newest first, at most `limit`; of these kinds, or of any, and with these words in them."""
    rows = Change.objects.filter(server_id=server_id, at_ms__gte=window.start, since_ms__lt=window.end)
    if kinds:
        rows = rows.filter(kind__in=[one.value for one in kinds])
    if words:
        rows = rows.filter(_naming(words))
    return _told(rows.order_by("-at_ms", "-pk")[:limit])


def moments(server_id: int, window: Window, kinds: Collection[str], *, as_found: bool) -> list[int]:
    """When changes of these kinds, or of any, happened; with `as_found` when they were found or told of."""
    rows = Change.objects.filter(server_id=server_id)
    rows = rows.filter(kind__in=kinds) if kinds else rows
    if not as_found:
        return list(rows.filter(at_ms__gte=window.start, at_ms__lt=window.end).values_list("at_ms", flat=True))
    first, last = (datetime.fromtimestamp(at / 1000, UTC) for at in (window.start, window.end))
    told = rows.filter(told_at__gte=first, told_at__lt=last).values_list("told_at", flat=True)
    return [round(one.timestamp() * 1000) for one in told]


def change(server_id: int, change_id: int) -> Kept:
    """Raises NotFound."""
    found = _told(Change.objects.filter(server_id=server_id, pk=change_id))
    if not found:
        raise NotFound(f"there is no change {change_id} on this server; it may have been removed")
    return found[0]


def _naming(words: str) -> Q:
    fields = ("object", "table", "before", "after", "note", "version", "by")
    found = Q()
    for field in fields:
        found |= Q(**{f"{field}__icontains": words})
    return found


def _told(rows: "QuerySet[Change] | Iterable[Change]") -> list[Kept]:
    return [
        Kept(
            id=one.pk, at=one.at_ms, since=one.since_ms, kind=ChangeKind(one.kind), object=one.object, table=one.table,
            before=one.before, after=one.after, query_id=one.query_id, note=one.note, version=one.version,
            link=one.link, origin=one.origin, by=one.by,
        )
        for one in rows
    ]  # fmt: skip
