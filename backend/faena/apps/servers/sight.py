"""Which servers somebody sees: all of them, or those of some groups."""

from typing import TypeAlias

from django.db.models import QuerySet

from faena.apps.servers.models import Server

Groups: TypeAlias = frozenset[str] | None  # None: of all servers, those without a group among them


def seen(groups: Groups) -> QuerySet[Server]:
    """The servers of these groups."""
    rows = Server.objects.all()
    return rows if groups is None else rows.filter(group__in=groups - {""})
