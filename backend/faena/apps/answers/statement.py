"""One statement in a window: what it waits for, what its calls cost against the usual, its plans, who runs it."""

from collections.abc import Mapping, Sequence, Set
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from faena.apps.answers.labels import labels_of
from faena.apps.answers.load import Labelled, Labels, labelled
from faena.apps.answers.ranking import Ranked, RankedStatement, with_text
from faena.apps.plans import selectors as plan_selectors
from faena.apps.samples import selectors as samples
from faena.apps.servers import selectors as servers
from faena.apps.servers.clock import clock_of
from faena.apps.servers.models import Server
from faena.apps.statements import executions, selectors
from faena.core.answers.dearer import Dearer, dearer_since, near
from faena.core.errors import NotFound
from faena.core.plans.history import Run, Switch, switches
from faena.core.readings import COUNTER_FIELDS
from faena.core.sampling.dimensions import Dimension
from faena.core.sampling.load import LoadSeries, RankedValue
from faena.core.sampling.trail import Pick
from faena.core.series.window import Buckets, Window, cut
from faena.core.statements.usualcost import UsualCost, hours_before, usual_cost
from faena.core.units import QueryId

USUAL_DAYS = 14  # from which the usual cost of a statement is told
BESIDE = (Dimension.WAIT, Dimension.PROGRAM, Dimension.CLIENT, Dimension.HELD_BY)
_FIELD = {name: i for i, name in enumerate(COUNTER_FIELDS)}
Floats = npt.NDArray[np.float64]


@dataclass(frozen=True, slots=True, kw_only=True)
class PlanSeen:
    """A plan the statement used. `executions` in the window are those captured with it, `mean_ms` their mean."""

    id: int
    shape: int
    gist: str
    first: int
    last: int
    took_ms: float
    asked: bool
    executions: int
    mean_ms: float | None
    runs: Sequence[Run]


@dataclass(frozen=True, slots=True, kw_only=True)
class SwitchSeen:
    """The statement went over from one plan to another: the plans in a line, and by number where they are kept."""

    switch: Switch
    before: str
    after: str
    before_plan: int | None
    after_plan: int | None


@dataclass(frozen=True, slots=True, kw_only=True)
class StatementPage:
    """Series are per bucket of `cells`, NaN where the counters do not cover it; `mine` is its row of the sieve."""

    text: str | None
    tables: str
    load: samples.LoadAnswer
    labels: Labels
    mine: RankedValue | None
    calls_per_s: Floats
    per_call: Mapping[str, Floats]
    usual: UsualCost
    errors: int
    dearer: Dearer | None
    dearer_switch: int | None
    plans: Sequence[PlanSeen]
    switches: Sequence[SwitchSeen]
    totals: RankedStatement | None
    covered_ms: int
    breaks: Sequence[str]
    users: Sequence[selectors.UserWork]
    columns: Sequence[Labelled]

    @property
    def series(self) -> LoadSeries:
        return self.load.series


def statement_page(
    server_id: int,
    query_id: int,
    window: Window,
    trail: Sequence[Pick] = (),
    *,
    at_most: int,
    now: int,
    stars: Set[str] = frozenset(),
) -> StatementPage:
    """Load and who runs it inside the trail; calls, costs and plans, which no trail narrows, as a whole.

    Raises NotFound for a server, and for a statement that is not known and did nothing in the window.
    """
    server, value = servers.server(server_id), str(query_id)
    others = tuple(pick for pick in trail if pick.dimension is not Dimension.STATEMENT)
    trail = (Pick(Dimension.STATEMENT, value), *others)
    answer = samples.load(
        server_id, window, Dimension.KIND, trail, at_most=at_most, period_ms=server.period_ms, now=now,
        widest_of=server.counters_every_ms,
    )  # fmt: skip
    text = selectors.texts(server_id, [query_id]).get(query_id)
    totals = next(iter(selectors.figures(server_id, window, query_id=query_id)), None)
    if text is None and totals is None and not answer.series.seen.any() and not others:
        raise NotFound(f"statement {value} is not known here and did nothing in this window")
    (whole,), _ = samples.sieve(server_id, window, [Dimension.STATEMENT], others, at_most=10_000)
    columns, _ = samples.sieve(server_id, window, BESIDE, trail, at_most=6)
    cells = cut(window, at_most=at_most, period_ms=server.counters_every_ms)
    cost = _cost(server, query_id, cells)
    runs = executions.plan_runs(server_id, window, query_id).get(query_id, [])
    changes, cover = switches(runs), selectors.coverage(server_id, window)
    dearer = cost.dearer()
    return StatementPage(
        text=text.text if text else None,
        tables=text.tables if text else "",
        load=answer,
        labels=labels_of(server_id, Dimension.KIND, list(answer.series.groups)),
        mine=next((row for row in whole.rows if row.value == value), None),
        calls_per_s=cost.calls_per_s,
        per_call=cost.per_call,
        usual=cost.usual,
        errors=executions.failures(server_id, window).get(QueryId(query_id), 0),
        dearer=dearer,
        dearer_switch=near(dearer.since, [one.at for one in changes]) if dearer else None,
        plans=_plans(server_id, query_id, window, runs),
        switches=_switches(server_id, query_id, changes),
        totals=with_text(Ranked(figures=totals, share=1.0, starred=value in stars), text) if totals else None,
        covered_ms=cover.covered_ms,
        breaks=list(cover.breaks),
        users=selectors.by_user(server_id, query_id, window),
        columns=[labelled(server_id, column) for column in columns],
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class _Cost:
    """What one call cost per bucket, and what is usual."""

    cells: Buckets
    calls: Floats
    calls_per_s: Floats
    per_call: Mapping[str, Floats]
    usual: UsualCost

    def dearer(self) -> Dearer | None:
        cost = [None if np.isnan(one) else float(one) for one in self.per_call["total_ms"]]
        starts, width = self.cells.starts(), self.cells.width_ms
        return dearer_since(starts, width, cost, self.usual.per_call["total_ms"], self.calls.tolist())


def _cost(server: Server, query_id: int, cells: Buckets) -> _Cost:
    """By the clock of the server."""
    work, calendar = selectors.work_over_time(server.pk, query_id, cells), clock_of(server).calendar
    earlier = selectors.hourly(server.pk, query_id, hours_before(cells, USUAL_DAYS, calendar))
    calls = work.sums[:, _FIELD["calls"]]
    return _Cost(
        cells=cells,
        calls=calls,
        calls_per_s=_ratio(calls, work.covered_ms / 1000, work.covered_ms > 0),
        per_call={name: _ratio(work.sums[:, at], calls, calls > 0) for name, at in _FIELD.items() if name != "calls"},
        usual=usual_cost(earlier, cells, USUAL_DAYS, calendar),
    )


def _ratio(above: Floats, below: Floats, known: npt.NDArray[np.bool_]) -> Floats:
    """Per bucket, NaN where it is not known."""
    found: Floats = np.divide(above, below, out=np.full(len(above), np.nan), where=known)
    return found


def _plans(server_id: int, query_id: int, window: Window, runs: Sequence[Run]) -> list[PlanSeen]:
    means = executions.means_by_shape(server_id, query_id, window)
    return [
        PlanSeen(
            id=plan.id, shape=plan.shape, gist=plan.gist, first=plan.first_ms, last=plan.last_ms, took_ms=plan.took_ms,
            asked=plan.asked, executions=means.get(plan.shape, (0, None))[0],
            mean_ms=means.get(plan.shape, (0, None))[1], runs=[run for run in runs if run.shape == plan.shape],
        )
        for plan in plan_selectors.of_statement(server_id, query_id)
    ]  # fmt: skip


def _switches(server_id: int, query_id: int, changes: Sequence[Switch]) -> list[SwitchSeen]:
    known = {plan.shape: plan for plan in plan_selectors.of_statement(server_id, query_id)} if changes else {}

    def seen(shape: int) -> tuple[str, int | None]:
        return (known[shape].gist, known[shape].id) if shape in known else ("", None)

    return [
        SwitchSeen(
            switch=one, before=seen(one.before)[0], after=seen(one.after)[0], before_plan=seen(one.before)[1],
            after_plan=seen(one.after)[1],
        )
        for one in changes
    ]  # fmt: skip
