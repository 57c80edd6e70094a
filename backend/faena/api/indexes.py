"""Indexes of a watched server: what could go, what is proposed for a plan and for all that runs."""

from typing import Annotated, Any

from django.http import HttpRequest
from ninja import Query, Router

from faena.api.out import Out
from faena.api.parameters import TrailIn, WindowIn, now_ms
from faena.api.standing import seen_by
from faena.apps.plans import proposals
from faena.apps.plans import selectors as plans
from faena.apps.servers import selectors as servers
from faena.core.findings import Finding
from faena.core.plans.proposal import IndexProposal, Refusal

router = Router(tags=["indexes"])


class WhyOut(Out):
    column: str
    words: str


class ProposalOut(Out):
    """Costs in the planner's units, estimated; `writes` of the table since its counters began. Text to copy, never run."""

    step: int
    table: str
    columns: list[str]
    predicate: str
    ddl: str
    why: list[WhyOut]
    share: float
    rows: float
    cost_before: float
    cost_after: float
    size_bytes: int
    writes: int | None
    writes_at_most: int | None
    overlaps: list[str]
    sentence: str


class RefusalOut(Out):
    step: int
    table: str
    sentence: str


class EstimateOut(Out):
    """Why the estimate of a step, its index in pre-order, is wrong by the counters of its table."""

    step: int
    sentence: str
    next_step: str


class ProposalsOut(Out):
    """Indexes that are proposed. `unknown` says why nothing can be proposed, empty when it can."""

    estimates: list[EstimateOut]

    proposals: list[ProposalOut]
    refused: list[RefusalOut]
    unknown: str


class ServedOut(Out):
    """A statement that a proposed index serves.

    `stake_ms` of the statement's time in the window that the index's share of its plan's cost is worth.
    """

    query_id: str
    label: str
    stake_ms: float


class WorkloadProposalOut(ProposalOut):
    statements: list[ServedOut]
    stake_ms: float


class HealthOut(Out):
    kind: str
    table: str
    index: str
    sentence: str
    next_step: str
    bytes: int


class IndexesOut(Out):
    """Of one database; `databases` has all to choose from.

    `counted_since`: from when on the server's counters of use run; null where it does not tell.
    """

    database: str
    databases: list[str]
    tables: int
    indexes: int
    index_bytes: int
    counted_since: int | None
    findings: list[HealthOut]
    proposals: list[WorkloadProposalOut]
    refused: list[RefusalOut]
    plans_read: int


def _proposal(one: IndexProposal) -> dict[str, Any]:
    names = [name for name in ProposalOut.model_fields if name not in ("columns", "why", "overlaps")]
    return {
        "columns": list(one.columns),
        "why": [WhyOut(column=column, words=words) for column, words in one.why],
        "overlaps": list(one.overlaps),
        **{name: getattr(one, name) for name in names},
    }


def _refusal(one: Refusal) -> RefusalOut:
    return RefusalOut(step=one.step, table=one.table, sentence=one.sentence)


def _health(one: Finding) -> HealthOut:
    return HealthOut(
        kind=one.kind,
        table=one.named("table"),
        index=one.named("index"),
        sentence=one.sentence,
        next_step=one.next_step,
        bytes=one.at_stake_bytes,
    )


@router.get("/plans/{key}/proposals", response=ProposalsOut, operation_id="plans_proposals")
def plan_proposals(request: HttpRequest, key: str) -> ProposalsOut:
    """Indexes for a plan, by the statistics of the server it comes from."""
    kept = plans.brought(key, seen_by(request))
    found = proposals.for_plan(kept, plans.as_shown(kept, request.user), by=request.user)
    return ProposalsOut(
        proposals=[ProposalOut(**_proposal(one)) for one in found.proposals],
        refused=[_refusal(one) for one in found.refused],
        unknown=found.unknown,
        estimates=[EstimateOut(step=i, sentence=why, next_step=what) for i, why, what in found.estimates],
    )


@router.get("/servers/{server_id}/indexes", response=IndexesOut, operation_id="indexes_get")
def get_indexes(
    request: HttpRequest,
    server_id: int,
    window_in: Query[WindowIn],
    trail_in: Query[TrailIn],
    database: Annotated[str, Query(max_length=63, description="by default that with most time in statements")] = "",
) -> IndexesOut:
    """What could go, and one proposal per table that serves most of the time at stake. Asks the server now.

    The trail narrows proposals to its statements, users and tables; unused and duplicate indexes are those of the whole database.
    """
    found = proposals.of_server(
        servers.server(server_id), window_in.window(now_ms()), database, trail_in.trail(), by=request.user
    )
    return IndexesOut(
        database=found.schema.database,
        databases=list(found.databases),
        tables=len(found.schema.tables),
        indexes=sum(len(table.indexes) for table in found.schema.tables),
        index_bytes=sum(index.size_bytes for table in found.schema.tables for index in table.indexes),
        counted_since=found.schema.tables[0].counted_since if found.schema.tables else None,
        findings=[_health(one) for one in found.findings],
        proposals=[
            WorkloadProposalOut(
                statements=[
                    ServedOut(query_id=str(s.query_id), label=s.label, stake_ms=s.stake_ms) for s in one.served
                ],
                stake_ms=one.stake_ms,
                **_proposal(one.proposal),
            )
            for one in found.proposals
        ],
        refused=[_refusal(one) for one in found.refused],
        plans_read=found.plans_read,
    )
