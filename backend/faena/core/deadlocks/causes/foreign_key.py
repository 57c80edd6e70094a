"""A row that refers to one which the other changes."""

from faena.core.deadlocks.causes.circle import Cause, Circle, caused, verb, who
from faena.core.deadlocks.report import ROWS
from faena.core.findings import Confidence, Finding


def foreign_key(circle: Circle) -> Finding | None:
    """A row that refers to one which the other changes."""
    checking = next((one for one in circle.parties if "FOR KEY SHARE" in one.context), None)
    if checking is None:
        # Without its context: an insert waits for somebody's row only on account of a key.
        rows = [one for one in circle.parties if one.wants.lock_type in ROWS]
        checking = next((one for one in rows if verb(circle.ran(one)) == "insert"), None)
    if checking is None:
        return None
    told = "FOR KEY SHARE" in checking.context
    parent = (checking.wants.table if told else "") or "the table referred to"
    unsure = (
        ""
        if told
        else " The log does not say so: an insert waits for another's row on account of a key, of one kind or the other."
    )
    return caused(
        Cause.FOREIGN_KEY,
        f"{who(checking)} writes a row that refers to {parent}, and must lock the row there, which the other has changed.{unsure}",
        (
            f"Change the row of {parent} first and write what refers to it afterwards, in every program.",
            f"Lock the row of {parent} at the beginning: SELECT … FROM {parent} WHERE … FOR NO KEY UPDATE.",
            "Do not touch key columns in updates: FOR NO KEY UPDATE and the check of a foreign key do not exclude each other.",
        ),
        Confidence.CERTAIN if told else Confidence.PERHAPS,
    )
