"""Statements that lock several rows as they come upon them."""

from faena.core.deadlocks.causes.circle import Cause, Circle, caused, may_lock_many
from faena.core.findings import Confidence, Finding
from faena.core.sql.names import table_changed_by


def many_rows(circle: Circle) -> Finding | None:
    """Statements that each lock several rows of one table, as they come upon them."""
    tables = {one.wants.table or table_changed_by(circle.ran(one)) for one in circle.parties}
    if len(tables) != 1 or not all(may_lock_many(circle.ran(one)) for one in circle.parties):
        return None
    return caused(
        Cause.MANY_ROWS,
        f"Each statement may lock several rows of {circle.tables}, in the order in which it comes upon them: one by an index, "
        "the other by another or by reading all. Or a statement before it in the transaction holds what the other wants.",
        (
            "Lock the rows in order first: SELECT … ORDER BY key FOR UPDATE, and change them then.",
            "Change fewer rows a statement, and commit between.",
        ),
        Confidence.PERHAPS,
    )
