"""What a user has chosen to see."""

from typing import Any

from django.contrib.auth.models import AbstractBaseUser, AnonymousUser

from faena.apps.accounts.models import Preference


def read(user: AbstractBaseUser | AnonymousUser, key: str, default: Any) -> Any:
    """The value kept, or the default."""
    found = Preference.objects.filter(user_id=user.pk or 0, key=key).first()
    return default if found is None else found.value


def write(user: AbstractBaseUser | AnonymousUser, key: str, value: Any) -> None:
    Preference.objects.update_or_create(user_id=user.pk or 0, key=key, defaults={"value": value})


def beginning_with(user: AbstractBaseUser | AnonymousUser, key: str) -> dict[str, Any]:
    """All values kept under keys that begin so, by what follows."""
    rows = Preference.objects.filter(user_id=user.pk or 0, key__startswith=key).order_by("key")
    return {name.removeprefix(key): value for name, value in rows.values_list("key", "value")}
