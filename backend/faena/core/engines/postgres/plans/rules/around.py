"""What costs time beside the steps."""

from collections.abc import Iterator

from faena.core.engines.postgres.plans.suspicion import Suspicion, suspect
from faena.core.findings import Finding
from faena.core.numbers import count
from faena.core.plans.tree import PlanTree


def missing_workers(tree: PlanTree) -> Iterator[Finding]:
    for step in tree.steps:
        planned, launched = step.workers_planned or 0, step.workers_launched
        if launched is not None and launched < planned and step.executed:
            yield suspect(
                tree, Suspicion.PARALLEL_NOT_STARTED, step, tree.whole(step),
                f"{launched} of {planned} workers were there when it began",
                "see what else ran in parallel then; max_parallel_workers and max_worker_processes bound all together",
            )  # fmt: skip


def jit_overhead(tree: PlanTree) -> Iterator[Finding]:
    jit = tree.plan.jit
    if jit is not None and jit.total_ms and tree.total_ms and jit.total_ms >= max(20.0, 0.2 * tree.total_ms):
        yield suspect(
            tree, Suspicion.JIT_OVERHEAD, None, jit.total_ms,
            f"{jit.functions} functions were compiled in {jit.total_ms:.0f} ms before and while it ran",
            "SET jit = off; for this user or program, or raise jit_above_cost",
        )  # fmt: skip


def trigger_time(tree: PlanTree) -> Iterator[Finding]:
    for one in tree.plan.triggers:
        if tree.total_ms and one.ms >= 0.1 * tree.total_ms and one.calls:
            keys = "look at what the trigger runs"
            if one.name.startswith("RI_ConstraintTrigger_c_"):
                keys = "each row's target is looked up by its key, which has an index: fewer rows at once, or a check at the end (DEFERRABLE)"
            elif one.name.startswith("RI_") or one.constraint:
                keys = "an index on the columns that point to what is deleted or changed, where there is none"
            yield suspect(
                tree, Suspicion.TRIGGER_TIME, None, one.ms,
                f"trigger {one.name}{f' of {one.constraint}' if one.constraint and one.constraint not in one.name else ''} took {one.ms:.0f} ms in {count(one.calls)} calls",
                keys,
            )  # fmt: skip
