"""Connecting servers, leasing them to a collector, noting what happens."""

import re
import unicodedata
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from datetime import timedelta

from django.apps import apps
from django.contrib.auth.models import AbstractBaseUser, AnonymousUser
from django.db import IntegrityError, models, transaction
from django.db.models import Q
from django.utils import timezone

from faena.apps.accounts import audit
from faena.apps.accounts.policy import require
from faena.apps.accounts.roles import Role
from faena.apps.servers import engines, vitals
from faena.apps.servers.asking import asking
from faena.apps.servers.capture import check_log, check_period
from faena.apps.servers.models import Server, ServerNote
from faena.apps.servers.reach import check_host, check_passfile, is_loopback
from faena.apps.servers.sealing import seal, unseal
from faena.core.engines.inquiry import CheckStep
from faena.core.engines.postgres.profile import POSTGRES
from faena.core.engines.profile import Capability
from faena.core.errors import BadInput, SourceUnfit
from faena.core.readings import Survey
from faena.sources.machine.local import machine_name
from faena.sources.postgres import Target
from faena.sources.postgres.inquiry import PostgresInquiry
from faena.sources.postgres.log import THROUGH_SERVER

CONTROL = re.compile(r"[\x00-\x1f\x7f]")
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
    sslmode: str = ""  # empty: verify-full, and prefer on loopback, where nobody stands in between
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
        if self.sslmode and self.sslmode not in SSL_MODES:
            raise BadInput(f"sslmode is one of {', '.join(SSL_MODES)}, not {self.sslmode!r:.40}", field="sslmode")
        if self.cores is not None and not 0 < self.cores <= 4096:
            raise BadInput(f"cores lie between 1 and 4096, not {self.cores}", field="cores")
        check_period(self.period_ms)
        check_log(self.log)
        for name in ("database", "username", "password", "host", "name"):
            if CONTROL.search(getattr(self, name)):
                raise BadInput("line ends and other control characters cannot be part of it", field=name)

    @property
    def tls(self) -> str:
        """The mode that counts."""
        return self.sslmode or ("prefer" if is_loopback(self.host) or not self.host else "verify-full")

    def target(self) -> Target:
        """Raises BadInput for a host or a file that the configuration does not allow."""
        check_passfile(self.passfile)
        return Target(
            host=self.host,
            address=check_host(self.host),
            port=self.port,
            database=self.database,
            user=self.username,
            password=self.password,
            sslmode=self.tls,
            passfile=self.passfile,
            service=self.service,
        )


def check(form: ServerForm, *, by: AbstractBaseUser | AnonymousUser) -> Sequence[CheckStep]:
    """Try the connection and report step by step; nothing is saved. Raises NotAllowed."""
    require(by, Role.ADMIN, "try a connection")
    asked = PostgresInquiry(form.target())
    with asking(None, by, "try a connection"):
        return asked.check()


def connect(form: ServerForm, *, by: AbstractBaseUser | AnonymousUser) -> Server:
    """Save a server whose needed steps all pass. Raises NotAllowed, SourceUnfit, or BadInput for a name taken."""
    require(by, Role.ADMIN, "connect a server")
    _require_ready(check(form, by=by))
    server = save_server(form)
    audit.record(by, "server.connected", server=server.name, detail=_where(server))
    return server


def _require_ready(steps: Sequence[CheckStep]) -> None:
    for step in steps:
        if step.needed and not step.ok:
            raise SourceUnfit(f"{step.name}: {step.found}", remedy=step.remedy)


def _where(server: Server) -> str:
    """For the record; never the password."""
    where = f"{server.host}:{server.port}" if server.host else f"service {server.service}"
    return f"{where}, database {server.database}, user {server.username}, TLS {server.sslmode}"


def change(server: Server, form: ServerForm, *, password_kept: bool, by: AbstractBaseUser | AnonymousUser) -> Server:
    """Where a server is and how it is reached; what was captured of it stays. `password_kept`: the form's does not count.

    Tried first, as connecting is. Raises NotAllowed, SourceUnfit, BadInput.
    """
    require(by, Role.ADMIN, "change how a server is reached")
    engines.require(server, Capability.REACH)
    if password_kept:
        moved = (form.host, form.port, form.service, form.username) != (
            server.host,
            server.port,
            server.service,
            server.username,
        )
        if moved and server.password_sealed:
            raise BadInput(
                "enter the password again: the one that is kept is not sent to another host or for another user",
                field="password",
            )
        form = replace(form, password=unseal(server.password_sealed))
    _require_ready(check(form, by=by))
    before = _where(server)
    _reach_by(server, form)
    password = "" if password_kept else "; password entered again"
    audit.record(by, "server.changed", server=server.name, detail=f"{before} -> {_where(server)}{password}")
    return server


def move(name: str, form: ServerForm) -> Server:
    """For the command line: where a server is from now on, without trying it; its past stays. Raises BadInput."""
    server = Server.objects.filter(name=name).first()
    if server is None:
        raise BadInput(f"there is no server named {name}; ./faena server --list shows them", field="name")
    engines.require(server, Capability.REACH)
    before = _where(server)
    _reach_by(server, replace(form, cores=form.cores or server.cores))
    audit.record(None, "server.changed", server=name, detail=f"{before} -> {_where(server)}; password entered again")
    return server


def _reach_by(server: Server, form: ServerForm) -> None:
    for name, value in {
        "name": form.name, "host": form.host, "port": form.port, "database": form.database, "username": form.username,
        "sslmode": form.tls, "passfile": form.passfile, "service": form.service, "cores": form.cores,
        "password_sealed": seal(form.password),
    }.items():  # fmt: skip
        setattr(server, name, value)
    server.revision += 1
    try:
        with transaction.atomic():
            server.save()
    except IntegrityError as error:
        raise BadInput(f"there already is a server named {form.name!r}; choose another name", field="name") from error


def new_password(server: Server, password: str) -> None:
    """For the command line: what its role has from now on, without trying it."""
    server.password_sealed = seal(password)
    server.revision += 1
    server.save(update_fields=["password_sealed", "revision"])
    audit.record(None, "server.changed", server=server.name, detail="password entered anew")


def pause(server: Server, *, paused: bool, now_ms: int, by: AbstractBaseUser | AnonymousUser | None) -> Server:
    """Stop watching for a while, or go on. What was captured stays. `by` None: the command line. Raises NotAllowed."""
    if by is not None:
        require(by, Role.ADMIN, "pause the watching of a server")
    server.enabled = not paused
    server.state, server.state_message = ("paused", "") if paused else ("new", "")
    server.revision += 1
    server.save(update_fields=["enabled", "state", "state_message", "revision"])
    event = "paused" if paused else "resumed"
    note(server.pk, now_ms, event, f"the watching was {event} by {by or audit.COMMAND}", None)
    audit.record(by, f"server.{event}", server=server.name)
    return server


def remove(server: Server, *, keep_data: bool, by: AbstractBaseUser | AnonymousUser | None) -> None:
    """Forget how a server is reached and, unless it is to be kept, all that was captured of it. Raises NotAllowed."""
    if by is not None:
        require(by, Role.ADMIN, "remove a server")
    name = server.name
    if keep_data:
        server.enabled, server.state, server.state_message = False, "removed", "its past is kept"
        server.password_sealed, server.passfile, server.service, server.host, server.username = b"", "", "", "", ""
        server.engine = engines.IMPORTED.name
        server.revision += 1
        server.save()
    else:
        with transaction.atomic():
            _delete_rows(server)
            server.delete()
    audit.record(by, "server.removed", server=name, detail="its past is kept" if keep_data else "with all data of it")


def _delete_rows(server: Server) -> None:
    """Rows by the million, table by table: what the ORM would read one by one to delete them."""
    for model in apps.get_models():
        for one in model._meta.concrete_fields:
            link = one.remote_field
            if one.related_model is Server and link is not None and link.on_delete is models.CASCADE:
                rows = model._default_manager.filter(**{one.name: server})
                if any(rel.on_delete is models.CASCADE for rel in model._meta.related_objects):
                    rows.delete()
                else:
                    rows._raw_delete(using="default")


def save_server(form: ServerForm, *, engine: str = POSTGRES.name) -> Server:
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
                sslmode=form.tls,
                passfile=form.passfile,
                service=form.service,
                cores=form.cores,
                period_ms=form.period_ms,
                log=form.log,
                keep_parameters=form.keep_parameters,
                slow_ms=form.slow_ms,
                # A server on loopback runs on the machine of its collector, whose figures are then its own.
                machine=machine_name() if is_loopback(form.host) else "",
            )
    except IntegrityError as error:
        raise BadInput(f"there already is a server named {form.name!r}; choose another name", field="name") from error


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
