"""Deadlocks: told by the log, counted by the server, or seen as circles before it breaks them."""

from collections import Counter
from collections.abc import Iterator, Sequence

import numpy as np

from faena.core.answers.leads.blocked import Blockage, blockages
from faena.core.answers.leads.claim import Claim, Root, RuledOut, Step
from faena.core.answers.leads.kinds import LeadKind
from faena.core.answers.leads.observed import Observed
from faena.core.answers.leads.words import quoted
from faena.core.findings import Reference
from faena.core.logged import EventKind, LogEvent
from faena.core.sampling.dimensions import Dimension
from faena.core.sql.names import table_changed_by, tables_of

COST_S = (
    3.0  # session-seconds that a deadlock costs: what its victim had done, the second until it is broken, and again
)
LEAST = 2  # one alone can happen to anybody


def deadlock_pattern(seen: Observed) -> Iterator[Claim]:
    """Statements and tables come from the log, or else from the circles that samples caught."""
    told = [event for event in seen.events or () if event.kind is EventKind.DEADLOCK]
    counted = seen.vitals.deadlocks if seen.vitals else 0.0
    circles = [one for one in blockages(seen) if one.circle]
    many = max(len(told), round(counted), len(circles) if len(circles) >= LEAST else 0)
    if many < LEAST:
        return
    mask = np.zeros(len(seen.frame.code), dtype=np.bool_)
    for one in circles:
        mask |= one.mask
    statements = [text for text, _ in Counter(_texts(seen, told, circles)).most_common(2)]
    tables = Counter(t for text in statements for t in [table_changed_by(text) or next(iter(tables_of(text)), "")] if t)
    programs = Counter(event.program for event in told if event.program)
    program = programs.most_common(1)[0][0] if programs else _program(seen, circles)
    both = " and ".join(quoted(text) for text in statements) or "statements that are not known"
    source = (
        f"the log tells of {len(told)}"
        if told
        else f"the server counted {counted:.0f}"
        if counted
        else "samples caught"
    )
    yield Claim(
        kind=LeadKind.DEADLOCK_PATTERN,
        title=f"{many} deadlocks in {program or 'an application'}",
        mask=mask,
        root=Root(
            statement=statements[0] if statements else "", program=program,
            table=tables.most_common(1)[0][0] if tables else "",
        ),
        chain=(
            Step(f"{many} transactions were ended by the server because of deadlocks in {seen.seconds:.0f} s ({source}).", Reference("deadlocks")),
            Step(f"Their parties ran {both}: each held what the other wanted.", Reference("deadlocks")),
        ),
        ruled_out=(RuledOut("one transaction that blocks all", "the parties waited for each other"),),
        next_step="Lock rows in one order everywhere (ORDER BY the key, FOR UPDATE), and repeat a transaction that ends with 40P01.",
        certainty=0.95,
        by_events=True,
        beyond_s=COST_S * many,
    )  # fmt: skip


def _texts(seen: Observed, told: Sequence[LogEvent], circles: Sequence[Blockage]) -> Iterator[str]:
    for event in told:
        text = seen.text(event.query_id) or event.statement
        if text:
            yield text
    if told:
        return
    for one in circles:
        for row in one.episode.circle:
            text = seen.text(seen.who(row).query_id)
            if text:
                yield text


def _program(seen: Observed, circles: Sequence[Blockage]) -> str:
    if not circles:
        return ""
    ranked = seen.ranked(Dimension.PROGRAM, np.logical_or.reduce([one.mask for one in circles]))
    return ranked[0][0] if ranked else ""
