"""Links of chains and causes ruled out that several rules tell alike."""

from faena.core.answers.leads.claim import Flags, RuledOut, Step
from faena.core.answers.leads.observed import Observed
from faena.core.answers.leads.words import quoted, sessions
from faena.core.findings import Reference


def at_work(seen: Observed, mask: Flags, text: str) -> Step:
    """How much of the load ran a statement."""
    words = f"{sessions(seen.mean(mask))} on average, {seen.share(mask):.0%} of the load, ran {quoted(text)}."
    return Step(words, Reference("load"))


def not_locks(seen: Observed) -> RuledOut:
    """How many sessions waited for others: few, where something else is at fault."""
    return RuledOut("locks", f"{seen.mean(seen.blocked):.2g} sessions waited for others on average")
