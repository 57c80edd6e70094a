"""One client host of a program runs what its like do not."""

from collections.abc import Iterator

from faena.core.answers.leads.claim import Claim, Root, RuledOut, Step
from faena.core.answers.leads.kinds import LeadKind
from faena.core.answers.leads.observed import Observed
from faena.core.answers.leads.saying import at_work
from faena.core.findings import Reference
from faena.core.sampling.dimensions import Dimension
from faena.core.sql.names import tables_of
from faena.core.waits.kinds import WaitKind

LEAST_LOAD, LEAST_SHARE = 0.5, 0.25
LEAST_HOSTS = 3  # of the program, at work in the window
ONE_HOST = 0.97  # of the statement's samples are of one of them
LEAST_SAMPLES = 20


def host_version(seen: Observed) -> Iterator[Claim]:
    """A statement of some weight that one host alone runs, though others of the same program are at work as well."""
    working = seen.of_kind(WaitKind.RUNNING) | seen.of_kind(WaitKind.DATA_IO)
    for query_id, _ in seen.statements(working)[:5]:
        mask = seen.of_statement(query_id) & working
        if seen.mean(mask) < LEAST_LOAD or seen.part(mask) < LEAST_SHARE or int(mask.sum()) < LEAST_SAMPLES:
            continue
        program = seen.ranked(Dimension.PROGRAM, mask)[0][0]
        of_program = seen.where(Dimension.PROGRAM, program) & seen.active
        hosts, mine = seen.ranked(Dimension.CLIENT, of_program), seen.ranked(Dimension.CLIENT, mask)
        others = [(host, n) for host, n in hosts if host != mine[0][0]]
        if len(hosts) < LEAST_HOSTS or mine[0][1] < ONE_HOST * float(mask.sum()):
            continue
        if sum(n for _, n in others) < LEAST_SAMPLES:
            continue  # the others hardly work, so that they do not run it says little
        host, text = mine[0][0], seen.text(query_id)
        yield Claim(
            kind=LeadKind.HOST_VERSION,
            title=f"{program} on {host} runs what its like do not",
            mask=mask,
            root=Root(statement=text, program=program, table=next(iter(tables_of(text)), ""), object=host),
            chain=(
                at_work(seen, mask, text),
                Step(
                    f"{mine[0][1]} of its {int(mask.sum())} samples are of {program} on {host}; {len(others)} other hosts of {program} "
                    f"were seen at work {sum(n for _, n in others)} times and never ran it.",
                    Reference("load"),
                ),
            ),
            ruled_out=(RuledOut("the program as a whole", f"{len(others)} of its {len(hosts)} hosts do not run this statement"),),
            next_step=f"See which version of {program} runs on {host}.",
            certainty=0.93,
            about=frozenset((int(query_id),)),
        )  # fmt: skip
