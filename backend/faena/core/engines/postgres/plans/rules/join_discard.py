"""A join that filters out nearly all pairs it makes."""

from collections.abc import Iterator

from faena.core.engines.postgres.plans.rules.discards import in_vain, shown_condition
from faena.core.engines.postgres.plans.rules.nested_loop import nested_loop
from faena.core.engines.postgres.plans.suspicion import Suspicion, suspect
from faena.core.findings import Finding
from faena.core.numbers import count
from faena.core.plans.tree import PlanTree


def join_discard(tree: PlanTree) -> Iterator[Finding]:
    """A join whose further condition filters nearly all pairs out."""
    flagged = {one.step for one in nested_loop(tree)}
    for step in tree.steps:
        if step.actual is None or len(step.children) < 2 or tree.index(step) in flagged:
            continue
        pairs, after = (n * step.actual.loops for n in (step.removed_join, step.removed_filter))
        if not in_vain(tree, pairs + after, step):
            continue
        by = "Join Filter" if pairs >= after else "Filter"
        yield suspect(
            tree, Suspicion.JOIN_DISCARD, step, tree.own(step),
            f"joins {count(pairs + after + (step.rows or 0))} pairs of rows and filters {count(pairs + after)} of them out, by {shown_condition(step.conditions.get(by, 'its condition'))}",
            "let what is compared be part of the equality that joins the two, or narrow one side before",
        )  # fmt: skip
