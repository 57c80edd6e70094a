"""Statements: ranking over a window, and one statement's own page."""

from typing import Annotated

import numpy as np
import numpy.typing as npt
from django.http import HttpRequest, StreamingHttpResponse
from ninja import Path, Query, Router, Schema

from faena.api.exports import Format, export
from faena.api.figures import rounded
from faena.api.load import ColumnOut, GapOut, GroupOut, _column, _labels
from faena.api.parameters import WindowIn, now_ms
from faena.apps.samples import selectors as samples
from faena.apps.servers import selectors as servers
from faena.apps.servers.models import Server
from faena.apps.statements import selectors
from faena.core.errors import NotFound
from faena.core.readings import COUNTER_FIELDS
from faena.core.sampling.dimensions import Dimension
from faena.core.sampling.trail import Pick
from faena.core.series.window import Window, cut
from faena.core.statements.figures import Measure, StatementFigures, order
from faena.core.statements.texts import gist

router = Router(tags=["statements"])
_FIELD = {name: i for i, name in enumerate(COUNTER_FIELDS)}


class FiguresOut(Schema):
    """Sums over a window as the server counted them; times in ms, blocks in pages, null where undefined."""

    query_id: str
    label: str
    tables: str
    calls: float
    total_ms: float
    mean_ms: float | None
    stddev_ms: float | None
    rows: float
    plan_ms: float
    blocks_hit: float
    blocks_read: float
    read_ms: float
    temp_written: float
    wal_bytes: float
    share: float


class RankingOut(Schema):
    """`covered_ms` of the window's length was counted; `breaks` say why some work may be missing."""

    start: int
    end: int
    rows: list[FiguresOut]
    more: int
    total_ms: float
    covered_ms: int
    breaks: list[str]


class UserOut(Schema):
    user: str
    database: str
    calls: float
    total_ms: float


class StatementOut(Schema):
    """A statement in a window. Series are per bucket, null where the counters do not cover it."""

    query_id: str
    text: str | None
    tables: str
    start: int
    end: int
    bucket_ms: int
    starts: list[int]
    load: float | None
    server_load: float | None
    share: float | None
    share_margin: float | None
    samples: int
    waits: list[GroupOut]
    gaps: list[GapOut]
    calls_per_s: list[float | None]
    ms_per_call: list[float | None]
    rows_per_call: list[float | None]
    reads_per_call: list[float | None]
    totals: FiguresOut | None
    covered_ms: int
    breaks: list[str]
    users: list[UserOut]
    columns: list[ColumnOut]


def _figures(one: StatementFigures, text: str | None, tables: str, total_ms: float) -> FiguresOut:
    return FiguresOut(
        query_id=str(one.query_id),
        label=gist(text, 160) if text else f"statement {one.query_id}, text not known yet",
        tables=tables,
        share=one.total_ms / total_ms if total_ms else 0.0,
        **{n: getattr(one, n) for n in FiguresOut.model_fields if n not in ("query_id", "label", "tables", "share")},
    )


def _ranking(server: Server, window: Window, sort: Measure, containing: str, limit: int) -> RankingOut:
    """Without what Faena's own account ran: the watching must not pose as load of the application."""
    server_id = server.id
    found = order(selectors.figures(server_id, window, containing=containing, without_user=server.username), sort)
    total_ms = sum(one.total_ms for one in found)
    shown = found[:limit]
    texts = selectors.texts(server_id, [one.query_id for one in shown])
    covered = selectors.coverage(server_id, window)
    rows = []
    for one in shown:
        text = texts.get(one.query_id)
        rows.append(_figures(one, text.text if text else None, text.tables if text else "", total_ms))
    return RankingOut(
        start=window.start,
        end=window.end,
        rows=rows,
        more=len(found) - len(shown),
        total_ms=total_ms,
        covered_ms=covered.covered_ms,
        breaks=list(covered.breaks),
    )


@router.get("/servers/{server_id}/statements", response=RankingOut, operation_id="statements_rank")
def rank_statements(
    request: HttpRequest,
    server_id: int,
    window_in: Query[WindowIn],
    sort: Measure = Measure.TOTAL,
    containing: Annotated[str, Query(max_length=200, description="only texts that contain this")] = "",
    limit: Annotated[int, Query(ge=1, le=1000)] = 100,
) -> RankingOut:
    """Statements of a window, ranked by a measure."""
    return _ranking(servers.server(server_id), window_in.window(now_ms()), sort, containing, limit)


@router.get("/servers/{server_id}/statements/export", operation_id="statements_export")
def export_statements(
    request: HttpRequest,
    server_id: int,
    window_in: Query[WindowIn],
    sort: Measure = Measure.TOTAL,
    containing: Annotated[str, Query(max_length=200)] = "",
    format: Format = "csv",
) -> StreamingHttpResponse:
    """The ranking as CSV or JSON Lines, whole."""
    server = servers.server(server_id)
    found = _ranking(server, window_in.window(now_ms()), sort, containing, 100_000)
    rows = (row.dict() for row in found.rows)
    return export(request, rows, list(FiguresOut.model_fields), format, f"statements-{server.name}")


@router.get("/servers/{server_id}/statements/{query_id}", response=StatementOut, operation_id="statements_get")
def get_statement(
    request: HttpRequest,
    server_id: int,
    query_id: Annotated[str, Path(pattern=r"^-?\d{1,19}$", description="signed 64-bit number, as text")],
    window_in: Query[WindowIn],
    buckets: Annotated[int, Query(ge=10, le=1000)] = 120,
) -> StatementOut:
    """One statement in a window: share of load, waits, calls and cost over time, who runs it."""
    now, number = now_ms(), int(query_id)
    server, window = servers.server(server_id), window_in.window(now)
    trail = (Pick(Dimension.STATEMENT, query_id),)
    answer = samples.load(
        server_id,
        window,
        Dimension.KIND,
        trail,
        at_most=buckets,
        period_ms=server.period_ms,
        now=now,
        widest_of=server.counters_every_ms,
    )
    text = selectors.texts(server_id, [number]).get(number)
    work = selectors.work_over_time(server_id, number, cut(window, at_most=buckets, period_ms=server.counters_every_ms))
    totals = next(iter(selectors.figures(server_id, window, query_id=number)), None)
    if text is None and totals is None and not answer.series.seen.any():
        raise NotFound(f"statement {query_id} is not known here and did nothing in this window")
    whole, _ = samples.sieve(server_id, window, [Dimension.STATEMENT], (), at_most=10_000)
    mine = next((row for row in whole[0].rows if row.value == query_id), None)
    columns, _ = samples.sieve(
        server_id, window, [Dimension.WAIT, Dimension.PROGRAM, Dimension.CLIENT, Dimension.HELD_BY], trail, at_most=6
    )
    sums, covered = work.sums, work.covered_ms
    calls = sums[:, _FIELD["calls"]]
    ticks = int(answer.series.ticks.sum())
    cover = selectors.coverage(server_id, window)
    seen = int(answer.series.seen.sum())
    labels = _labels(server_id, Dimension.KIND, list(answer.series.groups))
    return StatementOut(
        query_id=query_id,
        text=text.text if text else None,
        tables=text.tables if text else "",
        start=window.start,
        end=window.end,
        bucket_ms=answer.buckets.width_ms,
        starts=answer.buckets.starts(),
        load=seen / ticks if ticks else None,
        server_load=float(answer.unpicked.total()) if ticks else None,
        share=mine.share if mine else (0.0 if ticks else None),
        share_margin=mine.share_margin if mine else None,
        samples=seen,
        waits=[
            GroupOut(
                key=group,
                label=labels[group][0],
                sessions=rounded(row),
                running=None,
                total=float(answer.series.seen[i].sum()) / ticks,
                share=float(answer.series.seen[i].sum()) / seen,
            )
            for i, (group, row) in enumerate(zip(answer.series.groups, answer.series.sessions(), strict=True))
        ],
        gaps=[GapOut(start=gap.start, end=gap.end) for gap in answer.gaps],
        calls_per_s=_ratio(calls, covered / 1000, covered > 0),
        ms_per_call=_ratio(sums[:, _FIELD["total_ms"]], calls, calls > 0),
        rows_per_call=_ratio(sums[:, _FIELD["rows"]], calls, calls > 0),
        reads_per_call=_ratio(sums[:, _FIELD["blocks_read"]], calls, calls > 0),
        totals=_figures(totals, text.text if text else None, text.tables if text else "", totals.total_ms)
        if totals
        else None,
        covered_ms=cover.covered_ms,
        breaks=list(cover.breaks),
        users=[UserOut.from_orm(one) for one in selectors.by_user(server_id, number, window)],
        columns=[_column(server_id, column) for column in columns],
    )


def _ratio(
    above: npt.NDArray[np.float64], below: npt.NDArray[np.float64] | npt.NDArray[np.int64], known: npt.NDArray[np.bool_]
) -> list[float | None]:
    """Per bucket, null where it is not known."""
    return rounded(np.divide(above, below, out=np.full(len(above), np.nan), where=known), 6)
