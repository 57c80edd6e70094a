"""Load over time, the sieve, raw samples, and what waits mean."""

from collections.abc import Iterator
from itertools import islice
from typing import Annotated

import numpy as np
from django.http import HttpRequest, StreamingHttpResponse
from ninja import Query, Router, Schema, Status

from faena.api.exports import Format, export
from faena.api.figures import rounded
from faena.api.out import Out
from faena.api.parameters import TrailIn, WindowIn, now_ms
from faena.apps.samples import selectors
from faena.apps.samples.models import UnusualSpan
from faena.apps.samples.usual import mark, marked_spans, unmark, usual_for
from faena.apps.servers import selectors as servers
from faena.apps.servers.engines import profile_by_id, profile_of
from faena.apps.servers.models import Server
from faena.apps.statements import selectors as statements
from faena.core.answers.headline import headline
from faena.core.errors import BadInput
from faena.core.numbers import whole_number
from faena.core.sampling.dimensions import NO_STATEMENT, NOBODY, NOT_WAITING, Dimension
from faena.core.sampling.load import Column
from faena.core.series.usual import MIN_DAYS
from faena.core.series.window import Window
from faena.core.sql.texts import gist
from faena.core.units import EpochMs
from faena.core.waits.kinds import LABELS, WaitKind

router = Router(tags=["load"])
MAX_PAGE = 500
LABEL_CHARACTERS = 60  # beyond it a select list gives way to the tables, which tell statements apart


class GapOut(Out):
    start: int
    end: int


class NoteOut(Out):
    at: int
    event: str
    detail: str


class GroupOut(Out):
    """One layer: mean sessions per bucket, null in a gap; `total` over the window.

    `running` is the part that does not wait, null where the layers are the wait kinds themselves.
    """

    key: str
    label: str
    sessions: list[float | None]
    running: list[float | None] | None
    total: float
    share: float


class BandOut(Out):
    """Usual load per bucket, in sessions; null where too little is known."""

    low: list[float | None]
    middle: list[float | None]
    high: list[float | None]


class DepartureOut(Out):
    """A stretch outside the usual band; `size` is load less what is usual."""

    start: int
    end: int
    side: str
    load: float
    usual: float
    size: float


class MarkOut(Out):
    """A span marked as an incident; what is usual is not learned from it."""

    id: int
    start: int
    end: int
    label: str
    marked_by: str


class UsualOut(Out):
    """`days` earlier days alike stand behind the band; fewer than `days_needed`, and there is none. `zone` counts them.

    `known` is the share of the buckets that have a band.
    """

    days: int
    days_needed: int
    known: float
    zone: str
    running: BandOut
    waiting: BandOut
    departures: list[DepartureOut]
    marks: list[MarkOut]


class LoadOut(Out):
    """All moments in milliseconds since 1970; all loads in mean active sessions."""

    start: int
    end: int
    bucket_ms: int
    period_ms: int
    resolution_ms: int
    starts: list[int]
    ticks: list[int]
    groups: list[GroupOut]
    total: float | None
    unpicked_total: float | None
    cores: int | None
    missing: int
    gaps: list[GapOut]
    notes: list[NoteOut]
    last_tick: int | None
    now: int
    sentence: str
    main_kind: str | None
    since: int | None
    idle_holders: float
    usual: UsualOut | None


class RowOut(Out):
    """`by_kind` adds up to `sessions`; margins are half-widths of 95% intervals."""

    value: str
    label: str
    full: str
    sessions: float
    sessions_margin: float
    share: float
    share_margin: float
    seen: int
    by_kind: dict[str, float]
    picked: bool


class ColumnOut(Out):
    dimension: str
    rows: list[RowOut]
    more: int
    samples: int


class SieveOut(Out):
    columns: list[ColumnOut]
    ticks: int


class SampleOut(Out):
    """One session at one tick; ages in milliseconds, null unknown.

    Bytes are those its process moved since the tick before, null where nobody counted.
    """

    at: int
    pid: int
    state: str
    kind: str
    wait_type: str
    wait_event: str
    query_id: str | None
    statement: str
    program: str
    user: str
    client: str
    database: str
    backend: str
    held_by: str
    blocker: int | None
    transaction_ms: int | None
    statement_ms: int | None
    bytes_read: int | None
    bytes_written: int | None


class SamplesOut(Out):
    """`next` is the offset of the following page, null on the last."""

    rows: list[SampleOut]
    offset: int
    next: int | None


class WaitOut(Out):
    """What a wait means. `known` false: only its type could be explained."""

    wait_type: str
    event: str
    kind: str
    kind_label: str
    meaning: str
    causes: list[str]
    look_next: list[str]
    rules_out: list[str]
    known: bool
    first_version: int
    last_version: int
    also_called: list[str]


@router.get("/servers/{server_id}/load", response=LoadOut, operation_id="load_get")
def get_load(
    request: HttpRequest,
    server_id: int,
    window_in: Query[WindowIn],
    trail_in: Query[TrailIn],
    buckets: Annotated[int, Query(ge=10, le=2000, description="at most this many")] = 300,
    split: Dimension = Dimension.KIND,
    usual: Annotated[bool, Query(description="with the usual band and departures from it")] = False,
) -> LoadOut:
    """Load over a window, inside the trail, split by a dimension."""
    now = now_ms()
    server, window = servers.server(server_id), window_in.window(now)
    answer = selectors.load(
        server_id, window, split, trail_in.trail(), at_most=buckets, period_ms=server.period_ms, now=now
    )
    series, ticks = answer.series, int(answer.series.ticks.sum())
    total_seen = int(series.seen.sum())
    labels = labels_of(server_id, split, list(series.groups))
    said = headline(answer.unpicked, answer.buckets.starts(), server.cores)
    rows, running = series.sessions(), series.running_sessions()
    return LoadOut(
        start=window.start,
        end=window.end,
        bucket_ms=answer.buckets.width_ms,
        period_ms=server.period_ms,
        resolution_ms=answer.resolution_ms,
        starts=answer.buckets.starts(),
        ticks=series.ticks.tolist(),
        groups=[
            GroupOut(
                key=group,
                label=labels[group][0],
                sessions=rounded(rows[i]),
                running=None if running is None else rounded(running[i]),
                total=float(series.seen[i].sum()) / ticks,
                share=float(series.seen[i].sum()) / total_seen,
            )
            for i, group in enumerate(series.groups)
        ],
        total=total_seen / ticks if ticks else None,
        unpicked_total=said.load,
        cores=server.cores,
        missing=answer.missing,
        gaps=[GapOut(start=gap.start, end=gap.end) for gap in answer.gaps],
        notes=[NoteOut(at=n.at_ms, event=n.event, detail=n.detail) for n in servers.notes(server_id, window)],
        last_tick=answer.last_tick,
        now=now,
        sentence=said.sentence,
        main_kind=said.kind,
        since=said.since,
        idle_holders=answer.idle_holders,
        usual=_usual(server, window, answer) if usual else None,
    )


def _usual(server: Server, window: Window, answer: selectors.LoadAnswer) -> UsualOut:
    found = usual_for(server, answer.buckets, window)
    sides = [
        BandOut(low=rounded(found.band.low[i]), middle=rounded(found.band.middle[i]), high=rounded(found.band.high[i]))
        for i in range(2)
    ]
    return UsualOut(
        days=found.band.days,
        days_needed=MIN_DAYS,
        known=float((~np.isnan(found.band.middle[0])).mean()),
        zone=found.zone,
        running=sides[0],
        waiting=sides[1],
        departures=[
            DepartureOut(start=d.start, end=d.end, side=d.side, load=d.load, usual=d.usual, size=d.size)
            for d in found.departures
        ],
        marks=[_mark(span) for span in marked_spans(server.id, window)],
    )


def _mark(span: UnusualSpan) -> MarkOut:
    return MarkOut(id=span.id, start=span.start_ms, end=span.end_ms, label=span.label, marked_by=span.marked_by)


class MarkBody(Schema):
    start: int
    end: int
    label: str


@router.post("/servers/{server_id}/unusual", response={201: MarkOut}, operation_id="unusual_mark")
def mark_unusual(request: HttpRequest, server_id: int, body: MarkBody) -> Status[MarkOut]:
    """Mark a span as an incident, so that the usual band is not learned from it. Operators and admins."""
    servers.server(server_id)
    window = Window(start=EpochMs(body.start), end=EpochMs(body.end))
    return Status(201, _mark(mark(server_id, window, body.label, by=request.user)))


@router.delete("/servers/{server_id}/unusual/{span_id}", response={204: None}, operation_id="unusual_unmark")
def unmark_unusual(request: HttpRequest, server_id: int, span_id: int) -> Status[None]:
    """Learn from a marked span again. Operators and admins."""
    unmark(server_id, span_id, by=request.user)
    return Status(204, None)


@router.get("/servers/{server_id}/sieve", response=SieveOut, operation_id="sieve_get")
def get_sieve(
    request: HttpRequest,
    server_id: int,
    window_in: Query[WindowIn],
    trail_in: Query[TrailIn],
    dimension: Annotated[list[Dimension], Query(description="the columns, in order; may be repeated")],
    rows: Annotated[int, Query(ge=1, le=200, description="at most this many a column")] = 10,
) -> SieveOut:
    """Ranked values of several dimensions, each inside the picks of all the others."""
    if len(dimension) > len(Dimension):
        raise BadInput(f"at most {len(Dimension)} columns", field="dimension")
    servers.server(server_id)
    columns, ticks = selectors.sieve(server_id, window_in.window(now_ms()), dimension, trail_in.trail(), at_most=rows)
    return SieveOut(columns=[_column(server_id, column) for column in columns], ticks=ticks)


def _column(server_id: int, column: Column) -> ColumnOut:
    labels = labels_of(server_id, column.dimension, [row.value for row in column.rows])
    return ColumnOut(
        dimension=column.dimension,
        more=column.more,
        samples=column.total_seen,
        rows=[
            RowOut(
                value=row.value,
                label=labels[row.value][0],
                full=labels[row.value][1],
                sessions=row.sessions,
                sessions_margin=row.sessions_margin,
                share=row.share,
                share_margin=row.share_margin,
                seen=row.seen,
                by_kind=row.by_kind,
                picked=row.picked,
            )
            for row in column.rows
        ],
    )


def labels_of(server_id: int, dimension: Dimension, values: list[str]) -> dict[str, tuple[str, str]]:
    """Short and full words for values."""
    match dimension:
        case Dimension.KIND:
            return {v: (LABELS[WaitKind(v)],) * 2 for v in values}
        case Dimension.STATEMENT:
            ids = [i for v in values if (i := whole_number(v)) is not None]
            texts = statements.texts(server_id, ids)
            known = {str(i): (gist(t.text, LABEL_CHARACTERS), t.text) for i, t in texts.items()}
            none = ("no statement", "The server gave no identifier: a utility command, or a background process.")
            fallback = {v: (f"statement {v}", "Its text is not known (yet).") for v in values}
            return {**fallback, **known, NO_STATEMENT: none, "others": ("others", "all other statements")}
        case Dimension.WAIT:
            waits = profile_by_id(server_id).waits
            return {v: waits.label(v) for v in values}
        case Dimension.HELD_BY:
            return {v: ("not blocked", "waits for no other session") if v == NOBODY else (v, v) for v in values}
        case _:
            return {v: (v or "none", v or "none") for v in values}


def _sample_rows(server_id: int, samples: Iterator[selectors.RawSample]) -> Iterator[SampleOut]:
    """With statement texts looked up once each, a thousand samples at a time."""
    known: dict[int, str] = {}
    while block := list(islice(samples, 1000)):
        fresh = {s.combination.query_id for s in block if s.combination.query_id is not None} - known.keys()
        known.update({i: gist(t.text, 300) for i, t in statements.texts(server_id, fresh).items()})
        for s in block:
            c = s.combination
            yield SampleOut(
                at=s.at_ms,
                pid=s.pid,
                state="active" if c.active else "idle in transaction",
                kind=s.kind if c.active else "holding",
                wait_type=c.wait_type,
                wait_event=c.wait_event,
                query_id=None if c.query_id is None else str(c.query_id),
                statement=known.get(c.query_id, "") if c.query_id is not None else "",
                program=c.program,
                user=c.user,
                client=c.client,
                database=c.database,
                backend=c.backend,
                held_by=c.held_by,
                blocker=s.blocker or None,
                transaction_ms=s.transaction_ms if s.transaction_ms >= 0 else None,
                statement_ms=s.statement_ms if s.statement_ms >= 0 else None,
                bytes_read=s.moved and s.moved[0],
                bytes_written=s.moved and s.moved[1],
            )


@router.get("/servers/{server_id}/samples", response=SamplesOut, operation_id="samples_page")
def get_samples(
    request: HttpRequest,
    server_id: int,
    window_in: Query[WindowIn],
    trail_in: Query[TrailIn],
    offset: Annotated[int, Query(ge=0, le=10_000_000)] = 0,
    limit: Annotated[int, Query(ge=1, le=MAX_PAGE)] = 100,
) -> SamplesOut:
    """Raw samples inside the trail, page by page, oldest first."""
    servers.server(server_id)
    found = selectors.raw_samples(server_id, window_in.window(now_ms()), trail_in.trail())
    page = list(_sample_rows(server_id, islice(found, offset, offset + limit + 1)))
    return SamplesOut(rows=page[:limit], offset=offset, next=offset + limit if len(page) > limit else None)


@router.get("/servers/{server_id}/samples/export", operation_id="samples_export")
def export_samples(
    request: HttpRequest, server_id: int, window_in: Query[WindowIn], trail_in: Query[TrailIn], format: Format = "csv"
) -> StreamingHttpResponse:
    """All raw samples inside the trail, as CSV or JSON Lines."""
    server = servers.server(server_id)
    found = selectors.raw_samples(server_id, window_in.window(now_ms()), trail_in.trail())
    rows = (row.model_dump() for row in _sample_rows(server_id, found))
    return export(request, rows, list(SampleOut.model_fields), format, f"samples-{server.name}")


@router.get("/servers/{server_id}/waits", response=WaitOut, operation_id="waits_explain")
def explain_wait(
    request: HttpRequest,
    server_id: int,
    wait: Annotated[str, Query(max_length=200, description="type:event as in the sieve, or `running`")],
) -> WaitOut:
    """What a wait of this server means, what causes it, what to look at next, what it rules out."""
    wait_type, _, event = ("", "", "") if wait == NOT_WAITING else wait.partition(":")
    found = profile_of(servers.server(server_id)).waits.explain(wait_type, event)
    fields = {name: getattr(found, name) for name in WaitOut.model_fields if name != "kind_label"}
    return WaitOut(kind_label=LABELS[found.kind], **fields)
