"""Tokens by which programs use the API: as their owner, never beyond their scope, until they are over."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import NoReturn

from django.contrib.auth.models import AbstractBaseUser, AnonymousUser
from django.db import IntegrityError, transaction
from django.utils import timezone

from faena.apps.accounts import audit
from faena.apps.accounts.models import ApiToken, User
from faena.apps.accounts.policy import require
from faena.apps.accounts.roles import Role
from faena.apps.accounts.tokens import check_name, digest_of, fresh
from faena.core.errors import BadInput, NotAllowed, NotFound
from faena.core.labels import Labelled

LONGEST_DAYS = 366
MOST_EACH = 50
_SEEN_EVERY = timedelta(seconds=10)  # a token's last use is written so often at most
By = AbstractBaseUser | AnonymousUser


class Scope(Labelled):
    """What a token may do, at most: its owner's role is a limit as well."""

    READ = "read", "read", "sees what a viewer sees, and changes nothing"
    ACT = "act", "read and act", "does what an operator does"
    MANAGE = "manage", "manage", "does what an admin does"

    @property
    def role(self) -> Role:
        return {Scope.READ: Role.VIEWER, Scope.ACT: Role.OPERATOR, Scope.MANAGE: Role.ADMIN}[self]


@dataclass(frozen=True, slots=True, kw_only=True)
class Told:
    """A token without the token; moments in ms since 1970, `last_used` None: never."""

    id: int
    name: str
    owner: str
    machine: bool
    scope: Scope
    made: int
    expires: int
    last_used: int | None


@transaction.atomic
def make(name: str, scope: str, days: int, *, machine: bool, by: By) -> tuple[Told, str]:
    """A token, told this once. `machine`: of a program of that name, which only an admin may let in; else the maker's own.

    Raises NotAllowed, BadInput.
    """
    user = require(by, Role.ADMIN if machine else Role.VIEWER, "let a program use the API")
    if getattr(user, "by_token", ""):
        raise NotAllowed("a token makes no other token; sign in to make one")
    check_name(name)
    if scope not in list(Scope):
        raise BadInput(f"a scope is one of {', '.join(Scope)}", field="scope")
    if not 1 <= days <= LONGEST_DAYS:
        raise BadInput(f"a token lasts between 1 and {LONGEST_DAYS} days", field="days")
    wanted = Scope(scope)
    owner = _machine(name, wanted.role) if machine else user
    if not machine and _beyond(wanted.role, user) and not (wanted is Scope.ACT and user.operates):
        raise BadInput(f"your own role is {user.role}, and a token does no more than that", field="scope")
    if owner.api_tokens.count() >= MOST_EACH:
        raise BadInput(f"there are {MOST_EACH} tokens of {owner.username} already; remove some", field="name")
    token, digest = fresh()
    try:
        with transaction.atomic():
            row = ApiToken.objects.create(
                owner=owner,
                name=name,
                digest=digest,
                scope=wanted.value,
                expires_at=timezone.now() + timedelta(days=days),
            )
    except IntegrityError:
        raise BadInput(f"there is a token {name} already; choose another name", field="name") from None
    audit.record(by, "token.made", subject=name, detail=f"{wanted.label}, {days} days, as {owner.username}")
    return told(row), token


def _machine(name: str, role: Role) -> User:
    owner, made = User.objects.get_or_create(username=name, defaults={"machine": True, "role": role})
    if made:
        owner.set_unusable_password()
        owner.save()
    elif not owner.machine:
        raise BadInput(f"{name} is a person here; choose another name for the program", field="name")
    elif _beyond(role, owner):
        User.objects.filter(pk=owner.pk).update(role=role)
    return owner


def _beyond(role: Role, user: User) -> bool:
    order = list(Role)
    return order.index(role) > order.index(Role(user.role))


def told(row: ApiToken) -> Told:
    used = row.last_used_at
    return Told(
        id=row.pk, name=row.name, owner=row.owner.username, machine=row.owner.machine, scope=Scope(row.scope),
        made=_ms(row.made_at), expires=_ms(row.expires_at), last_used=_ms(used) if used else None,
    )  # fmt: skip


def _ms(at: datetime) -> int:
    return int(at.timestamp() * 1000)


def visible_to(by: By) -> Sequence[Told]:
    """One's own; all of them for admins. Raises NotAllowed."""
    user = require(by, Role.VIEWER, "see tokens")
    rows = ApiToken.objects.select_related("owner").order_by("owner__username", "name")
    return [told(one) for one in (rows if user.role == Role.ADMIN else rows.filter(owner_id=user.pk))]


@transaction.atomic
def revoke(token_id: int, *, by: By) -> None:
    """It ends at once. One's own; any for admins. Raises NotAllowed, NotFound."""
    user = require(by, Role.VIEWER, "revoke a token")
    row = ApiToken.objects.select_related("owner").filter(pk=token_id).first()
    if row is None or (row.owner_id != user.pk and user.role != Role.ADMIN):
        raise NotFound(f"there is no token {token_id} of yours")
    audit.record(by, "token.revoked", subject=row.name, detail=f"of {row.owner.username}")
    owner = row.owner
    row.delete()
    if owner.machine and not owner.api_tokens.exists():
        owner.delete()  # a program without a token is nobody; the record keeps its name


def admit(token: str) -> tuple[User, ApiToken] | None:
    """Who may act by this token, with no more than its scope; None: it is unknown, revoked or over, or its owner is off.

    The user is not to be saved: its role is that of the token.
    """
    row = ApiToken.objects.select_related("owner").filter(digest=digest_of(token)).first() if token else None
    now = timezone.now()
    if row is None or row.expires_at <= now or not row.owner.is_active:
        return None
    if row.last_used_at is None or now - row.last_used_at > _SEEN_EVERY:
        ApiToken.objects.filter(pk=row.pk).update(last_used_at=now)
    user = row.owner
    user.account_role = user.role  # type: ignore[attr-defined]
    if _beyond(Role(user.role), _as(Scope(row.scope).role)):
        user.role = Scope(row.scope).role
    user.by_token = row.name  # type: ignore[attr-defined]
    user.most_role = Scope(row.scope).role  # type: ignore[attr-defined]
    user.save = _never  # type: ignore[method-assign]
    return user, row


def _as(role: Role) -> User:
    return User(role=role)


def _never(*_: object, **__: object) -> NoReturn:
    raise NotAllowed("a token changes nobody's account; sign in for that")
