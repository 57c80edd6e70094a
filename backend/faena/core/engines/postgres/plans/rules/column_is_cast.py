"""A column that is cast to the type of a value, so that no index on it serves."""

from collections.abc import Iterator

from faena.core.engines.postgres.plans.predicates import implicit_cast
from faena.core.engines.postgres.plans.rules.scans import _filter, wasteful
from faena.core.engines.postgres.plans.suspicion import Suspicion, suspect
from faena.core.findings import Finding
from faena.core.plans.tree import PlanTree


def column_is_cast(tree: PlanTree) -> Iterator[Finding]:
    """A column that is cast to the type of a value, so that no index on it serves."""
    for step, _, wasted, ms, _ in wasteful(tree):
        found = implicit_cast(_filter(step))
        if found:
            column, kind = found
            yield suspect(
                tree, Suspicion.IMPLICIT_CAST, step, ms,
                f"{column} is turned into {kind} in each row before it is compared, so its index cannot be used; {wasted}",
                f"give the parameter the type of {column}, in the statement or in the driver",
            )  # fmt: skip
