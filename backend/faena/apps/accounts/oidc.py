"""Sign-in by OpenID Connect. The provider says who somebody is; its claims say what he may do, at each sign-in."""

from collections.abc import Iterable, Mapping
from functools import lru_cache
from typing import Any, NamedTuple

from authlib.integrations.base_client.errors import OAuthError
from authlib.integrations.django_client import DjangoOAuth2App, OAuth
from django.conf import settings
from django.contrib.auth import login
from django.db import transaction
from django.http import HttpRequest, HttpResponse
from joserfc.errors import JoseError
from requests import RequestException

from faena.apps.accounts import audit
from faena.apps.accounts.models import User
from faena.apps.accounts.people import in_words
from faena.apps.accounts.roles import Role
from faena.apps.accounts.signing import begin_session
from faena.config.environment import OpenId
from faena.core.errors import NotAllowed, NotFound
from faena.core.sql.texts import storable

CALLBACK = "/oidc/callback"
TIMEOUT_S = 10
_BACKEND = "django.contrib.auth.backends.ModelBackend"


def provider() -> OpenId:
    """Raises NotFound where none is set up."""
    found: OpenId | None = settings.ENVIRONMENT.oidc
    if found is None:
        raise NotFound("no sign-in by OpenID Connect is set up here")
    return found


@lru_cache(maxsize=4)
def _client(issuer: str, client: str, secret: str, scopes: str) -> DjangoOAuth2App:
    """A client of the provider. The library makes state, nonce and PKCE, and checks signature, issuer, audience and times."""
    registered = OAuth().register(
        "provider", client_id=client, client_secret=secret,
        server_metadata_url=f"{issuer}/.well-known/openid-configuration",
        client_kwargs={"scope": scopes, "code_challenge_method": "S256", "default_timeout": TIMEOUT_S},
    )  # fmt: skip
    assert isinstance(registered, DjangoOAuth2App)
    return registered


def _of(told: OpenId) -> DjangoOAuth2App:
    return _client(told.issuer, told.client, told.secret, told.scopes)


def begin(request: HttpRequest, back: str) -> HttpResponse:
    """Sends the browser to the provider, and remembers where it goes on afterwards. Raises NotFound, NotAllowed."""
    told = provider()
    request.session["back"] = back if back.startswith("/") and not back.startswith("//") and "\\" not in back else "/"
    try:
        answer: HttpResponse = _of(told).authorize_redirect(request, f"{settings.ENVIRONMENT.address}{CALLBACK}")
    except (RequestException, OAuthError, ValueError) as error:
        raise NotAllowed(
            f"{told.name} does not answer ({type(error).__name__}); try again, or sign in with a password"
        ) from None
    return answer


def finish(request: HttpRequest) -> str:
    """Signs in whoever comes back from the provider, and gives the path to go on at. Raises NotFound, NotAllowed."""
    told = provider()
    back = str(request.session.get("back", "/"))
    try:
        token = _of(told).authorize_access_token(request, timeout=TIMEOUT_S)
        claims = dict(token.get("userinfo") or {})
    except (RequestException, OAuthError, JoseError, ValueError, KeyError) as error:
        audit.record(None, "sign_in.failed", subject=told.name, detail=type(error).__name__)
        raise NotAllowed(f"{told.name} did not vouch for you ({type(error).__name__}); begin again") from None
    try:
        user = admit(told, claims)
    except NotAllowed as error:  # what it began is taken back, and the record stays
        audit.record(None, "sign_in.failed", subject=str(claims.get("sub") or "")[:200], detail=f"{told.name}: {error}")
        raise
    login(request, user, backend=_BACKEND)
    begin_session(request, user, by=told.name)
    return back


@transaction.atomic
def admit(told: OpenId, claims: Mapping[str, Any]) -> User:
    """Finds or makes the account of these claims, and gives it the role that they say. Raises NotAllowed.

    An account is known by issuer and subject, which never change. One with a password is not given away for its name.
    """
    subject = str(claims.get("sub") or "")
    granted = granted_by(told, claims)
    name = storable(str(claims.get("preferred_username") or claims.get("email") or subject))[:150]
    if not subject or granted is None:
        raise NotAllowed(f"{told.name} says nothing of {name or 'you'} that gives a role here; ask an admin of Faena")
    known = f"{told.issuer} {subject}"[:500]
    user = User.objects.select_for_update().filter(subject=known).first()
    if user is None:
        if User.objects.filter(username=name).exists():
            raise NotAllowed(
                f"there is somebody named {name} here already, who signs in with a password; ask an admin of Faena"
            )
        user = User(username=name, subject=known)
        user.set_unusable_password()
    if not user.is_active and user.pk:
        raise NotAllowed("this account is switched off; ask an admin of Faena")
    by_claims = {"role": granted.role, **(granted.groups or {})}
    if user.pk is None or any(getattr(user, name) != one for name, one in by_claims.items()):
        for name, one in by_claims.items():
            setattr(user, name, one)
        user.save()
        audit.record(user, "person.by_claims", subject=user.username, detail=f"{in_words(user)} by {told.name}")
    return user


class Granted(NamedTuple):
    """What claims give. `groups`: those that are operated and those alone that are seen, as an account has them;
    None where no claim can give any, so that admins say which."""

    role: Role
    groups: Mapping[str, list[str]] | None


def granted_by(told: OpenId, claims: Mapping[str, Any]) -> Granted | None:
    """The highest role that any value of the claim gives, and groups of servers with a role of their own; None: no role."""
    given = [grant for one in {*_values(claims.get(told.claim)), "*"} for grant in told.roles.get(one, ())]
    if not given:
        return None
    everywhere = [Role(one.role) for one in given if not one.group]
    role = max(everywhere, key=list(Role).index, default=Role.VIEWER)
    if not any(one.group for grants in told.roles.values() for one in grants):
        return Granted(role, None)
    sees = sorted({one.group for one in given if one.group}) if not everywhere else []
    return Granted(
        role, {"operates": sorted({one.group for one in given if one.group and one.role == "operator"}), "sees": sees}
    )


def _values(claim: Any) -> Iterable[str]:
    if isinstance(claim, str):
        return claim.split()
    return [str(one) for one in claim] if isinstance(claim, list | tuple) else []
