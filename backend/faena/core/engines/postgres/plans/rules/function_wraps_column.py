"""A function around a column, so that an index on the column alone does not serve."""

from collections.abc import Iterator

from faena.core.engines.postgres.plans.predicates import function_on_column
from faena.core.engines.postgres.plans.rules.scans import _filter, wasteful
from faena.core.engines.postgres.plans.suspicion import Suspicion, suspect
from faena.core.findings import Finding
from faena.core.plans.tree import PlanTree


def function_wraps_column(tree: PlanTree) -> Iterator[Finding]:
    """A function around a column, so that an index on the column alone does not serve."""
    for step, _, wasted, ms, _ in wasteful(tree):
        name = function_on_column(_filter(step))
        if name:
            yield suspect(
                tree, Suspicion.FUNCTION_ON_COLUMN, step, ms,
                f"{name} is applied to the column of each row, so no index on it can be used; {wasted}",
                "compare the bare column with a range, or make an index on the expression as the condition has it",
            )  # fmt: skip
