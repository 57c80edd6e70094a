"""What the steps of a plan needed in memory, and what did not fit into it."""

from collections.abc import Iterator
from dataclasses import dataclass

from faena.core.plans.model import Plan, walk


@dataclass(frozen=True, slots=True, kw_only=True)
class StepMemory:
    """Of a step that sorts, hashes or keeps rows. `memory_kb` was used, `disk_kb` written because more was needed.

    None where the plan does not tell. `batches` above 1: the hash was built in so many parts, all but one of them on disk.
    """

    step: str
    target: str
    memory_kb: float | None
    disk_kb: float | None
    batches: int | None

    @property
    def spilled(self) -> bool:
        return bool(self.disk_kb) or (self.batches or 1) > 1


def memory_of(plan: Plan) -> Iterator[StepMemory]:
    """Steps that tell of memory, in the order of the plan. A sort tells only where its rows were in the end."""
    for _, step in walk(plan.root):
        memory = step.hash_kb if step.sort_kb is None or step.sort_on_disk else step.sort_kb
        disk = step.sort_kb if step.sort_on_disk else step.disk_kb
        if memory is not None or disk is not None or (step.hash_batches or 1) > 1:
            below = step.children[0].target if step.children and not step.target else step.target
            yield StepMemory(step=step.kind, target=below, memory_kb=memory, disk_kb=disk, batches=step.hash_batches)
