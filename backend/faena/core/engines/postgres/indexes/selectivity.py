"""How many of a table's rows a comparison leaves, by the server's own statistics."""

import re
from collections.abc import Sequence
from dataclasses import replace

from faena.core.engines.postgres.indexes.cost import DEFAULT_BETWEEN, equal_share, range_share
from faena.core.engines.postgres.plans.predicates import Comparison, comparisons
from faena.core.plans.schema import ColumnFacts, TableFacts

UNKNOWN_WIDTH = 16
_ORDER_KEPT = re.compile(r"\(date_trunc\('\w+'::text, (?P<column>[a-z_]\w*)\)\)")
CALL = re.compile(r"(?P<function>[a-z_]\w*)\((?P<column>.+)\)")


def share_of_one(table: TableFacts, one: Comparison) -> float:
    facts = column_of(table, one.of)
    if one.expression:
        facts = replace(facts, common={}, bounds=())
    if one.operator == "IS NULL":
        return facts.null_share
    if one.operator == "= ANY":
        return min(1.0, one.values * equal_share(facts, table.rows, None))
    if one.prefix:
        return _prefix_share(facts, one.value or "")
    if one.equal:
        return equal_share(facts, table.rows, one.value)
    return range_share(facts, one.operator, one.value)


def _prefix_share(facts: ColumnFacts, prefix: str) -> float:
    """As the planner guesses of a pattern: of the histogram's values those that fit, or a fifth for each letter known."""
    if len(facts.bounds) >= 100:  # below, the planner does not trust it either
        # Of bounds that fit, only what lies between two of them surely does; the planner looks as closely.
        fit = max(0, sum(bound.startswith(prefix) for bound in facts.bounds) - 1) / (len(facts.bounds) - 1)
        return max(fit, 1e-5)
    return max(0.2 ** len(prefix), 1e-4)


def share_of_all(table: TableFacts, used: Sequence[Comparison]) -> float:
    """Of all conditions together, as the planner does: independent, but for a range closed on both sides."""
    share = 1.0
    by_column: dict[str, list[Comparison]] = {}
    for one in used:
        by_column.setdefault(one.column, []).append(one)
    for several in by_column.values():
        parts = [share_of_one(table, one) for one in several]
        if len(parts) == 2 and not any(one.equal or one.prefix for one in several):
            both = parts[0] + parts[1] - 1 + column_of(table, several[0].of).null_share
            share *= both if both > 0 else DEFAULT_BETWEEN
        else:
            share *= min(parts)
    return min(1.0, max(share, 1e-9))


def share_of_condition(table: TableFacts, partial: str) -> float:
    if not partial:
        return 1.0
    (one,) = comparisons(partial)
    return share_of_one(table, one)


def column_of(table: TableFacts, name: str) -> ColumnFacts:
    """Of a column, or of the column in an expression; one that is not known has many values."""
    if kept := _ORDER_KEPT.match(name):  # its values lie on disk as those of the column do
        found = table.columns.get(kept["column"])
        return ColumnFacts(name=name, type="", width=8, correlation=found.correlation if found else 0.0)
    call = CALL.fullmatch(name)
    inside = call["column"] if call and name not in table.columns else bare_name(table, name)
    return table.columns.get(inside) or ColumnFacts(name=inside, type="", width=UNKNOWN_WIDTH)


def bare_name(table: TableFacts, key: str) -> str:
    """The column of a key, which may say behind it in which order its values come."""
    if key in table.columns:
        return key
    return max((name for name in table.columns if key.startswith(f"{name} ")), key=len, default=key.split(" ")[0])
