"""What an index that does not exist yet would cost to search and to keep, by PostgreSQL's own published cost model.

The formulas are those of src/backend/optimizer/path/costsize.c (cost_index, cost_bitmap_heap_scan, index_pages_fetched)
and src/backend/utils/adt/selfuncs.c (genericcostestimate, btcostestimate). Costs are in the planner's units.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from math import ceil, log, log2, sqrt

from faena.core.plans.schema import ColumnFacts, CostSettings, TableFacts

PAGE_CPU_MULTIPLIER = 50  # operators that the descent through one page of a B-tree counts as
FILL = 0.9
PAGE_OVERHEAD = 40  # header and special space of a B-tree page
ENTRY_OVERHEAD = 12  # header of an entry and its line pointer
POSTING_BYTES = 6  # a further row of the same key, since PostgreSQL 13 keeps such in lists
DEFAULT_EQUAL = 0.005
DEFAULT_RANGE = 1 / 3
DEFAULT_BETWEEN = 0.005
UNEVEN_ORDER = 0.75  # how much of its first column's correlation an index of several keeps


@dataclass(frozen=True, slots=True, kw_only=True)
class IndexSize:
    pages: float
    height: int

    def bytes(self, block_size: int) -> int:
        return round(self.pages * block_size)


def distinct_values(column: ColumnFacts, rows: float) -> float:
    """How many different values a column has; at least one."""
    found = -column.distinct * rows if column.distinct < 0 else column.distinct
    return max(1.0, min(found, max(rows, 1.0)))


def equal_share(column: ColumnFacts, rows: float, value: str | None) -> float:
    """Share of the rows that equal a value; of one that is not known, the mean over all values."""
    if value is not None and value in column.common:
        return column.common[value]
    others = max(0.0, 1 - sum(column.common.values()) - column.null_share)
    left = distinct_values(column, rows) - len(column.common)
    if value is None:
        return (1 - column.null_share) / distinct_values(column, rows)
    return others / left if left >= 1 else min([*column.common.values(), DEFAULT_EQUAL])


def range_share(column: ColumnFacts, operator: str, value: str | None) -> float:
    """Share of the rows below or above a value, from the histogram where it is one of numbers or moments."""
    below = None if value is None else _below(column.bounds, value)
    if below is None:
        return DEFAULT_RANGE * (1 - column.null_share)
    uncommon = max(0.0, 1 - sum(column.common.values()) - column.null_share)
    share = (below if operator in ("<", "<=") else 1 - below) * uncommon
    for common, part in column.common.items():
        if value is not None and _fits(common, operator, value):
            share += part
    return min(1.0, max(share, 1e-6))


def _below(bounds: Sequence[str], value: str) -> float | None:
    """Share of a histogram below a value; None when its values cannot be put in order with it."""
    if len(bounds) < 2:
        return None
    try:
        edges, wanted = [_number(bound) for bound in bounds], _number(value)
    except ValueError:
        return None
    at = sum(edge < wanted for edge in edges)
    if at in (0, len(edges)):
        return at / len(edges)
    width = edges[at] - edges[at - 1]
    return (at - 1 + ((wanted - edges[at - 1]) / width if width else 0.5)) / (len(edges) - 1)


def _number(text: str) -> float:
    """A number, or a moment as seconds. Raises ValueError for anything else."""
    try:
        return float(text)
    except ValueError:
        moment = datetime.fromisoformat(text)
        return (moment if moment.tzinfo else moment.replace(tzinfo=UTC)).timestamp()


def _fits(common: str, operator: str, value: str) -> bool:
    try:
        one, other = _number(common), _number(value)
    except ValueError:
        return False
    return one < other if operator in ("<", "<=") else one > other


def index_size(
    table: TableFacts, columns: Sequence[ColumnFacts], share: float, costs: CostSettings, *, carried: int = 0
) -> IndexSize:
    """Of a B-tree on `columns` over a share of the rows, with `carried` bytes of others beside each: such keep no lists."""
    rows = max(1.0, table.rows * share)
    key = -(-(sum(max(1, column.width) for column in columns) + carried) // 8) * 8
    different = 1.0
    for column in columns:
        different *= distinct_values(column, table.rows)
    repeats = max(1.0, min(rows / max(different, 1.0), 200.0))
    entry = (
        key + ENTRY_OVERHEAD
        if repeats < 2 or carried or not costs.keeps_lists
        else (key + ENTRY_OVERHEAD) / repeats + POSTING_BYTES
    )
    per_page = max(2.0, (costs.block_size - PAGE_OVERHEAD) * FILL / entry)
    pages = ceil(rows / per_page)
    fanout = max(2.0, (costs.block_size - PAGE_OVERHEAD) * FILL / (key + ENTRY_OVERHEAD))
    return IndexSize(pages=pages + ceil(pages / fanout) + 1, height=max(0, ceil(log(max(pages, 1)) / log(fanout))))


@dataclass(frozen=True, slots=True, kw_only=True)
class Search:
    """One search of an index: the share of rows it finds, how many conditions it takes and leaves, how often it is made.

    `hidden` is the share of the table's pages that must be looked at: 1, or less where the index carries all that is
    needed and VACUUM has noted the rest as visible to all. Each of the `values` of an IN list is looked for by itself.
    """

    share: float
    conditions: int
    left: int
    times: float = 1.0
    hidden: float = 1.0
    values: int = 1


def search_cost(
    table: TableFacts,
    size: IndexSize,
    search: Search,
    correlation: float,
    costs: CostSettings,
    *,
    ordered: bool = False,
) -> float:
    """Of one search, the cheaper of an index scan and a bitmap; only the first of them gives rows in order."""
    rows, pages = max(1.0, table.rows), max(1.0, table.pages)
    found = max(1.0, round(search.share * rows))
    leaves = max(1.0, ceil(found / search.values * size.pages / rows))
    scans = search.times * search.values
    if scans > 1:
        leaves = _fetched(leaves * scans, size.pages, pages, costs) / search.times
    index = leaves * costs.random_page_cost
    index += found * (costs.cpu_index_tuple_cost + search.conditions * costs.cpu_operator_cost)
    index += search.values * ceil(log2(max(2.0, rows))) * costs.cpu_operator_cost
    index += search.values * (size.height + 1) * PAGE_CPU_MULTIPLIER * costs.cpu_operator_cost
    plain = index + _heap(found, rows, pages, size, search, correlation, costs)
    return (
        plain
        if ordered or search.times > 1 or search.hidden < 1
        else min(plain, _bitmap(index, found, pages, search, costs))
    )


def inverted_cost(parts: int, found: float, pages: float, conditions: int, costs: CostSettings) -> float:
    """Cost of one GIN search and its bitmap heap scan, after gincostestimate of selfuncs.c, for parts that few rows hold."""
    looked_up = parts * 2 * costs.random_page_cost
    search = Search(share=0.0, conditions=conditions, left=0)
    return _bitmap(looked_up + found * costs.cpu_index_tuple_cost, found, pages, search, costs)


def _heap(
    found: float, rows: float, pages: float, size: IndexSize, search: Search, correlation: float, costs: CostSettings
) -> float:
    fetched = ceil(search.hidden * _fetched(found * search.times, pages, size.pages, costs)) / search.times
    scattered = fetched * costs.random_page_cost
    together = ceil(search.hidden * found / rows * pages)
    dense = costs.random_page_cost + (together - 1) * costs.seq_page_cost if together else 0.0
    if search.times > 1:
        dense = _fetched(together * search.times, pages, size.pages, costs) * costs.random_page_cost / search.times
    reading = scattered + correlation * correlation * (dense - scattered)
    return reading + found * (costs.cpu_tuple_cost + search.left * costs.cpu_operator_cost)


def _bitmap(index: float, found: float, pages: float, search: Search, costs: CostSettings) -> float:
    fetched = min(pages, ceil(2 * pages * found / (2 * pages + found)))
    step = costs.random_page_cost - costs.seq_page_cost
    each = costs.random_page_cost - step * sqrt(fetched / pages) if fetched >= 2 else costs.random_page_cost
    rows = costs.cpu_tuple_cost + (search.left + search.conditions) * costs.cpu_operator_cost
    return index + 0.1 * costs.cpu_operator_cost * found + fetched * each + found * rows


def _fetched(tuples: float, pages: float, others: float, costs: CostSettings) -> float:
    """Pages read for so many rows of a table of `pages`, by Mackert and Lohman, with the cache the settings promise."""
    cache = max(1.0, ceil(costs.effective_cache_pages * pages / max(1.0, pages + others)))
    if pages <= cache:
        return min(pages, ceil(2 * pages * tuples / (2 * pages + tuples)))
    limit = 2 * pages * cache / (2 * pages - cache)
    if tuples <= limit:
        return ceil(2 * pages * tuples / (2 * pages + tuples))
    return ceil(cache + (tuples - limit) * (pages - cache) / pages)
