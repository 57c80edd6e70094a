"""Advisory locks, which only the programs give a meaning."""

from faena.core.deadlocks.causes.circle import Cause, Circle, caused
from faena.core.findings import Finding


def advisory(circle: Circle) -> Finding | None:
    """Advisory locks, which only the programs give a meaning."""
    if all(one.wants.lock_type != "advisory" for one in circle.parties):
        return None
    return caused(
        Cause.ADVISORY,
        "The parties wait for advisory locks, which only the programs give a meaning.",
        (
            "Take advisory locks in one order everywhere: sort the keys before taking the first.",
            "Take all that a task needs in one statement, or pg_try_advisory_lock and start over when one is not free.",
        ),
    )
