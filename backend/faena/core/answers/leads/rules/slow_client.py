"""Sessions wait for a client to take the rows it asked for."""

from collections.abc import Iterator

from faena.core.answers.leads.claim import Claim, Root, RuledOut, Step
from faena.core.answers.leads.kinds import LeadKind
from faena.core.answers.leads.observed import Observed
from faena.core.answers.leads.saying import not_locks
from faena.core.answers.leads.words import quoted, sessions, took
from faena.core.findings import Reference
from faena.core.sampling.dimensions import Dimension
from faena.core.sql.names import tables_of

WRITING = "Client:ClientWrite"
LEAST_LOAD, LEAST_SHARE = 0.5, 0.3
MOST_OF_ITS_TIME = 0.6
LONG_MS = 1500


def slow_client(seen: Observed) -> Iterator[Claim]:
    """Most of a statement's time the server has rows ready, and nobody takes them."""
    writing = seen.where(Dimension.WAIT, WRITING) & seen.active
    if seen.mean(writing) < LEAST_LOAD or seen.part(writing) < LEAST_SHARE:
        return
    programs = seen.ranked(Dimension.PROGRAM, writing)
    of_program = seen.where(Dimension.PROGRAM, programs[0][0]) & seen.active
    mine = of_program & writing
    longest = int(seen.frame.statement_ms[mine].max())
    if seen.mean(mine) < MOST_OF_ITS_TIME * seen.mean(of_program) or longest < LONG_MS:
        return
    statements = seen.statements(mine)
    text = seen.text(statements[0][0]) if statements else ""
    clients = seen.ranked(Dimension.CLIENT, mine)
    yield Claim(
        kind=LeadKind.SLOW_CLIENT,
        title=f"{programs[0][0]} takes its rows slowly",
        mask=writing,
        root=Root(statement=text, program=programs[0][0], table=next(iter(tables_of(text)), ""), object=clients[0][0]),
        chain=(
            Step(f"{sessions(seen.mean(writing))} on average, {seen.share(writing):.0%} of the load, had rows ready and waited for the client to take them.", Reference("load")),
            Step(f"{programs[0][0]} on {clients[0][0]} ran {quoted(text)}, the longest for {took(longest)}: {seen.mean(mine) / seen.mean(of_program):.0%} of its samples wait for the client.", Reference("sessions")),
        ),
        ruled_out=(
            RuledOut("the database", "it had the rows and waited"),
            not_locks(seen),
        ),
        next_step="Look at the client: what it does between rows, and the network. Let it fetch fewer rows, or fetch first and work afterwards.",
        certainty=0.93,
    )  # fmt: skip
