"""Rows made or fetched and then thrown away, wherever in a plan: what no other rule tells of, with its figures.

An index is proposed only where the plan itself shows that one serves; all else is reported without.
"""

from collections.abc import Iterator

from faena.core.engines.postgres.naming import identifier, table_name
from faena.core.engines.postgres.plans.predicates import conjuncts, predicates, sort_key
from faena.core.engines.postgres.plans.rules.limits import limit_misleads
from faena.core.engines.postgres.plans.rules.repeats import nested_loop
from faena.core.engines.postgres.plans.rules.scans import THROWN_AWAY, WORTH_MS, spoken_of, wasteful
from faena.core.engines.postgres.plans.suspicion import Suspicion, suspect
from faena.core.findings import Finding
from faena.core.numbers import count
from faena.core.plans.model import Step
from faena.core.plans.tree import FORESEEN_COST, MANY_ROWS, PlanTree

MOST_SHOWN = 160  # characters of a condition in a sentence
TOP_FACTOR = 20.0  # rows sorted for each that is wanted


def _shown(condition: str) -> str:
    words = " ".join(condition.split())
    return words if len(words) <= MOST_SHOWN else f"{words[:MOST_SHOWN]} …"


def large_discard(tree: PlanTree) -> Iterator[Finding]:
    """A scan of a whole table for few rows, by a condition of which cannot be told what index would serve it."""
    for waste in wasteful(tree):
        condition = waste.step.conditions.get("Filter", "")
        if not spoken_of(condition):
            yield suspect(
                tree, Suspicion.LARGE_DISCARD, waste.step, waste.ms, f"{waste.reads}, by {_shown(condition) or 'its condition'}",
                "look whether an index can serve this condition (of its expression, a partial one, GIN); which, the plan does not tell",
            )  # fmt: skip
    for step in tree.steps:
        if not step.kind.endswith("Seq Scan") and "Index" not in step.kind and "Bitmap" not in step.kind:
            yield from _thrown_elsewhere(tree, step)


def _thrown_elsewhere(tree: PlanTree, step: Step) -> Iterator[Finding]:
    """By a HAVING, or a condition on what a subquery, a function or another server gives."""
    if step.actual is None or step.removed_join:
        return
    removed = step.removed_filter * step.actual.loops
    if _vain(tree, removed, step):
        what = f" of {step.target}" if step.target else ""
        yield suspect(
            tree, Suspicion.LARGE_DISCARD, step, tree.own(step),
            f"{count(removed)} of {count(removed + (step.rows or 0))} rows{what} are made and then thrown away, by {_shown(step.conditions.get('Filter', 'its condition'))}",
            "put the condition where the rows are made, so that they are not made in vain",
        )  # fmt: skip


def _vain(tree: PlanTree, removed: float, step: Step, ms: float | None = None) -> bool:
    own = tree.own(step) if ms is None else ms
    quick = own is not None and own < WORTH_MS
    enough = removed >= MANY_ROWS and removed >= THROWN_AWAY * (removed + (step.rows or 0.0))
    return enough and not quick and tree.notable(own)


def index_discard(tree: PlanTree) -> Iterator[Finding]:
    """An index finds the rows, and a condition that it does not hold throws nearly all of them away."""
    flagged = {one.step for one in limit_misleads(tree)}
    for step in tree.steps:
        fetches = "Index Scan" in step.kind or "Index Only Scan" in step.kind or step.kind.endswith("Bitmap Heap Scan")
        if not fetches or step.actual is None or tree.index(step) in flagged:
            continue
        filtered, again = (n * step.actual.loops for n in (step.removed_filter, step.removed_recheck))
        if not _vain(tree, filtered + again, step):
            continue
        by = "Filter" if filtered >= again else "Recheck Cond"
        yield suspect(
            tree, Suspicion.INDEX_DISCARD, step, tree.own(step),
            f"fetches {count(filtered + again + (step.rows or 0))} rows by {_index_of(step)} and throws {count(filtered + again)} of them away, by {_shown(step.conditions.get(by, 'its condition'))}",
            _wider(step) if by == "Filter" else "the index finds too much: one that holds what is compared, or a stricter condition",
        )  # fmt: skip


def _index_of(step: Step) -> str:
    if step.index:
        return step.index
    below = next((one for one in step.children if one.index), None)
    return below.index if below is not None else "its index"


def _wider(step: Step) -> str:
    """An index that has what is filtered, too: told as a statement where all of both conditions are plain comparisons."""
    below = step.children[0] if step.children else step
    found, filtered = (
        step.conditions.get("Index Cond") or below.conditions.get("Index Cond", ""),
        step.conditions.get("Filter", ""),
    )
    both = predicates(" AND ".join(f"({one})" for one in (found, filtered) if one))
    equal, ranges = [one.key for one in both if one.equal], [one.key for one in both if not one.equal]
    whole = len(both) == len({p.column for part in (found, filtered) if part for p in predicates(part)})
    plain = all(len(predicates(one)) == 1 for one in conjuncts(filtered))
    if not (whole and plain and equal and step.table):
        return "an index that also holds what is filtered; which one serves, the plan does not tell"
    return f"CREATE INDEX CONCURRENTLY ON {table_name(step)} ({', '.join([*equal, *ranges[:1]])});"


def join_discard(tree: PlanTree) -> Iterator[Finding]:
    """A join whose further condition throws nearly all pairs away."""
    flagged = {one.step for one in nested_loop(tree)}
    for step in tree.steps:
        if step.actual is None or len(step.children) < 2 or tree.index(step) in flagged:
            continue
        pairs, after = (n * step.actual.loops for n in (step.removed_join, step.removed_filter))
        if not _vain(tree, pairs + after, step):
            continue
        by = "Join Filter" if pairs >= after else "Filter"
        yield suspect(
            tree, Suspicion.JOIN_DISCARD, step, tree.own(step),
            f"joins {count(pairs + after + (step.rows or 0))} pairs of rows and throws {count(pairs + after)} of them away, by {_shown(step.conditions.get(by, 'its condition'))}",
            "let what is compared be part of the equality that joins the two, or narrow one side before",
        )  # fmt: skip


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
