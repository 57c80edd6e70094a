"""Collectors, their queues, jobs, and what they had to put aside."""

from django.http import HttpRequest
from ninja import Router

from faena.api.out import Out
from faena.api.parameters import now_ms
from faena.apps.accounts.policy import require
from faena.apps.accounts.roles import Role
from faena.apps.collecting import collectors
from faena.apps.collecting.collectors import Collector

router = Router(tags=["collectors"])


class JobOut(Out):
    """One job of a collector. `error` of the last run, empty when it went well; null where it has not run yet."""

    name: str
    every_s: float
    ran_at: int | None
    took_ms: float | None
    error: str


class RefusedOut(Out):
    """A record that could not be stored; it lies in the collector's folder, and `./faena replay` tries it again."""

    at: int
    server_id: int
    kind: str
    reason: str


class WatchedOut(Out):
    """A server as this collector watches it."""

    server_id: int
    name: str
    state: str
    message: str
    last_sample: int | None
    took_ms: float | None
    missed: int


class CollectorOut(Out):
    """One collector, as it last told of itself.

    `silent_ms`: since it was last seen. `waiting` readings are not stored yet, `dropped` were lost for want of
    room.
    """

    holder: str
    version: str
    seen: int
    silent_ms: int
    alive: bool
    standing_by: bool
    started: int | None
    waiting: int
    dropped: int
    disk_full: bool
    store_away_since: int | None
    refused: int
    refused_latest: list[RefusedOut]
    jobs: list[JobOut]
    servers: list[WatchedOut]


def _collector(one: Collector, now: int) -> CollectorOut:
    told = one.told
    return CollectorOut(
        holder=one.holder,
        version=one.version,
        seen=one.seen,
        silent_ms=max(0, now - one.seen),
        alive=now - one.seen <= collectors.SILENT_MS,
        standing_by=one.standing_by,
        started=told.get("started"),
        waiting=told.get("readings_waiting", 0),
        dropped=told.get("readings_dropped", 0),
        disk_full=told.get("disk_full", False),
        store_away_since=told.get("store_away_since"),
        refused=told.get("refused", 0),
        refused_latest=[RefusedOut(**row) for row in told.get("refused_latest", [])],
        jobs=[JobOut(**row) for row in told.get("jobs", [])],
        servers=[WatchedOut(server_id=int(server_id), **row) for server_id, row in told.get("servers", {}).items()],
    )


@router.get("/collectors", response=list[CollectorOut], operation_id="collectors_list")
def list_collectors(request: HttpRequest) -> list[CollectorOut]:
    """Every collector as it last told of itself. Admins only."""
    require(request.user, Role.ADMIN, "see the collectors")
    now = now_ms()
    return [_collector(one, now) for one in collectors.all_collectors()]
