"""A scan that reads many rows to return few, whatever its condition."""

from collections.abc import Iterator

from faena.core.engines.postgres.plans.rules.discards import in_vain, shown_condition
from faena.core.engines.postgres.plans.rules.scans import spoken_of, wasteful
from faena.core.engines.postgres.plans.suspicion import Suspicion, suspect
from faena.core.findings import Finding
from faena.core.numbers import count
from faena.core.plans.model import Step
from faena.core.plans.tree import PlanTree


def large_discard(tree: PlanTree) -> Iterator[Finding]:
    """A scan of a whole table for few rows, by a condition of which cannot be told what index would serve it."""
    for waste in wasteful(tree):
        condition = waste.step.conditions.get("Filter", "")
        if not spoken_of(condition):
            yield suspect(
                tree, Suspicion.LARGE_DISCARD, waste.step, waste.ms, f"{waste.reads}, by {shown_condition(condition) or 'its condition'}",
                "look whether an index can serve this condition (of its expression, a partial one, GIN); which one, the plan does not show",
            )  # fmt: skip
    for step in tree.steps:
        if not step.kind.endswith("Seq Scan") and "Index" not in step.kind and "Bitmap" not in step.kind:
            yield from _thrown_elsewhere(tree, step)


def _thrown_elsewhere(tree: PlanTree, step: Step) -> Iterator[Finding]:
    """By a HAVING, or a condition on what a subquery, a function or another server gives."""
    if step.actual is None or step.removed_join:
        return
    removed = step.removed_filter * step.actual.loops
    if in_vain(tree, removed, step):
        what = f" of {step.target}" if step.target else ""
        yield suspect(
            tree, Suspicion.LARGE_DISCARD, step, tree.own(step),
            f"{count(removed)} of {count(removed + (step.rows or 0))} rows{what} are made and then filtered out, by {shown_condition(step.conditions.get('Filter', 'its condition'))}",
            "put the condition where the rows are made, so that they are not made in vain",
        )  # fmt: skip
