"""One statement is run once for each row of another."""

from collections.abc import Iterator

from faena.core.answers.leads.claim import Claim, Root, RuledOut, Step
from faena.core.answers.leads.kinds import LeadKind
from faena.core.answers.leads.observed import Observed
from faena.core.answers.leads.words import quoted, took
from faena.core.findings import Reference
from faena.core.numbers import count
from faena.core.sampling.dimensions import Dimension
from faena.core.sql.names import tables_of
from faena.core.units import QueryId

LEAST_A_SECOND = 50.0
LEAST_TIME, MOST_OF_CALLS = 0.1, 0.3  # sessions that run it on average, by the counters; of all calls on the server
# Or so many calls, and most of all: what each costs lies in going to and fro, which no session shows.
CROWD_A_SECOND, CROWD_OF_CALLS = 250.0, 0.6


def is_crowd(seen: Observed, statement: QueryId) -> bool:
    """Whether it is most of what the server is asked, and very often."""
    work = seen.work.get(statement)
    if work is None or not seen.work_s:
        return False
    whole = sum(one.calls for one in seen.work.values())
    return work.calls >= CROWD_A_SECOND * seen.work_s and work.calls >= CROWD_OF_CALLS * whole


def repeated_statement(seen: Observed) -> Iterator[Claim]:
    """A guess from counters, said to be one: they know no requests."""
    whole = sum(one.calls for one in seen.work.values())
    for match in seen.matches:
        work, first = seen.work.get(match.second), seen.work.get(match.first)
        if work is None or first is None or not seen.work_s:
            continue
        text, lead = seen.text(match.second), seen.text(match.first)
        rate, busy = work.calls / seen.work_s, work.total_ms / 1000 / seen.work_s
        costs = rate >= LEAST_A_SECOND and busy >= LEAST_TIME and work.calls >= MOST_OF_CALLS * whole
        crowd = is_crowd(seen, match.second)
        if not (costs or crowd) or not tables_of(text):
            continue
        mask = seen.of_statement(match.second) | seen.of_statement(match.first)
        programs = seen.ranked(Dimension.PROGRAM, mask)
        program = programs[0][0] if programs else seen.callers.get(match.second) or seen.callers.get(match.first, "")
        yield Claim(
            kind=LeadKind.REPEATED_STATEMENT,
            title=f"{program or 'A program'} runs {quoted(text)} once for each row of another",
            mask=mask,
            root=Root(statement=text, program=program, table=next(iter(tables_of(text)), ""), object=lead),
            chain=(
                Step(f"{quoted(text)} ran {count(rate)} times a second, {work.calls / whole:.0%} of all calls, {took(work.mean_ms or 0)} each.", Reference("statements")),
                Step(
                    f"{quoted(lead)} returned {count(first.rows)} rows in {count(first.calls)} calls, and the other ran {count(work.calls)} times: "
                    f"about {match.each:.3g} for each call. That it is once for each row is a guess, since counters know no requests.",
                    Reference("statements"),
                ),
            ),
            ruled_out=(RuledOut("dear calls", f"a call takes {took(work.mean_ms or 0)}"),),
            next_step="Ask for all rows at once: a join, or WHERE … = ANY(list) with what the first statement returned.",
            certainty=0.72,
            by_events=True,
            beyond_s=busy * seen.work_s,
        )  # fmt: skip
