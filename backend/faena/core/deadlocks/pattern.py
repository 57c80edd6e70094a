"""Which deadlocks are the same: the same statements in the same order of waiting, whatever their literals and pids."""

import hashlib
import re

from faena.core.deadlocks.cause import same_thing
from faena.core.deadlocks.report import Party, Report
from faena.core.sql.texts import normalise

SHAPE_CHARACTERS = 400  # servers cut off the statements of survivors, so only the beginning can be compared
_OPEN_LIST = re.compile(r"\(\s*\?(?:\s*,\s*\?)*\s*,?\s*$")


def shape_of(party: Party) -> tuple[str, str, str]:
    """Its statement without literals, and what kind of thing it wanted; of whole tables also in which mode.

    Rows are waited for as a transaction or as a place in line, whichever it happens to be, so that is not told apart.
    """
    text = statement_shape(party.statement)
    kind = "row" if party.wants.lock_type in ("transactionid", "tuple") else party.wants.lock_type
    return text, kind, party.wants.mode if kind == "relation" else ""


def statement_shape(text: str) -> str:
    """A statement without literals, as far as it can be compared with one that was cut off."""
    return _OPEN_LIST.sub("(?", normalise(text)).lower()[:SHAPE_CHARACTERS]


def pattern_of(report: Report) -> str:
    """A stable identifier of 12 hexadecimal digits. Roles can be swapped: a circle has no beginning.

    That all want the same row sets a pattern apart from one of the same statements on different rows.
    """
    shapes = [shape_of(party) for party in report.parties]
    turned = min([*shapes[i:], *shapes[:i]] for i in range(len(shapes)))
    return hashlib.blake2b(repr((turned, any(same_thing(report)))).encode(), digest_size=6).hexdigest()
