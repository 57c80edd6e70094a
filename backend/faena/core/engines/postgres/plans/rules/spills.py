"""Sorts and hash tables that did not fit into memory."""

from collections.abc import Iterator

from faena.core.engines.postgres.plans.suspicion import Suspicion, suspect
from faena.core.findings import Finding
from faena.core.numbers import count
from faena.core.plans.tree import PlanTree


def sort_on_disk(tree: PlanTree) -> Iterator[Finding]:
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


def hash_on_disk(tree: PlanTree) -> Iterator[Finding]:
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
