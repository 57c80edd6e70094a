"""What rules about rows filtered out share."""

from faena.core.engines.postgres.plans.rules.scans import THROWN_AWAY, WORTH_MS
from faena.core.plans.model import Step
from faena.core.plans.tree import MANY_ROWS, PlanTree

MOST_SHOWN = 160  # characters of a condition in a sentence


def shown_condition(condition: str) -> str:
    words = " ".join(condition.split())
    return words if len(words) <= MOST_SHOWN else f"{words[:MOST_SHOWN]} …"


def in_vain(tree: PlanTree, removed: float, step: Step, ms: float | None = None) -> bool:
    own = tree.own(step) if ms is None else ms
    quick = own is not None and own < WORTH_MS
    enough = removed >= MANY_ROWS and removed >= THROWN_AWAY * (removed + (step.rows or 0.0))
    return enough and not quick and tree.notable(own)
