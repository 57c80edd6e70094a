"""A plan of this engine as rows, with what its rules found."""

from faena.core.engines.postgres.plans.rules.expectations import stopped_early
from faena.core.engines.postgres.plans.suspicions import examine
from faena.core.plans.ledger import Ledger
from faena.core.plans.ledger import ledger as rows_of
from faena.core.plans.model import Plan


def ledger(plan: Plan) -> Ledger:
    """Rows from the innermost sources to the step that answers."""
    return rows_of(plan, examine(plan), stopped_early)
