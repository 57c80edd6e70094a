"""Many transactions, each of them short, change the same rows one after the other."""

from collections import defaultdict
from collections.abc import Iterator, Sequence

import numpy as np

from faena.core.answers.leads.blocked import (
    Blockage,
    blockages,
    harms,
    object_of,
    symptom,
    table_of,
)
from faena.core.answers.leads.claim import Claim, Flags, Root, RuledOut, Step
from faena.core.answers.leads.kinds import LeadKind
from faena.core.answers.leads.observed import Observed
from faena.core.answers.leads.rules.idle_transaction import is_advisory
from faena.core.answers.leads.words import quoted, took
from faena.core.findings import Reference
from faena.core.sampling.dimensions import Dimension
from faena.core.sql.names import tables_of

LEAST_ROOTS = 3  # so many different sessions stood at the root, none of them for long


def hot_row(seen: Observed) -> Iterator[Claim]:
    """By table: no root lasts, and yet somebody always waits."""
    by_table = defaultdict[str, list[Blockage]](list)
    for one in blockages(seen):
        if one.is_short and not one.circle and not is_advisory(one):
            by_table[_table(seen, one)].append(one)
    for table, queue in sorted(by_table.items()):
        mask: Flags = np.zeros(len(seen.active), dtype=np.bool_)
        mask[np.concatenate([one.rows for one in queue])] = True
        if len({one.episode.pid for one in queue}) >= LEAST_ROOTS and harms(seen, mask):
            yield _claim(seen, table, queue, mask)


def _table(seen: Observed, one: Blockage) -> str:
    told = table_of(one.facts)
    if told:
        return told
    return next(iter(tables_of(seen.text(seen.who(int(one.rows[0])).query_id))), "") if len(one.rows) else ""


def _claim(seen: Observed, table: str, queue: Sequence[Blockage], mask: Flags) -> Claim:
    statements, programs = seen.statements(mask), seen.ranked(Dimension.PROGRAM, mask)
    text = seen.text(statements[0][0]) if statements else ""
    longest = took(max(one.held_ms for one in queue))
    return Claim(
        kind=LeadKind.HOT_ROW,
        title=f"{programs[0][0]} queues for the same rows of {table or 'a table'}",
        mask=mask,
        root=Root(statement=text, program=programs[0][0], table=table, object=object_of(queue[0].facts)),
        chain=(
            symptom(seen, mask),
            Step(
                f"{len({one.episode.pid for one in queue})} different sessions stood at the root one after the other, none for longer than {longest}: "
                f"each holds rows of {table or 'the table'} that the next one wants.",
                Reference("blocking"),
            ),
        ),
        ruled_out=(RuledOut("one transaction that blocks all", f"no transaction stood at the root for longer than {longest}"),),
        next_step=f"Change the row last in the transaction, so that it is held briefly, or spread {quoted(text)} over several "
        "rows that are summed up when read.",
        certainty=0.92,
    )  # fmt: skip
