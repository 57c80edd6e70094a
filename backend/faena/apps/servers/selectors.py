"""Reading servers."""

from collections.abc import Collection

from faena.apps.servers.models import Server, ServerNote
from faena.apps.servers.sight import Groups, seen
from faena.core.errors import NotFound
from faena.core.series.window import Window


def all_servers(groups: Groups = None) -> list[Server]:
    return list(seen(groups).order_by("name"))


def named_like(parts: Collection[str], groups: Groups = None) -> list[Server]:
    """Those that have all of the parts in their names; of no parts, all."""
    rows = seen(groups).only("name", "username", "engine").order_by("name")
    for part in parts:
        rows = rows.filter(name__icontains=part)
    return list(rows)


def group_of(server_id: int) -> str:
    """ "" where it has none, or is not known."""
    return Server.objects.filter(pk=server_id).values_list("group", flat=True).first() or ""


def server(server_id: int, groups: Groups = None) -> Server:
    """Raises NotFound, also for one of another group."""
    found = seen(groups).filter(id=server_id).first()
    if found is None:
        raise NotFound(f"there is no server {server_id}; it may have been removed")
    return found


def server_named(name: str) -> Server:
    """Raises NotFound, and says which there are."""
    found = Server.objects.filter(name=name).first()
    if found is None:
        known = ", ".join(Server.objects.order_by("name").values_list("name", flat=True)) or "none yet"
        raise NotFound(f"there is no server {name[:80]!r}; there are: {known}")
    return found


def notes(server_id: int, window: Window) -> list[ServerNote]:
    """What happened to the watching in the window, in order of time."""
    return list(
        ServerNote.objects.filter(server_id=server_id, at_ms__gte=window.start, at_ms__lt=window.end).order_by("at_ms")
    )


def log_refusal(server: Server) -> str:
    """Why the server's log cannot be read since it was last connected; empty when nothing is known against it."""
    told = ServerNote.objects.filter(server=server, event__in=("connected", "log_refused")).order_by("-at_ms").first()
    return told.detail if told is not None and told.event == "log_refused" else ""
