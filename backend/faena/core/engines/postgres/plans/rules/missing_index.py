"""A scan for whose condition an index would serve."""

from collections.abc import Iterator

from faena.core.engines.postgres.naming import table_name
from faena.core.engines.postgres.plans.predicates import (
    alternatives,
    function_on_column,
    implicit_cast,
    leading_wildcard,
    predicates,
)
from faena.core.engines.postgres.plans.rules.scans import _filter, wasteful
from faena.core.engines.postgres.plans.suspicion import Suspicion, suspect
from faena.core.findings import Finding
from faena.core.plans.tree import PlanTree


def missing_index(tree: PlanTree) -> Iterator[Finding]:
    """A scan for whose condition an index would serve."""
    for step, reads, _, ms, parts in wasteful(tree):
        condition = _filter(step)
        if (
            function_on_column(condition)
            or implicit_cast(condition)
            or leading_wildcard(condition)
            or alternatives(condition)
        ):
            continue  # an index on the bare column would not be used; the other rules say what would
        columns = ", ".join([one.key for one in predicates(condition)][:3])
        if columns:
            yield suspect(
                tree, Suspicion.MISSING_INDEX, step, ms, reads,
                f"CREATE INDEX CONCURRENTLY ON {table_name(step)} ({columns});"
                if parts == 1
                else f"an index on ({columns}) of the partitioned table that {table_name(step)} is part of: made there, each partition has it",
            )  # fmt: skip
