"""Sessions wait for locks that the server needs for itself."""

from collections.abc import Iterator

from faena.core.answers.leads.claim import Claim, Root, RuledOut, Step
from faena.core.answers.leads.kinds import LeadKind
from faena.core.answers.leads.observed import Observed
from faena.core.answers.leads.words import quoted, sessions, wait_words
from faena.core.findings import Reference
from faena.core.sampling.dimensions import Dimension
from faena.core.sql.names import tables_of
from faena.core.waits.kinds import WaitKind

LEAST_LOAD, LEAST_SHARE = 0.8, 0.3


def internal_contention(seen: Observed) -> Iterator[Claim]:
    """Which lock it is says what it is about."""
    inside = seen.of_kind(WaitKind.ENGINE)
    if seen.mean(inside) < LEAST_LOAD or seen.part(inside) < LEAST_SHARE:
        return
    waits, programs = seen.ranked(Dimension.WAIT, inside), seen.ranked(Dimension.PROGRAM, inside)
    statements = seen.statements(inside)
    text = seen.text(statements[0][0]) if statements else ""
    wait_type, _, event = waits[0][0].partition(":")
    meaning = seen.waits.explain(wait_type, event)
    yield Claim(
        kind=LeadKind.INTERNAL_CONTENTION,
        title=f"{sessions(seen.mean(inside))} wait for {wait_words(seen, waits[0][0])}",
        mask=inside,
        root=Root(statement=text, program=programs[0][0], table=next(iter(tables_of(text)), ""), object=event),
        chain=(
            Step(f"{sessions(seen.mean(inside))} waited for the server's own locks on average, {seen.share(inside):.0%} of the load.", Reference("load")),
            Step(f"{waits[0][1] / float(inside.sum()):.0%} of that is {wait_words(seen, waits[0][0])}: {meaning.meaning} Most of them ran {quoted(text)} of {programs[0][0]}.", Reference("load")),
        ),
        ruled_out=(RuledOut("locks of rows and tables", f"{seen.mean(seen.blocked):.2g} sessions waited for others on average"),),
        next_step=meaning.look_next[0] if meaning.look_next else "Fewer sessions at the same time, by a pool of connections.",
        certainty=0.85,
    )  # fmt: skip
