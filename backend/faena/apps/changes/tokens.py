"""Pipelines that may tell of changes: made, removed, and known by their token."""

from dataclasses import dataclass

from django.contrib.auth.models import AbstractBaseUser, AnonymousUser
from django.db import IntegrityError, transaction
from django.utils import timezone

from faena.apps.accounts import audit
from faena.apps.accounts.policy import require
from faena.apps.accounts.roles import Role
from faena.apps.accounts.tokens import check_name, digest_of, fresh
from faena.apps.changes.models import ChangeToken
from faena.apps.servers.models import Server
from faena.core.errors import BadInput, NotAllowed, NotFound


@dataclass(frozen=True, slots=True, kw_only=True)
class Pipeline:
    """Who may tell of changes; `server` None: of all. `last_used` in ms since 1970, None: never."""

    id: int
    name: str
    server: str | None
    last_used: int | None


def all_of(server_id: int) -> list[Pipeline]:
    """Those that may speak of a server, by name."""
    rows = ChangeToken.objects.select_related("server").order_by("name")
    return [_told(one) for one in rows if one.server_id in (None, server_id)]


def make(server: Server | None, name: str, *, by: AbstractBaseUser | AnonymousUser) -> tuple[Pipeline, str]:
    """A new token, told this once; without a server, for all of them. Raises NotAllowed, BadInput."""
    require(by, Role.ADMIN, "let a pipeline tell of changes")
    check_name(name)
    token, digest = fresh()
    try:
        with transaction.atomic():
            made = ChangeToken.objects.create(name=name, server=server, digest=digest)
    except IntegrityError:
        raise BadInput(f"there is a token {name} already; remove it, or choose another name", field="name") from None
    audit.record(by, "pipeline.made", server=server.name if server else "", subject=name)
    return _told(made), token


def remove(token_id: int, *, by: AbstractBaseUser | AnonymousUser) -> None:
    """It ends at once; what it told stays. Raises NotAllowed, NotFound."""
    require(by, Role.ADMIN, "let a pipeline tell of changes")
    found = ChangeToken.objects.filter(pk=token_id).first()
    if found is None:
        raise NotFound(f"there is no token {token_id}")
    audit.record(by, "pipeline.removed", subject=found.name)
    found.delete()


def admit(token: str) -> ChangeToken:
    """Whose token this is. Raises NotAllowed."""
    rows = ChangeToken.objects.select_related("server").filter(digest=digest_of(token)) if token else []
    found = next(iter(rows), None)
    if found is None:
        raise NotAllowed("this token may not tell of changes; an admin can make one on a server's page of changes")
    ChangeToken.objects.filter(pk=found.pk).update(last_used_at=timezone.now())
    return found


def _told(one: ChangeToken) -> Pipeline:
    used = one.last_used_at
    return Pipeline(
        id=one.pk, name=one.name, server=one.server.name if one.server else None,
        last_used=int(used.timestamp() * 1000) if used else None,
    )  # fmt: skip
