"""Who may do what. Checked in actions, so that screen, API and command obey the same rule."""

from django.contrib.auth.models import AbstractBaseUser, AnonymousUser

from faena.apps.accounts.models import User
from faena.apps.accounts.roles import Role
from faena.core.errors import NotAllowed
from faena.core.privacy import Permit

_ORDER = [Role.VIEWER, Role.OPERATOR, Role.ADMIN]


def require(user: AbstractBaseUser | AnonymousUser, role: Role, act: str) -> User:
    """The user, typed. Raises NotAllowed with the act in words and the role it takes."""
    if not isinstance(user, User) or not user.is_active:
        raise NotAllowed(f"to {act}, sign in first")
    if _ORDER.index(Role(user.role)) < _ORDER.index(role):
        raise NotAllowed(f"to {act} takes the role {role.value}; {user.username} is {user.role}")
    return user


def may(user: AbstractBaseUser | AnonymousUser, role: Role) -> bool:
    """Whether `require` would let the user."""
    return isinstance(user, User) and user.is_active and _ORDER.index(Role(user.role)) >= _ORDER.index(role)


def permit(user: AbstractBaseUser | AnonymousUser) -> Permit | None:
    """What opens texts with their literals: for operators and admins. The only place that makes one for the web."""
    return Permit(holder=user.username) if may(user, Role.OPERATOR) and isinstance(user, User) else None


def require_grant_to_run(user: AbstractBaseUser | AnonymousUser) -> User:
    """The user, when the separate grant to run statements on watched servers was given. Raises NotAllowed."""
    found = require(user, Role.OPERATOR, "run a statement on a watched server")
    if not found.may_run:
        raise NotAllowed(
            f"to run a statement on a watched server takes a grant of its own; an admin can give it to {found.username}"
        )
    return found
