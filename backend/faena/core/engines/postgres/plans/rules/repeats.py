"""Work that is done again and again."""

import re
from collections.abc import Iterator

from faena.core.engines.postgres.naming import bare
from faena.core.engines.postgres.plans.predicates import predicates
from faena.core.engines.postgres.plans.suspicion import Suspicion, suspect
from faena.core.findings import Finding
from faena.core.numbers import count
from faena.core.plans.model import Step, walk
from faena.core.plans.tree import FORESEEN_COST, MANY_ROWS, PlanTree, off


def nested_loop(tree: PlanTree) -> Iterator[Finding]:
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
                "mend the estimate of the outer side (see there), or give the inner side an index on what joins them",
            )  # fmt: skip


def _loop_foreseen(tree: PlanTree, step: Step, outer: Step, inner: Step) -> Iterator[Finding]:
    times, each = outer.rows_planned or 0.0, inner.cost_total or 0.0
    if inner.kind.endswith("Seq Scan") and times >= 20 and times * each >= 10 * FORESEEN_COST:
        yield suspect(
            tree, Suspicion.NESTED_LOOP_BLOWUP, step, None,
            f"would read all of {inner.target} {count(times)} times, by the estimate, at a cost of {count(each)} each",
            "give the inner side an index on what joins them",
        )  # fmt: skip


def cartesian(tree: PlanTree) -> Iterator[Finding]:
    for step in tree.steps:
        if step.kind != "Nested Loop" or len(step.children) < 2 or "Join Filter" in step.conditions:
            continue
        outer, inner = step.children[0], step.children[1]
        if _asks_for(inner, outer) or (_equals_something(inner) and _equals_something(outer)):
            continue
        left, right = (
            (one.actual.rows if one.actual is not None else one.rows_planned or 0.0) for one in (outer, inner)
        )
        if left > 1 and right > 1 and left * right >= 10 * MANY_ROWS and not inner.kind.startswith("Function"):
            yield suspect(
                tree, Suspicion.CARTESIAN_JOIN, step, tree.whole(step),
                f"joins every one of {count(left)} rows with every one of {count(right)}: no condition ties the two together",
                "add the condition that joins them, or say CROSS JOIN if it is meant",
            )  # fmt: skip


def _asks_for(inner: Step, outer: Step) -> bool:
    """Whether the inner side looks for what a row of the outer one has: its conditions name a column of that side.

    A condition of its own only narrows it: each row of the outer side still meets all that are left.
    """
    names = {name for _, one in walk(outer) for name in (one.alias, one.table) if name}
    told = " ".join(text for _, one in walk(inner) for text in one.conditions.values())
    named = {bare(name) for name in _OWNERS.findall(_LITERALS.sub("", told))}
    return bool(names & named) or any(
        one.label or "Param" in one.kind for _, one in walk(inner) if one.relation == "SubPlan"
    )


def _equals_something(side: Step) -> bool:
    """Whether a column equals a value there. Where one on either side does, the join may be by these two columns: then
    a server knows the value of both, and tells no condition that joins them.
    """
    texts = (text for _, one in walk(side) for text in one.conditions.values())
    return any(found.equal for text in texts for found in predicates(text))


_OWNERS = re.compile(r'("(?:[^"]|"")+"|[a-z_][\w$]*)\.')
_LITERALS = re.compile(r"'(?:[^']|'')*'")


def repeated_subplan(tree: PlanTree) -> Iterator[Finding]:
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
