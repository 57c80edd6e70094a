"""Watched servers: list, check, connect."""

from django.http import HttpRequest
from ninja import Router, Schema, Status

from faena.api.figures import number
from faena.api.out import Out
from faena.api.parameters import now_ms
from faena.api.standing import seen_by
from faena.apps.accounts.policy import require
from faena.apps.accounts.roles import Role
from faena.apps.answers.glance import Glanced, glance_at, glance_of
from faena.apps.collecting import collectors
from faena.apps.leads.selectors import Newest, newest
from faena.apps.servers import actions, selectors
from faena.apps.servers.clock import clock_of
from faena.core.answers.headline import main_kind
from faena.core.answers.trouble import score
from faena.core.errors import BadInput
from faena.sources.postgres.check import role_script

router = Router(tags=["servers"])


class ServerOut(Out):
    """A server without its credentials; `zone` is the time zone by whose clock its days are counted.

    Loads are mean active sessions; null where nothing was sampled. `lead` is what is at fault in its newest samples, looked
    at up to `lead_until`; "" where nothing was found, and 0 where nobody looked.
    """

    id: int
    name: str
    engine: str
    address: str
    database: str
    version: str | None
    cores: int | None
    period_ms: int
    zone: str
    state: str
    state_message: str
    freshness_ms: int | None
    load_now: float | None
    running_now: float | None
    main_wait: str | None
    sample_ms_median: float | None
    sample_ms_p95: float | None
    group: str
    role: str
    storage: str
    blocked_now: float | None
    lag_ms: float | None
    deadlocks: float
    trouble: float
    trouble_words: str
    lead: str
    lead_until: int


class ServersOut(Out):
    """All servers that the asker sees, at a glance.

    `collector_away`: seconds since the collector last showed a sign of life, null while it is well.
    """

    servers: list[ServerOut]
    collector_away: int | None
    readings_waiting: int


class ServerBody(Schema):
    """How a server is reached. `sslmode` empty: verify-full, on loopback prefer."""

    name: str
    host: str
    port: int = 5432
    database: str = "postgres"
    username: str = "faena"
    password: str = ""
    sslmode: str = ""
    cores: int | None = None
    period_ms: int = 1000
    passfile: str = ""
    service: str = ""

    def form(self) -> actions.ServerForm:
        """Raises BadInput."""
        return actions.ServerForm(**self.dict())


class CheckStepOut(Out):
    name: str
    ok: bool | None
    found: str
    remedy: str
    needed: bool


class CheckOut(Out):
    """What a trial of a connection found. `ready`: everything needed is there, so connecting will succeed."""

    steps: list[CheckStepOut]
    ready: bool
    role_script: str


def _glance(found: Glanced, newest: Newest | None = None) -> ServerOut:
    server, minute, cost = found.server, found.minute, found.cost
    return ServerOut(
        id=server.id,
        name=server.name,
        engine=server.engine,
        address=f"{server.host}:{server.port}" if server.host else f"service {server.service}",
        database=server.database,
        version=server.facts.get("version_text"),
        cores=server.cores,
        period_ms=server.period_ms,
        zone=clock_of(server).name,
        state=found.state,
        state_message=server.state_message,
        freshness_ms=found.freshness_ms,
        load_now=minute.load if minute.ticks else None,
        running_now=minute.running if minute.ticks else None,
        main_wait=main_kind(minute.by_kind),
        sample_ms_median=cost[0] if cost else None,
        sample_ms_p95=cost[1] if cost else None,
        group=server.group,
        role="replica" if server.facts.get("in_recovery") else "primary",
        storage=server.storage,
        blocked_now=number(found.loads.blocked),
        lag_ms=found.vitals.lag_ms,
        deadlocks=found.vitals.deadlocks,
        trouble=score(found.troubles),
        trouble_words=found.troubles[0].sentence if found.troubles else "",
        lead=newest.line if newest else "",
        lead_until=newest.until if newest else 0,
    )


@router.get("", response=ServersOut, operation_id="servers_list")
def list_servers(request: HttpRequest) -> ServersOut:
    """All servers at a glance, those in trouble first."""
    now = now_ms()
    servers = selectors.all_servers(seen_by(request))
    leads = newest([one.pk for one in servers])
    found = [_glance(one, leads.get(one.server.pk)) for one in glance_at(servers, now)]
    return ServersOut(
        servers=sorted(found, key=lambda s: (-s.trouble, -(s.load_now or 0.0))),
        collector_away=collectors.silent_s(now),
        readings_waiting=collectors.waiting(now),
    )


@router.post("/check", response=CheckOut, operation_id="servers_check")
def check_server(request: HttpRequest, body: ServerBody) -> CheckOut:
    """Try a connection step by step; nothing is saved. Admins only."""
    form = body.form()
    steps = actions.check(form, by=request.user)
    return CheckOut(
        steps=[CheckStepOut.model_validate(step) for step in steps],
        ready=all(step.ok for step in steps if step.needed),
        role_script=role_script(form.username),
    )


@router.get("/{server_id}", response=ServerOut, operation_id="servers_get")
def get_server(request: HttpRequest, server_id: int) -> ServerOut:
    """One server at a glance."""
    return _glance(glance_of(selectors.server(server_id), now_ms()), newest([server_id]).get(server_id))


class ConnectionOut(Out):
    """How a server is reached, without its password. `sslmode` as it is used; `has_password`: one is kept."""

    name: str
    host: str
    port: int
    database: str
    username: str
    sslmode: str
    passfile: str
    service: str
    cores: int | None
    has_password: bool
    paused: bool


class ConnectionBody(ServerBody):
    """How a server is to be reached from now on.

    `keep_password`: the one that is kept goes on, unless host or user change.
    """

    keep_password: bool = False


class PauseBody(Schema):
    paused: bool


class RemoveBody(Schema):
    """Which server to remove.

    `name` as the server is called, so that nobody removes another by mistake; `keep_data` leaves its past to look
    at.
    """

    name: str
    keep_data: bool


class RemovedOut(Out):
    removed: bool = True


@router.get("/{server_id}/connection", response=ConnectionOut, operation_id="connection_get")
def get_connection(request: HttpRequest, server_id: int) -> ConnectionOut:
    """How a server is reached. Admins only."""
    require(request.user, Role.ADMIN, "see how a server is reached")
    server = selectors.server(server_id)
    names = ("name", "host", "port", "database", "username", "sslmode", "passfile", "service", "cores")
    return ConnectionOut(
        has_password=bool(server.password_sealed), paused=not server.enabled, **{n: getattr(server, n) for n in names}
    )


@router.put("/{server_id}/connection", response=ServerOut, operation_id="connection_change")
def change_connection(request: HttpRequest, server_id: int, body: ConnectionBody) -> ServerOut:
    """Change where a server is, its user or its password; tried before it is saved. Admins only."""
    require(request.user, Role.ADMIN, "change how a server is reached")
    form = actions.ServerForm(**body.dict(exclude={"keep_password"}))
    server = actions.change(selectors.server(server_id), form, password_kept=body.keep_password, by=request.user)
    return _glance(glance_of(server, now_ms()))


@router.post("/{server_id}/pause", response=ServerOut, operation_id="servers_pause")
def pause_server(request: HttpRequest, server_id: int, body: PauseBody) -> ServerOut:
    """Stop watching for a while, or go on. Admins only."""
    require(request.user, Role.ADMIN, "pause the watching of a server")
    return _glance(
        glance_of(
            actions.pause(selectors.server(server_id), paused=body.paused, now_ms=now_ms(), by=request.user), now_ms()
        )
    )


@router.post("/{server_id}/remove", response=RemovedOut, operation_id="servers_remove")
def remove_server(request: HttpRequest, server_id: int, body: RemoveBody) -> RemovedOut:
    """Remove a server, with its past or keeping that to look at. Admins only."""
    require(request.user, Role.ADMIN, "remove a server")
    server = selectors.server(server_id)
    if body.name != server.name:
        raise BadInput(f"write the server's name, {server.name!r}, to remove it", field="name")
    actions.remove(server, keep_data=body.keep_data, by=request.user)
    return RemovedOut()


@router.post("", response={201: ServerOut}, operation_id="servers_connect")
def connect_server(request: HttpRequest, body: ServerBody) -> Status[ServerOut]:
    """Connect a server whose needed steps all pass. Admins only."""
    server = actions.connect(body.form(), by=request.user)
    return Status(201, _glance(glance_of(server, now_ms())))
