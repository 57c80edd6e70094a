"""A transaction at work holds what others want, for long."""

from collections.abc import Iterator

from faena.core.answers.leads.blocked import (
    Blockage,
    blockages,
    blocks_for_long,
    held,
    holder,
    middle,
    object_of,
    symptom,
    table_of,
)
from faena.core.answers.leads.claim import Claim, Root, RuledOut, Step
from faena.core.answers.leads.kinds import LeadKind
from faena.core.answers.leads.maintaining import is_maintenance
from faena.core.answers.leads.observed import Observed
from faena.core.answers.leads.rules.idle_transaction import is_advisory
from faena.core.answers.leads.words import capital, quoted, took, wait_words
from faena.core.findings import Reference
from faena.core.readings import PREPARED
from faena.core.sampling.dimensions import NOT_WAITING, Dimension


def lock_chain(seen: Observed) -> Iterator[Claim]:
    """The root runs, or waits for something that is no lock; why it takes so long may be told by another claim."""
    for one in blockages(seen):
        if one.idle or one.circle or one.root is None or one.episode.pid == PREPARED or is_advisory(one):
            continue
        if blocks_for_long(seen, one) and not is_maintenance(seen.text(one.query_id)):
            yield _claim(seen, one)


def _claim(seen: Observed, one: Blockage) -> Claim:
    assert one.root is not None
    text, table, on = seen.text(one.query_id), table_of(one.facts), object_of(one.facts)
    own = (seen.frame.pid == one.episode.pid) & (seen.frame.started_s == one.episode.started_s)
    doing = seen.ranked(Dimension.WAIT, own & seen.active)
    at_work = doing[0][0] if doing else NOT_WAITING
    state = "runs on CPU" if at_work == NOT_WAITING else f"waits for {wait_words(seen, at_work)}"
    age = f", its transaction open for {took(one.open_ms)}" if one.open_ms >= 0 else ""
    holds = f" It holds {held(one.facts)}." if on else ""
    last = Step(f"{capital(holder(one))} {state} in {quoted(text)}{age}.{holds}", Reference("blocking"))
    ruled = RuledOut("a transaction left open", f"pid {one.episode.pid} was at work in {_part(doing)} of its samples")
    return Claim(
        kind=LeadKind.LOCK_CHAIN,
        title=f"{one.root.program or one.root.user} blocks {one.episode.waiters} sessions while it works",
        mask=one.mask,
        root=Root(statement=text, program=one.root.program, table=table, pid=one.episode.pid, object=on),
        chain=(symptom(seen, one.mask), *middle(seen, one), last),
        ruled_out=(ruled,),
        next_step=f"SELECT pg_cancel_backend({one.episode.pid});  -- ends its statement; its transaction is rolled back",
        certainty=0.93,
        waits_on=frozenset((int(one.query_id),)) if one.query_id is not None else frozenset(),
    )


def _part(doing: list[tuple[str, int]]) -> str:
    whole = sum(n for _, n in doing)
    return f"all {whole}" if whole else "none"
