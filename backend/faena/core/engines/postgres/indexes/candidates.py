"""For which tables of a plan an index could help, by which columns."""

import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

from faena.core.engines.postgres.indexes.terms import Flag, Inverted, Terms, terms_of
from faena.core.engines.postgres.naming import identifier
from faena.core.engines.postgres.plans.predicates import Comparison, conjuncts, links, sort_key
from faena.core.plans.model import Step
from faena.core.plans.schema import SchemaFacts, TableFacts
from faena.core.plans.tree import PlanTree

_CONDITIONS = ("Index Cond", "Recheck Cond", "Filter")
_ASIDE = ("Hash", "Parallel Hash", "Materialize", "Memoize", "Gather", "Gather Merge", "Sort", "Incremental Sort")
_FIRST_ONLY = ("Semi", "Anti", "Right Semi", "Right Anti")
_EACH = ("HashAggregate", "GroupAggregate", "Unique")
_GROUPS = re.compile(r"\b(?:group\s+by|distinct|union|intersect|except)\b", re.IGNORECASE)
# By the join's kind, which of its sides may be searched by the key of each row of the other one.
_SEARCHED = {"": (0, 1), "Inner": (0, 1), "Left": (1,), "Right": (0,), "Semi": (1,), "Anti": (1,), "Right Anti": (0,),
             "Right Semi": (0,), "Full": ()}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Candidate:
    """Columns for one table: what is compared, and what order is wanted behind it.

    `searches` is how many tables are searched: the partitions that the plan reads. `matching` is how many rows of one
    the plan expects to meet all conditions and `found` how many did, None where it does not tell. `left` counts the
    conditions that are not among `compared`.
    """

    step: Step
    table: TableFacts
    compared: Sequence[Comparison]
    order: Sequence[str] = ()
    times: float = 1.0
    before: float = 0.0
    wanted: float | None = None  # rows after which the reader stops, where rows come in order
    searches: int = 1
    matching: float | None = None
    found: float | None = None
    left: int = 0
    flags: Sequence[Flag] = ()
    inverted: Inverted | None = None
    either: Sequence[Sequence[Comparison]] = ()
    first_only: bool = False  # a search ends at the first row that it finds
    why: str = ""  # where it does not show in the plan's steps
    ms: float | None = None


def candidates(tree: PlanTree, facts: SchemaFacts) -> Iterator[Candidate]:
    for scans, table in _scanned(tree, facts):
        yield from _of_scans(tree, scans, table)
    for step in tree.steps:
        if ("Join" in step.kind or step.kind.startswith("Nested Loop")) and len(step.children) >= 2:
            yield from _of_join(tree, step, facts)
    yield from _of_foreign_keys(tree, facts)


def _scanned(tree: PlanTree, facts: SchemaFacts) -> Iterator[tuple[list[Step], TableFacts]]:
    """Scans of tables; those of partitions that are read for the same together, as one of the table they make up."""
    together: dict[tuple[str, str, int], list[Step]] = {}
    for step in tree.steps:
        if not step.table or not (
            "Seq Scan" in step.kind or "Index" in step.kind or step.kind.endswith("Bitmap Heap Scan")
        ):
            continue
        table = facts.table(step.table, step.schema)
        if table is None or step.kind.startswith("Bitmap Index"):
            continue
        above = tree.parent(step)
        if table.partition_of and above is not None:
            together.setdefault((table.schema, table.partition_of, id(above)), []).append(step)
        else:
            yield [step], facts.whole(table) if table.partition_of else table
    for steps in together.values():
        table = facts.table(steps[0].table, steps[0].schema)
        assert table is not None
        yield steps, facts.whole(table)


def _of_scans(tree: PlanTree, scans: list[Step], table: TableFacts) -> Iterator[Candidate]:
    step = max(scans, key=lambda one: (tree.own(one) or 0.0, one.cost_total or 0.0))
    condition = " AND ".join(f"({step.conditions[name]})" for name in _CONDITIONS if name in step.conditions)
    reads_all = all("Seq Scan" in one.kind for one in scans)
    terms = terms_of(table, step.alias or step.table, condition) if condition else Terms()
    vain = "Filter" in step.conditions or reads_all or _walks_index(step, table, terms)
    searches = sum(1 for one in scans if not one.never)
    each = sum(one.cost_total or 0.0 for one in scans)
    times = _times(tree, step)
    timed = [tree.own(one) for one in scans]
    base = Candidate(
        step, table, terms.compared, times=times, before=each * times, searches=max(1, searches),
        matching=_matching(scans), found=_found(scans), left=terms.left, flags=terms.flags,
        ms=None if None in timed else sum(filter(None, timed)),
    )  # fmt: skip
    if len(scans) == 1:
        yield from _in_order(tree, base, terms)
    if not vain:
        return
    base = replace(base, before=min(base.before, _paid(tree, base)))
    if terms.compared or terms.flags:
        yield base
    for one in terms.inverted:
        yield replace(base, compared=(), flags=(), inverted=one, left=terms.left - 1 + len(terms.compared))
    if terms.either:
        yield replace(base, compared=(), flags=(), either=terms.either, left=terms.left - 1 + len(terms.compared))


def _walks_index(step: Step, table: TableFacts, terms: Terms) -> bool:
    """Whether an index is read from one end to the other, since its first column is not among what is compared."""
    index = next((one for one in table.indexes if one.name == step.index), None)
    searched = {identifier(one.of) for one in terms.compared}
    return index is not None and index.method == "btree" and index.columns[0] not in searched


def _matching(scans: Sequence[Step]) -> float | None:
    """Rows of one search that met all conditions: as the planner expects them, since it is who chooses."""
    expected = [one.rows_planned for one in scans if one.rows_planned is not None]
    return sum(expected) / len(expected) if expected else None


def _found(scans: Sequence[Step]) -> float | None:
    run = [
        one.actual.rows * (one.actual.loops if one.kind.startswith("Parallel") else 1)
        for one in scans
        if one.actual is not None
    ]
    return sum(run) / len(run) if run else None


def _times(tree: PlanTree, step: Step) -> float:
    """How often a scan is made: for each row of what stands outside of it."""
    if step.parallel or step.kind.startswith("Parallel"):
        return 1.0
    if step.actual is not None:
        return max(1.0, step.actual.loops)
    if step.relation == "SubPlan" and (above := tree.parent(step)) is not None:
        return max(1.0, above.rows_planned or 1.0)
    return 1.0


def _in_order(tree: PlanTree, base: Candidate, terms: Terms) -> Iterator[Candidate]:
    """Where few rows in some order are wanted: equality first, and behind it the order."""
    equal = [one for one in terms.compared if one.operator in ("=", "IS NULL")]
    left = len(terms.compared) - len(equal) + terms.left
    sort = _sort_above(tree, base.step)
    if sort is not None:
        keys = [sort_key(key) for key in sort.keys.get("Sort Key", ())]
        order = ["".join(one) for one in keys if one is not None]
        wanted, _ = _limit_above(tree, sort)
        if order and None not in keys and (terms.compared or wanted is not None):
            yield replace(
                base, compared=equal, order=order, before=sort.cost_total or base.before, wanted=wanted, left=left
            )
        return
    wanted, _ = _limit_above(tree, base.step)
    order = _order_of_index(base)
    if wanted is None or not order or not equal or "Filter" not in base.step.conditions:
        return
    yield replace(base, compared=equal, order=order, before=_paid(tree, base), wanted=wanted, left=left)


def _paid(tree: PlanTree, c: Candidate) -> float:
    """Cost of a scan up to where a limit above stops it: the planner's estimate, or as far as it went when it was run."""
    _, limit = _limit_above(tree, c.step)
    if limit is None:
        return c.before
    walked = (c.step.removed_filter + (c.step.rows or 0.0)) / max(c.table.rows, 1.0)
    paid = min(1.0, walked) * c.before if c.step.actual is not None else 0.0
    return max(limit.cost_total or 0.0, paid)


def _sort_above(tree: PlanTree, step: Step) -> Step | None:
    above = tree.parent(step)
    while above is not None and above.kind in ("Gather", "Gather Merge"):
        above = tree.parent(above)
    return above if above is not None and above.kind == "Sort" else None


def _limit_above(tree: PlanTree, step: Step) -> tuple[float | None, Step | None]:
    """After how many rows a limit stops, those included that an OFFSET counts off."""
    limit = tree.parent(step)
    while limit is not None and limit.kind in ("Gather", "Gather Merge"):
        limit = tree.parent(limit)
    if limit is None or limit.kind != "Limit" or limit.rows_planned is None:
        return None, None
    below = limit.children[0]
    if below.actual is not None and limit.actual is not None and not below.parallel:
        counted_off = max(0.0, (below.rows or 0.0) - (limit.rows or 0.0))
    else:
        whole = (below.cost_total or 0.0) - (below.cost_start or 0.0)
        off = (limit.cost_start or 0.0) - (below.cost_start or 0.0)
        counted_off = (below.rows_planned or 0.0) * off / whole if whole > 0 else 0.0
    return limit.rows_planned + counted_off, limit


def _order_of_index(c: Candidate) -> list[str]:
    """The order in which an index that is walked whole gives its rows."""
    if "Index Scan" not in c.step.kind and "Index Only Scan" not in c.step.kind:
        return []
    index = next((one for one in c.table.indexes if one.name == c.step.index), None)
    if index is None or index.method != "btree" or "Index Cond" in c.step.conditions:
        return []
    backward = c.step.kind.endswith("Backward") or c.step.details.get("Scan Direction") == "Backward"
    return [
        f"{name}{' DESC' if down != backward else ''}" for name, down in zip(index.columns, index.ways, strict=True)
    ]


def _of_join(tree: PlanTree, step: Step, facts: SchemaFacts) -> Iterator[Candidate]:
    """A table that is read whole, searched by the key of each row of the other side instead."""
    condition = " AND ".join(
        f"({step.conditions[name]})" for name in ("Hash Cond", "Merge Cond", "Join Filter") if name in step.conditions
    )
    # A list of different values that nobody asked for is a way to look whether there is one: EXISTS or IN.
    one_of_each = bool(tree.plan.statement) and not _GROUPS.search(tree.plan.statement)
    sides = [_scan_below(child, one_of_each=one_of_each) for child in step.children[:2]]
    for one, other in links(condition):
        for mine, at in ((one, 0), (other, 1), (one, 1), (other, 0)):
            scan, outer = sides[at], step.children[1 - at]
            if (
                scan is None
                or at not in _SEARCHED.get(step.join, ())
                or mine[0] != (scan.alias or scan.table)
                or "Seq Scan" not in scan.kind
            ):
                continue
            found = facts.table(scan.table, scan.schema)
            rows = outer.rows_planned if outer.actual is None else outer.rows
            if found is None or rows is None or found.partition_of:
                continue
            key = Comparison(mine[1], "=", None, mine[1], mine[0])
            condition_of = scan.conditions.get("Filter", "")
            rest = terms_of(found, scan.alias or scan.table, condition_of) if condition_of else Terms()
            equal = [term for term in rest.compared if term.equal]
            left = len(conjuncts(condition_of)) - len(equal) if condition_of else 0
            before = (step.cost_total or 0.0) - (outer.cost_total or 0.0)
            first = step.join in _FIRST_ONLY or (one_of_each and step.children[at].kind in _EACH)
            yield Candidate(
                scan, found, [key, *equal], times=max(1.0, rows), before=before, left=left, first_only=first
            )


def _scan_below(step: Step, *, one_of_each: bool) -> Step | None:
    while step.kind in (*_ASIDE, *(_EACH if one_of_each else ())) and len(step.children) == 1:
        step = step.children[0]
    return step if step.table else None


def _of_foreign_keys(tree: PlanTree, facts: SchemaFacts) -> Iterator[Candidate]:
    """Where deleting or changing rows took long since those that point to them had to be looked for.

    The check of a row that points elsewhere finds its target by the key there, which has an index always.
    """
    changed = next((one.table for one in tree.steps if one.kind.startswith(("Delete", "Update", "Merge"))), "")
    for trigger in tree.plan.triggers:
        for key in facts.foreign_keys:
            table = facts.table(key.table, key.schema)
            if key.name != trigger.constraint or key.references != (trigger.table or changed) or table is None:
                continue
            compared = [Comparison(one, "=", None, one) for one in key.columns]
            costs = facts.costs
            once = table.pages * costs.seq_page_cost + table.rows * (costs.cpu_tuple_cost + costs.cpu_operator_cost)
            yield Candidate(
                tree.steps[0], facts.whole(table) if table.partition_of else table, compared, times=max(1, trigger.calls),
                before=once * max(1, trigger.calls), ms=trigger.ms,
                why=f"{key.name} looks for rows that point to each one of {key.references} that goes",
            )  # fmt: skip
