"""Transactions that fail because others changed what they read: serialization failures."""

from collections import Counter
from collections.abc import Iterator

import numpy as np

from faena.core.answers.leads.claim import Claim, Root, RuledOut, Step
from faena.core.answers.leads.kinds import LeadKind
from faena.core.answers.leads.observed import Observed
from faena.core.answers.leads.words import quoted
from faena.core.findings import Reference
from faena.core.logged import EventKind
from faena.core.sampling.dimensions import Dimension
from faena.core.sql.names import table_changed_by, tables_of

LEAST_A_SECOND = 0.2
LEAST_SHARE = 0.1  # of all transactions that end, where only the server's counts tell
COST_S = 0.5  # session-seconds that a failed transaction costs, about


def conflict_retries(seen: Observed) -> Iterator[Claim]:
    """The log names them. Without it, rollbacks while sessions keep watch over what they read are told as what they are."""
    told = [event for event in seen.events or () if event.kind is EventKind.SERIALIZATION_FAILURE]
    vitals = seen.vitals
    rolled = vitals.rollbacks if vitals else 0.0
    ended = vitals.commits + vitals.rollbacks if vitals else 0.0
    by_counts = bool(seen.serializable) and ended > 0 and rolled / ended >= LEAST_SHARE and not told
    many = len(told) if told else rolled if by_counts else 0.0
    if many < LEAST_A_SECOND * seen.seconds:
        return
    texts = Counter(t for event in told if (t := seen.text(event.query_id) or event.statement))
    programs = Counter(event.program for event in told if event.program)
    busy = seen.ranked(Dimension.PROGRAM, seen.active)
    program = programs.most_common(1)[0][0] if programs else busy[0][0] if busy else ""
    text = _changing(texts) or (_main(seen, program) if not texts else "")
    how = (
        f"The log tells of {len(told)} serialization failures in {seen.seconds:.0f} s"
        if told
        else f"{rolled:.0f} of {ended:.0f} transactions were rolled back in {seen.seconds:.0f} s while sessions ran at "
        "SERIALIZABLE; the log, which would tell why, was not read"
    )
    yield Claim(
        kind=LeadKind.CONFLICT_RETRIES,
        title=f"Transactions of {program or 'an application'} fail for each other and are repeated",
        mask=seen.where(Dimension.PROGRAM, program) & seen.active if program else np.zeros_like(seen.active),
        root=Root(
            statement=text, program=program, table=table_changed_by(text) or next(iter(tables_of(text)), ""),
            object="SERIALIZABLE" if seen.serializable else "",
        ),
        chain=(
            Step(f"{how}.", Reference("log")),
            Step(
                f"Most often it was {quoted(text)} of {program or 'an application'}: what it read was changed by another "
                "transaction before it ended, so its work was thrown away.",
                Reference("log"),
            ),
        ),
        ruled_out=(RuledOut("deadlocks", "none was told" if not (vitals and vitals.deadlocks) else f"only {vitals.deadlocks:.0f} were counted"),),
        next_step="Make the transaction shorter and let it touch fewer rows, or lock the row first (SELECT … FOR UPDATE at READ COMMITTED); repeat with a growing, random pause.",
        certainty=0.9 if told else 0.6,
        by_events=True,
        beyond_s=COST_S * many,
    )  # fmt: skip


def _changing(texts: Counter[str]) -> str:
    """The most frequent that changes a table; a COMMIT fails for what came before it."""
    ranked = [text for text, _ in texts.most_common()]
    return next((text for text in ranked if table_changed_by(text)), ranked[0] if ranked else "")


def _main(seen: Observed, program: str) -> str:
    ran = seen.statements(seen.where(Dimension.PROGRAM, program) & seen.active)
    return next((seen.text(q) for q, _ in ran if table_changed_by(seen.text(q))), "")
