"""Connecting servers, leasing them to a collector, noting what happens."""

import re
import unicodedata
from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import timedelta

from asgiref.sync import async_to_sync
from django.contrib.auth.models import AbstractBaseUser, AnonymousUser
from django.db import IntegrityError, transaction
from django.db.models import Q
from django.utils import timezone

from faena.apps.accounts.models import Role
from faena.apps.accounts.policy import require
from faena.apps.servers import vitals
from faena.apps.servers.capture import check_log, check_period
from faena.apps.servers.models import Server, ServerNote
from faena.apps.servers.sealing import seal, unseal
from faena.core.errors import BadInput, SourceUnfit
from faena.core.readings import Survey
from faena.sources.machine.local import machine_name
from faena.sources.postgres import Target, check_connection
from faena.sources.postgres.check import CheckStep
from faena.sources.postgres.log import THROUGH_SERVER

LOOPBACK = ("127.0.0.1", "::1", "localhost")
LEASE = timedelta(seconds=10)  # renewed every 3 s; who is silent for so long is replaced
SSL_MODES = ("disable", "allow", "prefer", "require", "verify-ca", "verify-full")


@dataclass(frozen=True, slots=True, kw_only=True)
class ServerForm:
    """What is asked of somebody who connects a server."""

    name: str
    host: str
    port: int = 5432
    database: str = "postgres"
    username: str = "faena"
    password: str = field(default="", repr=False)
    sslmode: str = "prefer"
    cores: int | None = None
    period_ms: int = 1000
    passfile: str = ""
    service: str = ""
    log: str = THROUGH_SERVER
    keep_parameters: bool = False
    slow_ms: int = 1000

    def __post_init__(self) -> None:
        if not re.fullmatch(r"[\w][\w .:-]{0,79}", unicodedata.normalize("NFC", self.name)):
            raise BadInput("a name has 1 to 80 letters, digits, spaces or . : - and starts with a letter", field="name")
        if not re.fullmatch(r"[\w.-]{0,80}", self.service):
            raise BadInput(f"{self.service!r:.60} is no name of a service", field="service")
        if self.passfile and (not self.passfile.startswith("/") or len(self.passfile) > 255):
            raise BadInput("a password file is named by its whole path, from / on", field="passfile")
        if not (self.host or self.service) or len(self.host) > 255 or re.search(r"[\s,=]", self.host):
            raise BadInput(f"{self.host!r:.60} is not a host name or address", field="host")
        if not 0 < self.port < 65536:
            raise BadInput(f"a port lies between 1 and 65535, not {self.port}", field="port")
        if self.sslmode not in SSL_MODES:
            raise BadInput(f"sslmode is one of {', '.join(SSL_MODES)}, not {self.sslmode!r:.40}", field="sslmode")
        if self.cores is not None and not 0 < self.cores <= 4096:
            raise BadInput(f"cores lie between 1 and 4096, not {self.cores}", field="cores")
        check_period(self.period_ms)
        check_log(self.log)

    def target(self) -> Target:
        return Target(
            host=self.host,
            port=self.port,
            database=self.database,
            user=self.username,
            password=self.password,
            sslmode=self.sslmode,
            passfile=self.passfile,
            service=self.service,
        )


def check(form: ServerForm, *, by: AbstractBaseUser | AnonymousUser) -> Sequence[CheckStep]:
    """Try the connection and report step by step; nothing is saved. Raises NotAllowed."""
    require(by, Role.ADMIN, "try a connection")
    return async_to_sync(check_connection)(form.target())


def connect(form: ServerForm, *, by: AbstractBaseUser | AnonymousUser) -> Server:
    """Save a server whose needed steps all pass. Raises NotAllowed, SourceUnfit, or BadInput for a name taken."""
    require(by, Role.ADMIN, "connect a server")
    for step in check(form, by=by):
        if step.needed and not step.ok:
            raise SourceUnfit(f"{step.name}: {step.found}", remedy=step.remedy)
    return save_server(form)


def save_server(form: ServerForm, *, engine: str = Server.Engine.POSTGRESQL) -> Server:
    """Save without trying: for commands and the demo. Raises BadInput for a name already taken."""
    try:
        with transaction.atomic():
            return Server.objects.create(
                name=form.name,
                engine=engine,
                host=form.host,
                port=form.port,
                database=form.database,
                username=form.username,
                password_sealed=seal(form.password),
                sslmode=form.sslmode,
                passfile=form.passfile,
                service=form.service,
                cores=form.cores,
                period_ms=form.period_ms,
                log=form.log,
                keep_parameters=form.keep_parameters,
                slow_ms=form.slow_ms,
                # A server on loopback runs on the machine of its collector, whose figures are then its own.
                machine=machine_name() if form.host in LOOPBACK else "",
            )
    except IntegrityError as error:
        raise BadInput(f"there already is a server named {form.name!r}; choose another name", field="name") from error


def target_of(server: Server, database: str = "") -> Target:
    """How to reach a saved server, or another database of it, its password unsealed. Raises BadInput."""
    return Target(
        host=server.host,
        port=server.port,
        database=database or server.database,
        user=server.username,
        password=unseal(server.password_sealed),
        sslmode=server.sslmode,
        passfile=server.passfile,
        service=server.service,
        log=server.log,
    )


@transaction.atomic
def lease(holder: str) -> list[Server]:
    """All servers this collector shall watch from now on: its own, and those whose collector fell silent.

    Its own are renewed and waited for, never skipped: a server left out here is not watched any more. Only those of
    others are skipped while somebody else is taking them, and with a lock that the writing of samples does not stop
    (their foreign key holds the server's row by a weaker one).
    """
    now = timezone.now()
    Server.objects.filter(lease_holder=holder).update(lease_until=now + LEASE)
    free = Server.objects.filter(Q(lease_until=None) | Q(lease_until__lt=now), enabled=True)
    taken = [s.id for s in free.select_for_update(skip_locked=True, no_key=True)]
    Server.objects.filter(id__in=taken).update(lease_holder=holder, lease_until=now + LEASE)
    return list(Server.objects.filter(lease_holder=holder, enabled=True).order_by("id"))


def store_survey(server_id: int, survey: Survey) -> None:
    """What a server told of itself; the same survey twice changes nothing."""
    if survey.vitals is not None:
        vitals.store_vitals(server_id, [survey.vitals])


def note(server_id: int, at_ms: int, event: str, detail: str, facts: dict[str, object] | None) -> None:
    """Record an event once, however often it is delivered; connected and away also set the server's state."""
    fresh = ServerNote(server_id=server_id, at_ms=at_ms, event=event, detail=detail)
    ServerNote.objects.bulk_create([fresh], ignore_conflicts=True)
    if event == "connected":
        Server.objects.filter(id=server_id).update(state="watching", state_message="", facts=facts or {})
    elif event == "away":
        Server.objects.filter(id=server_id).update(state="away", state_message=detail)
