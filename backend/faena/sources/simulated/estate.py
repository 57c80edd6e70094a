"""The made-up estate as records: servers, disks, programs, statements. Read from a mapping, as TOML yields it."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

from faena.core.errors import BadInput
from faena.core.requests.sums import endpoint_value
from faena.core.sql.texts import fingerprint
from faena.core.units import MS_PER_DAY, EpochMs, QueryId

MS_PER_MINUTE = 60_000


@dataclass(frozen=True, slots=True, kw_only=True)
class Profile:
    """Share of the busiest hour's traffic, one figure for each hour of the day in UTC."""

    workday: tuple[float, ...]
    weekend: tuple[float, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class Disk:
    """`channels` requests are served at once, each in `service_ms`."""

    name: str
    service_ms: float
    channels: int

    @property
    def capacity(self) -> float:
        """Requests per second at which it is saturated."""
        return self.channels / self.service_ms * 1000


@dataclass(frozen=True, slots=True, kw_only=True)
class Program:
    name: str
    user: str
    hosts: tuple[str, ...]
    pool: int  # most sessions it opens


@dataclass(frozen=True, kw_only=True)
class Statement:
    """`rate` in calls per second at the busiest hour; the rest is per call."""

    key: str
    program: str
    text: str
    servers: tuple[str, ...]
    rate: float
    cpu_ms: float
    reads: float = 0.0
    rows: float = 1.0
    commits: float = 0.0
    touches: str = ""  # the thing whose holder stops it
    plan: str = ""  # what EXPLAIN would print

    @cached_property
    def query_id(self) -> QueryId:
        return fingerprint(self.text)


@dataclass(frozen=True, slots=True, kw_only=True)
class RequestChange:
    """What was another way for a while: a statement run so often more, a slow call, a cache that is not asked, a version."""

    days_ago: float
    at_ms: int  # after midnight UTC
    length_ms: int
    statement: str = ""
    runs: int = 0
    call: str = ""
    ms: float = 0.0
    cache: str = ""  # unasked
    version: str = ""
    own_ms: float = 0.0

    def span(self, anchor_ms: EpochMs) -> tuple[EpochMs, EpochMs]:
        """When it was, as [start, end), for a past made at `anchor_ms`."""
        midnight = anchor_ms - anchor_ms % MS_PER_DAY
        start = midnight - round(self.days_ago * MS_PER_DAY) + self.at_ms
        return EpochMs(start), EpochMs(start + self.length_ms)


@dataclass(frozen=True, slots=True, kw_only=True)
class Endpoint:
    """Requests of a program. There are as many as the statement `lead` of `statements`, runs by key, tells.

    `cache_ms`: it asks a cache first. `calls`: milliseconds by callee.
    """

    name: str
    service: str
    server: str
    version: str
    own_ms: float
    statements: Mapping[str, int]
    cache_ms: float = 0.0
    calls: Mapping[str, float] = field(default_factory=dict)
    changes: tuple[RequestChange, ...] = ()

    @property
    def lead(self) -> str:
        """The statement whose runs tell how many requests there are."""
        return next(iter(self.statements))

    @property
    def runs(self) -> set[str]:
        """All statements it ever runs."""
        return {*self.statements, *(one.statement for one in self.changes if one.runs)}


@dataclass(frozen=True, slots=True, kw_only=True)
class SimulatedServer:
    name: str
    group: str
    role: str
    disk: str
    cores: int
    memory_gb: float
    flush_ms: float  # of one write of the log
    profile: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Estate:
    profiles: Mapping[str, Profile]
    disks: Mapping[str, Disk]
    programs: Mapping[str, Program]
    servers: Mapping[str, SimulatedServer]
    statements: Mapping[str, Statement]
    endpoints: tuple[Endpoint, ...] = ()

    def requests_on(self, server: str) -> list[Endpoint]:
        """Endpoints whose statements run on a server."""
        return [one for one in self.endpoints if one.server == server]

    def endpoint_of(self, key: str) -> str:
        """The only endpoint that runs a statement, as sessions are told apart by it; empty where there is none, or several."""
        found = [one for one in self.endpoints if key in one.runs]
        return endpoint_value(found[0].service, found[0].name) if len(found) == 1 else ""

    def on(self, server: str) -> list[Statement]:
        """The statements that run on a server."""
        return [one for one in self.statements.values() if server in one.servers]


def read_estate(raw: Mapping[str, Any]) -> Estate:
    """Raises BadInput naming the entry at fault."""
    try:
        profiles = {
            name: Profile(workday=tuple(p["workday"]), weekend=tuple(p["weekend"]))
            for name, p in raw["profiles"].items()
        }
        programs = {
            name: Program(name=name, **{**p, "hosts": tuple(p["hosts"])}) for name, p in raw["programs"].items()
        }
        statements = {s["key"]: Statement(**{**s, "servers": tuple(s["servers"])}) for s in raw["statements"]}
        estate = Estate(
            profiles=profiles,
            disks={name: Disk(name=name, **d) for name, d in raw["disks"].items()},
            programs=programs,
            servers={name: SimulatedServer(name=name, **s) for name, s in raw["servers"].items()},
            statements=statements,
            endpoints=tuple(_endpoint(one) for one in raw.get("endpoints", ())),
        )
    except (KeyError, TypeError) as error:
        raise BadInput(f"the estate cannot be read: {error}", field="estate") from error
    _check(estate)
    return estate


def _endpoint(raw: Mapping[str, Any]) -> Endpoint:
    changes = []
    for one in raw.get("changes", ()):
        hours, minutes = one["at"].split(":")
        told = {key: value for key, value in one.items() if key not in ("at", "minutes")}
        at_ms, length_ms = (int(hours) * 60 + int(minutes)) * MS_PER_MINUTE, one["minutes"] * MS_PER_MINUTE
        changes.append(RequestChange(at_ms=at_ms, length_ms=length_ms, **told))
    return Endpoint(**{**raw, "changes": tuple(changes)})


def _check(estate: Estate) -> None:
    for server in estate.servers.values():
        if server.disk not in estate.disks or server.profile not in estate.profiles:
            raise BadInput(f"server {server.name} names a disk or a profile that is not there", field="servers")
    for one in estate.statements.values():
        if one.program not in estate.programs or not set(one.servers) <= estate.servers.keys():
            raise BadInput(f"statement {one.key} names a program or a server that is not there", field="statements")
    for endpoint in estate.endpoints:
        known = {one.key for one in estate.on(endpoint.server)}
        if endpoint.service not in estate.programs or not endpoint.runs <= known or len(endpoint.statements) < 1:
            raise BadInput(
                f"endpoint {endpoint.name} names a program or a statement that is not there", field="endpoints"
            )
    for name, profile in estate.profiles.items():
        if len(profile.workday) != 24 or len(profile.weekend) != 24:
            raise BadInput(f"profile {name} needs 24 hours of a workday and of a weekend", field="profiles")
