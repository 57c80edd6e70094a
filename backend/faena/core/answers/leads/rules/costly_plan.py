"""A statement whose plan does far more than it need: for want of an index, against one, or by the way it is written."""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Final

from faena.core.answers.leads.claim import Claim, Flags, Root, RuledOut, Step
from faena.core.answers.leads.kinds import LeadKind
from faena.core.answers.leads.observed import Observed, PlanFacts
from faena.core.answers.leads.words import quoted, sessions, took
from faena.core.findings import Finding, Reference
from faena.core.numbers import count
from faena.core.plans.proposal import IndexProposal
from faena.core.sampling.dimensions import Dimension
from faena.core.sql.names import tables_of
from faena.core.units import QueryId
from faena.core.waits.kinds import WaitKind

LEAST_LOAD, LEAST_SHARE = 0.25, 0.2  # mean sessions, and part of the load, below which a statement is not looked at
LEAST_MS = 5.0  # of a call that is counted: a quick one is no fault of its plan
SPARED = 0.7  # of the plan's cost must go by the index that is proposed
# What is found in a plan, by its word, and the kind of root it is; what counts most first.
BY_FINDING: Final = {
    "cartesian_join": LeadKind.RUNAWAY_STATEMENT,
    "function_on_column": LeadKind.DEFEATED_INDEX,
    "implicit_cast": LeadKind.DEFEATED_INDEX,
    "offset_paging": LeadKind.DEEP_PAGING,
    "missing_index": LeadKind.MISSING_INDEX,
}


@dataclass(frozen=True, slots=True)
class _Fault:
    kind: LeadKind
    words: str
    next_step: str
    proposal: IndexProposal | None


def costly_plan(seen: Observed) -> Iterator[Claim]:
    """Of each statement that makes up a part of the load, the worst that its plan shows."""
    for query_id, facts in seen.plans.items():
        mask = seen.of_statement(query_id) & (seen.of_kind(WaitKind.RUNNING) | seen.of_kind(WaitKind.DATA_IO))
        work = seen.work.get(query_id)
        quick = work is not None and work.mean_ms is not None and work.mean_ms < LEAST_MS
        if seen.mean(mask) < LEAST_LOAD or seen.share(mask) < LEAST_SHARE or quick:
            continue
        fault = _fault(facts)
        if fault is not None:
            yield _claim(seen, query_id, mask, facts, fault)


def _fault(facts: PlanFacts) -> _Fault | None:
    best = max(facts.proposals, key=lambda one: one.gain, default=None)
    spares = best is not None and facts.cost > 0 and best.gain >= SPARED * facts.cost
    found = {str(one.kind): one for one in reversed(facts.findings)}
    for word, kind in BY_FINDING.items():
        one: Finding | None = found.get(word)
        if one is None:
            continue
        if kind is LeadKind.MISSING_INDEX and not spares:
            continue  # the rule saw a scan; whether an index pays is for the proposal to say
        return _Fault(
            kind,
            one.sentence,
            best.ddl if spares and best and kind is LeadKind.MISSING_INDEX else one.next_step,
            best if spares else None,
        )
    return _Fault(LeadKind.MISSING_INDEX, best.sentence, best.ddl, best) if spares and best else None


def _claim(seen: Observed, query_id: QueryId, mask: Flags, facts: PlanFacts, fault: _Fault) -> Claim:
    text, work = seen.text(query_id), seen.work.get(query_id)
    programs = seen.ranked(Dimension.PROGRAM, mask)
    proposal = fault.proposal
    table = proposal.table if proposal else next(iter(tables_of(text)), "")
    column = proposal.columns[0] if proposal and proposal.columns else ""
    each = f", {count(work.calls)} calls of {took(work.mean_ms or 0)} each" if work is not None and work.calls else ""
    guess = "" if facts.whole else " (as planned for no values in particular)"
    costs = (
        f" By the planner its cost would be {count(proposal.cost_after)} instead of {count(proposal.cost_before)}."
        if proposal
        else ""
    )
    blocked = seen.mean(seen.blocked)
    return Claim(
        kind=fault.kind,
        title=f"{programs[0][0]}: {fault.kind.label} behind {quoted(text)}",
        mask=mask,
        root=Root(statement=text, program=programs[0][0], table=table, column=column),
        chain=(
            Step(f"{sessions(seen.mean(mask))} on average, {seen.share(mask):.0%} of the load, ran {quoted(text)}{each}.", Reference("load")),
            Step(f"Its plan{guess}: {fault.words}.{costs}".replace("..", "."), Reference("statement", {"query": str(query_id)})),
        ),
        ruled_out=(RuledOut("locks", f"{blocked:.2g} sessions waited for others on average"),),
        next_step=fault.next_step,
        certainty=0.95 if fault.kind is not LeadKind.MISSING_INDEX or proposal else 0.7,
        about=frozenset((int(query_id),)),
    )  # fmt: skip
