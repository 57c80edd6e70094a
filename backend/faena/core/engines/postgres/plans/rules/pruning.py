"""Partitions that were scanned although the condition could have ruled them out."""

from collections.abc import Iterator

from faena.core.engines.postgres.plans.suspicion import Suspicion, suspect
from faena.core.findings import Finding
from faena.core.plans.tree import PlanTree


def pruning(tree: PlanTree) -> Iterator[Finding]:
    """Partitions that were scanned although the condition could have ruled them out."""
    for step in tree.steps:
        scans = [one for one in step.children if one.table and one.executed]
        if step.kind not in ("Append", "Merge Append", "Parallel Append") or len(scans) < 4 or step.subplans_removed:
            continue
        empty = [one for one in scans if not one.rows and one.conditions]
        if len(empty) >= 0.75 * len(scans):
            ms = sum(tree.whole(one) or 0.0 for one in empty)
            if tree.notable(ms):
                yield suspect(
                    tree, Suspicion.PARTITION_PRUNED_FAIL, step, ms,
                    f"{len(empty)} of {len(scans)} partitions were searched and gave nothing",
                    "where the condition is about the partition key: compare the key itself, with its own type and without a function, so that partitions can be left out",
                )  # fmt: skip
