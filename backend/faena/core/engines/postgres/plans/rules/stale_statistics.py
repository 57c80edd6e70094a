"""An estimate that is far off for a condition on one table."""

from collections.abc import Iterator

from faena.core.engines.postgres.naming import table_name
from faena.core.engines.postgres.plans.rules.expectations import misjudged, without_condition
from faena.core.engines.postgres.plans.suspicion import Suspicion, suspect
from faena.core.findings import Finding
from faena.core.numbers import count
from faena.core.plans.tree import PlanTree

STALE_FACTOR = 3.0  # the same for a table read without any condition: its size itself is wrong


def stale_statistics(tree: PlanTree) -> Iterator[Finding]:
    """An estimate that is far off for a condition on one table."""
    for step in tree.steps:
        if without_condition(step) and misjudged(tree, step, STALE_FACTOR):
            assert step.actual is not None
            yield suspect(
                tree, Suspicion.STALE_STATS, step, tree.whole(step),
                f"{step.target} was expected to have {count(step.rows_planned or 0)} rows and has {count(step.actual.rows)}",
                f"ANALYZE {table_name(step)};",
            )  # fmt: skip
