"""Rows locked in opposite order; what is left where nothing else fits."""

from faena.core.deadlocks.causes.circle import Cause, Circle, caused, inside_function
from faena.core.findings import Finding


def opposite_order(circle: Circle) -> Finding | None:
    """Rows locked in opposite order; what is left where nothing else fits."""
    tables = {one.wants.table for one in circle.parties if one.wants.table}
    rows = f"rows of {circle.tables}" if tables else "rows"
    order = " before ".join(sorted(tables)) if len(tables) > 1 else "by their key, the smallest first"
    return caused(
        Cause.OPPOSITE_ORDER,
        f"The parties lock {rows} in opposite order: each holds what the next one wants{''.join(map(inside_function, circle.parties[:1]))}.",
        (
            f"Keep one order in every program: {order}.",
            "Lock all rows of a task at its beginning: SELECT … ORDER BY key FOR UPDATE.",
            "Hold them for less long: nothing but the changes between the first lock and COMMIT.",
        ),
    )
