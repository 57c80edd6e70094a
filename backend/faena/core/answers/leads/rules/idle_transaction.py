"""A transaction that nobody works on holds what others want."""

from collections.abc import Iterator

from faena.core.answers.leads.blocked import (
    Blockage,
    blockages,
    blocks_for_long,
    harms,
    held,
    holder,
    middle,
    object_of,
    symptom,
    table_of,
)
from faena.core.answers.leads.claim import Claim, Root, RuledOut, Step
from faena.core.answers.leads.kinds import LeadKind
from faena.core.answers.leads.observed import Observed
from faena.core.answers.leads.words import capital, quoted, took
from faena.core.findings import Reference
from faena.core.readings import PREPARED


def idle_transaction(seen: Observed) -> Iterator[Claim]:
    """Its session idles in the transaction, or it was prepared and left."""
    for one in blockages(seen):
        prepared = one.episode.pid == PREPARED
        lasts = harms(seen, one.mask) if prepared else blocks_for_long(seen, one)
        if (one.idle or prepared) and lasts and not is_advisory(one):
            yield _claim(seen, one, prepared=prepared)


def is_advisory(one: Blockage) -> bool:
    """Whether it is advisory locks that its waiters wait for."""
    return bool(one.facts) and all(edge.fact.lock_type == "advisory" for edge in one.facts)


def _claim(seen: Observed, one: Blockage, *, prepared: bool) -> Claim:
    text, table = seen.text(one.query_id), table_of(one.facts)
    who, on = holder(one), object_of(one.facts)
    age = f" for {took(one.open_ms)}" if one.open_ms >= 0 else ""
    holds = f" It holds {held(one.facts)}." if on else ""
    if prepared:
        names = [edge.fact.gid for edge in one.facts if edge.fact.gid]
        end = f"COMMIT PREPARED '{names[0]}';  -- or ROLLBACK PREPARED, which loses its changes" if names else ""
        state = f"{who} was prepared and neither committed nor rolled back.{holds}"
    else:
        names = []
        end = f"SELECT pg_terminate_backend({one.episode.pid});  -- rolls back what its transaction changed"
        state = f"{who} is idle in transaction{age}; its last statement was {quoted(text)}.{holds}"
    return Claim(
        kind=LeadKind.IDLE_TRANSACTION,
        title=f"A transaction left open by {_name(one)} blocks {one.episode.waiters} sessions",
        mask=one.mask,
        root=Root(
            statement=text, program=one.root.program if one.root else "", table=table,
            pid=None if prepared else one.episode.pid, object=names[0] if names else on,
        ),
        chain=(symptom(seen, one.mask), *middle(seen, one), Step(capital(state), Reference("blocking"))),
        ruled_out=(RuledOut("the root's own work", f"{who} ran nothing while others waited"),),
        next_step=end,
        certainty=0.97,
    )  # fmt: skip


def _name(one: Blockage) -> str:
    return (one.root.program or one.root.user) if one.root else "nobody's session"
