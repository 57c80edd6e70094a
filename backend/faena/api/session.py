"""Signing in and out."""

from django.conf import settings
from django.contrib.auth import authenticate, login, logout
from django.http import HttpRequest
from django.middleware.csrf import get_token
from ninja import Router, Schema
from ninja.utils import check_csrf

from faena import __version__
from faena.api.out import Out
from faena.apps.accounts.models import User
from faena.core.errors import BadInput, NotAllowed

router = Router(tags=["session"])


class SignInBody(Schema):
    username: str
    password: str


class SessionOut(Out):
    """`username` and `role` are null when nobody is signed in. Send `csrf` back as X-CSRFToken with every change."""

    username: str | None
    role: str | None
    csrf: str
    version: str
    demo: bool


def _session(request: HttpRequest) -> SessionOut:
    user = request.user if isinstance(request.user, User) else None
    return SessionOut(
        username=user.username if user else None,
        role=user.role if user else None,
        csrf=get_token(request),
        version=__version__,
        demo=settings.ENVIRONMENT.demo,
    )


@router.get("", response=SessionOut, operation_id="session_get", auth=None)
def get(request: HttpRequest) -> SessionOut:
    """Who is signed in."""
    return _session(request)


@router.post("", response=SessionOut, operation_id="session_open", auth=None)
def sign_in(request: HttpRequest, body: SignInBody) -> SessionOut:
    """Sign in. After six failures of a name from one address, both wait a quarter of an hour."""
    if check_csrf(request) is not None:  # routes without a session are otherwise not checked
        raise NotAllowed("the token of the page is missing or old; load the page again and sign in")
    user = authenticate(request, username=body.username, password=body.password)
    if user is None:
        raise BadInput("name or password is not right", field="password")
    login(request, user)
    return _session(request)


@router.delete("", response=SessionOut, operation_id="session_close")
def sign_out(request: HttpRequest) -> SessionOut:
    """Sign out."""
    logout(request)
    return _session(request)
