"""Sorts, joins and groups that do not fit into memory write temporary files."""

from collections.abc import Iterator

from faena.core.answers.leads.claim import Claim, Root, Step
from faena.core.answers.leads.kinds import LeadKind
from faena.core.answers.leads.observed import Observed
from faena.core.answers.leads.saying import at_work, not_locks
from faena.core.answers.leads.words import quoted
from faena.core.findings import Reference
from faena.core.numbers import count
from faena.core.sampling.dimensions import Dimension
from faena.core.sql.names import tables_of
from faena.core.waits.kinds import WaitKind

FILES = ("IO:BufFileRead", "IO:BufFileWrite", "IO:BufFileTruncate")
LEAST_LOAD, LEAST_SHARE = 0.5, 0.25
LEAST_IN_FILES = 0.08  # of a statement's samples are seen reading or writing such files: most of that goes to the cache
BLOCK_BYTES = 8192
LEAST_BYTES_S = 8e6  # where counters tell


def spill(seen: Observed) -> Iterator[Claim]:
    """By the waits for temporary files, or by what the counters tell of executions that ended."""
    in_files = seen.where(Dimension.WAIT, *FILES) & seen.active
    for query_id, _ in seen.statements(seen.active)[:20]:
        mask = seen.of_statement(query_id) & (seen.of_kind(WaitKind.RUNNING) | seen.of_kind(WaitKind.DATA_IO))
        if seen.mean(mask) < LEAST_LOAD or seen.part(mask) < LEAST_SHARE:
            continue
        work = seen.work.get(query_id)
        written = work.temp_written * BLOCK_BYTES if work else 0.0
        seen_in_files = float((mask & in_files).sum()) / float(mask.sum())
        by_counters = seen.work_s > 0 and written / seen.work_s >= LEAST_BYTES_S
        if seen_in_files < LEAST_IN_FILES and not by_counters:
            continue
        text, programs = seen.text(query_id), seen.ranked(Dimension.PROGRAM, mask)
        if not tables_of(text):
            continue  # rows that a function makes are kept in such files, too, and no memory would hold them
        told = f", and wrote {count(written / 1e6)} MB of them" if by_counters else ""
        yield Claim(
            kind=LeadKind.SPILL,
            title=f"{programs[0][0]} sorts or joins on disk in {quoted(text)}",
            mask=mask,
            root=Root(statement=text, program=programs[0][0], table=next(iter(tables_of(text)), ""), object="work_mem"),
            chain=(
                at_work(seen, mask, text),
                Step(
                    f"In {seen_in_files:.0%} of their samples they read or wrote temporary files{told}: what they sort, group or join does not fit into work_mem.",
                    Reference("statements"),
                ),
            ),
            ruled_out=(not_locks(seen),),
            next_step="SET work_mem higher for this program alone (each sort of each session may take as much), or sort fewer rows: an index in that order, or a LIMIT.",
            certainty=0.94,
            about=frozenset((int(query_id),)),
        )  # fmt: skip
