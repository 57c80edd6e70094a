"""Sharers that each want more."""

from faena.core.deadlocks.causes.circle import (
    Cause,
    Circle,
    all_of_them,
    caused,
    may_lock_many,
    places,
    same_condition,
    same_place,
    same_table,
)
from faena.core.findings import Confidence, Finding


def upgrade(circle: Circle) -> Finding | None:
    """Sharers that each want more."""
    one_row, one_table = same_place(circle.report), same_table(circle.report)
    alike = not one_row and same_condition(circle.report) and len(set(places(circle.report))) < 2
    if not (one_row or one_table or alike) or (alike and any(may_lock_many(circle.ran(one)) for one in circle.parties)):
        return None
    thing = f"table {circle.tables}" if one_table else f"the same row of {circle.tables}"
    unsure = (
        " They look it up by the same condition; if that is met by several rows, they lock those in different order."
        if alike
        else ""
    )
    return caused(
        Cause.UPGRADE,
        f"{all_of_them(circle)} share {thing} already, and each now wants it in a stronger mode, which the share of another forbids.{unsure}",
        (
            "Take the stronger lock at once: FOR UPDATE instead of FOR SHARE, "
            "or LOCK TABLE in the mode that is needed in the end.",
            "Read without locking, and let the UPDATE check that nothing has changed meanwhile.",
        ),
        Confidence.PERHAPS if alike else Confidence.CERTAIN,
    )
