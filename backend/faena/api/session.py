"""Signing in and out."""

from typing import Annotated

from django.conf import settings
from django.contrib.auth import authenticate, login, logout
from django.http import HttpRequest, HttpResponse
from django.middleware.csrf import get_token
from ninja import Router, Schema
from ninja.utils import check_csrf
from pydantic import Field

from faena import __version__
from faena.api.out import Out
from faena.api.problems import locked_out
from faena.apps.accounts import audit
from faena.apps.accounts.limits import too_many
from faena.apps.accounts.people import groups_seen, signed_in
from faena.apps.accounts.signing import begin_session
from faena.core.errors import BadInput, NotAllowed

router = Router(tags=["session"])


class SignInBody(Schema):
    username: Annotated[str, Field(max_length=150)]
    password: Annotated[str, Field(max_length=1000)]


class SessionOut(Out):
    """Who is signed in, and with what the page is to be made.

    `username` and `role` are null when nobody is signed in; `may_run`: statements on watched servers, a grant of
    its own. `operates`: groups on whose servers a viewer is an operator. `sees`: groups whose servers alone a
    viewer sees; none: all servers. `sign_in_by` names a provider of OpenID Connect, whose way begins at
    /oidc/begin. Send `csrf` back as X-CSRFToken with every change.
    """

    username: str | None
    role: str | None
    may_run: bool
    operates: list[str]
    sees: list[str]
    csrf: str
    version: str
    demo: bool
    sign_in_by: str | None


def _session(request: HttpRequest) -> SessionOut:
    user = signed_in(request.user)
    return SessionOut(
        username=user.username if user else None,
        role=user.role if user else None,
        may_run=bool(user and user.may_run),
        operates=user.operates if user else [],
        sees=sorted(groups_seen(request.user) or ()),
        csrf=get_token(request),
        version=__version__,
        demo=settings.ENVIRONMENT.demo,
        sign_in_by=settings.ENVIRONMENT.oidc.name if settings.ENVIRONMENT.oidc else None,
    )


@router.get("", response=SessionOut, operation_id="session_get", auth=None)
def get(request: HttpRequest) -> SessionOut:
    """Who is signed in."""
    return _session(request)


@router.post("", response=SessionOut, operation_id="session_open", auth=None)
def sign_in(request: HttpRequest, body: SignInBody) -> SessionOut | HttpResponse:
    """Sign in. After six failures of a name from one address, both wait a quarter of an hour."""
    if check_csrf(request) is not None:  # routes without a session are otherwise not checked
        raise NotAllowed("the token of the page is missing or old; load the page again and sign in")
    if too_many(body.username):
        return locked_out(request)
    user = authenticate(request, username=body.username, password=body.password)
    if user is None:
        audit.record(None, "sign_in.failed", subject=body.username)
        raise BadInput("name or password is not right", field="password")
    login(request, user)
    begin_session(request, user)
    return _session(request)


@router.delete("", response=SessionOut, operation_id="session_close")
def sign_out(request: HttpRequest) -> SessionOut:
    """Sign out."""
    audit.record(request.user, "sign_out")
    logout(request)
    return _session(request)
