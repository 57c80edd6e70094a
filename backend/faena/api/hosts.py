"""The machine under a server: its figures, its disk's neighbours, its tables, and what other cores would do."""

from typing import Annotated

import numpy as np
import numpy.typing as npt
from django.http import HttpRequest
from ninja import Field, Query, Router, Schema, Status

from faena.api.out import Out
from faena.api.parameters import WindowIn, now_ms
from faena.api.standing import seen_by
from faena.apps.collecting.pushes import push_figures
from faena.apps.hosts import actions, selectors
from faena.apps.samples import selectors as samples
from faena.apps.servers import selectors as servers
from faena.apps.servers import vitals
from faena.core.errors import BadInput
from faena.core.hosts.whatif import ASSUMPTIONS, CLOSED, OPEN, what_if
from faena.core.readings import HostFigures
from faena.core.sampling.dimensions import Dimension
from faena.core.series.window import Buckets, cut
from faena.core.units import EpochMs

router = Router(tags=["hosts"])
EVERY_MS = 10_000
WHAT_IF_BUCKETS = 240


class ProcessOut(Out):
    """A process of the machine: `cpu` in cores, `memory` in bytes."""

    name: str
    cpu: float
    memory: float
    pid: int | None = None


class MachineOut(Out):
    """A machine over a window, null per bucket where nothing was read. Shares are of all cores, 0 to 1."""

    machine: str
    start: int
    end: int
    bucket_ms: int
    starts: list[int]
    cores: int | None
    memory_total: float | None
    series: dict[str, list[float | None]]
    processes: list[ProcessOut]
    processes_at: int | None


class NeighbourOut(Out):
    """A server on the same disk: its requests per second over the window and in the usual ones before."""

    id: int
    name: str
    reads: float | None
    writes: float | None
    share: float | None
    starts: list[int]
    series: list[float | None]


class DiskOut(Out):
    """The disk of a server, and who shares it.

    `latency_usual` is the median of the same hours on earlier days; null while too few are known.
    """

    storage: str
    servers: list[NeighbourOut]
    latency_ms: float | None
    latency_usual_ms: float | None
    sentence: str


class TableOut(Out):
    """Rates per second over the window; `statements` are those that name the table and ran, the ones first that read most."""

    table: str
    index: str
    reads: float
    hits: float
    hit_share: float | None
    scans: float
    rows_read: float
    rows_written: float
    size_bytes: int
    share: float
    statements: list["TableStatementOut"]


class TableStatementOut(Out):
    """A statement that touches a table.

    `reads` blocks a second, counted when a call ends; `reading` sessions seen waiting for the disk, in the mean.
    """

    query_id: str
    label: str
    reads: float
    reading: float


class TablesOut(Out):
    covered_ms: int
    tables: list[TableOut]


class ExpectedOut(Out):
    """The load that is expected with another number of cores. `queueing` is null where more is asked for than fits."""

    cores: int
    running: float
    queueing: float | None
    overloaded: float


class WhatIfOut(Out):
    cores_now: int
    rows: list[ExpectedOut]
    assumptions: list[str]


class PushedFigures(Schema):
    """One reading of a machine; see docs/host-figures.schema.json."""

    at: int
    covers_ms: int
    cores: int
    cpu_user: float
    cpu_system: float
    cpu_iowait: float = 0.0
    cpu_steal: float = 0.0
    memory_used: int
    memory_total: int
    disk_reads: float = 0.0
    disk_writes: float = 0.0
    disk_read_bytes: float = 0.0
    disk_write_bytes: float = 0.0
    disk_latency_ms: float | None = None
    disk_queue: float = 0.0
    net_in_bytes: float = 0.0
    net_out_bytes: float = 0.0
    processes: list[ProcessOut] = Field(default_factory=list)


class PushBody(Schema):
    readings: list[PushedFigures]


class PushedOut(Out):
    machine: str
    stored: int


class TokenOut(Out):
    """The token is shown this once."""

    machine: str
    token: str


@router.get("/servers/{server_id}/machine", response=MachineOut, operation_id="machine_get")
def get_machine(
    request: HttpRequest,
    server_id: int,
    window_in: Query[WindowIn],
    buckets: Annotated[int, Query(ge=10, le=1000)] = 240,
) -> MachineOut:
    """CPU, memory, disk, network and the busiest processes of the machine a server runs on."""
    server, window = servers.server(server_id), window_in.window(now_ms())
    newest = selectors.newest(server.machine, window) if server.machine else None
    # No narrower than readings are apart: a bar between two readings would pose as a gap.
    cells = cut(window, at_most=buckets, period_ms=max(EVERY_MS, newest.covers_ms if newest else 0))
    rows = selectors.over_time(server.machine, cells) if newest else []
    return MachineOut(
        machine=server.machine,
        start=window.start,
        end=window.end,
        bucket_ms=cells.width_ms,
        starts=cells.starts(),
        cores=newest.cores if newest else None,
        memory_total=newest.memory_total if newest else None,
        series={name: [row[name] for row in rows] for name in selectors.MEANS} if newest else {},
        processes=[ProcessOut(**one) for one in newest.processes] if newest else [],
        processes_at=newest.at_ms if newest else None,
    )


@router.get("/servers/{server_id}/disk", response=DiskOut, operation_id="disk_get")
def get_disk(request: HttpRequest, server_id: int, window_in: Query[WindowIn]) -> DiskOut:
    """Who else loads the disk of a server, and whether its latency is usual."""
    server, window = servers.server(server_id), window_in.window(now_ms())
    cells = cut(window, at_most=60, period_ms=60_000)
    found = selectors.disk(server, window, cells, seen_by(request))
    return DiskOut(
        storage=server.storage,
        servers=[
            NeighbourOut(
                id=one.server.id,
                name=one.name,
                reads=one.reads,
                writes=one.writes,
                share=one.share,
                starts=cells.starts(),
                series=one.series,
            )
            for one in found.neighbours
        ],
        latency_ms=found.latency_ms,
        latency_usual_ms=found.usual_ms,
        sentence=found.sentence,
    )


@router.get("/servers/{server_id}/tables", response=TablesOut, operation_id="tables_get")
def get_tables(
    request: HttpRequest,
    server_id: int,
    window_in: Query[WindowIn],
    limit: Annotated[int, Query(ge=1, le=500)] = 50,
) -> TablesOut:
    """Reads and writes per table and index over a window, with the statements that touch them."""
    server, window = servers.server(server_id), window_in.window(now_ms())
    covered, found = selectors.tables(server, window, limit)
    return TablesOut(
        covered_ms=covered,
        tables=[
            TableOut(
                table=one.table,
                index=one.index,
                reads=one.reads,
                hits=one.hits,
                hit_share=one.hits / (one.hits + one.reads) if one.hits + one.reads else None,
                scans=one.scans,
                rows_read=one.rows_read,
                rows_written=one.rows_written,
                size_bytes=one.size_bytes,
                share=one.share,
                statements=[
                    TableStatementOut(query_id=str(s.query_id), label=s.label, reads=s.reads, reading=s.reading)
                    for s in one.statements
                ],
            )
            for one in found
        ],
    )


def _connected(server_id: int, buckets: Buckets) -> npt.NDArray[np.float64] | None:
    """Sessions that were connected, per bucket; None where that is not known. Where a reading lacks, the median of the others."""
    found = np.array([row["connections"] for row in vitals.over_time(server_id, buckets)], dtype=np.float64)
    return None if np.isnan(found).all() else np.where(np.isnan(found), np.nanmedian(found), found)


@router.get("/servers/{server_id}/what-if", response=WhatIfOut, operation_id="what_if_get")
def get_what_if(
    request: HttpRequest,
    server_id: int,
    window_in: Query[WindowIn],
    cores: Annotated[list[int], Query(description="numbers of cores to look at; may be repeated")],
) -> WhatIfOut:
    """Expected running and queueing with other numbers of cores. Refused where the load does not wait for cores."""
    now = now_ms()
    server, window = servers.server(server_id), window_in.window(now)
    if server.cores is None:
        raise BadInput(f"how many cores {server.name} has is not known; set it in its settings", field="cores")
    answer = samples.load(
        server_id, window, Dimension.KIND, (), at_most=WHAT_IF_BUCKETS, period_ms=server.period_ms, now=now,
        widest_of=EVERY_MS,
    )  # fmt: skip
    running, load = samples.running_and_load(answer)
    wanted = sorted({server.cores, *cores})
    connected = _connected(server_id, answer.buckets)
    rows = what_if(running, load, server.cores, wanted, connected)
    return WhatIfOut(
        cores_now=server.cores,
        rows=[
            ExpectedOut(cores=r.cores, running=r.running, queueing=r.queueing, overloaded=r.overloaded) for r in rows
        ],
        assumptions=[OPEN if connected is None else CLOSED, *ASSUMPTIONS],
    )


@router.post("/machines/{machine}/token", response={201: TokenOut}, operation_id="machine_token")
def make_token(request: HttpRequest, machine: str) -> Status[TokenOut]:
    """A token with which a machine may push its figures; an earlier one of it ends. Admins only."""
    return Status(201, TokenOut(machine=machine, token=actions.make_token(machine, by=request.user)))


@router.post("/machines/{machine}/readings", response=PushedOut, auth=None, operation_id="machine_push")
def push_readings(request: HttpRequest, machine: str, body: PushBody) -> PushedOut:
    """Figures of a machine, pushed with its token: `Authorization: Bearer …`. The same reading twice counts once."""
    token = request.headers.get("Authorization", "").removeprefix("Bearer ").strip()
    readings = []
    for one in body.readings:
        values = one.dict()
        processes = tuple(values.pop("processes"))
        readings.append(HostFigures(**{**values, "at": EpochMs(values["at"])}, processes=processes))
    push_figures(machine, token, readings)
    return PushedOut(machine=machine, stored=len(readings))
