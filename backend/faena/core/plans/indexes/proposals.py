"""Proposes an index where a plan would gain from one, says why its columns stand as they do, and refuses where not."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

from faena.core.plans.indexes.candidates import Candidate, candidates
from faena.core.plans.indexes.cost import (
    UNEVEN_ORDER,
    IndexSize,
    Search,
    index_size,
    search_cost,
)
from faena.core.plans.indexes.covering import columns_needed
from faena.core.plans.indexes.keys import as_facts, ordered_keys, partial_condition, served_by, written_key
from faena.core.plans.indexes.selectivity import bare_name, column_of, share_of_all, share_of_condition
from faena.core.plans.look import Look, count, look_at
from faena.core.plans.model import Plan
from faena.core.plans.naming import identifier
from faena.core.plans.schema import ColumnFacts, CostSettings, SchemaFacts, TableFacts

WORTH = 0.5  # of the step's cost must go, or the index is not worth its upkeep
MIN_COST = 100.0  # a step that costs less is quick without any index
MIN_MS = 1.0  # and so is one that took less
MAX_CARRIED = 4  # columns that an index carries along, and their bytes: beyond, it grows towards a second table
MAX_CARRIED_BYTES = 64


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


def propose(plan: Plan, facts: SchemaFacts) -> tuple[list[IndexProposal], list[Refusal]]:
    """The best proposal per table of the plan, largest gain first, and what was refused."""
    look = look_at(plan)
    best: dict[str, IndexProposal] = {}
    refused: dict[str, Refusal] = {}
    for candidate in candidates(look, facts):
        found = _judged(look, candidate, facts.costs)
        name = candidate.table.full_name
        if isinstance(found, Refusal):
            refused.setdefault(name, found)
        elif name not in best or found.gain > best[name].gain:
            best[name] = found
    proposals = sorted(best.values(), key=lambda one: -one.gain)
    return proposals, [one for name, one in refused.items() if name not in best]


def _judged(look: Look, c: Candidate, costs: CostSettings) -> IndexProposal | Refusal:
    at, table = look.index(c.step), c.table
    own = look.own(c.step)
    if c.before < MIN_COST or (own is not None and own < MIN_MS):
        took = f"at a cost of {_cost(c.before)}" if own is None else f"in {own:.2g} ms"
        return Refusal(
            step=at, table=table.full_name,
            sentence=f"{table.full_name} is read {took}: too little for an index to pay.",
        )  # fmt: skip
    partial, compared = partial_condition(c)
    columns, why, used = ordered_keys(c, compared)
    if not columns:
        return Refusal(
            step=at, table=table.full_name,
            sentence=f"No condition on {table.full_name} compares a column with a value, so no plain index serves it.",
        )  # fmt: skip
    served = served_by(c, columns, partial)
    if served is not None:
        return Refusal(
            step=at, table=table.full_name,
            sentence=f"{served.name} on {table.full_name} begins with {', '.join(columns)} already; that the plan does not use "
            "it has another reason: its statistics, the types compared, or that too many rows qualify.",
        )  # fmt: skip
    part = share_of_condition(table, partial)
    share = share_of_all(table, used) * part
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
    c: Candidate,
    columns: Sequence[str],
    carried: Sequence[ColumnFacts],
    search: Search,
    part: float,
    costs: CostSettings,
) -> tuple[IndexSize, float]:
    """Size of an index, and the cost of the candidate's work with it."""
    table = c.table
    bytes_more = sum(max(1, one.width) for one in carried)
    size = index_size(table, [column_of(table, name) for name in columns], part, costs, carried=bytes_more)
    correlation = column_of(table, columns[0]).correlation * (UNEVEN_ORDER if len(columns) > 1 else 1)
    ordered = bool(c.order) and c.order[0] in columns
    each = search_cost(table, size, search, correlation, costs, ordered=ordered)
    rows = max(1.0, search.share * table.rows)
    if ordered and c.wanted is not None and c.wanted < rows:
        each *= c.wanted / rows
    return size, each * c.times


def _hidden(table: TableFacts) -> float:
    """Share of the table's pages that an index alone cannot answer for."""
    return 1 - min(1.0, table.visible_pages / max(1.0, table.pages))


def _carried(look: Look, c: Candidate, columns: Sequence[str], partial: str) -> Sequence[ColumnFacts] | None:
    """What else the plan needs of the table; None where it does not tell, or that is much."""
    needed = columns_needed(look.steps[0], c.step, c.table.columns, partial.partition(" = ")[0])
    if needed is None:
        return None
    rest = sorted(needed - {bare_name(c.table, name) for name in columns})
    found = [c.table.columns[name] for name in rest]
    little = len(found) <= MAX_CARRIED and sum(max(1, one.width) for one in found) <= MAX_CARRIED_BYTES
    return tuple(found) if little else None


def _proposal(
    at: int, c: Candidate, index: _Index, share: float, rows: float, after: float, costs: CostSettings
) -> IndexProposal:
    table = c.table
    where = f" WHERE {index.predicate}" if index.predicate else ""
    with_ = f" INCLUDE ({', '.join(map(identifier, index.included))})" if index.included else ""
    columns, written = tuple(index.columns), tuple(written_key(table, one) for one in index.columns)
    form = f"{table.sql_name} ({', '.join(written)}){with_}{where}"
    made = as_facts(table, columns)
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


def _cost(value: float) -> str:
    return count(value) if value >= 100 else f"{value:.3g}"
