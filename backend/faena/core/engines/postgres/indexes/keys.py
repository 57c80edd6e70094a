"""Which columns an index has, in which order and how they are written; and whether one is there that does the same."""

from collections.abc import Sequence

from faena.core.engines.postgres.indexes.candidates import Candidate
from faena.core.engines.postgres.indexes.selectivity import CALL, bare_name, share_of_one
from faena.core.engines.postgres.naming import identifier, literal
from faena.core.engines.postgres.plans.predicates import Comparison, comparisons
from faena.core.numbers import count
from faena.core.plans.schema import IndexFacts, TableFacts

PARTIAL_BELOW = 0.25  # a constant that so few rows have is worth an index of those alone
MAX_COLUMNS = 4
PATTERN = " text_pattern_ops"  # an order by bytes, as patterns need it


def partial_condition(c: Candidate, statement: str) -> tuple[str, float, Sequence[Comparison]]:
    """The condition of a partial index, the share of rows that meet it, and what is left to search by; "" for none.

    A constant serves only where the statement itself has it: one that came as a parameter is another tomorrow.
    """
    for flag in sorted(c.flags, key=lambda one: one.share):
        if flag.share <= PARTIAL_BELOW:
            return flag.condition, flag.share, c.compared
    for one in c.compared:
        if one.operator != "=" or one.value is None or one.expression or len(c.compared) + len(c.order) < 2:
            continue
        facts = c.table.columns.get(one.of)
        few = facts is not None and one.value in facts.common and facts.common[one.value] <= PARTIAL_BELOW
        if few and facts is not None and 0 < facts.distinct <= 20:
            value = one.value if facts.type in ("integer", "bigint", "smallint") else literal(one.value)
            if value in statement:
                rest = [other for other in c.compared if other is not one]
                return f"{identifier(one.of)} = {value}", share_of_one(c.table, one), rest
    return "", 1.0, c.compared


def ordered_keys(
    c: Candidate, compared: Sequence[Comparison], flag: str = ""
) -> tuple[list[str], list[tuple[str, str]], list[Comparison]]:
    """Equality first, the most telling of them foremost; then the order wanted, or else one range.

    `flag` is the condition of a partial index, which wants some key where nothing is compared.
    """
    rows = c.table.rows
    equal = {one.column: one for one in compared if one.equal}
    ranges = {one.column: one for one in compared if not one.equal and one.column not in equal}
    firsts = sorted(equal.values(), key=lambda one: share_of_one(c.table, one))
    columns, why, used = list[str](), list[tuple[str, str]](), list[Comparison]()
    for one in firsts[:MAX_COLUMNS]:
        columns.append(one.column)
        used.append(one)
        share = share_of_one(c.table, one)
        words = f"one of {one.values} values" if one.operator == "= ANY" else "for equality"
        why.append(
            (one.column, f"compared {words}, {_rows_of(share * rows)} of {'them' if one.values > 1 else 'one value'}")
        )
    if c.order:
        for key in c.order:
            if bare_name(c.table, key) not in columns and len(columns) < MAX_COLUMNS:
                columns.append(key)
                why.append((key, "gives the order of ORDER BY, so that nothing is sorted"))
    elif ranges and len(columns) < MAX_COLUMNS:
        name = min(ranges, key=lambda key: share_of_one(c.table, ranges[key]))
        found = ranges[name]
        key = f"{name}{PATTERN}" if found.prefix else name
        columns.append(key)
        used += [one for one in compared if one.column == name and one.prefix == found.prefix]
        words = "a pattern with a known beginning, in an order by bytes" if found.prefix else "compared by range"
        why.append((key, f"{words}, so after what is compared for equality" if firsts else words))
    if not columns and flag:
        of = next(one.of for one in c.flags if one.condition == flag)
        key = next((one.columns[0] for one in c.table.indexes if one.primary), identifier(of))
        columns.append(bare_name(c.table, key) if key in c.table.columns else of)
        why.append((columns[0], "only so that the index has a key: its condition is what finds the rows"))
    return columns, why, used


def _rows_of(rows: float) -> str:
    return "one row" if rows < 1.5 else f"{rows:.3g} rows" if rows < 1000 else f"{count(rows)} rows"


def written_key(table: TableFacts, key: str) -> str:
    """A key as CREATE INDEX wants it, and as the server writes it of an index that is there."""
    if key.startswith("("):
        return key
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
        columns=tuple(one.removesuffix(" DESC").removesuffix(PATTERN) for one in written),
        descending=tuple(one.endswith(" DESC") for one in written),
        traits=tuple(PATTERN.strip() if one.endswith(PATTERN) else "" for one in written),
    )


def served_by(c: Candidate, columns: Sequence[str], partial: str) -> IndexFacts | None:
    """An index that does already what one on these columns would.

    Columns that are compared for equality may stand in any order. Which way a column runs matters only for an order, and
    for equality its operators may be those of patterns.
    """
    wanted, width = as_facts(c.table, columns), len(columns)
    equal = {one.column for one in c.compared if one.equal}
    free = sum(1 for name in columns if name in equal)
    for one in c.table.indexes:
        if not one.valid or one.method != "btree" or len(one.columns) < width:
            continue
        alike = (
            set(one.columns[:free]) == set(wanted.columns[:free]) and one.columns[free:width] == wanted.columns[free:]
        )
        if not alike:
            continue
        if one.predicate and not (partial and _same_condition(one.predicate, partial)):
            continue
        if not one.predicate and any(flag.condition == partial for flag in c.flags):
            continue  # its key is none that is searched by
        turned = {a != b for name, a, b in zip(columns, one.ways, wanted.ways, strict=False) if name in c.order}
        plain = all(
            trait == wanted.all_traits[at] or (name in equal and trait.endswith("_pattern_ops"))
            for at, (name, trait) in enumerate(zip(columns, one.all_traits, strict=False))
        )
        if plain and len(turned) <= 1:
            return one
    return None


def _same_condition(there: str, wanted: str) -> bool:
    bare = there.strip()
    while bare.startswith("(") and bare.endswith(")"):
        bare = bare[1:-1].strip()
    found = comparisons(there)
    return bare == wanted or (bool(found) and found == comparisons(wanted))
