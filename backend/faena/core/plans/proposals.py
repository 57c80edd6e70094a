"""Proposes an index where a plan would gain from one, says why its columns stand as they do, and refuses where not."""

import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

from faena.core.plans.covering import columns_needed
from faena.core.plans.indexcost import (
    DEFAULT_BETWEEN,
    UNEVEN_ORDER,
    IndexSize,
    Search,
    equal_share,
    index_size,
    range_share,
    search_cost,
)
from faena.core.plans.look import Look, count, look_at
from faena.core.plans.model import Plan, Step
from faena.core.plans.naming import identifier, literal
from faena.core.plans.predicates import Comparison, comparisons, links, sort_key
from faena.core.plans.schema import ColumnFacts, CostSettings, IndexFacts, SchemaFacts, TableFacts

WORTH = 0.5  # of the step's cost must go, or the index is not worth its upkeep
MIN_COST = 100.0  # a step that costs less is quick without any index
MIN_MS = 1.0  # and so is one that took less
PARTIAL_BELOW = 0.25  # a constant that so few rows have is worth an index of those alone
MAX_COLUMNS = 4
MAX_CARRIED = 4  # columns that an index carries along, and their bytes: beyond, it grows towards a second table
MAX_CARRIED_BYTES = 64
UNKNOWN_WIDTH = 16


@dataclass(frozen=True, slots=True, kw_only=True)
class IndexProposal:
    """`step` in pre-order. `why` explains each column in its place. Costs are the planner's units, estimated.

    `included` are carried along so that the table itself need not be read. `overlaps` names indexes that the new one would
    make dispensable, or that begin alike.
    """

    step: int
    table: str
    columns: Sequence[str]
    predicate: str
    ddl: str
    why: Sequence[tuple[str, str]]
    share: float
    rows: float
    cost_before: float
    cost_after: float
    size_bytes: int
    writes: int
    overlaps: Sequence[str]
    sentence: str
    included: Sequence[str] = ()

    @property
    def gain(self) -> float:
        return self.cost_before - self.cost_after


@dataclass(frozen=True, slots=True, kw_only=True)
class Refusal:
    """A step that was looked at, and why no index is proposed for it."""

    step: int
    table: str
    sentence: str


@dataclass(frozen=True, slots=True)
class _Candidate:
    """Columns for one table: what is compared, and what order is wanted behind it."""

    step: Step
    table: TableFacts
    compared: Sequence[Comparison]
    order: Sequence[str] = ()
    times: float = 1.0
    before: float = 0.0
    wanted: float | None = None  # rows after which the reader stops, where rows come in order


def propose(plan: Plan, facts: SchemaFacts) -> tuple[list[IndexProposal], list[Refusal]]:
    """The best proposal per table of the plan, largest gain first, and what was refused."""
    look = look_at(plan)
    best: dict[str, IndexProposal] = {}
    refused: dict[str, Refusal] = {}
    for candidate in _candidates(look, facts):
        found = _judged(look, candidate, facts.costs)
        name = candidate.table.full_name
        if isinstance(found, Refusal):
            refused.setdefault(name, found)
        elif name not in best or found.gain > best[name].gain:
            best[name] = found
    proposals = sorted(best.values(), key=lambda one: -one.gain)
    return proposals, [one for name, one in refused.items() if name not in best]


def _candidates(look: Look, facts: SchemaFacts) -> Iterator[_Candidate]:
    for step in look.steps:
        table = facts.table(step.table, step.schema) if step.table else None
        if table is not None and ("Seq Scan" in step.kind or step.kind in ("Index Scan", "Bitmap Heap Scan")):
            yield from _of_scan(look, step, table)
        if step.kind in ("Nested Loop", "Hash Join") and len(step.children) >= 2:
            yield from _of_join(step, facts)


def _of_scan(look: Look, step: Step, table: TableFacts) -> Iterator[_Candidate]:
    conditions = " AND ".join(
        f"({step.conditions[name]})" for name in ("Index Cond", "Recheck Cond", "Filter") if name in step.conditions
    )
    compared = comparisons(conditions) if conditions else []
    if step.kind != "Seq Scan" and "Filter" not in step.conditions and not step.kind.startswith("Parallel"):
        compared = []
    before = step.cost_total or 0.0
    if compared:
        yield _Candidate(step, table, compared, before=before)
    order, wanted = _wanted_order(look, step)
    equal = [one for one in compared if one.equal]
    if order and (compared or wanted is not None):
        above = _sort_above(look, step)
        yield _Candidate(step, table, equal, order, before=(above or step).cost_total or before, wanted=wanted)


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


def _of_join(step: Step, facts: SchemaFacts) -> Iterator[_Candidate]:
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
            yield _Candidate(
                scan, table, [key, *[one for one in rest if one.equal]], times=max(1.0, rows), before=before
            )


def _scan_below(step: Step) -> Step | None:
    while step.kind in ("Hash", "Materialize", "Memoize", "Gather", "Sort") and len(step.children) == 1:
        step = step.children[0]
    return step if step.table else None


def _judged(look: Look, c: _Candidate, costs: CostSettings) -> IndexProposal | Refusal:
    at, table = look.index(c.step), c.table
    own = look.own(c.step)
    if c.before < MIN_COST or (own is not None and own < MIN_MS):
        took = f"at a cost of {_cost(c.before)}" if own is None else f"in {own:.2g} ms"
        return Refusal(
            step=at, table=table.full_name,
            sentence=f"{table.full_name} is read {took}: too little for an index to pay.",
        )  # fmt: skip
    partial, compared = _partial(c)
    columns, why, used = _ordered(c, compared)
    if not columns:
        return Refusal(
            step=at, table=table.full_name,
            sentence=f"No condition on {table.full_name} compares a column with a value, so no plain index serves it.",
        )  # fmt: skip
    served = _served_by(c, columns, partial)
    if served is not None:
        return Refusal(
            step=at, table=table.full_name,
            sentence=f"{served.name} on {table.full_name} begins with {', '.join(columns)} already; that the plan does not use "
            "it has another reason: its statistics, the types compared, or that too many rows qualify.",
        )  # fmt: skip
    part = _share_of(table, partial)
    share = _share(table, used) * part
    rest = max(0, len(c.compared) - len(used))
    search = Search(share=share, conditions=len(used), left=rest, times=c.times)
    carried = _carried(look, c, columns, partial)
    # An index that has all the plan needs spares the table, whether or not it must carry something for that.
    size, after = _priced(c, columns, (), replace(search, hidden=_hidden(c.table) if carried == () else 1), part, costs)
    if carried:
        wider, covered = _priced(c, columns, carried, replace(search, hidden=_hidden(c.table)), part, costs)
        if covered <= WORTH * after and after - covered >= MIN_COST:
            size, after = wider, covered
            why += [(one.name, "carried along, so that the table itself need not be read") for one in carried]
        else:
            carried = ()
    if after > WORTH * c.before:
        return Refusal(
            step=at, table=table.full_name,
            sentence=f"An index on {table.full_name} ({', '.join(columns)}) would find {share:.1%} of the rows, and reading them "
            f"that way would cost {_cost(after)} instead of {_cost(c.before)}: not worth its upkeep.",
        )  # fmt: skip
    index = _Index(columns, [one.name for one in carried or ()], partial, why, size)
    return _proposal(at, c, index, share, max(1.0, share * table.rows), after, costs)


@dataclass(frozen=True, slots=True)
class _Index:
    """One that was found worth its upkeep."""

    columns: Sequence[str]
    included: Sequence[str]
    predicate: str
    why: Sequence[tuple[str, str]]
    size: IndexSize


def _priced(
    c: _Candidate,
    columns: Sequence[str],
    carried: Sequence[ColumnFacts],
    search: Search,
    part: float,
    costs: CostSettings,
) -> tuple[IndexSize, float]:
    """Size of an index, and the cost of the candidate's work with it."""
    table = c.table
    bytes_more = sum(max(1, one.width) for one in carried)
    size = index_size(table, [_column(table, name) for name in columns], part, costs, carried=bytes_more)
    correlation = _column(table, columns[0]).correlation * (UNEVEN_ORDER if len(columns) > 1 else 1)
    ordered = bool(c.order) and c.order[0] in columns
    each = search_cost(table, size, search, correlation, costs, ordered=ordered)
    rows = max(1.0, search.share * table.rows)
    if ordered and c.wanted is not None and c.wanted < rows:
        each *= c.wanted / rows
    return size, each * c.times


def _hidden(table: TableFacts) -> float:
    """Share of the table's pages that an index alone cannot answer for."""
    return 1 - min(1.0, table.visible_pages / max(1.0, table.pages))


def _carried(look: Look, c: _Candidate, columns: Sequence[str], partial: str) -> Sequence[ColumnFacts] | None:
    """What else the plan needs of the table; None where it does not tell, or that is much."""
    needed = columns_needed(look.steps[0], c.step, c.table.columns, partial.partition(" = ")[0])
    if needed is None:
        return None
    rest = sorted(needed - {_bare(c.table, name) for name in columns})
    found = [c.table.columns[name] for name in rest]
    little = len(found) <= MAX_CARRIED and sum(max(1, one.width) for one in found) <= MAX_CARRIED_BYTES
    return tuple(found) if little else None


def _proposal(
    at: int, c: _Candidate, index: _Index, share: float, rows: float, after: float, costs: CostSettings
) -> IndexProposal:
    table = c.table
    where = f" WHERE {index.predicate}" if index.predicate else ""
    with_ = f" INCLUDE ({', '.join(map(identifier, index.included))})" if index.included else ""
    columns, written = tuple(index.columns), tuple(_written(table, one) for one in index.columns)
    form = f"{table.sql_name} ({', '.join(written)}){with_}{where}"
    made = _as_facts(table, columns)
    overlaps = [
        f"{one.name} {one.written} begins it and could go then"
        for one in table.indexes
        if not (one.unique or one.constraint or one.predicate or one.included) and made.begins_like(one)
    ]
    writes = table.inserted + table.updated - table.updated_in_place
    more = f", {count(c.times)} times" if c.times > 1 else ""
    return IndexProposal(
        step=at,
        table=table.full_name,
        columns=columns,
        included=tuple(index.included),
        predicate=index.predicate,
        ddl=f"CREATE INDEX CONCURRENTLY ON {form};",
        why=index.why,
        share=share,
        rows=rows,
        cost_before=c.before,
        cost_after=after,
        size_bytes=index.size.bytes(costs.block_size),
        writes=writes,
        overlaps=overlaps,
        sentence=f"An index on {form} would find {count(rows)} of {count(table.rows)} "
        f"rows{more}: estimated cost {_cost(after)} instead of {_cost(c.before)}.",
    )


def _rows_of(rows: float) -> str:
    return "one row" if rows < 1.5 else f"{rows:.3g} rows" if rows < 1000 else f"{count(rows)} rows"


def _cost(value: float) -> str:
    return count(value) if value >= 100 else f"{value:.3g}"


def _partial(c: _Candidate) -> tuple[str, Sequence[Comparison]]:
    """A constant that few rows have, as the condition of a partial index, if something else is left to search by."""
    for one in c.compared:
        if one.operator != "=" or one.value is None or one.expression or len(c.compared) + len(c.order) < 2:
            continue
        facts = c.table.columns.get(one.of)
        few = facts is not None and one.value in facts.common and facts.common[one.value] <= PARTIAL_BELOW
        if few and facts is not None and facts.distinct > 0 and facts.distinct <= 20:
            value = one.value if facts.type in ("integer", "bigint", "smallint") else literal(one.value)
            return f"{identifier(one.of)} = {value}", [other for other in c.compared if other is not one]
    return "", c.compared


def _ordered(
    c: _Candidate, compared: Sequence[Comparison]
) -> tuple[list[str], list[tuple[str, str]], list[Comparison]]:
    """Equality first, the most telling of them foremost; then the order wanted, or else one range."""
    rows = c.table.rows
    equal = {one.column: one for one in compared if one.equal}
    ranges = {one.column: one for one in compared if not one.equal and one.column not in equal}
    firsts = sorted(equal.values(), key=lambda one: _one_share(c.table, one))
    columns, why, used = list[str](), list[tuple[str, str]](), list[Comparison]()
    for one in firsts[:MAX_COLUMNS]:
        columns.append(one.column)
        used.append(one)
        share = _one_share(c.table, one)
        why.append((one.column, f"compared for equality, {_rows_of(share * rows)} of one value"))
    if c.order:
        for key in c.order:
            if _bare(c.table, key) not in columns and len(columns) < MAX_COLUMNS:
                columns.append(key)
                why.append((key, "gives the order that is asked for, so that nothing is sorted"))
    elif ranges and len(columns) < MAX_COLUMNS:
        name = min(ranges, key=lambda key: _one_share(c.table, ranges[key]))
        columns.append(name)
        used += [one for one in compared if one.column == name]
        why.append((name, "compared by range, so behind what is compared for equality"))
    return columns, why, used


def _one_share(table: TableFacts, one: Comparison) -> float:
    facts = _column(table, one.of)
    if one.expression:
        facts = replace(facts, common={}, bounds=())
    if one.operator == "IS NULL":
        return facts.null_share
    if one.operator == "= ANY":
        return min(1.0, 5 * equal_share(facts, table.rows, None))
    if one.equal:
        return equal_share(facts, table.rows, one.value)
    return range_share(facts, one.operator, one.value)


def _share(table: TableFacts, used: Sequence[Comparison]) -> float:
    """Of all conditions together, as the planner does: independent, but for a range closed on both sides."""
    share = 1.0
    by_column: dict[str, list[Comparison]] = {}
    for one in used:
        by_column.setdefault(one.column, []).append(one)
    for several in by_column.values():
        parts = [_one_share(table, one) for one in several]
        if len(parts) == 2 and not any(one.equal for one in several):
            both = parts[0] + parts[1] - 1
            share *= both if both > 0 else DEFAULT_BETWEEN
        else:
            share *= min(parts)
    return min(1.0, max(share, 1e-9))


def _share_of(table: TableFacts, partial: str) -> float:
    if not partial:
        return 1.0
    (one,) = comparisons(partial)
    return _one_share(table, one)


def _column(table: TableFacts, name: str) -> ColumnFacts:
    """Of a column, or of the column in an expression; one that is not known has many values."""
    call = _CALL.fullmatch(name)
    inside = call["column"] if call and name not in table.columns else _bare(table, name)
    return table.columns.get(inside) or ColumnFacts(name=inside, type="", width=UNKNOWN_WIDTH)


_CALL = re.compile(r"(?P<function>[a-z_]\w*)\((?P<column>.+)\)")


def _bare(table: TableFacts, key: str) -> str:
    """The column of a key, which may say behind it in which order its values come."""
    if key in table.columns:
        return key
    return max((name for name in table.columns if key.startswith(f"{name} ")), key=len, default=key.split(" ")[0])


def _written(table: TableFacts, key: str) -> str:
    """A key as CREATE INDEX wants it, and as the server writes it of an index that is there."""
    call = _CALL.fullmatch(key)
    if call and key not in table.columns:
        return f"{call['function']}({identifier(call['column'])})"
    name = _bare(table, key)
    return identifier(name) + key[len(name) :]


def _as_facts(table: TableFacts, columns: Sequence[str]) -> IndexFacts:
    """An index that is not there, as one that is."""
    written = [_written(table, one) for one in columns]
    return IndexFacts(
        name="",
        columns=tuple(one.removesuffix(" DESC") for one in written),
        descending=tuple(one.endswith(" DESC") for one in written),
    )


def _served_by(c: _Candidate, columns: Sequence[str], partial: str) -> IndexFacts | None:
    """An index that does already what one on these columns would.

    Which way a column runs matters only for an order, and for equality its operators may be those of patterns.
    """
    wanted, width = _as_facts(c.table, columns), len(columns)
    equal = {one.column for one in c.compared if one.equal}
    for one in c.table.indexes:
        if not one.valid or one.method != "btree" or one.columns[:width] != wanted.columns:
            continue
        if one.predicate and comparisons(one.predicate) != comparisons(partial):
            continue
        turned = {a != b for name, a, b in zip(columns, one.ways, wanted.ways, strict=False) if name in c.order}
        plain = all(
            not trait or (name in equal and trait.endswith("_pattern_ops"))
            for name, trait in zip(columns, one.all_traits, strict=False)
        )
        if plain and len(turned) <= 1:
            return one
    return None
