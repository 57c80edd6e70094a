"""What a plan alone tells of the tables it reads: how many rows and pages they have, roughly, and which columns.

For a plan that was brought from elsewhere, without a server to ask. Costs are taken to be in the planner's own units of
its defaults, since a plan does not tell others.
"""

import re
from collections.abc import Iterator, Mapping

from faena.core.engines.postgres.naming import bare
from faena.core.engines.postgres.plans.predicates import conjuncts, links
from faena.core.plans.model import Plan, Step, walk
from faena.core.plans.schema import ColumnFacts, CostSettings, SchemaFacts, TableFacts
from faena.core.units import EpochMs

_NAMES = re.compile(r'(?:("(?:[^"]|"")+"|[a-z_][\w$]*)\.)?("(?:[^"]|"")+"|[a-z_][\w$]*)(?![\w$"(.])')
_LITERAL = re.compile(r"'(?:[^']|'')*'(?:::[\w\" \[\]]+)?|::[\w\" ]+")
_WORDS = frozenset(
    (
        "and",
        "or",
        "not",
        "is",
        "null",
        "any",
        "all",
        "true",
        "false",
        "collate",
        "from",
        "desc",
        "asc",
        "nulls",
        "first",
        "last",
    )
)
_APPENDS = ("Append", "Merge Append", "Parallel Append")
_NUMBERED = re.compile(r"(.+)_\d+")  # as servers call each partition of a table in a plan
ROW_OVERHEAD = 28  # header of a row and its pointer
PAGE = 8192
_JOINED = ("Hash Cond", "Merge Cond", "Join Filter")


def facts_of(plan: Plan) -> SchemaFacts:
    """Facts to judge indexes by; none of them are statistics."""
    costs = CostSettings()
    known: dict[tuple[str, str], TableFacts] = {}
    beside = {id(one) for _, step in walk(plan.root) if step.kind in _APPENDS for one in step.children}
    for _, step in walk(plan.root):
        if not step.table or "Seq Scan" not in step.kind:
            continue
        whole = _NUMBERED.fullmatch(step.alias) if id(step) in beside else None
        if whole is not None and not step.table.startswith(f"{whole[1]}_"):
            continue  # a partition of a table that goes by an alias here: its name stands nowhere
        rows, pages = _size(step, costs)
        there = known.get((step.schema, step.table))
        if there is None or rows > there.rows:
            columns = {**(there.columns if there else {}), **_columns(plan, step, rows)}
            known[step.schema, step.table] = TableFacts(
                schema=step.schema or "public", name=step.table, rows=rows, pages=pages, size_bytes=round(pages * PAGE),
                columns=columns, partition_of=whole[1] if whole is not None else "",
            )  # fmt: skip
    return SchemaFacts(at=EpochMs(0), database="", tables=list(known.values()), costs=costs, told_by_plan=True)


def _size(step: Step, costs: CostSettings) -> tuple[float, float]:
    """Rows and pages: the rows that were read where it was run, else what its cost and the width of a row allow."""
    cost = max(0.0, (step.cost_total or 0.0) - (step.cost_start or 0.0))
    tests = len(conjuncts(step.conditions["Filter"])) if "Filter" in step.conditions else 0
    each = costs.cpu_tuple_cost + tests * costs.cpu_operator_cost
    if step.actual is not None and step.actual.loops:
        processes = step.actual.loops if step.kind.startswith("Parallel") else 1.0
        rows = (step.actual.rows + step.removed_filter) * processes
        return max(1.0, rows), max(1.0, cost - rows / processes * each)
    wide = ((step.width or 64) + ROW_OVERHEAD) / PAGE
    rows = cost / (wide * costs.seq_page_cost + each)
    return max(1.0, rows), max(1.0, rows * wide)


def _columns(plan: Plan, scan: Step, rows: float) -> Mapping[str, ColumnFacts]:
    """Those that the plan names, of no type; of what joins, how many rows each value has."""
    found = {name: ColumnFacts(name=name, type="", width=8) for name in _named(plan, scan)}
    for _, step in walk(plan.root):
        if len(step.children) < 2:
            continue
        for condition in (step.conditions[name] for name in _JOINED if name in step.conditions):
            for pair in links(condition):
                for alias, column in pair:
                    if alias == (scan.alias or scan.table) and column in found:
                        found[column] = ColumnFacts(
                            name=column, type="", width=8, distinct=_different(step, scan, rows)
                        )
    return found


def _different(join: Step, scan: Step, rows: float) -> float:
    """Values of a join's column, as the rows of the join tell: each row of the other side found so many."""
    others = [one for one in join.children[:2] if scan not in [step for _, step in walk(one)]]
    outer = (others[0].rows if others and others[0].actual is not None else others[0].rows_planned) if others else None
    joined = join.rows if join.actual is not None else join.rows_planned
    if not outer or not joined:
        return -1.0
    return max(1.0, rows / max(1.0, joined / outer))


def _named(plan: Plan, scan: Step) -> Iterator[str]:
    alias = scan.alias or scan.table
    for _, step in walk(plan.root):
        for text in (*step.conditions.values(), *(key for keys in step.keys.values() for key in keys)):
            for owner, name in _NAMES.findall(_LITERAL.sub("", text)):
                if name.lower() not in _WORDS and (
                    bare(owner) == alias if owner else step is scan or not _others(plan)
                ):
                    yield bare(name)


def _others(plan: Plan) -> bool:
    """Whether more than one table is read, so that names without an owner are somebody's."""
    return sum(1 for _, step in walk(plan.root) if step.table and "Bitmap Index" not in step.kind) > 1
