"""One statement's own page: what it waits for, what its calls cost against the usual, its plans, who runs it."""

from typing import Annotated

from django.http import HttpRequest
from ninja import Path, Query, Router

from faena.api.figures import rounded
from faena.api.load import ColumnOut, GapOut, GroupOut, column_out, groups_out
from faena.api.out import Out
from faena.api.parameters import TrailIn, WindowIn, now_ms
from faena.api.statements import FiguresOut, figures_out, stars_of
from faena.apps.answers.statement import PlanSeen, StatementPage, SwitchSeen
from faena.apps.answers.statement import statement_page as page_of

router = Router(tags=["statements"])


class UserOut(Out):
    user: str
    database: str
    calls: float
    total_ms: float


class DearerOut(Out):
    """A statement that costs more than it did.

    `times` the usual cost per call since a moment; `until` null: still so; `switch` a change of plan near it.
    """

    since: int
    until: int | None
    times: float
    switch: int | None


class PlanSeenOut(Out):
    """A plan the statement used. `asked`: Faena asked for it, no execution is known to have used it.

    `executions` in the window are those captured with it; `mean_ms` their mean, null without any.
    """

    id: int
    shape: str
    gist: str
    first: int
    last: int
    took_ms: float
    asked: bool
    executions: int
    mean_ms: float | None
    spans: list[GapOut]


class SwitchOut(Out):
    """A statement went over from one plan to another between two executions; the plans in a line, and by number."""

    at: int
    before: str
    after: str
    before_plan: int | None
    after_plan: int | None


class PerCallOut(Out):
    """What one call cost, per bucket: times in ms, blocks in pages; null where nothing was called or is known."""

    total_ms: list[float | None]
    plan_ms: list[float | None]
    rows: list[float | None]
    blocks_hit: list[float | None]
    blocks_read: list[float | None]
    temp_written: list[float | None]
    wal_bytes: list[float | None]


class StatementOut(Out):
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
    usual_calls_per_s: list[float | None]
    per_call: PerCallOut
    usual_per_call: PerCallOut
    usual_days: int
    errors: int
    dearer: DearerOut | None
    plans: list[PlanSeenOut]
    switches: list[SwitchOut]
    starred: bool
    totals: FiguresOut | None
    covered_ms: int
    breaks: list[str]
    users: list[UserOut]
    columns: list[ColumnOut]


@router.get("/servers/{server_id}/statements/{query_id}", response=StatementOut, operation_id="statements_get")
def get_statement(
    request: HttpRequest,
    server_id: int,
    query_id: Annotated[str, Path(pattern=r"^-?\d{1,19}$", description="signed 64-bit number, as text")],
    window_in: Query[WindowIn],
    trail_in: Query[TrailIn],
    buckets: Annotated[int, Query(ge=10, le=1000)] = 120,
) -> StatementOut:
    """One statement in a window: share of load, waits, calls and cost over time, who runs it.

    The trail narrows load and who runs it; its own picks of statements do not count here.
    """
    now = now_ms()
    window, stars = window_in.window(now), stars_of(request, server_id)
    found = page_of(server_id, int(query_id), window, trail_in.trail(), at_most=buckets, now=now, stars=stars)
    series = found.series
    ticks, seen = int(series.ticks.sum()), int(series.seen.sum())
    return StatementOut(
        query_id=query_id,
        text=found.text,
        tables=found.tables,
        start=window.start,
        end=window.end,
        bucket_ms=found.load.buckets.width_ms,
        starts=found.load.buckets.starts(),
        load=seen / ticks if ticks else None,
        server_load=float(found.load.unpicked.total()) if ticks else None,
        share=found.mine.share if found.mine else (0.0 if ticks else None),
        share_margin=found.mine.share_margin if found.mine else None,
        samples=seen,
        waits=groups_out(series, found.labels),
        gaps=[GapOut(start=gap.start, end=gap.end) for gap in found.load.gaps],
        calls_per_s=rounded(found.calls_per_s, 6),
        usual_calls_per_s=list(found.usual.calls_per_s),
        per_call=PerCallOut(**{name: rounded(found.per_call[name], 6) for name in PerCallOut.model_fields}),
        usual_per_call=PerCallOut(**{name: list(found.usual.per_call[name]) for name in PerCallOut.model_fields}),
        usual_days=found.usual.days,
        errors=found.errors,
        dearer=_dearer(found),
        plans=[_plan(one) for one in found.plans],
        switches=[_switch(one) for one in found.switches],
        starred=query_id in stars,
        totals=figures_out(found.totals) if found.totals else None,
        covered_ms=found.covered_ms,
        breaks=list(found.breaks),
        users=[UserOut.model_validate(one) for one in found.users],
        columns=[column_out(column) for column in found.columns],
    )


def _dearer(found: StatementPage) -> DearerOut | None:
    one = found.dearer
    if one is None:
        return None
    return DearerOut(since=one.since, until=one.until, times=one.times, switch=found.dearer_switch)


def _plan(one: PlanSeen) -> PlanSeenOut:
    names = ("id", "gist", "first", "last", "took_ms", "asked", "executions", "mean_ms")
    spans = [GapOut(start=run.first, end=run.last) for run in one.runs]
    return PlanSeenOut(shape=str(one.shape), spans=spans, **{name: getattr(one, name) for name in names})


def _switch(one: SwitchSeen) -> SwitchOut:
    names = ("before", "after", "before_plan", "after_plan")
    return SwitchOut(at=one.switch.at, **{name: getattr(one, name) for name in names})
