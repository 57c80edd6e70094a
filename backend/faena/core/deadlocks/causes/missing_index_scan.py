"""Rows found by scanning, and locked in the order in which they lie."""

from faena.core.deadlocks.causes.circle import Cause, Circle, caused, who
from faena.core.findings import Confidence, Finding


def missing_index_scan(circle: Circle) -> Finding | None:
    """Rows found by scanning, and locked in the order in which they lie."""
    scanning = next((one for one in circle.parties if one.pid in circle.scanning), None)
    if scanning is None:
        return None
    table = scanning.wants.table or "the table"
    return caused(
        Cause.MISSING_INDEX_SCAN,
        f"{who(scanning)} finds the rows it locks by scanning {table}: it meets them in the order in which they lie there, "
        "whatever order others keep, and takes long over it.",
        (
            f"An index on what it looks for in {table}: see the plan and its proposal.",
            "Until then, lock the rows in order first: SELECT … ORDER BY key FOR UPDATE.",
        ),
        Confidence.CERTAIN,
    )
