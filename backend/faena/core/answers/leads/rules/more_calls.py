"""A statement that is called far more often than it usually is in these hours, each call as cheap as ever."""

from collections.abc import Iterator

from faena.core.answers.leads.claim import Claim, Root, RuledOut, Step
from faena.core.answers.leads.kinds import LeadKind
from faena.core.answers.leads.observed import Observed
from faena.core.answers.leads.saying import not_locks
from faena.core.answers.leads.words import figure, quoted, sessions, took
from faena.core.findings import Reference
from faena.core.sampling.dimensions import Dimension
from faena.core.sql.names import tables_of
from faena.core.waits.kinds import WaitKind

TIMES, TIMES_BEFORE = 2.0, 2.5  # as often as usual; as just before, where what is usual is not known
AS_DEAR = 1.6  # at most so many times as dear as usual: dearer calls are another story
LEAST_LOAD, LEAST_SHARE = 0.5, 0.2
LEAST_MORE = 0.4  # sessions that the additional calls make


def more_calls(seen: Observed) -> Iterator[Claim]:
    """Against what is usual in these hours, or against the time just before the window; of a part of the load at least."""
    for query_id, usual in seen.usual_work.items():
        work, before = seen.work.get(query_id), seen.work_before.get(query_id)
        mask = seen.of_statement(query_id) & (seen.of_kind(WaitKind.RUNNING) | seen.of_kind(WaitKind.DATA_IO))
        if work is None or not work.calls or not seen.work_s:
            continue
        rate = work.calls / seen.work_s
        known = usual.calls_s is not None
        then = usual.calls_s if usual.calls_s is not None else before.calls / seen.work_s if before else None
        if not then or rate < (TIMES if known else TIMES_BEFORE) * then:
            continue
        dear = (work.mean_ms or 0.0) / usual.ms if usual.ms else 1.0
        more = (rate - then) * usual.ms / 1000
        if dear > AS_DEAR or more < LEAST_MORE or seen.mean(mask) < LEAST_LOAD or seen.part(mask) < LEAST_SHARE:
            continue
        times, when, than = rate / then, *(("usually", "usual") if known else ("just before", "just before"))
        programs, text = seen.ranked(Dimension.PROGRAM, mask), seen.text(query_id)
        yield Claim(
            kind=LeadKind.OTHER,
            title=f"{programs[0][0]} runs {quoted(text)} {times:.2g} times as often as {'usual' if known else 'before'}",
            mask=mask,
            root=Root(statement=text, program=programs[0][0], table=next(iter(tables_of(text)), "")),
            chain=(
                Step(f"{sessions(seen.mean(mask))} on average, {seen.share(mask):.0%} of the load, ran {quoted(text)}; {figure(min(more, seen.mean(mask)))} of them are more than {than}.", Reference("load")),
                Step(
                    f"It was called {figure(rate)} times a second, {when} {figure(then)}.",
                    Reference("statement", {"query": str(query_id)}),
                ),
            ),
            ruled_out=(
                RuledOut("dearer calls", f"a call took {took(work.mean_ms or 0)}, usually {took(usual.ms)}"),
                not_locks(seen),
            ),
            next_step="See what calls it: a deploy that asks once for each row, a cache that is asked no more, or simply more users; the endpoints of this statement tell.",
            certainty=0.85,
            about=frozenset((int(query_id),)),
        )  # fmt: skip
