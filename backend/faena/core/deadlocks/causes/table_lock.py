"""Whole tables locked in different order."""

from faena.core.deadlocks.causes.circle import Cause, Circle, caused, verb
from faena.core.findings import Finding


def table_lock(circle: Circle) -> Finding | None:
    """Whole tables locked in different order."""
    locking = [one for one in circle.parties if one.wants.lock_type == "relation"]
    if not locking and all(verb(one.statement) != "lock" for one in circle.parties):
        return None
    return caused(
        Cause.TABLE_LOCK,
        f"The parties lock whole tables ({circle.tables}), each in its own order.",
        (
            "Take all table locks of a task in one LOCK TABLE a, b, c statement, in one order everywhere.",
            "Ask whether row locks would do.",
        ),
    )
