"""Compiling that took a good part of the time."""

from collections.abc import Iterator

from faena.core.engines.postgres.plans.suspicion import Suspicion, suspect
from faena.core.findings import Finding
from faena.core.plans.tree import PlanTree


def jit_overhead(tree: PlanTree) -> Iterator[Finding]:
    """Compiling that took a good part of the time."""
    jit = tree.plan.jit
    if jit is not None and jit.total_ms and tree.total_ms and jit.total_ms >= max(20.0, 0.2 * tree.total_ms):
        yield suspect(
            tree, Suspicion.JIT_OVERHEAD, None, jit.total_ms,
            f"{jit.functions} functions were compiled in {jit.total_ms:.0f} ms before and while it ran",
            "SET jit = off; for this user or program, or raise jit_above_cost",
        )  # fmt: skip
