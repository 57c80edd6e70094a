"""For which tables of a plan an index could help, by which columns."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from faena.core.plans.look import Look
from faena.core.plans.model import Step
from faena.core.plans.predicates import Comparison, comparisons, links, sort_key
from faena.core.plans.schema import SchemaFacts, TableFacts


@dataclass(frozen=True, slots=True)
class Candidate:
    """Columns for one table: what is compared, and what order is wanted behind it."""

    step: Step
    table: TableFacts
    compared: Sequence[Comparison]
    order: Sequence[str] = ()
    times: float = 1.0
    before: float = 0.0
    wanted: float | None = None  # rows after which the reader stops, where rows come in order


def candidates(look: Look, facts: SchemaFacts) -> Iterator[Candidate]:
    for step in look.steps:
        table = facts.table(step.table, step.schema) if step.table else None
        if table is not None and ("Seq Scan" in step.kind or step.kind in ("Index Scan", "Bitmap Heap Scan")):
            yield from _of_scan(look, step, table)
        if step.kind in ("Nested Loop", "Hash Join") and len(step.children) >= 2:
            yield from _of_join(step, facts)


def _of_scan(look: Look, step: Step, table: TableFacts) -> Iterator[Candidate]:
    conditions = " AND ".join(
        f"({step.conditions[name]})" for name in ("Index Cond", "Recheck Cond", "Filter") if name in step.conditions
    )
    compared = comparisons(conditions) if conditions else []
    if step.kind != "Seq Scan" and "Filter" not in step.conditions and not step.kind.startswith("Parallel"):
        compared = []
    before = step.cost_total or 0.0
    if compared:
        yield Candidate(step, table, compared, before=before)
    order, wanted = _wanted_order(look, step)
    equal = [one for one in compared if one.equal]
    if order and (compared or wanted is not None):
        above = _sort_above(look, step)
        yield Candidate(step, table, equal, order, before=(above or step).cost_total or before, wanted=wanted)


def _sort_above(look: Look, step: Step) -> Step | None:
    above = look.parent(step)
    while above is not None and above.kind in ("Gather", "Gather Merge"):
        above = look.parent(above)
    return above if above is not None and above.kind == "Sort" else None


def _wanted_order(look: Look, step: Step) -> tuple[Sequence[str], float | None]:
    """Columns that a sort right above puts this step's rows in order of, and after how many rows a limit stops."""
    above = _sort_above(look, step)
    if above is None:
        return (), None
    told = [sort_key(key) for key in above.keys.get("Sort Key", ())]
    keys = ["".join(one) for one in told if one is not None]
    limit = look.parent(above)
    while limit is not None and limit.kind in ("Gather", "Gather Merge"):
        limit = look.parent(limit)
    wanted = limit.rows_planned if limit is not None and limit.kind == "Limit" else None
    if not keys or None in told:
        return (), wanted
    return keys, wanted


def _of_join(step: Step, facts: SchemaFacts) -> Iterator[Candidate]:
    """The larger side searched by the key of each row of the smaller one."""
    condition = step.conditions.get("Hash Cond") or step.conditions.get("Join Filter") or ""
    sides = [_scan_below(child) for child in step.children[:2]]
    for one, other in links(condition):
        for mine, at in ((one, 0), (other, 1), (one, 1), (other, 0)):
            scan, outer = sides[at], step.children[1 - at]
            if scan is None or mine[0] != (scan.alias or scan.table) or "Seq Scan" not in scan.kind:
                continue
            table = facts.table(scan.table, scan.schema)
            rows = outer.rows_planned if outer.actual is None else outer.rows
            if table is None or rows is None:
                continue
            key = Comparison(mine[1], "=", None, mine[1], mine[0])
            rest = comparisons(scan.conditions["Filter"]) if "Filter" in scan.conditions else []
            before = (step.cost_total or 0.0) - (outer.cost_total or 0.0)
            yield Candidate(
                scan, table, [key, *[one for one in rest if one.equal]], times=max(1.0, rows), before=before
            )


def _scan_below(step: Step) -> Step | None:
    while step.kind in ("Hash", "Materialize", "Memoize", "Gather", "Sort") and len(step.children) == 1:
        step = step.children[0]
    return step if step.table else None
