"""A statement whose plan does far more than it need: for want of an index, against one, or by the way it is written."""

import re
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Final

import numpy as np

from faena.core.answers.leads.claim import Claim, Flags, Root, Step
from faena.core.answers.leads.kinds import LeadKind
from faena.core.answers.leads.observed import Observed, PlanFacts
from faena.core.answers.leads.saying import not_locks
from faena.core.answers.leads.words import quoted, sessions, took
from faena.core.findings import Finding, Reference
from faena.core.numbers import count
from faena.core.plans.proposal import IndexProposal
from faena.core.sampling.dimensions import Dimension
from faena.core.sql.names import tables_of
from faena.core.units import QueryId
from faena.core.waits.kinds import WaitKind

LEAST_LOAD, LEAST_SHARE = 0.25, 0.2  # mean sessions, and part of the load, below which a statement is not looked at
LEAST_MS = 1.5  # of a call that is counted: a quick one is no fault of its plan
SPARED = 0.7  # of the plan's cost must go by the index that is proposed
# What is found in a plan, by its word, and the kind of root it is; what counts most first.
BY_FINDING: Final = {
    "cartesian_join": LeadKind.RUNAWAY_STATEMENT,
    "function_on_column": LeadKind.DEFEATED_INDEX,
    "implicit_cast": LeadKind.DEFEATED_INDEX,
    "offset_paging": LeadKind.DEEP_PAGING,
    "missing_index": LeadKind.MISSING_INDEX,
}


_OFFSET = re.compile(r"\boffset\b", re.IGNORECASE)
FEW_ROWS, MANY_BLOCKS = 1000, 500.0  # a call
_INSIDE = re.compile(r"[a-z_]\w*(?!\w*\()", re.IGNORECASE)  # names in an expression that are no functions


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
        if seen.mean(mask) < LEAST_LOAD or seen.part(mask) < LEAST_SHARE or quick:
            continue
        fault = _fault(facts) or _counted_off(seen, query_id, facts)
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


def _counted_off(seen: Observed, query_id: QueryId, facts: PlanFacts) -> _Fault | None:
    """Paging that a plan made for no values in particular does not show: each call makes far more rows than it returns."""
    text, work = seen.text(query_id), seen.work.get(query_id)
    if not _OFFSET.search(text) or work is None or not work.calls or work.rows / work.calls > FEW_ROWS:
        return None
    touched = (work.blocks_hit + work.blocks_read) / work.calls
    if touched < MANY_BLOCKS:
        return None
    words = f"it returns {work.rows / work.calls:.3g} rows a call and touches {count(touched)} blocks for them: an OFFSET counts off the rest"
    return _Fault(
        LeadKind.DEEP_PAGING, words, "page by the last key seen: WHERE (key) > (last) ORDER BY key LIMIT n", None
    )


def _defeated(facts: PlanFacts, proposal: IndexProposal) -> tuple[str, str]:
    """The bare column inside an expression that an index is proposed on, and an index that begins with it; "" none."""
    inside = _INSIDE.findall(proposal.columns[0]) if proposal.columns else []
    column = next(
        (
            name
            for name in inside
            if any(name == c for one in facts.indexes.get(proposal.table, ()) for c in one.columns[:1])
        ),
        "",
    )
    index = next((one.name for one in facts.indexes.get(proposal.table, ()) if column and one.columns[0] == column), "")
    return column or (inside[-1] if inside else ""), index


def _claim(seen: Observed, query_id: QueryId, mask: Flags, facts: PlanFacts, fault: _Fault) -> Claim:
    text, work = seen.text(query_id), seen.work.get(query_id)
    programs = seen.ranked(Dimension.PROGRAM, mask)
    proposal = fault.proposal
    table = proposal.table if proposal else next(iter(tables_of(text)), "")
    column, index = proposal.columns[0] if proposal and proposal.columns else "", ""
    if fault.kind is LeadKind.DEFEATED_INDEX and proposal:
        column, index = _defeated(facts, proposal)
    longest = int(np.argmax(np.where(mask, seen.frame.statement_ms, -1)))
    each = f", {count(work.calls)} calls of {took(work.mean_ms or 0)} each" if work is not None and work.calls else ""
    guess = "" if facts.whole else " (as planned for no values in particular)"
    costs = (
        f" By the planner its cost would be {count(proposal.cost_after)} instead of {count(proposal.cost_before)}."
        if proposal
        else ""
    )
    return Claim(
        kind=fault.kind,
        title=f"{programs[0][0]}: {fault.kind.label} behind {quoted(text)}",
        mask=mask,
        root=Root(
            statement=text, program=programs[0][0], table=table, column=column, index=index,
            pid=int(seen.frame.pid[longest]) if fault.kind is LeadKind.RUNAWAY_STATEMENT else None,
        ),
        chain=(
            Step(f"{sessions(seen.mean(mask))} on average, {seen.share(mask):.0%} of the load, ran {quoted(text)}{each}.", Reference("load")),
            Step(f"Its plan{guess}: {fault.words}.{costs}".replace("..", "."), Reference("statement", {"query": str(query_id)})),
        ),
        ruled_out=(not_locks(seen),),
        next_step=fault.next_step,
        certainty=0.95 if fault.kind is not LeadKind.MISSING_INDEX or proposal else 0.7,
        about=frozenset((int(query_id),)),
    )  # fmt: skip
