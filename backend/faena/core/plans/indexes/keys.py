"""Which columns an index has, in which order and how they are written; and whether one is there that does the same."""

from collections.abc import Sequence

from faena.core.plans.indexes.candidates import Candidate
from faena.core.plans.indexes.selectivity import CALL, bare_name, share_of_one
from faena.core.plans.look import count
from faena.core.plans.naming import identifier, literal
from faena.core.plans.predicates import Comparison, comparisons
from faena.core.plans.schema import IndexFacts, TableFacts

PARTIAL_BELOW = 0.25  # a constant that so few rows have is worth an index of those alone
MAX_COLUMNS = 4


def partial_condition(c: Candidate) -> tuple[str, Sequence[Comparison]]:
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


def ordered_keys(
    c: Candidate, compared: Sequence[Comparison]
) -> tuple[list[str], list[tuple[str, str]], list[Comparison]]:
    """Equality first, the most telling of them foremost; then the order wanted, or else one range."""
    rows = c.table.rows
    equal = {one.column: one for one in compared if one.equal}
    ranges = {one.column: one for one in compared if not one.equal and one.column not in equal}
    firsts = sorted(equal.values(), key=lambda one: share_of_one(c.table, one))
    columns, why, used = list[str](), list[tuple[str, str]](), list[Comparison]()
    for one in firsts[:MAX_COLUMNS]:
        columns.append(one.column)
        used.append(one)
        share = share_of_one(c.table, one)
        why.append((one.column, f"compared for equality, {_rows_of(share * rows)} of one value"))
    if c.order:
        for key in c.order:
            if bare_name(c.table, key) not in columns and len(columns) < MAX_COLUMNS:
                columns.append(key)
                why.append((key, "gives the order that is asked for, so that nothing is sorted"))
    elif ranges and len(columns) < MAX_COLUMNS:
        name = min(ranges, key=lambda key: share_of_one(c.table, ranges[key]))
        columns.append(name)
        used += [one for one in compared if one.column == name]
        why.append((name, "compared by range, so behind what is compared for equality"))
    return columns, why, used


def _rows_of(rows: float) -> str:
    return "one row" if rows < 1.5 else f"{rows:.3g} rows" if rows < 1000 else f"{count(rows)} rows"


def written_key(table: TableFacts, key: str) -> str:
    """A key as CREATE INDEX wants it, and as the server writes it of an index that is there."""
    call = CALL.fullmatch(key)
    if call and key not in table.columns:
        return f"{call['function']}({identifier(call['column'])})"
    name = bare_name(table, key)
    return identifier(name) + key[len(name) :]


def as_facts(table: TableFacts, columns: Sequence[str]) -> IndexFacts:
    """An index that is not there, as one that is."""
    written = [written_key(table, one) for one in columns]
    return IndexFacts(
        name="",
        columns=tuple(one.removesuffix(" DESC") for one in written),
        descending=tuple(one.endswith(" DESC") for one in written),
    )


def served_by(c: Candidate, columns: Sequence[str], partial: str) -> IndexFacts | None:
    """An index that does already what one on these columns would.

    Which way a column runs matters only for an order, and for equality its operators may be those of patterns.
    """
    wanted, width = as_facts(c.table, columns), len(columns)
    equal = {one.column for one in c.compared if one.equal}
    for one in c.table.indexes:
        if not one.valid or one.method != "btree" or one.columns[:width] != wanted.columns:
            continue
        if one.predicate and not (partial and comparisons(one.predicate) == comparisons(partial)):
            continue
        turned = {a != b for name, a, b in zip(columns, one.ways, wanted.ways, strict=False) if name in c.order}
        plain = all(
            not trait or (name in equal and trait.endswith("_pattern_ops"))
            for name, trait in zip(columns, one.all_traits, strict=False)
        )
        if plain and len(turned) <= 1:
            return one
    return None
