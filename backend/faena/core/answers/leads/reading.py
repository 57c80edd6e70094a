"""Who reads how much from the disk, by counters and by what is read of tables."""

from collections.abc import Sequence

from faena.core.answers.leads.observed import Observed
from faena.core.sql.names import tables_of
from faena.core.units import QueryId


def all_read(seen: Observed) -> float:
    """Blocks read over the window, of which ended statements have counted only their own."""
    return max(sum(one.blocks_read for one in seen.work.values()), sum(one.blocks_read for one in seen.tables))


def read_by(seen: Observed, statements: Sequence[QueryId]) -> dict[QueryId, float]:
    """Blocks that each read, by the counters; one that has not ended is in none, and has what was read of its table beyond
    what is counted. Empty where nothing is known."""
    counted = {q: work.blocks_read for q in statements if (work := seen.work.get(q)) is not None and work.calls}
    left = {one.table: one.blocks_read for one in seen.tables}
    for query_id, work in seen.work.items():
        for table in tables_of(seen.text(query_id))[:1]:
            left[table] = left.get(table, 0.0) - work.blocks_read
    under_way = {q: tables_of(seen.text(q))[:1] for q in statements if q not in counted}
    beyond = {q: max(left.get(table, 0.0), 0.0) for q, tables in under_way.items() for table in tables}
    return {q: blocks for q, blocks in (counted | beyond).items() if blocks > 0}
