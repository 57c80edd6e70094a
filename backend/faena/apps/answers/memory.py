"""The memory that a statement needed, and how often it did not fit."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from faena.apps.plans import selectors as plans
from faena.apps.servers import selectors as servers
from faena.apps.servers.engines import plans_of
from faena.apps.statements import executions
from faena.core.plans.memory import StepMemory, memory_of
from faena.core.plans.model import BadPlan
from faena.core.series.window import Window

BOUNDS = ("work_mem", "hash_mem_multiplier")


@dataclass(frozen=True, slots=True, kw_only=True)
class StatementMemory:
    """`plan` is the newest that tells of memory, None where none is kept; `settings` bound memory on the server."""

    spills: executions.Spills
    plan: int | None
    steps: Sequence[StepMemory]
    settings: Mapping[str, str]


def statement_memory(server_id: int, query_id: int, window: Window) -> StatementMemory:
    """Raises NotFound."""
    server = servers.server(server_id)
    newest = next((one for one in plans.of_statement(server_id, query_id) if not one.asked), None)
    steps: list[StepMemory] = []
    if newest is not None:
        try:
            steps = list(memory_of(plans_of(server).read(newest.written)))
        except BadPlan:  # cut off by the server's own limit on log lines: the plan page says so
            newest = None
    told = server.facts.get("settings", {})
    return StatementMemory(
        spills=executions.spills(server_id, query_id, window),
        plan=newest.id if newest else None,
        steps=steps,
        settings={name: told[name] for name in BOUNDS if name in told},
    )
