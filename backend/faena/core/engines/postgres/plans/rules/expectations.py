"""What rules about estimates share."""

from faena.core.plans.model import Step
from faena.core.plans.tree import MANY_ROWS, PlanTree, off


def stopped_early(tree: PlanTree, step: Step) -> bool:
    """Where fewer rows than expected are no error, since nobody asked for more.

    So it is below a Limit and a merge join, on the inner side of what needs one row only, in a subquery that asks
    whether there is a row (EXISTS), and beside a hash table that turned out empty.
    """
    below = step
    for one in (step, *tree.above(step)):
        if one.kind == "Limit" or "Merge" in one.kind or one.join in ("Semi", "Anti", "Right Semi", "Right Anti"):
            return True
        if one.relation in ("SubPlan", "InitPlan") and one.actual is not None and one.actual.rows <= 1:
            return True
        beside = next((child for child in one.children if child is not below and child.kind.endswith("Hash")), None)
        if beside is not None and not beside.rows:
            return True
        below = one
    return False


def misjudged(tree: PlanTree, step: Step, factor: float) -> bool:
    times = off(step)
    if step.actual is None or max(step.actual.rows, step.rows_planned or 0) * step.actual.loops < MANY_ROWS:
        return False
    return times >= factor or (times <= 1 / factor and not stopped_early(tree, step))


def without_condition(step: Step) -> bool:
    return step.kind.endswith("Seq Scan") and not step.conditions and bool(step.table)
