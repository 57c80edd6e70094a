"""A pattern that begins with a wildcard, which no plain index serves."""

from collections.abc import Iterator

from faena.core.engines.postgres.plans.predicates import leading_wildcard
from faena.core.engines.postgres.plans.rules.scans import _filter, wasteful
from faena.core.engines.postgres.plans.suspicion import Suspicion, suspect
from faena.core.findings import Finding
from faena.core.plans.tree import PlanTree


def wildcard_comes_first(tree: PlanTree) -> Iterator[Finding]:
    """A pattern that begins with a wildcard, which no plain index serves."""
    for step, _, wasted, ms, _ in wasteful(tree):
        if leading_wildcard(_filter(step)):
            yield suspect(
                tree, Suspicion.LEADING_WILDCARD, step, ms,
                f"the pattern begins with %, so no ordered index can be used; {wasted}",
                "CREATE EXTENSION pg_trgm; then a GIN index with gin_trgm_ops on the column, or search another way",
            )  # fmt: skip
