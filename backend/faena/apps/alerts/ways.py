"""Ways by which somebody is told: made and changed by admins, their secrets sealed, their addresses checked."""

import base64
import re
import secrets
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from urllib.parse import urlsplit

from django.contrib.auth.models import AbstractBaseUser, AnonymousUser
from django.db import transaction

from faena.apps.accounts import audit
from faena.apps.accounts.policy import require
from faena.apps.accounts.roles import Role
from faena.apps.accounts.tokens import check_name
from faena.apps.alerts.models import Way
from faena.apps.servers.reach import check_host, to_tell
from faena.apps.servers.sealing import seal, unseal
from faena.core.errors import BadInput, NotFound
from faena.core.labels import Labelled

MAIL = re.compile(r"[^@\s<>\"]{1,64}@[^@\s<>\"]{1,250}")
MOST_PEOPLE = 50


class WayKind(Labelled):
    """How somebody is told."""

    EMAIL = "email", "e-mail"
    WEBHOOK = "webhook", "webhook"


class Security(Labelled):
    """Of the connection to a mail server."""

    STARTTLS = "starttls", "STARTTLS"
    TLS = "tls", "TLS from the beginning"
    NONE = "none", "none", "Only for a mail server on the same machine or network."


@dataclass(frozen=True, slots=True, kw_only=True)
class MailSettings:
    """A mail server, who sends and to whom. `user` empty: without signing in."""

    host: str
    port: int
    security: Security
    user: str
    sender: str
    to: Sequence[str]


@dataclass(frozen=True, slots=True, kw_only=True)
class WayForm:
    """What is entered. `secret` None: as it is; the password of the mail server. That of a webhook is made by Faena."""

    name: str
    kind: WayKind
    settings: Mapping[str, object] = field(default_factory=dict)
    secret: str | None = None
    enabled: bool = True


def mail_settings(raw: Mapping[str, object]) -> MailSettings:
    """Raises BadInput naming the field."""
    to = [str(one).strip() for one in _list(raw.get("to"))]
    sender = str(raw.get("sender") or "").strip()
    for name, addresses in (("sender", [sender]), ("to", to)):
        for one in addresses:
            if not MAIL.fullmatch(one):
                raise BadInput(f"{one!r:.80} is no address of e-mail", field=name)
    if not 0 < len(to) <= MOST_PEOPLE:
        raise BadInput(f"1 to {MOST_PEOPLE} addresses", field="to")
    port = raw.get("port") or 587
    if not isinstance(port, int) or not 0 < port < 65536:
        raise BadInput("a port is a number up to 65535", field="port")
    host = str(raw.get("host") or "").strip()
    if not host:
        raise BadInput("the mail server that takes the mails", field="host")
    check_host(host, to_tell())
    security = str(raw.get("security") or Security.STARTTLS.value)
    if security not in list(Security):
        raise BadInput(f"one of {', '.join(Security)}", field="security")
    return MailSettings(
        host=host, port=port, security=Security(security), user=str(raw.get("user") or "")[:200], sender=sender, to=to
    )


def webhook_address(raw: Mapping[str, object]) -> str:
    """Raises BadInput."""
    url = str(raw.get("url") or "").strip()
    parts = urlsplit(url)
    try:
        known = parts.scheme in ("https", "http") and bool(parts.hostname) and (parts.port or 1) > 0
    except ValueError:  # of a port that is no number
        known = False
    if not known or parts.username or parts.password or len(url) > 500:
        raise BadInput(
            "an address that begins with https:// or http://, without a user in it, of up to 500 characters",
            field="url",
        )
    check_host(str(parts.hostname), to_tell())
    return url


def _list(value: object) -> list[object]:
    if isinstance(value, str):
        return [one for one in re.split(r"[,;\s]+", value) if one]
    return list(value) if isinstance(value, list | tuple) else []


def _checked(form: WayForm) -> dict[str, object]:
    check_name(form.name)
    if form.kind is WayKind.WEBHOOK:
        return {"url": webhook_address(form.settings)}
    told = mail_settings(form.settings)
    return {
        "host": told.host, "port": told.port, "security": told.security.value, "user": told.user,
        "sender": told.sender, "to": list(told.to),
    }  # fmt: skip


def all_of() -> list[Way]:
    """By name."""
    return list(Way.objects.order_by("name"))


def of(way_id: int) -> Way:
    """Raises NotFound."""
    found = Way.objects.filter(pk=way_id).first()
    if found is None:
        raise NotFound(f"there is no way {way_id} to tell somebody; it may have been removed")
    return found


def named(name: str) -> Way:
    """Raises NotFound."""
    found = Way.objects.filter(name=name).first()
    if found is None:
        raise NotFound(f"there is no way named {name}")
    return found


def _require(by: AbstractBaseUser | AnonymousUser | None) -> None:
    """None: from the command line, where whoever may run it may do so. Raises NotAllowed."""
    if by is not None:
        require(by, Role.ADMIN, "say by which ways alerts go out")


def make(form: WayForm, *, by: AbstractBaseUser | AnonymousUser | None) -> tuple[Way, str]:
    """A new way, and the secret of a webhook, which is shown this once. Raises NotAllowed, BadInput."""
    _require(by)
    settings = _checked(form)
    if Way.objects.filter(name=form.name).exists():
        raise BadInput(f"there is a way named {form.name} already", field="name")
    secret = (
        f"whsec_{base64.b64encode(secrets.token_bytes(24)).decode()}"
        if form.kind is WayKind.WEBHOOK
        else form.secret or ""
    )
    with transaction.atomic():
        row = Way.objects.create(
            name=form.name, kind=form.kind.value, settings=settings, secret_sealed=seal(secret), enabled=form.enabled
        )
        audit.record(by, "way.made", subject=row.name)
    return row, secret if form.kind is WayKind.WEBHOOK else ""


def change(way_id: int, form: WayForm, *, by: AbstractBaseUser | AnonymousUser | None) -> Way:
    """Raises NotAllowed, NotFound, BadInput."""
    _require(by)
    row = of(way_id)
    if form.kind.value != row.kind:
        raise BadInput("make a new way; this one stays of its kind", field="kind")
    row.settings = _checked(form)
    if Way.objects.filter(name=form.name).exclude(pk=row.pk).exists():
        raise BadInput(f"there is a way named {form.name} already", field="name")
    row.name, row.enabled = form.name, form.enabled
    if form.secret is not None and form.kind is WayKind.EMAIL:
        row.secret_sealed = seal(form.secret)
    with transaction.atomic():
        row.save()
        audit.record(by, "way.changed", subject=row.name)
    return row


def remove(way_id: int, *, by: AbstractBaseUser | AnonymousUser | None) -> None:
    """Raises NotAllowed, NotFound."""
    _require(by)
    row = of(way_id)
    with transaction.atomic():
        audit.record(by, "way.removed", subject=row.name)
        row.delete()


def tryable(way_id: int, *, by: AbstractBaseUser | AnonymousUser) -> Way:
    """One that a trial may be sent by. Raises NotAllowed, NotFound."""
    _require(by)
    return of(way_id)


def secret_of(row: Way) -> str:
    """Raises BadInput where it cannot be opened with the installation's secret."""
    return unseal(bytes(row.secret_sealed)) if row.secret_sealed else ""
