"""Whether a statement finds the rows that it locks by scanning: what a deadlock's cause wants to know of a plan."""

import re

from faena.core.deadlocks.causes.circle import verb
from faena.core.deadlocks.reading import DeadlockReader
from faena.core.engines.profile import EngineProfile, Plans
from faena.core.plans.model import BadPlan, walk
from faena.core.sql.names import table_changed_by

LEAST_SCAN_COST = 200.0  # of some dozen pages; a table of fewer is scanned whatever indexes it has
_LOCKING = re.compile(r"\bfor\s+(?:no\s+key\s+)?(?:update|share)\b|\bfor\s+key\s+share\b", re.IGNORECASE)


def deadlock_reader(engine: EngineProfile) -> DeadlockReader | None:
    """What reads an engine's deadlocks, and judges by plans whether their parties scan; None where it reports none."""
    plans = engine.plans
    if engine.deadlocks is None:
        return None
    return DeadlockReader(
        engine.deadlocks, lambda text, plan: plans is not None and scans_what_it_locks(text, plan, plans)
    )


def scans_what_it_locks(statement: str, plan: str, plans: Plans) -> bool:
    """Whether a plan, in whatever form, finds rows that it changes by reading through a table of more than a few pages."""
    if verb(statement) not in ("update", "delete") and not _LOCKING.search(statement):
        return False
    table = table_changed_by(statement).rpartition(".")[2]
    try:
        steps = [step for _, step in walk(plans.read(plan).root)]
    except BadPlan:
        return False
    return any(
        step.kind in plans.scans
        and step.table == table
        and "Filter" in step.conditions
        and (step.cost_total or 0.0) >= LEAST_SCAN_COST
        for step in steps
    )
