"""A plan as rows, in the order in which data flows: what feeds a step stands above it."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from faena.core.findings import Finding
from faena.core.plans.model import Blocks, Plan, Step
from faena.core.plans.times import own_blocks
from faena.core.plans.tree import PlanTree, tree_of


@dataclass(frozen=True, slots=True, kw_only=True)
class Row:
    """`step` is its index in pre-order; `feeds` the row it hands its rows to, None for the last.

    `depth` is how far it stands from the step that answers.
    """

    step: int
    depth: int
    feeds: int | None
    shown: Step
    own_ms: float | None
    own_share: float | None
    whole_ms: float | None
    factor: float | None  # rows that came over rows expected, above 1 more; None when not run or not comparable
    thrown_away: float  # rows, over all loops
    own_blocks: Blocks | None  # what it touched itself, without what stands below it


@dataclass(frozen=True, slots=True, kw_only=True)
class Ledger:
    """Rows, findings by time at stake, and the time of the whole; None when it was not run."""

    rows: Sequence[Row]
    findings: Sequence[Finding]
    total_ms: float | None


def ledger(plan: Plan, findings: Sequence[Finding], stopped_early: Callable[[PlanTree, Step], bool]) -> Ledger:
    """Rows from the innermost sources to the step that answers, with what the engine's rules found.

    `stopped_early` tells of a step whether nobody asked it for more rows; then its rows are not held against the estimate.
    """
    tree = tree_of(plan)
    order = _flow(tree)
    place = {id(step): at for at, (step, _) in enumerate(order)}
    parents = [None if (above := tree.parent(step)) is None else place[id(above)] for step, _ in order]
    blocks = own_blocks(plan)
    rows = [
        _row(tree, step, depth, parents[at], blocks.get(id(step)), stopped_early)
        for at, (step, depth) in enumerate(order)
    ]
    return Ledger(rows=rows, findings=findings, total_ms=tree.total_ms)


def _flow(tree: PlanTree) -> list[tuple[Step, int]]:
    """Post-order with depth: inner sides and subplans first, then what uses them. A stack, not recursion."""
    found: list[tuple[Step, int]] = []
    stack: list[tuple[Step, int, bool]] = [(tree.plan.root, 0, False)]
    while stack:
        step, depth, ready = stack.pop()
        if ready:
            found.append((step, depth))
            continue
        stack.append((step, depth, True))
        stack.extend((child, depth + 1, False) for child in reversed(step.children))
    return found


def _row(
    tree: PlanTree, step: Step, depth: int, feeds: int | None, blocks: Blocks | None,
    stopped_early: Callable[[PlanTree, Step], bool],
) -> Row:  # fmt: skip
    own, loops = tree.own(step), step.actual.loops if step.actual else 0.0
    factor = None
    if step.actual is not None and step.rows_planned is not None:
        factor = max(step.actual.rows, 1.0) / max(step.rows_planned, 1.0)
        if factor < 1 and stopped_early(tree, step):
            factor = None  # nobody asked for more
    return Row(
        step=tree.index(step),
        depth=depth,
        feeds=feeds,
        shown=step,
        own_ms=own,
        own_share=None if own is None or not tree.total_ms else min(1.0, own / tree.total_ms),
        whole_ms=tree.whole(step),
        factor=factor,
        own_blocks=blocks,
        thrown_away=(step.removed_filter + step.removed_join + step.removed_recheck) * loops,
    )
