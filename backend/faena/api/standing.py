"""Who asks, with which role and of which servers: a viewer may be an operator of some groups, or see some alone.

Both are decided for one question, by what its path and its parameters name; the account is not changed.
"""

import re
from collections.abc import Callable, Collection, Mapping
from typing import Any

from django.contrib.auth.models import AbstractBaseUser
from django.http import HttpRequest
from ninja.security import SessionAuth

from faena.apps.accounts.people import groups_seen, standing_on
from faena.apps.alerts import selectors as alerts
from faena.apps.cases import selectors as cases
from faena.apps.servers import selectors as servers
from faena.apps.servers.sight import Groups
from faena.core.numbers import whole_number

_NAMED = re.compile(r"^/api/v1/(servers|alerts|cases)/(\d{1,18})(?:/|$)")
# Each raises NotFound for what somebody does not see, in the words that tell of what is not there.
_LOOKED_UP: Mapping[str, Callable[[int, Groups], object]] = {
    "servers": servers.server, "alerts": alerts.alert, "cases": cases.case,
}  # fmt: skip


class Signed(SessionAuth):
    """A session's cookie, as a browser sends it; a change needs the token of the page as well."""

    openapi_name = "SessionAuth"

    def authenticate(self, request: HttpRequest, key: str | None) -> Any | None:
        """None: nobody is signed in. Raises NotFound."""
        user = super().authenticate(request, key)
        return stand(user, request) if isinstance(user, AbstractBaseUser) else user


def stand(user: AbstractBaseUser, request: HttpRequest) -> AbstractBaseUser:
    """The user, with the role that he has where the path leads. Raises NotFound where he sees nothing of what is named."""
    groups, named = groups_seen(user), _NAMED.match(request.path)
    if groups is not None:
        if named:
            _LOOKED_UP[named[1]](int(named[2]), groups)
        for number in request.GET.getlist("server"):
            servers.server(whole_number(number) or 0, groups)
    return standing_on(user, _groups_of(named[1], int(named[2])) if named else ())


def _groups_of(what: str, number: int) -> Collection[str]:
    """Groups of the servers that are named, or on which an alert fired. A case is of none: it may hold anything."""
    match what:
        case "servers":
            return (servers.group_of(number),)
        case "alerts":
            return alerts.groups_of(number)
    return ()


def seen_by(request: HttpRequest) -> Groups:
    """Groups whose servers alone the asker sees; None: he sees all."""
    return groups_seen(request.user)
