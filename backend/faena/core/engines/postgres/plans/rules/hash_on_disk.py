"""A hash table that did not fit into memory."""

from collections.abc import Iterator

from faena.core.engines.postgres.plans.suspicion import Suspicion, suspect
from faena.core.findings import Finding
from faena.core.plans.tree import PlanTree


def hash_on_disk(tree: PlanTree) -> Iterator[Finding]:
    """A hash table that did not fit into memory."""
    for step in tree.steps:
        batches = step.hash_batches or 1
        hashes = step.kind in ("Hash", "Parallel Hash")
        spilled = (hashes and batches > 1) or (step.disk_kb or 0) > 0
        if not spilled:
            continue
        bearer = tree.parent(step) if hashes else step
        ms = (
            (tree.own(step) or 0) + (tree.own(bearer) or 0)
            if bearer is not None and tree.own(step) is not None
            else tree.own(step)
        )
        if tree.notable(ms):
            needed = max(8, round((step.hash_kb or 4096) * batches / 1024 / 4) * 4)
            yield suspect(
                tree, Suspicion.HASH_SPILL, step, ms,
                f"the hash table did not fit into memory: {batches} batches, written to and read from disk",
                f"SET LOCAL work_mem = '{needed}MB'; for this statement, or fewer rows and columns on this side",
            )  # fmt: skip
