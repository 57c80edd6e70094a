"""Proposes an index where a plan would gain from one, says why its columns stand as they do, and refuses where not."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from math import prod

from faena.core.engines.postgres.indexes.candidates import Candidate, candidates
from faena.core.engines.postgres.indexes.cost import (
    UNEVEN_ORDER,
    IndexSize,
    Search,
    index_size,
    inverted_cost,
    search_cost,
)
from faena.core.engines.postgres.indexes.covering import columns_needed
from faena.core.engines.postgres.indexes.keys import as_facts, ordered_keys, partial_condition, served_by, written_key
from faena.core.engines.postgres.indexes.selectivity import bare_name, column_of, share_of_all
from faena.core.engines.postgres.naming import identifier, table_name
from faena.core.engines.postgres.plans.predicates import Comparison
from faena.core.numbers import count
from faena.core.plans.model import Plan
from faena.core.plans.proposal import IndexProposal, Refusal
from faena.core.plans.schema import ColumnFacts, CostSettings, SchemaFacts, TableFacts
from faena.core.plans.tree import PlanTree, tree_of

WORTH = 0.5  # of the step's cost must go, or the index is not worth its upkeep
MIN_COST = 100.0  # a step that costs less is quick without any index
MIN_MS = 1.0  # and so is one that took less
INVERTED_SIZE = 0.5  # of an index of parts, as a share of its column: a guess, since that hangs on how parts repeat
BY_THE_PLAN = (
    "Told by the plan alone, by its own rows and costs; with the server's statistics it could be judged better."
)
MAX_CARRIED = 4  # columns that an index carries along, and their bytes: beyond, it grows towards a second table
MAX_CARRIED_BYTES = 64


def propose(plan: Plan, facts: SchemaFacts) -> tuple[list[IndexProposal], list[Refusal]]:
    """The best proposal per table of the plan, largest gain first, and what was refused."""
    tree = tree_of(plan)
    best: dict[str, IndexProposal] = {}
    refused: dict[str, Refusal] = {}
    for candidate in candidates(tree, facts):
        judge = _judged_or if candidate.either else _judged_inverted if candidate.inverted else _judged
        found = judge(tree, candidate, facts.costs)
        name = candidate.table.full_name
        if isinstance(found, Refusal):
            refused.setdefault(name, found)
        elif name not in best or found.gain > best[name].gain:
            best[name] = found
    proposals = sorted(best.values(), key=lambda one: -one.gain)
    if facts.told_by_plan:
        proposals = [
            replace(one, sentence=f"{one.sentence} {BY_THE_PLAN}", writes=None, writes_at_most=None)
            for one in proposals
        ]
    return proposals, [one for name, one in refused.items() if name not in best]


def _too_little(tree: PlanTree, c: Candidate) -> Refusal | None:
    own = c.ms if c.ms is not None else tree.own(c.step)
    if c.before >= MIN_COST and (own is None or own >= MIN_MS):
        return None
    took = f"at a cost of {_cost(c.before)}" if own is None or c.before < MIN_COST else f"in {own:.2g} ms"
    return _refusal(tree, c, f"{c.table.full_name} is read {took}: too little for an index to pay.")


def _refusal(tree: PlanTree, c: Candidate, sentence: str) -> Refusal:
    return Refusal(step=tree.index(c.step), table=c.table.full_name, sentence=sentence)


def _judged(tree: PlanTree, c: Candidate, costs: CostSettings) -> IndexProposal | Refusal:
    if little := _too_little(tree, c):
        return little
    table = c.table
    partial, part, compared = partial_condition(c, tree.plan.statement)
    columns, why, used = ordered_keys(c, compared, partial)
    if not columns:
        return _refusal(
            tree, c, f"No condition on {table.full_name} compares a column with a value, so no plain index helps."
        )
    served = served_by(c, columns, partial)
    if served is not None:
        return _refusal(
            tree, c, f"{served.name} on {table.full_name} begins with {', '.join(columns)} already; that the plan does "
            "not use it has another reason: its statistics, the types compared, or that too many rows qualify.",
        )  # fmt: skip
    left = (
        c.left
        + len({one.column for one in compared} - {one.column for one in used})
        + len(c.flags)
        - (1 if c.flags and partial else 0)
    )
    share = _share(c, used, part, left)
    looked = min(share, 1 / max(1.0, table.rows)) if c.first_only else share
    values = prod(one.values for one in used)
    search = Search(share=looked, conditions=len(used), left=left, times=c.times, values=values)
    carried = _carried(tree, c, columns, partial)
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
        return _not_worth(tree, c, ", ".join(columns), share, after)
    index = _Index(columns, [one.name for one in carried or ()], partial, why, size)
    return _proposal(tree.index(c.step), c, index, share, max(1.0, share * table.rows), after, costs)


def _not_worth(tree: PlanTree, c: Candidate, columns: str, share: float, after: float) -> Refusal:
    return _refusal(
        tree, c, f"An index on {c.table.full_name} ({columns}) would find {share:.1%} of the rows, and reading them that way "
        f"would cost {_cost(after)} instead of {_cost(c.before)}: not worth its upkeep.",
    )  # fmt: skip


def _share(c: Candidate, used: Sequence[Comparison], part: float, left: int) -> float:
    """Of the rows, those that the index finds: by the plan's own rows where it finds just those, else by statistics.

    The planner knows nothing of the values of an expression before there is an index on it, so there what was found
    counts, and of all else what it expects, since it is who chooses.
    """
    rows = max(1.0, c.table.rows / c.table.parts)
    told = c.found if any(one.expression for one in used) else c.matching
    if any(one.prefix for one in used):
        told = None  # the index is searched between two values, of which the planner expects less than of the pattern
    if told is not None and left == 0 and c.times == 1 and not c.order:
        return min(1.0, max(told, 0.5) / rows)
    least = 0.0 if told is None or c.times > 1 else c.matching / rows if c.matching is not None else 0.0
    return min(1.0, max(share_of_all(c.table, used) * part, least, 1e-9))


def _judged_or(tree: PlanTree, c: Candidate, costs: CostSettings) -> IndexProposal | Refusal:
    """For each part of an OR an index of its own, which the server puts together as bitmaps."""
    if little := _too_little(tree, c):
        return little
    after, missing, why = 0.0, list[tuple[list[str], IndexSize]](), list[tuple[str, str]]()
    share = 0.0
    for compared in c.either:
        part = replace(c, compared=compared, either=(), flags=(), order=())
        columns, words, used = ordered_keys(part, compared)
        found = max(share_of_all(c.table, used), 1e-9)
        search = Search(share=found, conditions=len(used), left=c.left + len(compared) - len(used), times=c.times)
        size, cost = _priced(part, columns, (), search, 1.0, costs)
        after, share = after + cost, share + found
        if served_by(part, columns, "") is None and columns not in [one for one, _ in missing]:
            missing.append((columns, size))
            why += [(name, f"{word}, as one part of the OR") for name, word in words]
    names = " and ".join(f"({', '.join(columns)})" for columns, _ in missing)
    if not missing:
        return _refusal(
            tree,
            c,
            f"Each part of the OR on {c.table.full_name} has its index already; that the plan uses none has another reason.",
        )
    if after > WORTH * c.before:
        return _not_worth(tree, c, names, min(1.0, share), after)
    (first, size), *others = missing
    pages = sum(one.pages for _, one in missing)
    index = _Index(first, (), "", why, replace(size, pages=pages), others=tuple(tuple(one) for one, _ in others))
    return _proposal(tree.index(c.step), c, index, min(1.0, share), max(1.0, share * c.table.rows), after, costs)


def _judged_inverted(tree: PlanTree, c: Candidate, costs: CostSettings) -> IndexProposal | Refusal:
    """An index of the parts that a value is made of."""
    assert c.inverted is not None
    if little := _too_little(tree, c):
        return little
    one, table = c.inverted, c.table
    there = next(
        (index for index in table.indexes if index.method == "gin" and identifier(one.column) in index.columns), None
    )
    if there is not None:
        return _refusal(
            tree,
            c,
            f"{there.name} on {table.full_name} is there already; that the plan does not use it has another reason.",
        )
    share = _share(c, (), 1.0, c.left) if c.left == 0 else min(1.0, (c.matching or 1.0) / max(1.0, table.rows))
    size = IndexSize(
        pages=max(2.0, INVERTED_SIZE * table.rows * max(8, column_of(table, one.column).width) / costs.block_size),
        height=2,
    )
    found = max(1.0, share * table.rows / table.parts)
    after = (
        c.searches * c.times * inverted_cost(one.parts, found, max(1.0, table.pages / table.parts), 1 + c.left, costs)
    )
    if after > WORTH * c.before:
        return _not_worth(tree, c, f"{one.column}, GIN", share, after)
    why = [(one.column, f"{one.condition} looks for parts of a value, which an index in order does not find")]
    index = _Index(
        [one.column], (), "", why, size, method="gin", operator_class=one.operator_class, extension=one.extension
    )
    return _proposal(tree.index(c.step), c, index, share, found, after, costs)


@dataclass(frozen=True, slots=True)
class _Index:
    """One that was found worth its upkeep."""

    columns: Sequence[str]
    included: Sequence[str]
    predicate: str
    why: Sequence[tuple[str, str]]
    size: IndexSize
    method: str = "btree"
    operator_class: str = ""
    extension: str = ""
    others: tuple[tuple[str, ...], ...] = ()  # further indexes, which serve only together with this one


def _priced(
    c: Candidate,
    columns: Sequence[str],
    carried: Sequence[ColumnFacts],
    search: Search,
    part: float,
    costs: CostSettings,
) -> tuple[IndexSize, float]:
    """Size of an index, and the cost of the candidate's work with it."""
    table, parts = c.table, c.table.parts
    bytes_more = sum(max(1, one.width) for one in carried)
    size = index_size(table, [column_of(table, name) for name in columns], part, costs, carried=bytes_more)
    correlation = column_of(table, columns[0]).correlation * (UNEVEN_ORDER if len(columns) > 1 else 1)
    ordered = bool(c.order) and bare_name(table, c.order[0]) in [bare_name(table, name) for name in columns]
    # Of partitions each has an index of its own, and each that the plan reads is searched.
    one = replace(table, rows=table.rows / parts, pages=table.pages / parts)
    each = search_cost(
        one, replace(size, pages=max(1.0, size.pages / parts)), search, correlation, costs, ordered=ordered
    )
    if ordered and c.wanted is not None:
        each *= min(1.0, c.wanted / max(1.0, c.matching or search.share * one.rows))
    return size, each * c.times * c.searches


def _hidden(table: TableFacts) -> float:
    """Share of the table's pages that an index alone cannot answer for."""
    return 1 - min(1.0, table.visible_pages / max(1.0, table.pages))


def _carried(tree: PlanTree, c: Candidate, columns: Sequence[str], partial: str) -> Sequence[ColumnFacts] | None:
    """What else the plan needs of the table; None where it does not tell, or that is much."""
    needed = columns_needed(tree.steps[0], c.step, c.table.columns, partial.partition(" = ")[0])
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
    if index.operator_class:
        written = tuple(f"{one} {index.operator_class}" for one in written)
    using = " USING gin" if index.method == "gin" else ""
    form = f"{table_name(table)}{using} ({', '.join(written)}){with_}{where}"
    others = [f"{table_name(table)} ({', '.join(written_key(table, key) for key in keys)})" for keys in index.others]
    made = as_facts(table, columns)
    overlaps = [
        f"{one.name} {one.written} begins it and could go then"
        for one in table.indexes
        if not (one.unique or one.constraint or one.predicate or one.included) and made.begins_like(one)
    ]
    writes = table.inserted + table.updated - table.updated_in_place
    beside = f" (with one on {' and one on '.join(others)})" if others else ""
    reason = f"{c.why}. " if c.why else ""
    more = f", {count(c.times)} times" if c.times > 1 else ""
    return IndexProposal(
        step=at,
        table=table.full_name,
        columns=columns,
        included=tuple(index.included),
        predicate=index.predicate,
        ddl=_ddl([form, *others], index.extension, parted=table.parts > 1),
        why=index.why,
        share=share,
        rows=rows,
        cost_before=c.before,
        cost_after=after,
        size_bytes=index.size.bytes(costs.block_size),
        writes=writes,
        writes_at_most=writes + table.updated_in_place,
        overlaps=overlaps,
        sentence=f"{reason}An index on {form}{beside} would find {count(rows)} of {count(table.rows)} "
        f"rows{more}: estimated cost {_cost(after)} instead of {_cost(c.before)}.",
    )


def _ddl(forms: Sequence[str], extension: str, *, parted: bool) -> str:
    """On a partitioned table no index is made without a lock; made there, each partition has it, and each new one."""
    lines = [f"CREATE EXTENSION IF NOT EXISTS {extension};"] if extension else []
    way = "" if parted else " CONCURRENTLY"
    return "\n".join([*lines, *(f"CREATE INDEX{way} ON {form};" for form in forms)])


def _cost(value: float) -> str:
    return count(value) if value >= 100 else f"{value:.3g}"
