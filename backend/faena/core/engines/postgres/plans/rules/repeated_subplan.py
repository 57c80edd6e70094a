"""A subplan or CTE that is run again for each row."""

from collections.abc import Iterator

from faena.core.engines.postgres.plans.suspicion import Suspicion, suspect
from faena.core.findings import Finding
from faena.core.numbers import count
from faena.core.plans.model import Step
from faena.core.plans.tree import FORESEEN_COST, PlanTree


def repeated_subplan(tree: PlanTree) -> Iterator[Finding]:
    """A subplan or CTE that is run again for each row."""
    for step in tree.steps:
        if step.relation != "SubPlan":
            continue
        if tree.estimated:
            yield from _subplan_foreseen(tree, step)
        ms = tree.whole(step)
        if step.actual is None or step.actual.loops < 100:
            continue
        if tree.notable(ms) and (ms is None or not tree.total_ms or ms >= 0.1 * tree.total_ms):
            yield suspect(
                tree, Suspicion.REPEATED_SUBPLAN, step, ms,
                f"{step.label or 'a subquery'} ran {count(step.actual.loops)} times, once for each row",
                "rewrite it as a join (LEFT JOIN … GROUP BY, or LATERAL with LIMIT), so that it runs once",
            )  # fmt: skip


def _subplan_foreseen(tree: PlanTree, step: Step) -> Iterator[Finding]:
    above = tree.parent(step)
    times, each = (above.rows_planned or 0.0) if above is not None else 0.0, step.cost_total or 0.0
    hashed = any(f"hashed {step.label}" in text for one in tree.steps for text in one.conditions.values())
    if not hashed and times >= 100 and times * each >= 10 * FORESEEN_COST:
        yield suspect(
            tree, Suspicion.REPEATED_SUBPLAN, step, None,
            f"{step.label or 'a subquery'} would run {count(times)} times, by the estimate, at a cost of {count(each)} each",
            "rewrite it as a join (LEFT JOIN … GROUP BY, or LATERAL with LIMIT), so that it runs once",
        )  # fmt: skip
