"""A join of every row with every row, since no condition ties the two sides together."""

import re
from collections.abc import Iterator

from faena.core.engines.postgres.naming import bare
from faena.core.engines.postgres.plans.predicates import predicates
from faena.core.engines.postgres.plans.suspicion import Suspicion, suspect
from faena.core.findings import Finding
from faena.core.numbers import count
from faena.core.plans.model import Step, walk
from faena.core.plans.tree import MANY_ROWS, PlanTree


def cartesian(tree: PlanTree) -> Iterator[Finding]:
    """A join of every row with every row, since no condition ties the two sides together."""
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
