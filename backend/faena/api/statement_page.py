"""One statement's own page: what it waits for, what its calls cost against the usual, its plans, who runs it."""

from typing import Annotated

import numpy as np
import numpy.typing as npt
from django.http import HttpRequest
from ninja import Path, Query, Router

from faena.api.figures import rounded
from faena.api.load import ColumnOut, GapOut, GroupOut, _column, labels_of
from faena.api.out import Out
from faena.api.parameters import WindowIn, now_ms
from faena.api.statements import FiguresOut, Ranked, stars_of, written_out
from faena.apps.plans import selectors as plan_selectors
from faena.apps.samples import selectors as samples
from faena.apps.servers import selectors as servers
from faena.apps.servers.clock import clock_of
from faena.apps.servers.models import Server
from faena.apps.statements import executions, selectors
from faena.core.answers.dearer import dearer_since, near
from faena.core.errors import NotFound
from faena.core.plans.history import switches
from faena.core.readings import COUNTER_FIELDS
from faena.core.sampling.dimensions import Dimension
from faena.core.sampling.load import LoadSeries
from faena.core.sampling.trail import Pick
from faena.core.series.window import Buckets, Window, cut
from faena.core.statements.usualcost import UsualCost, hours_before, usual_cost
from faena.core.units import QueryId

router = Router(tags=["statements"])
USUAL_DAYS = 14  # from which the usual cost of a statement is told
_FIELD = {name: i for i, name in enumerate(COUNTER_FIELDS)}


class UserOut(Out):
    user: str
    database: str
    calls: float
    total_ms: float


class DearerOut(Out):
    """`times` the usual cost per call since a moment; `until` null: still so; `switch` a change of plan near it."""

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
    cells = cut(window, at_most=buckets, period_ms=server.counters_every_ms)
    work = selectors.work_over_time(server_id, number, cells)
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
    usual = _usual(server, number, cells)
    per_call = {name: _ratio(sums[:, _FIELD[name]], calls, calls > 0) for name in PerCallOut.model_fields}
    seen_plans, switched = _plans_seen(server_id, number, window)
    ticks = int(answer.series.ticks.sum())
    cover = selectors.coverage(server_id, window)
    seen = int(answer.series.seen.sum())
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
        waits=_waits(server_id, answer.series),
        gaps=[GapOut(start=gap.start, end=gap.end) for gap in answer.gaps],
        calls_per_s=_ratio(calls, covered / 1000, covered > 0),
        usual_calls_per_s=list(usual.calls_per_s),
        per_call=PerCallOut(**per_call),
        usual_per_call=PerCallOut(**{name: list(usual.per_call[name]) for name in PerCallOut.model_fields}),
        usual_days=usual.days,
        errors=executions.failures(server_id, window).get(QueryId(number), 0),
        dearer=_dearer(cells, per_call["total_ms"], usual, calls.tolist(), [one.at for one in switched]),
        plans=seen_plans,
        switches=switched,
        starred=query_id in stars_of(request, server_id),
        totals=written_out(Ranked(figures=totals, share=1.0), text) if totals else None,
        covered_ms=cover.covered_ms,
        breaks=list(cover.breaks),
        users=[UserOut.model_validate(one) for one in selectors.by_user(server_id, number, window)],
        columns=[_column(server_id, column) for column in columns],
    )


def _usual(server: Server, number: int, cells: Buckets) -> UsualCost:
    """The statement's usual cost and calls, by the clock of the server."""
    calendar = clock_of(server).calendar
    earlier = selectors.hourly(server.id, number, hours_before(cells, USUAL_DAYS, calendar))
    return usual_cost(earlier, cells, USUAL_DAYS, calendar)


def _waits(server_id: int, series: LoadSeries) -> list[GroupOut]:
    """Sessions by wait kind over time, with each kind's share of all that was seen."""
    ticks, seen = int(series.ticks.sum()), int(series.seen.sum())
    labels = labels_of(server_id, Dimension.KIND, list(series.groups))
    return [
        GroupOut(
            key=group,
            label=labels[group][0],
            sessions=rounded(row),
            running=None,
            total=float(series.seen[i].sum()) / ticks,
            share=float(series.seen[i].sum()) / seen,
        )
        for i, (group, row) in enumerate(zip(series.groups, series.sessions(), strict=True))
    ]


def _dearer(
    cells: Buckets, cost: list[float | None], usual: UsualCost, calls: list[float], changes: list[int]
) -> DearerOut | None:
    found = dearer_since(cells.starts(), cells.width_ms, cost, usual.per_call["total_ms"], calls)
    if found is None:
        return None
    return DearerOut(since=found.since, until=found.until, times=found.times, switch=near(found.since, changes))


def _plans_seen(server_id: int, query_id: int, window: Window) -> tuple[list[PlanSeenOut], list[SwitchOut]]:
    """Plans of the statement, and when it went over from one to another in the window."""
    runs = executions.plan_runs(server_id, window, query_id).get(query_id, [])
    known = plan_selectors.of_statement(server_id, query_id)
    gists = {plan.shape: plan.gist for plan in known}
    numbers = {plan.shape: plan.id for plan in known}
    found = [
        SwitchOut(
            at=one.at,
            before=gists.get(one.before, ""),
            after=gists.get(one.after, ""),
            before_plan=numbers.get(one.before),
            after_plan=numbers.get(one.after),
        )
        for one in switches(runs)
    ]
    means = executions.means_by_shape(server_id, query_id, window)
    seen = [
        PlanSeenOut(
            id=plan.id, shape=str(plan.shape), gist=plan.gist, first=plan.first_ms, last=plan.last_ms,
            took_ms=plan.took_ms, asked=plan.asked, executions=means.get(plan.shape, (0, None))[0],
            mean_ms=means.get(plan.shape, (0, None))[1],
            spans=[GapOut(start=run.first, end=run.last) for run in runs if run.shape == plan.shape],
        )
        for plan in known
    ]  # fmt: skip
    return seen, found


def _ratio(
    above: npt.NDArray[np.float64], below: npt.NDArray[np.float64] | npt.NDArray[np.int64], known: npt.NDArray[np.bool_]
) -> list[float | None]:
    """Per bucket, null where it is not known."""
    return rounded(np.divide(above, below, out=np.full(len(above), np.nan), where=known), 6)
