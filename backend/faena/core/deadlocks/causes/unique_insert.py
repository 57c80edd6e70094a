"""Inserts that wait to see whether the same key stays."""

import re

from faena.core.deadlocks.causes.circle import Cause, Circle, all_of_them, caused, verb, who
from faena.core.deadlocks.report import Party
from faena.core.findings import Confidence, Finding
from faena.core.sql.names import table_changed_by
from faena.core.sql.texts import normalise

_UPSERT = re.compile(r"\bon conflict\b.*\bdo update\b", re.IGNORECASE | re.DOTALL)


def unique_insert(circle: Circle) -> Finding | None:
    """Inserts that wait to see whether the same key stays."""
    inserting = [
        one
        for one in circle.parties
        if verb(circle.ran(one)) == "insert" and one.wants.lock_type in ("transactionid", "spectoken")
    ]
    told = any("inserting index tuple" in one.context for one in inserting)
    if any("FOR KEY SHARE" in one.context for one in inserting) and not told:
        return None
    alone = len(inserting) < len(circle.parties)
    # An insert waits for a row of another table on account of a foreign key, and of its own on account of a unique one.
    if not inserting or (alone and not told and not _meets_its_own(circle, inserting)):
        return None
    subject = all_of_them(circle) if not alone else who(inserting[0])
    confidence = Confidence.CERTAIN if told else Confidence.PERHAPS
    unsure = "" if told else " The log does not say so: it could be the check of a foreign key as well."
    upserting = [one for one in inserting if _UPSERT.search(normalise(circle.ran(one)))]
    if len(upserting) == len(inserting):
        return caused(
            Cause.UPSERT,
            f"{subject} insert{'' if not alone else 's'} rows of {circle.tables} or change{'' if not alone else 's'} those that are there (ON CONFLICT "
            f"DO UPDATE), and meet{'' if not alone else 's'} keys that another has written and not yet committed.{unsure}",
            (
                "Sort the rows of each statement by their key before they are sent.",
                "One statement with all rows, or a transaction for each row, but not several rows in one after the other.",
            ),
            confidence,
        )
    return caused(
        Cause.UNIQUE_INSERT,
        f"{subject} insert{'' if not alone else 's'} keys into {circle.tables} that another has written and not yet committed; each must see "
        f"whether that key stays.{unsure}",
        (
            "Insert several rows of a transaction in the order of their key.",
            "INSERT … ON CONFLICT DO NOTHING with the rows sorted, in one statement.",
            "Commit after each row where they need not succeed or fail together.",
        ),
        confidence,
    )


def _meets_its_own(circle: Circle, inserting: list[Party]) -> bool:
    """Whether all others work on the table that is inserted into."""
    tables = {table_changed_by(circle.ran(one)) for one in inserting}
    return all(table_changed_by(circle.ran(one)) in tables for one in circle.parties) and "" not in tables
