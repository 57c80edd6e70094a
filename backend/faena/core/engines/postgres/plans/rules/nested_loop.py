"""An inner side that was run far more often than was expected."""

from collections.abc import Iterator

from faena.core.engines.postgres.plans.suspicion import Suspicion, suspect
from faena.core.findings import Finding
from faena.core.numbers import count
from faena.core.plans.model import Step, walk
from faena.core.plans.tree import FORESEEN_COST, MANY_ROWS, PlanTree, off


def nested_loop(tree: PlanTree) -> Iterator[Finding]:
    """An inner side that was run far more often than was expected."""
    for step in tree.steps:
        if not step.kind.startswith("Nested Loop") or len(step.children) < 2:
            continue
        outer, inner = step.children[0], step.children[1]
        if tree.estimated:
            yield from _loop_foreseen(tree, step, outer, inner)
        # Very often, or less often over very many rows.
        if inner.actual is None or inner.actual.loops < 20:
            continue
        passed = inner.actual.rows + inner.removed_filter + step.removed_join / inner.actual.loops
        if inner.actual.loops < MANY_ROWS and inner.actual.loops * passed < 100 * MANY_ROWS:
            continue
        ms = (tree.whole(inner) or 0.0) + (
            tree.own(step) or 0.0
        )  # the join's own share is comparing what the inner side gives
        blown = max(off(outer), off(inner)) >= 5 or any(one.kind.endswith("Seq Scan") for _, one in walk(inner))
        if blown and tree.total_ms and ms >= 0.3 * tree.total_ms:
            yield suspect(
                tree, Suspicion.NESTED_LOOP_BLOWUP, step, ms,
                f"its inner side ran {count(inner.actual.loops)} times, where {count(outer.rows_planned or 0)} were expected",
                "fix the estimate of the outer side (see that step), or give the inner side an index on what joins them",
            )  # fmt: skip


def _loop_foreseen(tree: PlanTree, step: Step, outer: Step, inner: Step) -> Iterator[Finding]:
    times, each = outer.rows_planned or 0.0, inner.cost_total or 0.0
    if inner.kind.endswith("Seq Scan") and times >= 20 and times * each >= 10 * FORESEEN_COST:
        yield suspect(
            tree, Suspicion.NESTED_LOOP_BLOWUP, step, None,
            f"would read all of {inner.target} {count(times)} times, by the estimate, at a cost of {count(each)} each",
            "give the inner side an index on what joins them",
        )  # fmt: skip
