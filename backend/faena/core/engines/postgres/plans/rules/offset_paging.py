"""Rows that are made only to be skipped by OFFSET."""

from collections.abc import Iterator

from faena.core.engines.postgres.plans.suspicion import Suspicion, suspect
from faena.core.findings import Finding
from faena.core.numbers import count
from faena.core.plans.tree import FORESEEN_COST, MANY_ROWS, PlanTree


def offset_paging(tree: PlanTree) -> Iterator[Finding]:
    """Rows that are made only to be skipped by OFFSET."""
    for step in tree.steps:
        if step.kind != "Limit" or not step.children:
            continue
        below = step.children[0]
        if tree.estimated:
            # A Limit gives its first row as soon as its child does, unless rows are counted off before.
            offset = (step.cost_start or 0.0) - (below.cost_start or 0.0)
            wanted = (step.cost_total or 0.0) - (step.cost_start or 0.0)
            if offset >= FORESEEN_COST and offset >= 10 * wanted:
                yield suspect(
                    tree, Suspicion.OFFSET_PAGING, step, None,
                    f"rows at a cost of {count(offset)}, by the estimate, are made to be counted off by an OFFSET, and "
                    f"{count(step.rows_planned or 0)} at a cost of {count(wanted)} are shown",
                    "page by the last key seen: WHERE (key) > (last) ORDER BY key LIMIT n",
                )  # fmt: skip
            continue
        if step.rows is None:
            continue
        if below.rows is not None and below.rows >= MANY_ROWS and below.rows >= 10 * max(step.rows, 1):
            yield suspect(
                tree, Suspicion.OFFSET_PAGING, step, tree.whole(below),
                f"{count(below.rows)} rows are made to show {count(step.rows)}: an OFFSET counts off the rest",
                "page by the last key seen: WHERE (key) > (last) ORDER BY key LIMIT n",
            )  # fmt: skip
