"""A statement whose plan is not known, on a table that is read through from end to end for each of its calls."""

import re
from collections.abc import Iterator

from faena.core.answers.leads.claim import Claim, Root, Step
from faena.core.answers.leads.kinds import LeadKind
from faena.core.answers.leads.observed import Observed
from faena.core.answers.leads.saying import not_locks
from faena.core.answers.leads.words import quoted, sessions, took
from faena.core.findings import Reference
from faena.core.numbers import count
from faena.core.sampling.dimensions import Dimension
from faena.core.sql.names import tables_of
from faena.core.waits.kinds import WaitKind

LEAST_LOAD, LEAST_SHARE = 0.25, 0.2
LEAST_SCANNED = 10_000.0  # rows of the table in a scan
EACH_CALL = 0.7  # scans of the table for a call, at least
FEW = 0.01  # of the rows read are returned, at most
_EQUALS = re.compile(r"\b(?:\w+\.)?([a-z_]\w*)\s*=\s*(?:\$\d+|\?|any\b)", re.IGNORECASE)


def scanned_table(seen: Observed) -> Iterator[Claim]:
    """By the counts of the table: as many scans as the statement had calls, and far more rows read than it returned."""
    by_table = {one.table.rpartition(".")[2]: one for one in seen.tables if one.scans > 0}
    working = seen.of_kind(WaitKind.RUNNING) | seen.of_kind(WaitKind.DATA_IO)
    for query_id, _ in seen.statements(working)[:5]:
        work, mask, text = seen.work.get(query_id), seen.of_statement(query_id) & working, seen.text(query_id)
        if query_id in seen.plans or work is None or not work.calls:
            continue
        if seen.mean(mask) < LEAST_LOAD or seen.part(mask) < LEAST_SHARE:
            continue
        names = tables_of(text)
        scanned = [one for name in names if (one := by_table.get(name)) and one.rows_read / one.scans >= LEAST_SCANNED]
        columns = _EQUALS.findall(text)
        if len(names) != 1 or not scanned or not columns:
            continue  # of several tables it is not clear which of them an index would serve
        table = scanned[0]
        read = table.rows_read / table.scans
        if table.scans < EACH_CALL * work.calls or work.rows / work.calls > FEW * read:
            continue
        programs = seen.ranked(Dimension.PROGRAM, mask)
        yield Claim(
            kind=LeadKind.MISSING_INDEX,
            title=f"{programs[0][0]} reads through {table.table} for each call of {quoted(text)}",
            mask=mask,
            root=Root(statement=text, program=programs[0][0], table=table.table, column=columns[0]),
            chain=(
                Step(f"{sessions(seen.mean(mask))} on average, {seen.share(mask):.0%} of the load, ran {quoted(text)}, {count(work.calls)} calls of {took(work.mean_ms or 0)} each.", Reference("load")),
                Step(
                    f"{table.table} was read through {count(table.scans)} times, {count(read)} rows each time, and a call returned {work.rows / work.calls:.3g}.",
                    Reference("statement", {"query": str(query_id)}),
                ),
            ),
            ruled_out=(not_locks(seen),),
            next_step=f"Ask for its plan on its page: an index on {table.table} ({', '.join(dict.fromkeys(columns))}) may be missing, or cannot be used as the condition is written.",
            certainty=0.8,
            about=frozenset((int(query_id),)),
        )  # fmt: skip
