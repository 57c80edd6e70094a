"""The record of who did what: written by actions, read and exported by admins, changed by nobody."""

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime

from django.contrib.auth.models import AbstractBaseUser, AnonymousUser

from faena.apps.accounts.asked import address_of_request
from faena.apps.accounts.models import AuditEntry, User
from faena.core.sql.texts import storable

COMMAND = "command line"  # who acts there is known to the machine and not to Faena


def _name(user: User) -> str:
    """Who acted, with the token where a program acts by one."""
    token = getattr(user, "by_token", "")
    return f"{user.username} by token {token}"[:150] if token else user.username


def record(
    by: AbstractBaseUser | AnonymousUser | None, act: str, *, server: str = "", subject: str = "", detail: str = ""
) -> None:
    """Keep that somebody did something; None: from the command line."""
    user = by if isinstance(by, User) else None
    name = _name(user) if user else "nobody signed in" if by is not None or address_of_request.get() else COMMAND
    AuditEntry.objects.create(
        by=user if user and user.pk else None,
        by_name=name,
        act=act,
        server=storable(server)[:80],
        subject=storable(subject)[:200],
        detail=storable(detail)[:1000],
        address=address_of_request.get()[:64],
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class Entry:
    """Something that somebody did, and from which address."""

    id: int
    at: datetime
    by: str
    act: str
    server: str
    subject: str
    detail: str
    address: str


def entries(
    since: datetime | None, until: datetime | None, by: str = "", act: str = "", limit: int | None = None
) -> Iterator[Entry]:
    """Newest first; `by` a name, `act` the beginning of one."""
    rows = AuditEntry.objects.order_by("-at", "-id")
    if since is not None:
        rows = rows.filter(at__gte=since)
    if until is not None:
        rows = rows.filter(at__lt=until)
    if by:
        rows = rows.filter(by_name=by)
    rows = rows.filter(act__startswith=act) if act else rows
    for one in rows.iterator(chunk_size=1000) if limit is None else rows[:limit]:
        yield Entry(
            id=one.pk, at=one.at, by=one.by_name, act=one.act, server=one.server, subject=one.subject,
            detail=one.detail, address=one.address,
        )  # fmt: skip
