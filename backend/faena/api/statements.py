"""Statements: ranking over a window, and one statement's own page."""

from typing import Annotated, NamedTuple, Unpack

import numpy as np
import numpy.typing as npt
from django.http import HttpRequest, StreamingHttpResponse
from ninja import Path, Query, Router, Schema
from pydantic import Field

from faena.api.exports import Format, export
from faena.api.figures import rounded
from faena.api.load import ColumnOut, GapOut, GroupOut, _column, _labels
from faena.api.out import Out
from faena.api.parameters import WindowIn, now_ms
from faena.apps.accounts import preferences
from faena.apps.plans import selectors as plan_selectors
from faena.apps.samples import selectors as samples
from faena.apps.servers import selectors as servers
from faena.apps.servers.models import Server
from faena.apps.statements import executions, selectors
from faena.core.answers.dearer import dearer_since, near
from faena.core.errors import NotFound
from faena.core.plans.history import switches
from faena.core.readings import COUNTER_FIELDS
from faena.core.sampling.dimensions import Dimension
from faena.core.sampling.trail import Pick
from faena.core.series.window import Buckets, Window, cut
from faena.core.statements.conditions import NumberCondition, read_conditions
from faena.core.statements.figures import Measure, StatementFigures
from faena.core.statements.usualcost import UsualCost, usual_cost
from faena.core.texts import gist
from faena.core.units import MS_PER_HOUR, QueryId

router = Router(tags=["statements"])
MS_PER_DAY = 24 * MS_PER_HOUR
USUAL_MS = 15 * MS_PER_DAY  # of history from which the usual cost of a statement is told
_FIELD = {name: i for i, name in enumerate(COUNTER_FIELDS)}


class FiguresOut(Out):
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
    temp_read: float
    temp_written: float
    wal_bytes: float
    share: float
    errors: int
    change: float | None
    starred: bool


class RankingOut(Out):
    """`covered_ms` of the window's length was counted; `breaks` say why some work may be missing.

    A row's `change` is its time a second over that of the window before: null when it is new or that was not counted.
    `hidden` statements of tools and of the system were left out, `unfit` by conditions on figures.
    """

    hidden: int
    unfit: int
    previous_covered_ms: int

    start: int
    end: int
    rows: list[FiguresOut]
    more: int
    total_ms: float
    covered_ms: int
    breaks: list[str]


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
    """A statement went over from one plan to another between two executions."""

    at: int
    before: str
    after: str


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
    usual_ms_per_call: list[float | None]
    usual_days: int
    hits_per_call: list[float | None]
    temp_per_call: list[float | None]
    wal_per_call: list[float | None]
    plan_ms_per_call: list[float | None]
    errors: int
    dearer: DearerOut | None
    plans: list[PlanSeenOut]
    switches: list[SwitchOut]
    starred: bool
    ms_per_call: list[float | None]
    rows_per_call: list[float | None]
    reads_per_call: list[float | None]
    totals: FiguresOut | None
    covered_ms: int
    breaks: list[str]
    users: list[UserOut]
    columns: list[ColumnOut]


_DERIVED = ("query_id", "label", "tables", "share", "errors", "change", "starred")


class _Ranked(NamedTuple):
    """A statement's figures with what stands beside them; made for all, while only what is shown is written out."""

    figures: StatementFigures
    share: float
    errors: int = 0
    change: float | None = None
    starred: bool = False

    def value(self, name: str) -> float | None:
        found: float | None = getattr(self if name in self._fields else self.figures, name)
        return found

    def place(self, by: Measure) -> tuple[bool, float, int]:
        """Largest first; statements without the measure last."""
        value = self.value(by.value)
        return value is None, -(value or 0.0), self.figures.query_id


def _change(after_ms: float, after_s: float, before_ms: float, before_s: float) -> float | None:
    """Time a second over that of the window before."""
    return (after_ms / after_s) / (before_ms / before_s) if before_ms and before_s and after_s else None


def _figures(one: _Ranked, text: str | None, tables: str) -> FiguresOut:
    query_id = one.figures.query_id
    return FiguresOut(
        query_id=str(query_id),
        label=gist(text, 160) if text else f"statement {query_id}, text not known yet",
        tables=tables,
        share=one.share,
        errors=one.errors,
        change=one.change,
        starred=one.starred,
        **{n: getattr(one.figures, n) for n in FiguresOut.model_fields if n not in _DERIVED},
    )


class RankingIn(Schema):
    """What to rank by and what to leave out. `where` is a condition as "mean_ms >= 10" or "user != report"."""

    sort: Measure = Measure.TOTAL
    containing: Annotated[str, Field(max_length=200, description="only texts that contain this")] = ""
    where: list[str] = Field(default_factory=list, description="a condition; may be repeated, and all must hold")
    tools: bool = Field(False, description="also statements of tools and of the system")
    starred: bool = Field(False, description="only those the user has starred")


def _ranking(request: HttpRequest, server: Server, window: Window, given: RankingIn, limit: int) -> RankingOut:
    """Without what Faena's own account ran: the watching must not pose as load of the application."""
    conditions = read_conditions(given.where)
    narrowing = selectors.Narrowing(containing=given.containing, without_user=server.username, conditions=conditions)
    found = selectors.figures(server.id, window, **narrowing)
    hidden = set() if given.tools else selectors.tools(server.id, [one.query_id for one in found])
    found = [one for one in found if one.query_id not in hidden]
    total_ms = sum(one.total_ms for one in found)
    stars = _stars(request, server.id)
    if given.starred:
        found = [one for one in found if str(one.query_id) in stars]
    failed = executions.failures(server.id, window)
    cover = selectors.coverage(server.id, window)
    previous, before_ms = _previous(server, window, **narrowing)
    rows = [
        _Ranked(
            figures=one,
            share=one.total_ms / total_ms if total_ms else 0.0,
            errors=failed.get(one.query_id, 0),
            change=_change(one.total_ms, cover.covered_ms, previous.get(one.query_id, 0.0), before_ms),
            starred=str(one.query_id) in stars,
        )
        for one in found
    ]
    numbers = [one for one in conditions if isinstance(one, NumberCondition)]
    fit = [row for row in rows if all(one.fits(row.value(one.field)) for one in numbers)]
    fit.sort(key=lambda row: row.place(given.sort))
    texts = selectors.texts(server.id, [row.figures.query_id for row in fit[:limit]])
    shown = []
    for row in fit[:limit]:
        text = texts.get(row.figures.query_id)
        shown.append(_figures(row, text.text if text else None, text.tables if text else ""))
    return RankingOut(
        start=window.start,
        end=window.end,
        rows=shown,
        more=len(fit) - len(shown),
        total_ms=total_ms,
        covered_ms=cover.covered_ms,
        breaks=list(cover.breaks),
        hidden=len(hidden),
        unfit=len(rows) - len(fit),
        previous_covered_ms=before_ms,
    )


def _previous(server: Server, window: Window, **narrowing: Unpack[selectors.Narrowing]) -> tuple[dict[int, float], int]:
    """Time of each statement in the window before, and the milliseconds of that one which were counted."""
    earlier = window.previous()
    covered = selectors.coverage(server.id, earlier).covered_ms
    if not covered:
        return {}, 0
    return selectors.times(server.id, earlier, **narrowing), covered


@router.get("/servers/{server_id}/statements", response=RankingOut, operation_id="statements_rank")
def rank_statements(
    request: HttpRequest,
    server_id: int,
    window_in: Query[WindowIn],
    given: Query[RankingIn],
    limit: Annotated[int, Query(ge=1, le=1000)] = 100,
) -> RankingOut:
    """Statements of a window, ranked by a measure."""
    return _ranking(request, servers.server(server_id), window_in.window(now_ms()), given, limit)


@router.get("/servers/{server_id}/statements/export", operation_id="statements_export")
def export_statements(
    request: HttpRequest, server_id: int, window_in: Query[WindowIn], given: Query[RankingIn], format: Format = "csv"
) -> StreamingHttpResponse:
    """The ranking as CSV or JSON Lines, whole."""
    server = servers.server(server_id)
    found = _ranking(request, server, window_in.window(now_ms()), given, 100_000)
    rows = (row.model_dump() for row in found.rows)
    return export(request, rows, list(FiguresOut.model_fields), format, f"statements-{server.name}")


class FilterBody(Schema):
    """A filter under a name: what stands behind ? in the address of the ranking."""

    name: Annotated[str, Field(min_length=1, max_length=60)]
    query: Annotated[str, Field(max_length=1000)]


@router.put("/servers/{server_id}/stars/{query_id}", response=list[str], operation_id="statements_star")
def star_statement(
    request: HttpRequest, server_id: int, query_id: Annotated[str, Path(pattern=r"^-?\d{1,19}$")], on: bool
) -> list[str]:
    """Star a statement, or take its star away. Stars are each user's own."""
    servers.server(server_id)
    stars = _stars(request, server_id)
    stars = stars | {query_id} if on else stars - {query_id}
    preferences.write(request.user, f"stars:{server_id}", sorted(stars))
    return sorted(stars)


def _stars(request: HttpRequest, server_id: int) -> set[str]:
    return set(preferences.read(request.user, f"stars:{server_id}", []))


@router.get("/filters", response=list[FilterBody], operation_id="filters_list")
def list_filters(request: HttpRequest) -> list[FilterBody]:
    """The user's saved filters of statements, by name."""
    return [FilterBody(**one) for one in preferences.read(request.user, "filters", [])]


@router.put("/filters", response=list[FilterBody], operation_id="filters_save")
def save_filter(request: HttpRequest, body: FilterBody) -> list[FilterBody]:
    """Keep a filter; one of the same name is replaced, and one with an empty query removed."""
    kept = {one["name"]: one for one in preferences.read(request.user, "filters", [])}
    kept.pop(body.name, None)
    if body.query:
        kept[body.name] = body.dict()
    found = sorted(kept.values(), key=lambda one: str(one["name"]))[:100]
    preferences.write(request.user, "filters", found)
    return [FilterBody(**one) for one in found]


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
    past = selectors.hourly(server_id, number, window.start - USUAL_MS, window.start)
    usual = usual_cost(past, cells)
    per_call = _ratio(sums[:, _FIELD["total_ms"]], calls, calls > 0)
    seen_plans, switched = _plans_seen(server_id, number, window)
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
        ms_per_call=per_call,
        usual_calls_per_s=list(usual.calls_per_s),
        usual_ms_per_call=list(usual.ms_per_call),
        usual_days=usual.days,
        hits_per_call=_ratio(sums[:, _FIELD["blocks_hit"]], calls, calls > 0),
        temp_per_call=_ratio(sums[:, _FIELD["temp_written"]], calls, calls > 0),
        wal_per_call=_ratio(sums[:, _FIELD["wal_bytes"]], calls, calls > 0),
        plan_ms_per_call=_ratio(sums[:, _FIELD["plan_ms"]], calls, calls > 0),
        errors=executions.failures(server_id, window).get(QueryId(number), 0),
        dearer=_dearer(cells, per_call, usual, calls.tolist(), [one.at for one in switched]),
        plans=seen_plans,
        switches=switched,
        starred=query_id in _stars(request, server_id),
        rows_per_call=_ratio(sums[:, _FIELD["rows"]], calls, calls > 0),
        reads_per_call=_ratio(sums[:, _FIELD["blocks_read"]], calls, calls > 0),
        totals=_figures(_Ranked(figures=totals, share=1.0), text.text if text else None, text.tables if text else "")
        if totals
        else None,
        covered_ms=cover.covered_ms,
        breaks=list(cover.breaks),
        users=[UserOut.model_validate(one) for one in selectors.by_user(server_id, number, window)],
        columns=[_column(server_id, column) for column in columns],
    )


def _dearer(
    cells: Buckets, cost: list[float | None], usual: UsualCost, calls: list[float], changes: list[int]
) -> DearerOut | None:
    found = dearer_since(cells.starts(), cells.width_ms, cost, usual.ms_per_call, calls)
    if found is None:
        return None
    return DearerOut(since=found.since, until=found.until, times=found.times, switch=near(found.since, changes))


def _plans_seen(server_id: int, query_id: int, window: Window) -> tuple[list[PlanSeenOut], list[SwitchOut]]:
    """Plans of the statement, and when it went over from one to another in the window."""
    runs = executions.plan_runs(server_id, window, query_id).get(query_id, [])
    known = plan_selectors.of_statement(server_id, query_id)
    gists = {plan.shape: plan.gist for plan in known}
    found = [
        SwitchOut(at=one.at, before=gists.get(one.before, ""), after=gists.get(one.after, "")) for one in switches(runs)
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
