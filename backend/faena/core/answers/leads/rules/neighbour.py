"""Another server loads the disk that this one shares."""

from collections.abc import Iterator

from faena.core.answers.leads.claim import Claim, Root, RuledOut, Step
from faena.core.answers.leads.kinds import LeadKind
from faena.core.answers.leads.observed import Observed
from faena.core.answers.leads.rules.spill import FILES
from faena.core.answers.leads.words import quoted, sessions, took
from faena.core.findings import Reference
from faena.core.sampling.dimensions import Dimension
from faena.core.waits.kinds import WaitKind

SLOWER = 2.0  # times as long as usual, for a request to the disk
MOST_OF_IT = 0.5  # of all requests to the disk are of the neighbour
LEAST_LOAD, LEAST_SHARE = 0.7, 0.3
AS_MANY = 2.0  # reads of its own, at most so many times the usual: else it loads the disk itself


def neighbour(seen: Observed) -> Iterator[Claim]:
    """Its own reads are no more than usual, each takes longer, and most requests are somebody else's."""
    disk = seen.disk
    on_disk = seen.of_kind(WaitKind.DATA_IO) & ~seen.where(Dimension.WAIT, *FILES)
    if disk is None or not disk.neighbour or disk.usual_ms is None or disk.share < MOST_OF_IT:
        return
    if disk.latency_ms < SLOWER * disk.usual_ms or seen.mean(on_disk) < LEAST_LOAD or seen.part(on_disk) < LEAST_SHARE:
        return
    victims = seen.statements(on_disk)
    query_id = victims[0][0] if victims else None
    usual, work = (seen.usual_work.get(query_id), seen.work.get(query_id)) if query_id is not None else (None, None)
    if (
        usual is not None
        and work is not None
        and work.calls
        and work.blocks_read / work.calls > AS_MANY * max(usual.reads, 1)
    ):
        return
    text, programs = seen.text(query_id), seen.ranked(Dimension.PROGRAM, on_disk)
    own = (
        f"a call of {quoted(text)} reads {work.blocks_read / work.calls:.3g} blocks, usually {usual.reads:.3g}"
        if usual is not None and work is not None and work.calls
        else f"it makes {1 - disk.share:.0%} of the requests to the disk"
    )
    yield Claim(
        kind=LeadKind.NEIGHBOUR,
        title=f"{disk.neighbour} loads the disk that {programs[0][0]} waits for",
        mask=on_disk,
        root=Root(statement="", program="", object=disk.neighbour),
        chain=(
            Step(f"{sessions(seen.mean(on_disk))} of {programs[0][0]} and others, {seen.share(on_disk):.0%} of the load, waited for reads and writes of data.", Reference("load")),
            Step(f"A request to the disk took {took(disk.latency_ms)} instead of {took(disk.usual_ms)}.", Reference("machine")),
            Step(f"{disk.share:.0%} of all requests to that disk came from {disk.neighbour}, which shares it.", Reference("machine")),
        ),
        ruled_out=(RuledOut("this server's own reads", own),),
        next_step=f"See what {disk.neighbour} does then: move the job to another hour, or one of the two to another disk.",
        certainty=0.93,
        about=frozenset(int(q) for q, _ in victims),
    )  # fmt: skip
