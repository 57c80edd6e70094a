"""Load over time, the sieve, raw samples, and what waits mean."""

from collections.abc import Iterator, Sequence
from itertools import islice
from typing import Annotated, Any

import numpy as np
from django.http import HttpRequest, StreamingHttpResponse
from ninja import Query, Router, Schema, Status

from faena.api.exports import Format, export
from faena.api.figures import rounded
from faena.api.out import Out
from faena.api.parameters import TrailIn, WindowIn, now_ms
from faena.apps.answers.load import Labelled, Labels, load_view, raw_samples, sieve_view
from faena.apps.samples.selectors import RawSample
from faena.apps.samples.usual import MarkedSpan, UsualAnswer, mark, unmark
from faena.apps.servers import selectors as servers
from faena.apps.servers.engines import profile_of
from faena.core.errors import BadInput
from faena.core.sampling.dimensions import NOT_WAITING, Dimension
from faena.core.sampling.load import LoadSeries
from faena.core.sampling.trail import Pick
from faena.core.series.baseline import MIN_DAYS
from faena.core.series.window import Window
from faena.core.units import EpochMs

router = Router(tags=["load"])
MAX_PAGE = 500


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
    """The band of what is usual.

    `days` earlier days alike stand behind the band; fewer than `days_needed`, and there is none. `zone` counts
    them.

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
    """One value of a column of the sieve. `by_kind` adds up to `sessions`; margins are half-widths of 95% intervals.

    `opens`: the number of the statement or endpoint, for its page; null where there is none.
    """

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
    opens: str | None


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
    """A page of samples. `next` is the offset of the following page, null on the last."""

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
    window = window_in.window(now)
    found = load_view(server_id, window, split, trail_in.trail(), at_most=buckets, usual=usual, now=now)
    answer, said = found.answer, found.said
    series, ticks = answer.series, int(answer.series.ticks.sum())
    return LoadOut(
        start=window.start,
        end=window.end,
        bucket_ms=answer.buckets.width_ms,
        period_ms=found.period_ms,
        resolution_ms=answer.resolution_ms,
        starts=answer.buckets.starts(),
        ticks=series.ticks.tolist(),
        groups=groups_out(series, found.labels),
        total=int(series.seen.sum()) / ticks if ticks else None,
        unpicked_total=said.load,
        cores=found.cores,
        missing=answer.missing,
        gaps=[GapOut(start=gap.start, end=gap.end) for gap in answer.gaps],
        notes=[NoteOut(at=at, event=event, detail=detail) for at, event, detail in found.notes],
        last_tick=answer.last_tick,
        now=now,
        sentence=said.sentence,
        main_kind=said.kind,
        since=said.since,
        idle_holders=answer.idle_holders,
        usual=_usual(found.usual, found.marks) if found.usual else None,
    )


def groups_out(series: LoadSeries, labels: Labels) -> list[GroupOut]:
    """Layers over time, with each one's mean and share of all that was seen."""
    rows, running = series.sessions(), series.running_sessions()
    ticks, seen = int(series.ticks.sum()), int(series.seen.sum())
    return [
        GroupOut(
            key=group,
            label=labels[group][0],
            sessions=rounded(rows[i]),
            running=None if running is None else rounded(running[i]),
            total=float(series.seen[i].sum()) / ticks,
            share=float(series.seen[i].sum()) / seen,
        )
        for i, group in enumerate(series.groups)
    ]


def _usual(found: UsualAnswer, marks: Sequence[MarkedSpan]) -> UsualOut:
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
        marks=[MarkOut.model_validate(span) for span in marks],
    )


class MarkBody(Schema):
    start: int
    end: int
    label: str


@router.post("/servers/{server_id}/unusual", response={201: MarkOut}, operation_id="unusual_mark")
def mark_unusual(request: HttpRequest, server_id: int, body: MarkBody) -> Status[MarkOut]:
    """Mark a span as an incident, so that the usual band is not learned from it. Operators and admins."""
    servers.server(server_id)
    window = Window(start=EpochMs(body.start), end=EpochMs(body.end))
    return Status(201, MarkOut.model_validate(mark(server_id, window, body.label, by=request.user)))


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
    columns, ticks = sieve_view(server_id, window_in.window(now_ms()), dimension, trail_in.trail(), at_most=rows)
    return SieveOut(columns=[column_out(one) for one in columns], ticks=ticks)


def column_out(one: Labelled) -> ColumnOut:
    """A ranked column of the sieve."""
    return ColumnOut(
        dimension=one.column.dimension,
        more=one.column.more,
        samples=one.column.total_seen,
        rows=[
            RowOut(
                label=one.labels[row.value][0],
                full=one.labels[row.value][1],
                opens=one.opens.get(row.value),
                **{name: getattr(row, name) for name in RowOut.model_fields if name not in ("label", "full", "opens")},
            )
            for row in one.column.rows
        ],
    )


def _sample(one: RawSample, statement: str) -> SampleOut:
    c = one.combination
    return SampleOut(
        at=one.at_ms,
        pid=one.pid,
        state="active" if c.active else "idle in transaction",
        kind=one.kind if c.active else "holding",
        wait_type=c.wait_type,
        wait_event=c.wait_event,
        query_id=None if c.query_id is None else str(c.query_id),
        statement=statement,
        program=c.program,
        user=c.user,
        client=c.client,
        database=c.database,
        backend=c.backend,
        held_by=c.held_by,
        blocker=one.blocker or None,
        transaction_ms=one.transaction_ms if one.transaction_ms >= 0 else None,
        statement_ms=one.statement_ms if one.statement_ms >= 0 else None,
        bytes_read=one.moved and one.moved[0],
        bytes_written=one.moved and one.moved[1],
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
    found = raw_samples(server_id, window_in.window(now_ms()), trail_in.trail())
    page = [_sample(one, statement) for one, statement in islice(found, offset, offset + limit + 1)]
    return SamplesOut(rows=page[:limit], offset=offset, next=offset + limit if len(page) > limit else None)


@router.get("/servers/{server_id}/samples/export", operation_id="samples_export")
def export_samples(
    request: HttpRequest, server_id: int, window_in: Query[WindowIn], trail_in: Query[TrailIn], format: Format = "csv"
) -> StreamingHttpResponse:
    """All raw samples inside the trail, as CSV, JSON Lines or Parquet."""
    server = servers.server(server_id)
    rows = sample_rows(server_id, window_in.window(now_ms()), trail_in.trail())
    return export(request, rows, SampleOut, format, f"samples-{server.name}")


def sample_rows(server_id: int, window: Window, picks: Sequence[Pick]) -> Iterator[dict[str, Any]]:
    """Each raw sample inside the trail as a file has it, oldest first."""
    return (_sample(one, statement).model_dump() for one, statement in raw_samples(server_id, window, picks))


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
    return WaitOut(kind_label=found.kind.label, **fields)
