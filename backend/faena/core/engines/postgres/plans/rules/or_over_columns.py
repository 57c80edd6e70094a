"""An OR over several columns, which no single index serves."""

from collections.abc import Iterator

from faena.core.engines.postgres.plans.predicates import alternatives, predicates
from faena.core.engines.postgres.plans.rules.scans import _filter, wasteful
from faena.core.engines.postgres.plans.suspicion import Suspicion, suspect
from faena.core.findings import Finding
from faena.core.plans.tree import PlanTree


def or_over_columns(tree: PlanTree) -> Iterator[Finding]:
    """An OR over several columns, which no single index serves."""
    for step, _, wasted, ms, _ in wasteful(tree):
        parts = alternatives(_filter(step))
        columns = {one.column for part in parts for one in predicates(part)}
        if len(columns) > 1:
            yield suspect(
                tree, Suspicion.OR_PREDICATE, step, ms,
                f"OR over {', '.join(sorted(columns))} is answered by reading all rows; {wasted}",
                f"an index on each of {', '.join(sorted(columns))}, or a UNION of the parts",
            )  # fmt: skip
