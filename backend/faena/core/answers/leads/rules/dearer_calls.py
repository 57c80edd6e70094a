"""A statement whose calls cost far more than they usually do in these hours: by another plan, or for more rows."""

from collections.abc import Iterator
from datetime import UTC, datetime

from faena.core.answers.leads.claim import Claim, Root, RuledOut, Step
from faena.core.answers.leads.kinds import LeadKind
from faena.core.answers.leads.observed import Observed, PlanSwitch, UsualWork
from faena.core.answers.leads.saying import at_work, not_locks
from faena.core.answers.leads.words import quoted, took
from faena.core.findings import Reference
from faena.core.numbers import count
from faena.core.sampling.dimensions import Dimension
from faena.core.sql.names import tables_of
from faena.core.statements.figures import StatementFigures
from faena.core.units import QueryId
from faena.core.waits.kinds import WaitKind

TIMES = 2.5  # as much as usual, and a call is dear
LEAST_LOAD, LEAST_SHARE = 0.4, 0.2
GREW = 2.0  # as many rows a call as usual: then it is the rows


def dearer_calls(seen: Observed) -> Iterator[Claim]:
    """Only of statements that work: one that waits for locks is dear for what others do."""
    for query_id, usual in seen.usual_work.items():
        work = seen.work.get(query_id)
        mask = seen.of_statement(query_id) & (seen.of_kind(WaitKind.RUNNING) | seen.of_kind(WaitKind.DATA_IO))
        if work is None or not work.calls or seen.mean(mask) < LEAST_LOAD or seen.part(mask) < LEAST_SHARE:
            continue
        times = (work.mean_ms or 0.0) / usual.ms if usual.ms > 0 else 0.0
        if times < TIMES or seen.mean(mask) < 0.5 * seen.mean(seen.of_statement(query_id)):
            continue
        switch = seen.switches.get(query_id)
        if switch is None and not _grew(work, usual):
            continue  # dear for a reason that is not known: other rules tell of the cores and the disk
        kind = LeadKind.PLAN_CHANGE if switch is not None else LeadKind.VOLUME_GROWTH
        programs = seen.ranked(Dimension.PROGRAM, mask)
        text = seen.text(query_id)
        yield Claim(
            kind=kind,
            title=f"{quoted(text)} of {programs[0][0]} takes {times:.2g} times as long as usual",
            mask=mask,
            root=Root(statement=text, program=programs[0][0], table=next(iter(tables_of(text)), "")),
            chain=(
                at_work(seen, mask, text),
                Step(_dear(work, usual), Reference("statement", {"query": str(query_id)})),
                _why(seen, query_id, work, usual, switch),
            ),
            ruled_out=(
                RuledOut("more calls", _called(seen, work, usual)),
                not_locks(seen),
            ),
            next_step=f"ANALYZE {next(iter(tables_of(text)), '')};" if switch is not None else "See whether it needs all of these rows: a narrower condition, a LIMIT, an archive for old ones.",
            certainty=0.94,
            about=frozenset((int(query_id),)),
        )  # fmt: skip


def _blocks(work: StatementFigures) -> float:
    return (work.blocks_hit + work.blocks_read) / work.calls


def _grew(work: StatementFigures, usual: UsualWork) -> bool:
    """Whether a call returns more rows, or looks at more blocks, which more rows of the table make it do."""
    rows = usual.rows > 0 and work.rows / work.calls >= GREW * usual.rows
    return rows or bool(usual.blocks and _blocks(work) >= GREW * usual.blocks)


def _dear(work: StatementFigures, usual: UsualWork) -> str:
    reads = work.blocks_read / work.calls
    grew = (
        f", and {count(reads)} blocks read instead of {count(usual.reads)}" if reads > 1.5 * max(usual.reads, 1) else ""
    )
    return f"A call took {took(work.mean_ms or 0)} instead of {took(usual.ms)}, as on {usual.days} earlier days in these hours{grew}."


def _why(
    seen: Observed, query_id: QueryId, work: StatementFigures, usual: UsualWork, switch: PlanSwitch | None
) -> Step:
    where = Reference("statement", {"query": str(query_id)})
    if switch is None:
        rows = f"It has {work.rows / work.calls:.3g} rows a call, usually {usual.rows:.3g}"
        blocks = (
            f", and looks at {count(_blocks(work))} blocks instead of {count(usual.blocks)}" if usual.blocks else ""
        )
        return Step(f"{rows}{blocks}; no other plan of it was seen.", where)
    at = datetime.fromtimestamp(switch.at / 1000, UTC)
    return Step(
        f"Since {at:%H:%M:%S} UTC it runs by another plan: {switch.after}; before it was {switch.before}.", where
    )


def _called(seen: Observed, work: StatementFigures, usual: UsualWork) -> str:
    rate = work.calls / seen.work_s if seen.work_s else 0.0
    usually = f", usually {usual.calls_s:.3g}" if usual.calls_s is not None else ""
    return f"{rate:.3g} calls a second{usually}"
