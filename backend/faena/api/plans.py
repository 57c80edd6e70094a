"""Plans: read, kept under a link, compared."""

from datetime import datetime

from django.http import HttpRequest
from ninja import Router, Schema, Status

from faena.api.out import Out
from faena.api.parameters import now_ms
from faena.apps.answers import plans
from faena.apps.answers.plans import PlanPage
from faena.core.numbers import whole_number
from faena.core.plans.ledger import Row

router = Router(tags=["plans"])


class PlanBody(Schema):
    """A plan as EXPLAIN printed it: text, JSON, YAML or XML, also quoted, framed or inside a log entry."""

    plan: str
    title: str = ""


class PlanKeyOut(Out):
    key: str
    title: str
    brought_at: datetime


class ConditionOut(Out):
    name: str
    text: str


class StepOut(Out):
    """One row of the ledger, in the order in which data flows. Times in ms of wall time, blocks in pages.

    `hit`, `read` and `temp` are the step's own; `all_…` with what stands below it, as the server tells them.

    `feeds` is the row it hands its rows to. `factor`: rows that came over rows expected. Figures are null where the plan was not run or did not count.
    """

    step: int
    depth: int
    feeds: int | None
    kind: str
    target: str
    label: str
    relation: str
    never: bool
    own_ms: float | None
    own_share: float | None
    whole_ms: float | None
    rows_planned: float | None
    rows: float | None
    factor: float | None
    loops: float | None
    thrown_away: float
    cost: float | None
    hit: int | None
    read: int | None
    temp: int | None
    read_ms: float | None
    all_hit: int | None
    all_read: int | None
    all_temp: int | None
    workers: str
    conditions: list[ConditionOut]


class FindingOut(Out):
    """A suspicion about a plan. `step` is null where it is about the whole plan; `share` of the time is at stake."""

    code: str
    step: int | None
    at_stake_ms: float | None
    share: float | None
    sentence: str
    next_step: str


class ExecutedOut(Out):
    """Captured executions that used a plan, of all that are kept, and their mean in ms."""

    executions: int
    mean_ms: float


class PlanOut(Out):
    """A plan as a ledger.

    `server` and `query_id` where it is known whose plan it is; `executed` where executions are known to have used
    it.
    """

    key: str
    server: int | None
    query_id: str | None
    title: str
    form: str
    statement: str
    analysed: bool
    planning_ms: float | None
    execution_ms: float | None
    total_ms: float | None
    jit_ms: float | None
    settings: dict[str, str]
    rows: list[StepOut]
    findings: list[FindingOut]
    executed: ExecutedOut | None
    written: str


class PairOut(Out):
    """Rows of the first and the second plan by their `step`; null where the other has none."""

    before: int | None
    after: int | None
    words: str


class ComparisonOut(Out):
    """Two plans, step by step.

    `executed` says what the change did to executions, empty where they are not known of both plans.
    """

    before: PlanOut
    after: PlanOut
    pairs: list[PairOut]
    sentence: str
    executed: str


CACHE = ("Cache Hits", "Cache Misses", "Cache Evictions", "Cache Overflows")


def _step(row: Row) -> StepOut:
    s, blocks, own = row.shown, row.shown.blocks, row.own_blocks
    workers = (
        ""
        if s.workers_planned is None
        else f"{s.workers_launched if s.workers_launched is not None else '?'} of {s.workers_planned} workers"
    )
    cache = [f"{name.removeprefix('Cache ').lower()} {s.details[name]}" for name in CACHE if name in s.details]
    told = [
        *([("Cache", ", ".join(cache))] if cache else []),
        *s.conditions.items(),
        *((name, ", ".join(keys)) for name, keys in s.keys.items()),
    ]
    return StepOut(
        step=row.step,
        depth=row.depth,
        feeds=row.feeds,
        kind=s.kind,
        target=s.target,
        label=s.label,
        relation=s.relation,
        never=s.never,
        own_ms=row.own_ms,
        own_share=row.own_share,
        whole_ms=row.whole_ms,
        rows_planned=s.rows_planned,
        rows=s.actual.rows if s.actual else None,
        factor=row.factor,
        loops=s.actual.loops if s.actual else None,
        thrown_away=row.thrown_away,
        cost=s.cost_total,
        hit=own.hit if own else None,
        read=own.read if own else None,
        temp=own.temp_read + own.temp_written if own else None,
        read_ms=own.read_ms if own else None,
        all_hit=blocks.hit if blocks else None,
        all_read=blocks.read if blocks else None,
        all_temp=blocks.temp_read + blocks.temp_written if blocks else None,
        workers=workers,
        conditions=[ConditionOut(name=name, text=text) for name, text in told],
    )


def _plan(page: PlanPage) -> PlanOut:
    plan, found = page.plan, page.ledger
    return PlanOut(
        key=page.key,
        server=page.server_id,
        query_id=None if page.query_id is None else str(page.query_id),
        title=page.title,
        form=plan.form,
        statement=page.statement,
        analysed=plan.analysed,
        planning_ms=plan.planning_ms,
        execution_ms=plan.execution_ms,
        total_ms=found.total_ms,
        jit_ms=plan.jit.total_ms if plan.jit else None,
        settings=dict(plan.settings),
        executed=None if page.executed is None else ExecutedOut.model_validate(page.executed),
        rows=[_step(row) for row in found.rows],
        findings=[
            FindingOut(
                code=one.kind,
                step=one.step,
                at_stake_ms=one.at_stake_ms,
                share=one.share,
                sentence=one.sentence,
                next_step=one.next_step,
            )
            for one in found.findings
        ],
        written=page.written,
    )


@router.get("/plans", response=list[PlanKeyOut], operation_id="plans_list")
def list_plans(request: HttpRequest) -> list[PlanKeyOut]:
    """The newest plans that the signed-in user brought."""
    return [PlanKeyOut.model_validate(one) for one in plans.recent(request.user)]


@router.post("/plans", response={201: PlanOut}, operation_id="plans_bring")
def bring_plan(request: HttpRequest, body: PlanBody) -> Status[PlanOut]:
    """Read a plan and keep it under a link for 90 days."""
    return Status(201, _plan(plans.bring(body.plan, body.title, by=request.user)))


@router.get("/plans/{key}", response=PlanOut, operation_id="plans_get")
def get_plan(request: HttpRequest, key: str) -> PlanOut:
    """A plan as a ledger, with what is suspected."""
    return _plan(plans.page(key, by=request.user))


@router.get("/plans/{key}/against/{other}", response=ComparisonOut, operation_id="plans_compare")
def compare_plans(request: HttpRequest, key: str, other: str) -> ComparisonOut:
    """Two plans, matched step by step."""
    found = plans.compared(key, other, by=request.user)
    return ComparisonOut(
        before=_plan(found.before),
        after=_plan(found.after),
        pairs=[PairOut.model_validate(pair) for pair in found.comparison.pairs],
        sentence=found.comparison.sentence,
        executed=found.executed,
    )


@router.post("/servers/{server_id}/captured-plans/{plan_id}", response=PlanKeyOut, operation_id="plans_open")
def open_plan(request: HttpRequest, server_id: int, plan_id: int) -> PlanKeyOut:
    """Put a plan that the server used under a link."""
    return PlanKeyOut.model_validate(plans.open_captured(server_id, plan_id, by=request.user))


class AskBody(Schema):
    """What plan to ask a server for.

    `text` stands in for the statement's own; `execution` names one whose parameters are used ("ended pid place").

    `run` measures by running once and rolling back; it takes an operator and `confirmed`.
    """

    query_id: str | None = None
    text: str = ""
    execution: str = ""
    run: bool = False
    confirmed: bool = False


@router.post("/servers/{server_id}/ask", response=PlanKeyOut, operation_id="plans_ask")
def ask_for_plan(request: HttpRequest, server_id: int, body: AskBody) -> PlanKeyOut:
    """Ask the watched server for a plan, in a transaction that is rolled back and limited in time."""
    wish = plans.Wish(**{**body.dict(), "query_id": whole_number(body.query_id or "")})
    return PlanKeyOut.model_validate(plans.ask(server_id, wish, now_ms(), by=request.user))
