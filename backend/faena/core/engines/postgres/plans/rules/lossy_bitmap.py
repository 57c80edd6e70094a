"""A bitmap that did not fit into memory, so that whole pages are checked again."""

from collections.abc import Iterator

from faena.core.engines.postgres.plans.suspicion import Suspicion, suspect
from faena.core.findings import Finding
from faena.core.numbers import count
from faena.core.plans.tree import PlanTree


def lossy_bitmap(tree: PlanTree) -> Iterator[Finding]:
    """A bitmap that did not fit into memory, so that whole pages are checked again."""
    for step in tree.steps:
        if step.heap_lossy and step.heap_lossy > 0.3 * (step.heap_exact or 0) and tree.notable(tree.own(step)):
            yield suspect(
                tree, Suspicion.LOSSY_BITMAP, step, tree.own(step),
                f"the bitmap did not fit: of {count(step.heap_lossy)} pages every row was checked again",
                "a larger work_mem for this statement, or an index that finds fewer rows",
            )  # fmt: skip
