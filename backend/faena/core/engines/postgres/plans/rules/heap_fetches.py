"""An index-only scan that reads the table all the same, since VACUUM is behind."""

from collections.abc import Iterator

from faena.core.engines.postgres.naming import table_name
from faena.core.engines.postgres.plans.suspicion import Suspicion, suspect
from faena.core.findings import Finding
from faena.core.numbers import count
from faena.core.plans.tree import MANY_ROWS, PlanTree


def heap_fetches(tree: PlanTree) -> Iterator[Finding]:
    """An index-only scan that reads the table all the same, since VACUUM is behind."""
    for step in tree.steps:
        fetched = (step.heap_fetches or 0.0) * (step.actual.loops if step.actual else 1.0)
        if (
            "Index Only Scan" in step.kind
            and fetched >= MANY_ROWS
            and fetched >= 0.2 * (step.rows or 0)
            and tree.notable(tree.own(step))
        ):
            yield suspect(
                tree, Suspicion.INDEX_ONLY_HEAP_FETCHES, step, tree.own(step),
                f"looked into the table for {count(fetched)} of {count(step.rows or 0)} rows although the index has all columns",
                f"VACUUM {table_name(step)}; and let autovacuum come more often",
            )  # fmt: skip
