"""Parallel workers that were planned and not there."""

from collections.abc import Iterator

from faena.core.engines.postgres.plans.suspicion import Suspicion, suspect
from faena.core.findings import Finding
from faena.core.plans.tree import PlanTree


def missing_workers(tree: PlanTree) -> Iterator[Finding]:
    """Parallel workers that were planned and not there."""
    for step in tree.steps:
        planned, launched = step.workers_planned or 0, step.workers_launched
        if launched is not None and launched < planned and step.executed:
            yield suspect(
                tree, Suspicion.PARALLEL_NOT_STARTED, step, tree.whole(step),
                f"{launched} of {planned} workers were there when it began",
                "see what else ran in parallel then; max_parallel_workers and max_worker_processes bound all together",
            )  # fmt: skip
