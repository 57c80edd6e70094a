"""A whole table read and sorted for a few rows."""

from collections.abc import Iterator

from faena.core.engines.postgres.naming import identifier, table_name
from faena.core.engines.postgres.plans.predicates import conjuncts, predicates, sort_key
from faena.core.engines.postgres.plans.rules.scans import WORTH_MS
from faena.core.engines.postgres.plans.suspicion import Suspicion, suspect
from faena.core.findings import Finding
from faena.core.numbers import count
from faena.core.plans.model import Step
from faena.core.plans.tree import FORESEEN_COST, MANY_ROWS, PlanTree

TOP_FACTOR = 20.0  # rows sorted for each that is wanted


def top_n(tree: PlanTree) -> Iterator[Finding]:
    """A whole table is read and sorted for the first few rows."""
    for step in tree.steps:
        if step.kind != "Limit" or not step.children:
            continue
        sort, scan, parts = _sorted_scan(step)
        if sort is None or scan is None:
            continue
        wanted = (step.rows if step.actual is not None else step.rows_planned) or 0.0
        sorted_rows = sum((one.rows if one.actual is not None else one.rows_planned) or 0.0 for one in parts)
        if sorted_rows < MANY_ROWS or sorted_rows < TOP_FACTOR * max(wanted, 1.0):
            continue
        ms, cost = tree.whole(sort), sort.cost_total or 0.0
        if tree.estimated and cost < FORESEEN_COST:
            continue
        if ms is not None and (ms < WORTH_MS or not tree.notable(ms)):
            continue
        told = "would sort" if tree.estimated else "sorts"
        more = f" and {len(parts) - 1} more partitions" if len(parts) > 1 else ""
        yield suspect(
            tree, Suspicion.TOP_N, sort, ms,
            f"{told} {count(sorted_rows)} rows of {scan.target}{more} to give the first {count(wanted)}{', by the estimate' if tree.estimated else ''}",
            _ordered(sort, scan, alone=len(parts) == 1),
        )  # fmt: skip


_PASSES = ("Gather", "Gather Merge", "Append", "Parallel Append", "Result", "Subquery Scan")


def _sorted_scan(limit: Step) -> tuple[Step | None, Step | None, list[Step]]:
    """The sort below a Limit, the scan of a table below it, and all scans where the table has partitions."""
    sort = limit.children[0]
    while sort.kind in ("Gather Merge", "Result", "Subquery Scan") and sort.children:
        sort = sort.children[0]
    if sort.kind != "Sort" or not sort.children:
        return None, None, []
    parts, open_ = [], [sort.children[0]]
    while open_:
        one = open_.pop()
        if one.kind in _PASSES:
            open_.extend(one.children)
        elif one.kind.endswith("Seq Scan") and one.table:
            parts.append(one)
        else:
            return None, None, []
    return (sort, max(parts, key=lambda one: one.rows or one.rows_planned or 0.0), parts) if parts else (None, None, [])


def _ordered(sort: Step, scan: Step, *, alone: bool) -> str:
    """An index that gives the order: told as a statement where the table's own plain columns are what is sorted by."""
    keys = [sort_key(key) for key in sort.keys.get("Sort Key", ())]
    filtered = scan.conditions.get("Filter", "")
    found = predicates(filtered) if filtered else []
    equal = [one.column for one in found if one.equal]
    plain = not filtered or (len(found) == len(conjuncts(filtered)) == len(equal))
    if not alone or not keys or None in keys or not plain:
        return "an index that gives the rows in this order, on the columns that are compared by equality first"
    columns = [identifier(one) for one in equal] + [f"{identifier(column)}{way}" for column, way in filter(None, keys)]
    return f"CREATE INDEX CONCURRENTLY ON {table_name(scan)} ({', '.join(columns)});"
