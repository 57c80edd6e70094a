"""Triggers that took a good part of the time."""

from collections.abc import Iterator

from faena.core.engines.postgres.plans.suspicion import Suspicion, suspect
from faena.core.findings import Finding
from faena.core.numbers import count
from faena.core.plans.tree import PlanTree


def trigger_time(tree: PlanTree) -> Iterator[Finding]:
    """Triggers that took a good part of the time."""
    for one in tree.plan.triggers:
        if tree.total_ms and one.ms >= 0.1 * tree.total_ms and one.calls:
            keys = "look at what the trigger runs"
            if one.name.startswith("RI_ConstraintTrigger_c_"):
                keys = "each row's target is looked up by its key, which has an index: fewer rows at once, or a check at the end (DEFERRABLE)"
            elif one.name.startswith("RI_") or one.constraint:
                keys = "an index on the columns that point to what is deleted or changed, where there is none"
            yield suspect(
                tree, Suspicion.TRIGGER_TIME, None, one.ms,
                f"trigger {one.name}{f' of {one.constraint}' if one.constraint and one.constraint not in one.name else ''} took {one.ms:.0f} ms in {count(one.calls)} calls",
                keys,
            )  # fmt: skip
