"""From claims to leads: ordered by what each explains beyond those before it, so that no second is explained twice."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from faena.core.answers.leads.claim import Claim, Flags
from faena.core.answers.leads.kinds import LeadKind
from faena.core.answers.leads.observed import Observed
from faena.core.answers.leads.rules import RULES, Rule
from faena.core.answers.leads.words import figure

LEAST_SHARE = 0.1  # of the load that a lead after the first must explain beyond those before it
LEAST_SESSIONS = 0.15  # and on average so many
MANY_SESSIONS = 1.0  # or so many: beside forty that are blocked, two that burn the cores are a trouble of their own


@dataclass(frozen=True, slots=True, kw_only=True)
class Lead:
    """A claim that was taken. `share` of the load it explains beyond the leads before it, `seconds` the session-seconds."""

    claim: Claim
    share: float
    seconds: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Diagnosis:
    """Leads, the main cause first. `ground` says on what a quiet one rests, or what no lead explains."""

    leads: Sequence[Lead]
    ground: str
    unexplained: float

    @property
    def quiet(self) -> bool:
        return not self.leads


def diagnose(seen: Observed, rules: Sequence[Rule] = RULES) -> Diagnosis:
    """What is at fault in a window, by all rules."""
    if not seen.ticks:
        return Diagnosis(
            leads=(), ground="Nothing was sampled in this window, so nothing can be told.", unexplained=0.0
        )
    claims = joined([claim for rule in rules for claim in rule(seen)])
    leads, explained = _chosen(seen, claims)
    unexplained = seen.share(seen.active & ~explained)
    return Diagnosis(leads=leads, ground=_ground(seen, leads, unexplained), unexplained=unexplained)


# What keeps it from coming again, where ending it is no advice any more.
AFTERWARDS: Mapping[LeadKind, str] = {
    LeadKind.IDLE_TRANSACTION: "idle_in_transaction_session_timeout for this program ends such a transaction by itself",
    LeadKind.LOCK_CHAIN: "make the transaction shorter, and give those who wait a lock_timeout",
    LeadKind.ADVISORY_LOCK: "take the lock in a transaction (pg_advisory_xact_lock), briefly, or with pg_try_advisory_lock",
    LeadKind.MAINTENANCE: "run it when nobody works: indexes CONCURRENTLY, changes of tables with a lock_timeout",
    LeadKind.RUNAWAY_STATEMENT: "a statement_timeout for this program ends such a statement by itself; then look at its plan",
    LeadKind.HELD_BACK_VACUUM: "keep such transactions short, or read from a replica; then VACUUM the table",
    LeadKind.REPLICA_CONFLICT: "run it in parts, or on a replica of its own",
}


def over(claim: Claim) -> Claim:
    """The same of a time that is over: a pid is used again, so nobody is told to end one of long ago."""
    if "_backend(" not in claim.next_step:
        return claim
    hint = AFTERWARDS.get(claim.kind, "see what it was, before it comes again")
    return replace(
        claim,
        next_step=f"This is over, and its pid may be another session by now. So that it does not come again: {hint}.",
    )


def joined(claims: Sequence[Claim]) -> list[Claim]:
    """Claims whose cause another claim knows become one chain: whoever blocks is slow for a reason.

    A chain ends where no claim is about the statement at its root.
    """
    causes = [one for one in claims if one.about]
    found, symptoms = list(claims), [one for one in claims if one.waits_on]
    for symptom in symptoms:
        behind = [one for one in causes if one is not symptom and symptom.waits_on & one.about]
        if behind:
            cause = max(behind, key=lambda one: (one.certainty, int(one.mask.sum())))
            found = [one for one in found if one is not symptom and one is not cause]
            found.append(cause.led_to_by(symptom))
            causes = [found[-1] if one is cause else one for one in causes]
    return found


def _chosen(seen: Observed, claims: Sequence[Claim]) -> tuple[list[Lead], Flags]:
    explained = np.zeros(len(seen.frame.code), dtype=np.bool_)
    left, leads = list(claims), list[Lead]()
    while left:
        fresh = {id(one): one.mask & seen.active & ~explained for one in left}
        best = max(left, key=lambda one: one.certainty * (fresh[id(one)].sum() * seen.tick_s + one.beyond_s))
        left = [one for one in left if one is not best]
        mine = fresh[id(best)]
        seconds = float(mine.sum()) * seen.tick_s + best.beyond_s
        many = seen.mean(mine)
        enough = many >= LEAST_SESSIONS and (not leads or many >= MANY_SESSIONS or seen.share(mine) >= LEAST_SHARE)
        if not enough and not best.by_events:
            continue
        best = over(best) if seen.past else best
        leads.append(Lead(claim=best, share=seen.share(mine), seconds=seconds))
        explained |= best.mask
    return leads, explained


def _ground(seen: Observed, leads: Sequence[Lead], unexplained: float) -> str:
    if leads:
        return f"{unexplained:.0%} of the load is explained by no lead." if unexplained >= 0.01 else ""
    told = [f"{figure(seen.load)} sessions were active on average over {seen.ticks} samples"]
    if seen.cores:
        told.append(f"{figure(float(seen.running_at.mean()))} of them running on {seen.cores} cores")
    blocked = seen.mean(seen.blocked)
    told.append(f"{figure(blocked)} waited for other sessions" if blocked else "none waited for another session")
    logged = "the log was not read" if seen.events is None else f"the log told of {len(seen.events)} troubles"
    return f"{', '.join(told)}; {logged}. No rule finds harm in that."
