"""Which deadlocks are the same: the same statements in the same order of waiting, whatever their literals and pids."""

import hashlib
from collections.abc import Sequence

from faena.core.deadlocks.causes.circle import same_thing
from faena.core.deadlocks.report import ROWS, Party, Report
from faena.core.sql.lexer import Kind, tokens_of

SHAPE_CHARACTERS = 400  # servers cut off the statements of survivors, so only the beginning can be compared


def shape_of(party: Party) -> tuple[str, str, str]:
    """Its statement without literals, and what kind of thing it wanted; of whole tables also in which mode.

    Which of both ways a row is waited for is chance, so that is not told apart.
    """
    text = statement_shape(party.statement)
    kind = "row" if party.wants.lock_type in ROWS else party.wants.lock_type
    return text, kind, party.wants.mode if kind == "relation" else ""


def statement_shape(text: str) -> str:
    """A statement without literals, up to its first text or list of values.

    What stands behind those is there or cut off as their length will have it, and the same statement is one either way.
    """
    words = list[str]()
    for kind, start, end in tokens_of(text).tokens:
        match kind:
            case Kind.SPACE | Kind.COMMENT:
                if words and words[-1] != " ":
                    words.append(" ")
            case Kind.NUMBER | Kind.PLACE:
                words.append("?")
            case Kind.STRING:
                break  # as where one is cut off
            case Kind.SIGN if text[start] == "," and _in_list(words):
                break
            case _:
                words.append(text[start:end].lower())
        if len(words) > SHAPE_CHARACTERS:
            break
    return "".join(words).strip()[:SHAPE_CHARACTERS]


def _in_list(words: Sequence[str]) -> bool:
    """Whether the last words are a bracket and its first value."""
    told = [one for one in words[-4:] if one != " "]
    return told[-2:] == ["(", "?"]


def pattern_of(report: Report) -> str:
    """A stable identifier of 12 hexadecimal digits. Roles can be swapped: a circle has no beginning.

    That all look rows up by the same values sets a pattern apart from one of the same statements on different rows.
    """
    shapes = [shape_of(party) for party in report.parties]
    turned = min([*shapes[i:], *shapes[:i]] for i in range(len(shapes)))
    return hashlib.blake2b(repr((turned, same_thing(report))).encode(), digest_size=6).hexdigest()
