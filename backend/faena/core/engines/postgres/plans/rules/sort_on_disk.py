"""A sort that did not fit into memory."""

from collections.abc import Iterator

from faena.core.engines.postgres.plans.suspicion import Suspicion, suspect
from faena.core.findings import Finding
from faena.core.numbers import count
from faena.core.plans.tree import PlanTree


def sort_on_disk(tree: PlanTree) -> Iterator[Finding]:
    """A sort that did not fit into memory."""
    for step in tree.steps:
        if step.sort_on_disk and tree.notable(tree.own(step)):
            needed = (step.sort_kb or 0) * 3 / 1024  # in memory the same rows take two to three times as much
            keys = ", ".join(step.keys.get("Sort Key", ()))
            order = (
                "" if not keys or "(" in keys else f", or an index that yields the order {keys}"
            )  # none yields an aggregate's
            yield suspect(
                tree, Suspicion.SORT_SPILL, step, tree.own(step),
                f"sorts on disk: {count(step.sort_kb or 0)} kB of temporary files",
                f"SET LOCAL work_mem = '{max(8, round(needed / 4) * 4)}MB'; for this statement{order}",
            )  # fmt: skip
