"""Who asks by a token: any question of the API, as far as the token's scope goes, and not too often."""

import time
from math import ceil
from threading import Lock
from typing import Any, cast

from django.conf import settings
from django.contrib.auth.models import AbstractBaseUser
from django.http import HttpRequest
from ninja.errors import HttpError
from ninja.security import HttpBearer

from faena.api.standing import stand
from faena.apps.accounts.api_tokens import Scope, admit
from faena.apps.accounts.roles import Role
from faena.core.errors import Busy, NotAllowed
from faena.core.pacing import Bucket

_READS = ("GET", "HEAD", "OPTIONS")
_READ_BY_POST = ("/api/v1/refresh",)  # asks several questions at once
_MOST_KNOWN = 10_000  # buckets; the oldest are forgotten, and full again
_buckets: dict[int, Bucket] = {}
_lock = Lock()


class TokenAuth(HttpBearer):
    """A program that shows its token.

    `Authorization: Bearer TOKEN`. No cookie is looked at, so no page can make a browser send it.
    """

    openapi_name = "Token"

    def authenticate(self, request: HttpRequest, token: str) -> AbstractBaseUser:
        """Raises HttpError 401, Busy, NotAllowed."""
        if (again := getattr(request, "_admitted", None)) is not None:  # a part of a refresh
            return within(again, request)
        found = admit(token)
        if found is None:
            raise HttpError(401, "this token is unknown, revoked or over; make another under your name, API tokens")
        user, row = found
        _pace(row.pk)
        if row.scope == Scope.READ and request.method not in _READS and request.path not in _READ_BY_POST:
            raise NotAllowed(f"the token {row.name} may only read")
        request.user = user
        request._admitted = user  # type: ignore[attr-defined]
        return within(user, request)


def within(user: AbstractBaseUser, request: HttpRequest) -> AbstractBaseUser:
    """The role where the path leads, but never more than the scope. Raises NotFound for what the owner does not see."""
    found: Any = stand(user, request)
    if found.role == Role.OPERATOR and found.most_role == Role.VIEWER:
        found.role = Role.VIEWER
    return cast("AbstractBaseUser", found)


def _pace(token_id: int) -> None:
    """Raises Busy."""
    per_minute, now = settings.ENVIRONMENT.api_per_minute, time.monotonic()
    with _lock:
        bucket = _buckets.get(token_id)
        if bucket is None:
            if len(_buckets) >= _MOST_KNOWN:
                _buckets.pop(next(iter(_buckets)))
            bucket = _buckets[token_id] = Bucket(most=per_minute, per_s=per_minute / 60, left=per_minute, at=now)
        wait = bucket.wait_s(now)
    if wait:
        raise Busy(f"this token asks more than {per_minute} times a minute; wait before the next", after_s=ceil(wait))


def forget() -> None:
    """For tests: nobody has asked yet."""
    _buckets.clear()
