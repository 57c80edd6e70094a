"""Sessions wait for reads and writes of data."""

from collections.abc import Iterator

from faena.core.answers.leads.claim import Claim, Flags, Root, Step
from faena.core.answers.leads.kinds import LeadKind
from faena.core.answers.leads.observed import Observed
from faena.core.answers.leads.reading import all_read, read_by
from faena.core.answers.leads.rules.spill import FILES
from faena.core.answers.leads.saying import not_locks
from faena.core.answers.leads.words import quoted, sessions, took
from faena.core.findings import Reference
from faena.core.numbers import count
from faena.core.sampling.dimensions import Dimension
from faena.core.sql.names import tables_of
from faena.core.units import QueryId
from faena.core.waits.kinds import WaitKind

LEAST_LOAD, LEAST_SHARE = 1.0, 0.35
LEAST_VICTIMS = 0.3  # mean sessions of others than the main reader: one report that reads much harms nobody by that


def disk_saturation(seen: Observed) -> Iterator[Claim]:
    """More wait for the disk than for anything else, and not the main reader alone."""
    on_disk = seen.of_kind(WaitKind.DATA_IO) & ~seen.where(Dimension.WAIT, *FILES)
    if seen.mean(on_disk) < LEAST_LOAD or seen.part(on_disk) < LEAST_SHARE:
        return
    statements = seen.statements(on_disk)
    if not statements:
        return
    read = read_by(seen, [q for q, _ in statements])
    query_id = max((q for q, _ in statements), key=lambda q: read.get(q, 0.0)) if read else statements[0][0]
    others = on_disk & ~seen.of_statement(query_id)
    if seen.mean(others) < LEAST_VICTIMS:
        return
    text, work = seen.text(query_id), seen.work.get(query_id)
    programs = seen.ranked(Dimension.PROGRAM, on_disk & seen.of_statement(query_id))
    mine, whole = read.get(query_id, 0.0), all_read(seen)
    reads = f" It read {count(mine)} of {count(whole)} blocks" if mine and whole else ""
    each = f", {took(work.read_ms / work.blocks_read)} each" if work and work.blocks_read and work.read_ms else ""
    yield Claim(
        kind=LeadKind.DISK_SATURATION,
        title=f"{sessions(seen.mean(on_disk))} wait for the disk",
        mask=on_disk,
        root=Root(statement=text, program=programs[0][0], table=next(iter(tables_of(text)), "")),
        chain=(
            Step(f"{sessions(seen.mean(on_disk))} waited for reads and writes of data on average, {seen.share(on_disk):.0%} of the load.", Reference("load")),
            Step(f"{_part(seen, query_id, on_disk)} {quoted(text)} of {programs[0][0]}.{reads}{each}{'.' if reads else ''}", Reference("statements")),
        ),
        ruled_out=(not_locks(seen),),
        next_step="Look at the plan of the main reader; if it reads no more than it must, the disk is slower than usual: see who else loads it.",
        certainty=0.72,
        about=frozenset(int(q) for q, _ in statements if q != query_id),
    )  # fmt: skip


def _part(seen: Observed, query_id: QueryId, on_disk: Flags) -> str:
    """How much of the waiting the main reader does itself: it may be little, since it is the others who wait for it."""
    return (
        f"{(seen.of_statement(query_id) & on_disk).sum() / float(on_disk.sum()):.0%} of the waiting is the main reader,"
    )
