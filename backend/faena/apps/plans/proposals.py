"""Index proposals by the statistics of the watched server, for one plan and for all that ran."""

from collections.abc import Sequence
from dataclasses import dataclass, field

from django.contrib.auth.models import AbstractBaseUser, AnonymousUser

from faena.apps.accounts.policy import permit
from faena.apps.plans.models import BroughtPlan, CapturedPlan
from faena.apps.servers import engines
from faena.apps.servers.asking import asking
from faena.apps.servers.models import Server
from faena.apps.statements import selectors as statements
from faena.core.engines.profile import Capability
from faena.core.findings import Finding
from faena.core.plans.model import BadPlan
from faena.core.plans.proposal import IndexProposal, Refusal
from faena.core.plans.schema import SchemaFacts
from faena.core.privacy import shown
from faena.core.sampling.trail import Pick
from faena.core.series.window import Window
from faena.core.sql.texts import gist
from faena.core.statements.conditions import NameCondition
from faena.core.units import EpochMs

MAX_PLANS = 200  # of the statements that took most time


@dataclass(frozen=True, slots=True, kw_only=True)
class PlanProposals:
    """`unknown` says why nothing can be proposed, empty when it can."""

    proposals: Sequence[IndexProposal] = ()
    refused: Sequence[Refusal] = ()
    unknown: str = ""
    estimates: Sequence[tuple[int, str, str]] = ()  # step, why its estimate is wrong, what to do


def for_plan(plan: BroughtPlan, as_shown: str, *, by: AbstractBaseUser | AnonymousUser) -> PlanProposals:
    """Asks the server the plan comes from for its statistics; one brought from elsewhere is judged by itself alone.

    `as_shown` is the plan as its reader may see it.

    Raises SourceError.
    """
    server = plan.server
    plans, indexes = engines.plans_of(server), engines.indexes_of(server)
    if server is None:
        told = plans.read(as_shown)
        found, refused = indexes.propose(told, indexes.from_plan(told))
        return PlanProposals(proposals=found, refused=refused)
    if not engines.can(server, Capability.SCHEMA):
        return PlanProposals(
            unknown=f"This is {engines.profile_of(server).title}: it has no statistics to judge an index by."
        )
    database = statements.database_of(server.id, plan.query_id) if plan.query_id is not None else ""
    asked = engines.inquiry_of(server, Capability.SCHEMA, database)
    with asking(server, by, "have indexes proposed by a server's statistics"):
        schema = asked.schema()
    told, brought = plans.read(as_shown), EpochMs(int(plan.brought_at.timestamp() * 1000))
    found, refused = indexes.propose(told, schema)
    return PlanProposals(
        proposals=found,
        refused=refused,
        estimates=indexes.estimates(plans.ledger(told).findings, told, schema, brought),
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class Served:
    query_id: int
    label: str
    stake_ms: float


@dataclass(slots=True, kw_only=True)
class WorkloadProposal:
    """One index and the statements it would serve; `stake_ms` of their time in the window."""

    proposal: IndexProposal
    served: list[Served] = field(default_factory=list)

    @property
    def stake_ms(self) -> float:
        return sum(one.stake_ms for one in self.served)


@dataclass(frozen=True, slots=True, kw_only=True)
class ServerIndexes:
    """Of one database; `databases` are those that statements of the window ran in, and this one."""

    databases: Sequence[str]
    schema: SchemaFacts
    findings: Sequence[Finding]
    proposals: Sequence[WorkloadProposal]
    refused: Sequence[Refusal]
    plans_read: int


def of_server(
    server: Server,
    window: Window,
    database: str = "",
    trail: Sequence[Pick] = (),
    *,
    by: AbstractBaseUser | AnonymousUser,
) -> ServerIndexes:
    """Indexes of a database, by default that in which statements took most time; proposals are for what ran there in the trail.

    Raises SourceError, BadInput for a server that cannot be asked.
    """
    engines.require(server, Capability.SCHEMA)
    rules, reader = engines.indexes_of(server), engines.plans_of(server)
    busy = statements.databases(server.id, window, without_user=server.username)
    chosen_database = database or next(iter(busy), server.database)
    asked = engines.inquiry_of(server, Capability.SCHEMA, chosen_database)
    with asking(server, by, "look at the indexes of a server"):
        schema = asked.schema()
    allowed = permit(by)
    here = [NameCondition("database", True, chosen_database)]
    took = statements.times(server.id, window, without_user=server.username, conditions=here, trail=trail)
    plans = [plan for plan in CapturedPlan.objects.filter(server=server).order_by("-last_ms") if plan.query_id in took]
    newest: dict[int, CapturedPlan] = {}
    for plan in plans:
        newest.setdefault(plan.query_id or 0, plan)
    chosen = sorted(newest.values(), key=lambda plan: -took[plan.query_id])[:MAX_PLANS]  # type: ignore[index]
    texts = statements.texts(server.id, [plan.query_id for plan in chosen if plan.query_id is not None])
    by_index: dict[tuple[str, tuple[str, ...], str], WorkloadProposal] = {}
    refused: dict[str, Refusal] = {}
    for plan in chosen:
        query_id = plan.query_id or 0
        try:
            found, not_worth = rules.propose(reader.read(shown(plan.written, plan.raw, allowed)), schema)
        except BadPlan:
            continue
        refused.update({one.sentence: one for one in not_worth})
        text = texts.get(query_id)
        for one in found:
            root = max(one.cost_before, 1e-9)
            stake = took[query_id] * min(1.0, one.gain / root)
            entry = by_index.setdefault((one.table, tuple(one.columns), one.predicate), WorkloadProposal(proposal=one))
            entry.served.append(Served(query_id=query_id, label=gist(text.text, 120) if text else "", stake_ms=stake))
    best: dict[str, WorkloadProposal] = {}
    for entry in by_index.values():
        same = best.get(entry.proposal.table)
        if same is None or entry.stake_ms > same.stake_ms:
            best[entry.proposal.table] = entry
    return ServerIndexes(
        databases=sorted({*busy, chosen_database}),
        schema=schema,
        findings=rules.health(schema),
        proposals=sorted(best.values(), key=lambda one: -one.stake_ms),
        refused=[one for one in refused.values() if one.table not in best],
        plans_read=len(chosen),
    )
