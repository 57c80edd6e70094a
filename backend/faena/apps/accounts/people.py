"""People as others may see them."""

from collections.abc import Collection
from dataclasses import dataclass
from datetime import datetime

from django.contrib.auth.models import AbstractBaseUser, AnonymousUser

from faena.apps.accounts.models import User
from faena.apps.accounts.roles import Role


@dataclass(frozen=True, slots=True, kw_only=True)
class Person:
    """`may_run`: may run statements on watched servers, a grant of its own beside the role."""

    id: int
    username: str
    role: Role
    may_run: bool
    active: bool
    last_sign_in: datetime | None
    operates: list[str]
    sees: list[str]


def person_of(user: User) -> Person:
    """What may be shown of an account."""
    return Person(
        id=user.pk, username=user.username, role=Role(user.role), may_run=user.may_run, active=user.is_active,
        last_sign_in=user.last_login, operates=list(user.operates), sees=list(user.sees),
    )  # fmt: skip


def signed_in(user: AbstractBaseUser | AnonymousUser) -> Person | None:
    """Who asks; None where nobody is signed in."""
    return person_of(user) if isinstance(user, User) else None


def standing_on(user: AbstractBaseUser, groups: Collection[str]) -> AbstractBaseUser:
    """The same with the role that it has on servers of all of these groups, for one question: it is not to be saved.

    A role that was raised or lowered for the question before is taken back first.
    """
    if not isinstance(user, User):
        return user
    own = getattr(user, "own_role", user.role)
    user.own_role = own  # type: ignore[attr-defined]
    user.role = Role.OPERATOR if own == Role.VIEWER and operates(user, groups) else own
    return user


def operates(user: AbstractBaseUser | AnonymousUser, groups: Collection[str]) -> bool:
    """Whether somebody was made an operator of each of these groups."""
    return isinstance(user, User) and bool(groups) and all(one and one in user.operates for one in groups)


def groups_seen(user: AbstractBaseUser | AnonymousUser) -> frozenset[str] | None:
    """Groups whose servers alone somebody sees; None: he sees all servers. What he operates he sees."""
    if not isinstance(user, User) or not user.sees:
        return None
    role = getattr(user, "account_role", getattr(user, "own_role", user.role))  # whatever a token or a path made of it
    return frozenset((*user.sees, *user.operates)) if role == Role.VIEWER else None


def in_words(user: User) -> str:
    """What an account may do, as the record says it."""
    told = [
        str(user.role),
        f"operator of {', '.join(user.operates)}" if user.operates else "",
        f"sees {', '.join(user.sees)} alone" if user.sees else "",
        "may run statements" if user.may_run else "",
        "" if user.is_active else "disabled",
    ]
    return ", ".join(filter(None, told))
