"""Applications that may send traces: made, changed, removed, and known by their token."""

import re
from collections.abc import Sequence
from dataclasses import dataclass

from django.contrib.auth.models import AbstractBaseUser, AnonymousUser
from django.db import IntegrityError, transaction
from django.db.models import Sum
from django.utils import timezone

from faena.apps.accounts import audit
from faena.apps.accounts.policy import require
from faena.apps.accounts.roles import Role
from faena.apps.accounts.tokens import check_name, digest_of, fresh
from faena.apps.requests.models import Arrival, Endpoint, OpenTrace, TraceSource
from faena.apps.servers.models import Server
from faena.core.errors import BadInput, NotAllowed, NotFound
from faena.core.requests.keeping import Allowed

MOST_KEYS = 40
_KEY = re.compile(r"[\w./-]{1,120}")
_SEEN_EVERY_S = 10  # a source's last use is written so often at most


@dataclass(frozen=True, slots=True, kw_only=True)
class SourceForm:
    """What an admin says of a source; `target_ms` is the time within which a request should be answered."""

    attributes: Sequence[str] = ()
    personal: bool = False
    target_ms: float = 500.0
    retention_days: int = 14

    def __post_init__(self) -> None:
        if len(self.attributes) > MOST_KEYS or not all(_KEY.fullmatch(key) for key in self.attributes):
            raise BadInput(
                f"at most {MOST_KEYS} names of attributes, of letters, digits and . _ / -", field="attributes"
            )
        if not 1 <= self.target_ms <= 3_600_000:
            raise BadInput("a target lies between 1 ms and an hour", field="target_ms")
        if not 1 <= self.retention_days <= 400:
            raise BadInput("requests are kept between 1 and 400 days", field="retention_days")


def make(server: Server, name: str, *, by: AbstractBaseUser | AnonymousUser | None = None) -> tuple[TraceSource, str]:
    """A new source of a server and its token, which is told this once. A command has no `by`. Raises NotAllowed, BadInput."""
    if by is not None:
        require(by, Role.ADMIN, "let an application send traces")
    check_name(name)
    token, digest = fresh()
    try:
        with transaction.atomic():
            source = TraceSource.objects.create(server=server, name=name, digest=digest)
    except IntegrityError:
        raise BadInput(f"there is a source {name} already; renew its token instead", field="name") from None
    audit.record(by, "source.made", server=server.name, subject=name)
    return source, token


def renew(source: TraceSource, *, by: AbstractBaseUser | AnonymousUser | None = None) -> str:
    """Another token; the one before ends at once. A command has no `by`. Raises NotAllowed."""
    if by is not None:
        require(by, Role.ADMIN, "let an application send traces")
    token, digest = fresh()
    TraceSource.objects.filter(pk=source.pk).update(digest=digest, last_used_at=None)
    audit.record(by, "source.renewed", server=source.server.name, subject=source.name)
    return token


def change(source: TraceSource, form: SourceForm, *, by: AbstractBaseUser | AnonymousUser) -> None:
    """What is kept of its traces from now on. Raises NotAllowed."""
    require(by, Role.ADMIN, "change what is kept of traces")
    TraceSource.objects.filter(pk=source.pk).update(
        attributes=sorted(set(form.attributes)), personal=form.personal, target_ms=form.target_ms,
        retention_days=form.retention_days,
    )  # fmt: skip
    audit.record(by, "source.changed", server=source.server.name, subject=source.name)


def remove(source: TraceSource, *, by: AbstractBaseUser | AnonymousUser) -> None:
    """The source, its token and its single requests; sums stay. Raises NotAllowed."""
    require(by, Role.ADMIN, "remove a source of traces")
    audit.record(by, "source.removed", server=source.server.name, subject=source.name)
    source.delete()


def set_target(endpoint: Endpoint, target_ms: float | None, *, by: AbstractBaseUser | AnonymousUser) -> None:
    """A target of an endpoint's own, from now on; None: that of its source. Raises NotAllowed, BadInput."""
    require(by, Role.OPERATOR, "set a target")
    if target_ms is not None and not 1 <= target_ms <= 3_600_000:
        raise BadInput("a target lies between 1 ms and an hour", field="target_ms")
    Endpoint.objects.filter(pk=endpoint.pk).update(target_ms=target_ms)


def of(server_id: int, source_id: int) -> TraceSource:
    """A source of a server. Raises NotFound."""
    found = TraceSource.objects.filter(server_id=server_id, pk=source_id).first()
    if found is None:
        raise NotFound(f"server {server_id} has no source of traces {source_id}")
    return found


@dataclass(frozen=True, slots=True, kw_only=True)
class Sender:
    """A source as it is now; moments in ms since 1970, `last_used` None where its token was never used."""

    id: int
    name: str
    last_used: int | None
    attributes: Sequence[str]
    personal: bool
    target_ms: float
    retention_days: int
    spans: int
    rejected: int
    rejected_why: str
    rejected_at: int
    duplicates: int


def told(source: TraceSource) -> Sender:
    """What is shown of a source."""
    used = source.last_used_at
    return Sender(
        id=source.pk, name=source.name, last_used=int(used.timestamp() * 1000) if used else None,
        attributes=list(source.attributes), personal=source.personal, target_ms=source.target_ms,
        retention_days=source.retention_days, spans=source.spans, rejected=source.rejected,
        rejected_why=source.rejected_why, rejected_at=source.rejected_at_ms, duplicates=source.duplicates,
    )  # fmt: skip


def all_of(server_id: int) -> list[Sender]:
    """The sources of a server, by name."""
    return [told(one) for one in TraceSource.objects.filter(server_id=server_id).order_by("name")]


def waiting(server_id: int) -> int:
    """Spans of a server's sources that came in and are not judged yet."""
    arrived = Arrival.objects.filter(source__server_id=server_id).aggregate(n=Sum("spans"))["n"] or 0
    still_open = OpenTrace.objects.filter(source__server_id=server_id).aggregate(n=Sum("spans"))["n"] or 0
    return int(arrived) + int(still_open)


def count(server_id: int) -> int:
    """How many sources a server has."""
    return TraceSource.objects.filter(server_id=server_id).count()


def admit(token: str) -> TraceSource:
    """Whose token this is. Raises NotAllowed."""
    source = next(iter(TraceSource.objects.filter(digest=digest_of(token))[:1]), None) if token else None
    if source is None:
        raise NotAllowed("this token may not send traces; an admin can make one in the settings of a server")
    now = timezone.now()
    if source.last_used_at is None or (now - source.last_used_at).total_seconds() > _SEEN_EVERY_S:
        TraceSource.objects.filter(pk=source.pk).update(last_used_at=now)
    return source


def allowed_of(source: TraceSource) -> Allowed:
    """What may be kept of its spans."""
    return Allowed(keys=frozenset(source.attributes), personal=source.personal)
