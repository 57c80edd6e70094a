"""Making people known, and changing what they may do. Everything is in the audit record."""

from collections.abc import Sequence

from django.contrib.auth.models import AbstractBaseUser, AnonymousUser
from django.contrib.auth.password_validation import validate_password
from django.contrib.sessions.models import Session
from django.core.exceptions import ValidationError
from django.db import IntegrityError, transaction

from faena.apps.accounts import audit
from faena.apps.accounts.models import User
from faena.apps.accounts.people import Person, in_words, person_of
from faena.apps.accounts.policy import require
from faena.apps.accounts.roles import Role
from faena.core.errors import BadInput, NotAllowed, NotFound


def save_user(username: str, password: str, role: Role, *, may_run: bool = False) -> User:
    """For the command line: make the user or change password, role and grant. Raises BadInput for a weak password."""
    check_password(password, username)
    user, made = User.objects.get_or_create(username=username)
    if user.machine:
        raise BadInput(f"{username} is a program with tokens; choose another name", field="username")
    user.role, user.may_run, user.is_active = role, may_run, True
    user.set_password(password)
    user.save()
    audit.record(None, "person.added" if made else "person.changed", subject=username, detail=in_words(user))
    return user


def check_password(password: str, username: str) -> None:
    """Raises BadInput."""
    try:
        validate_password(password, User(username=username))
    except ValidationError as error:
        raise BadInput(" ".join(error.messages), field="password") from error


def add(
    username: str,
    password: str,
    role: Role,
    *,
    may_run: bool,
    by: AbstractBaseUser | AnonymousUser,
    operates: Sequence[str] = (),
    sees: Sequence[str] = (),
) -> Person:
    """Raises NotAllowed, BadInput for a name taken or a weak password."""
    require(by, Role.ADMIN, "add a person")
    try:
        User.username_validator(username)
    except ValidationError as error:
        raise BadInput(" ".join(error.messages), field="username") from error
    check_password(password, username)
    user = User(username=username, role=role, may_run=may_run, operates=_groups(operates), sees=_groups(sees, "sees"))
    user.set_password(password)
    try:
        with transaction.atomic():
            user.save()
    except IntegrityError as error:
        raise BadInput(f"there already is somebody named {username}; choose another name", field="username") from error
    audit.record(by, "person.added", subject=username, detail=in_words(user))
    return person_of(user)


@transaction.atomic
def change(
    user: User,
    *,
    role: Role | None,
    may_run: bool | None,
    active: bool | None,
    by: AbstractBaseUser | AnonymousUser,
    operates: Sequence[str] | None = None,
    sees: Sequence[str] | None = None,
) -> Person:
    """Role, grant, and whether the account is on; None leaves it. Raises NotAllowed, BadInput for the last admin."""
    require(by, Role.ADMIN, "change what a person may do")
    list(User.objects.select_for_update().filter(role=Role.ADMIN, is_active=True).values_list("pk"))
    before = in_words(user)
    user.role = user.role if role is None else role
    user.may_run = user.may_run if may_run is None else may_run
    user.is_active = user.is_active if active is None else active
    user.operates = user.operates if operates is None else _groups(operates)
    user.sees = user.sees if sees is None else _groups(sees, "sees")
    others = User.objects.filter(role=Role.ADMIN, is_active=True, machine=False).exclude(pk=user.pk)
    if not (user.role == Role.ADMIN and user.is_active) and not others.exists():
        raise BadInput("this is the last admin; make another one first", field="role")
    user.save(update_fields=["role", "may_run", "is_active", "operates", "sees"])
    if not user.is_active:
        end_sessions(user)
    audit.record(by, "person.changed", subject=user.username, detail=f"{before} -> {in_words(user)}")
    return person_of(user)


def reset_password(user: User, password: str, *, by: AbstractBaseUser | AnonymousUser) -> None:
    """A new password for somebody else; his sessions end. Raises NotAllowed, BadInput."""
    require(by, Role.ADMIN, "give a person a new password")
    check_password(password, user.username)
    user.set_password(password)
    user.save(update_fields=["password"])
    end_sessions(user)
    audit.record(by, "person.password_reset", subject=user.username)


def own_password(old: str, new: str, *, by: AbstractBaseUser | AnonymousUser) -> User:
    """Raises NotAllowed, BadInput."""
    user = require(by, Role.VIEWER, "change your password")
    if not user.check_password(old):
        audit.record(user, "password.refused", subject=user.username)
        raise NotAllowed("the present password is not right")
    check_password(new, user.username)
    user.set_password(new)
    user.save(update_fields=["password"])
    audit.record(user, "password.changed", subject=user.username)
    return user


def end_sessions(user: User) -> None:
    """All sign-ins of a person end at once."""
    for session in Session.objects.iterator():
        if str(session.get_decoded().get("_auth_user_id")) == str(user.pk):
            session.delete()


def person(user_id: int) -> User:
    """Raises NotFound."""
    found = User.objects.filter(pk=user_id).first()
    if found is None:
        raise NotFound("there is no such person (any more)")
    return found


def everybody() -> list[Person]:
    """Those whose account is off come last."""
    return [person_of(user) for user in User.objects.filter(machine=False).order_by("-is_active", "username")]


def _groups(told: Sequence[str], field: str = "operates") -> list[str]:
    found = sorted({one.strip() for one in told if one.strip()})
    if len(found) > 100 or any(len(one) > 80 for one in found):
        raise BadInput("at most 100 groups, each with at most 80 characters", field=field)
    return found
