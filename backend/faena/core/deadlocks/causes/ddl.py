"""A change of structure among those who work."""

import re

from faena.core.deadlocks.causes.circle import Cause, Circle, caused, who
from faena.core.findings import Finding
from faena.core.sql.texts import normalise

_DDL = re.compile(
    r"^\s*(alter|create|drop|truncate|reindex|cluster|refresh|vacuum|comment|grant|revoke)\b", re.IGNORECASE
)


def ddl(circle: Circle) -> Finding | None:
    """A change of structure among those who work."""
    changing = next((one for one in circle.parties if _DDL.match(normalise(one.statement[:2000]))), None)
    if changing is None:
        return None
    return caused(
        Cause.DDL,
        f"{who(changing)} changes the structure of {circle.tables} while others work with it.",
        (
            "Run such changes one statement a transaction, with SET lock_timeout = '2s', and repeat them when they time out.",
            "If several tables are changed, lock them first, in the order in which the programs touch them.",
        ),
    )
