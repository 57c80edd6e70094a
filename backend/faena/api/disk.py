"""Bytes that a server's processes read from the disks and wrote to them, by any dimension of its sessions."""

from typing import Annotated

from django.http import HttpRequest
from ninja import Query, Router

from faena.api.out import Out
from faena.api.parameters import TrailIn, WindowIn, now_ms
from faena.apps.answers.labels import labels_of
from faena.apps.samples.selectors import sieve_of_bytes
from faena.apps.servers import selectors as servers
from faena.core.errors import BadInput
from faena.core.readings import Processes
from faena.core.sampling.dimensions import Dimension
from faena.core.sampling.disk import ByteColumn, Way

router = Router(tags=["load"])


class ByteRowOut(Out):
    """One value of a column, and the bytes that its sessions moved.

    `rate` in bytes a second; `by_kind` splits the part of sessions at work by what they waited for.
    """

    value: str
    label: str
    full: str
    rate: float
    share: float
    by_kind: dict[str, float]
    picked: bool


class ByteColumnOut(Out):
    """One dimension, its values ranked by bytes.

    `not_at_work`: bytes a second of processes whose session rested at the sample, or ended, within `rate`.
    """

    dimension: str
    rows: list[ByteRowOut]
    more: int
    rate: float
    not_at_work: float


class BytesOut(Out):
    """Who moved bytes to and from the disk.

    `counted_s` of the window's `window_s` seconds were counted; 0: no columns. `processes`: whether they can be,
    now.
    """

    columns: list[ByteColumnOut]
    counted_s: float
    window_s: float
    processes: Processes


@router.get("/servers/{server_id}/bytes", response=BytesOut, operation_id="bytes_get")
def get_bytes(
    request: HttpRequest,
    server_id: int,
    window_in: Query[WindowIn],
    trail_in: Query[TrailIn],
    dimension: Annotated[list[Dimension], Query(description="the columns, in order; may be repeated")],
    way: Annotated[Way, Query(description="which bytes")] = Way.READ,
    rows: Annotated[int, Query(ge=1, le=200, description="at most this many a column")] = 10,
) -> BytesOut:
    """Values of several dimensions ranked by the bytes they moved, each inside the picks of all the others."""
    if len(dimension) > len(Dimension):
        raise BadInput(f"at most {len(Dimension)} columns", field="dimension")
    server, window = servers.server(server_id), window_in.window(now_ms())
    columns, seconds = sieve_of_bytes(server_id, window, dimension, trail_in.trail(), way, at_most=rows)
    return BytesOut(
        columns=[_column(server_id, column) for column in columns],
        counted_s=seconds,
        window_s=window.length_ms / 1000,
        processes=Processes(server.facts.get("processes", Processes.ELSEWHERE)),
    )


def _column(server_id: int, column: ByteColumn) -> ByteColumnOut:
    labels = labels_of(server_id, column.dimension, [row.value for row in column.rows])
    return ByteColumnOut(
        dimension=column.dimension,
        more=column.more,
        rate=column.rate,
        not_at_work=column.not_at_work,
        rows=[
            ByteRowOut(
                value=row.value,
                label=labels[row.value][0],
                full=labels[row.value][1],
                rate=row.rate,
                share=row.share,
                by_kind=row.by_kind,
                picked=row.picked,
            )
            for row in column.rows
        ],
    )
