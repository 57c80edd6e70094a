"""Who asks, and with which role: a viewer may be an operator of the servers of some groups.

The role is set for one question alone, by the server that its path names; the account is not changed.
"""

import re
from typing import Any

from django.contrib.auth.models import AbstractBaseUser
from django.http import HttpRequest
from ninja.security import SessionAuth

from faena.apps.accounts.people import standing_on
from faena.apps.servers import selectors as servers

_SERVER = re.compile(r"^/api/v1/servers/(\d{1,18})/")


class Signed(SessionAuth):
    """A session's cookie, as a browser sends it; a change needs the token of the page as well."""

    openapi_name = "SessionAuth"

    def authenticate(self, request: HttpRequest, key: str | None) -> Any | None:
        """None: nobody is signed in."""
        user = super().authenticate(request, key)
        return stand(user, request.path) if isinstance(user, AbstractBaseUser) else user


def stand(user: AbstractBaseUser, path: str) -> AbstractBaseUser:
    """The user, with the role that he has where the path leads."""
    found = _SERVER.match(path)
    return standing_on(user, servers.group_of(int(found[1])) if found else "")
