"""A LIMIT that made the planner walk an index until enough rows fit, which are rare."""

from collections.abc import Iterator

from faena.core.engines.postgres.naming import identifier, table_name
from faena.core.engines.postgres.plans.predicates import predicates
from faena.core.engines.postgres.plans.suspicion import Suspicion, suspect
from faena.core.findings import Finding
from faena.core.numbers import count
from faena.core.plans.model import Step
from faena.core.plans.tree import FORESEEN_COST, MANY_ROWS, PlanTree

BET_PER_ROW = 100.0  # cost that an estimate puts on finding one row: thousands are thrown away, or each lies elsewhere


def limit_misleads(tree: PlanTree) -> Iterator[Finding]:
    """A LIMIT that made the planner walk an index until enough rows fit, which are rare."""
    for step in tree.steps:
        limit = next((one for one in tree.above(step) if one.kind == "Limit"), None)
        sorted_above = any("Sort" in one.kind for one in tree.above(step))
        if "Index Scan" not in step.kind or "Filter" not in step.conditions or limit is None or sorted_above:
            continue
        columns = [identifier(one.column) for one in predicates(step.conditions["Filter"])][:2]
        mend = f"an index that has what is filtered first: ON {table_name(step)} ({', '.join([*columns, 'the ORDER BY columns'])})"
        if tree.estimated and (words := _bet(step, limit)):
            yield suspect(tree, Suspicion.LIMIT_BAD_INDEX_CHOICE, step, None, words, mend)
        if step.actual is None:
            continue
        removed = step.removed_filter * step.actual.loops
        if removed >= MANY_ROWS and removed >= 20 * max(step.rows or 0, 1) and tree.notable(tree.own(step)):
            yield suspect(
                tree, Suspicion.LIMIT_BAD_INDEX_CHOICE, step, tree.own(step),
                f"walks {step.index} for the sake of its order and filters {count(removed)} rows out before the few that match come",
                mend,
            )  # fmt: skip


def _bet(step: Step, limit: Step) -> str:
    """What an estimate counts on that walks an index whole, to stop early; empty where little is at risk."""
    if "Index Cond" in step.conditions or not step.rows_planned:
        return ""
    whole, until_stop = step.cost_total or 0.0, limit.cost_total or 0.0
    if whole / step.rows_planned < BET_PER_ROW or until_stop < FORESEEN_COST:
        return ""
    if whole < 4 * until_stop:
        return f"would walk most of {step.index} for the sake of its order, by the estimate at a cost of {count(until_stop)}"
    return (
        f"would walk {step.index} for the sake of its order, and counts on {count(limit.rows_planned or 0)} matching rows "
        f"within the first {until_stop / whole:.0%} of it; should they lie at its end, it costs {count(whole)} instead of "
        f"{count(until_stop)}"
    )
