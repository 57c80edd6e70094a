"""A circle as the rules of its cause look at it: who ran what, on which rows, and whether by scanning."""

import re
from collections.abc import Callable, Sequence, Set
from dataclasses import dataclass
from typing import TypeAlias

from faena.core.deadlocks.report import ROWS, Party, Report
from faena.core.findings import Confidence, Finding, Severity
from faena.core.labels import Labelled
from faena.core.sql.texts import normalise

_VERB = re.compile(r"^\s*(?:with\b.*?\)\s*)?(insert|update|delete|select|lock|merge|copy)\b", re.IGNORECASE | re.DOTALL)
_INNER = re.compile(r'SQL statement "(?P<text>(?:[^"]|"(?!\n|$))*)"(?:\n|$)')
_FUNCTION = re.compile(r"(?:PL/pgSQL|SQL) function (?P<name>[^\n(]{1,200})\(")
_WHERE = re.compile(r"\bwhere\b(.*)$", re.IGNORECASE | re.DOTALL)
_PARAMETER = re.compile(r"\$\d")
_PLACE = re.compile(r"\((\d+,\d+)\)")
# The row of a trigger (new, old) holds one value for each of its columns, as a parameter does.
_ONE_EACH = re.compile(r"(?:\(?[\w.\"]+\s*=\s*(?:\?|\$\d+|(?:new|old)\.[\w\"]+)\)?(?:\s+and\s+|$))+")
_BEHIND_WHERE = re.compile(
    r"\s+(?:returning|for (?:no key )?update|for (?:key )?share|limit|order by)\b.*|;.*", re.DOTALL
)
MOST_COMPARED = 250  # characters of a statement: no server cuts one that is so short


class Cause(Labelled):
    """The class of a deadlock's cause. Values are part of files and URLs."""

    OPPOSITE_ORDER = "opposite_order", "locked in opposite order"
    UPGRADE = "upgrade", "shared lock, then an exclusive one"
    FOREIGN_KEY = "foreign_key", "foreign key and its parent row"
    MISSING_INDEX_SCAN = "missing_index_scan", "locks rows by scanning"
    UNIQUE_INSERT = "unique_insert", "same keys inserted"
    UPSERT = "upsert", "same keys inserted or changed"
    MANY_ROWS = "many_rows", "many rows locked in no fixed order"
    ADVISORY = "advisory", "advisory locks"
    TABLE_LOCK = "table_lock", "whole tables locked"
    DDL = "ddl", "structure changed meanwhile"


def ran(party: Party) -> str:
    """The statement that wanted the lock: the one inside a function or trigger, where the context tells it."""
    inner = _INNER.search(party.context)
    return inner["text"] if inner and "FOR KEY SHARE OF x" not in inner["text"] else party.statement


def inside_function(party: Party) -> str:
    """In which function it waited, in words; "" where it was none."""
    found = _FUNCTION.search(party.context)
    return f" in the function {found['name']}, which its statement calls or a trigger" if found else ""


@dataclass(frozen=True, slots=True)
class Circle:
    """A report with what every rule asks of it. `scanning` holds the parties whose plan locks rows by scanning a table."""

    report: Report
    scanning: Set[int]

    @property
    def parties(self) -> tuple[Party, ...]:
        return self.report.parties

    @property
    def tables(self) -> str:
        names = sorted({one.wants.table for one in self.parties if one.wants.table})
        return " and ".join(names) if names else "what they touch"

    def ran(self, party: Party) -> str:
        """What wanted the lock: of a survivor, whose context is not logged, as of another that ran the same statement."""
        told = ran(party)
        if told is not party.statement or party.context:
            return told
        alike = told_of_alike(party, self.parties)
        return told if alike is None else ran(alike)


def told_of_alike(party: Party, parties: Sequence[Party]) -> Party | None:
    """Another that ran the same statement, literals aside, and of which the log tells in what context it waited."""
    alike = (one for one in parties if one.context and normalise(one.statement) == normalise(party.statement))
    return next(alike, None)


Rule: TypeAlias = Callable[[Circle], Finding | None]


def caused(cause: Cause, reason: str, mends: tuple[str, ...], confidence: Confidence = Confidence.LIKELY) -> Finding:
    """A deadlock's cause, what speaks for it, and what mends it, the best first."""
    return Finding(
        kind=cause, severity=Severity.SOON, sentence=reason, next_step=mends[0], further_steps=mends[1:],
        confidence=confidence,
    )  # fmt: skip


def verb(statement: str) -> str:
    """What a statement does, in one word; "" when it cannot be told."""
    match = _VERB.match(normalise(statement[:2000]))
    return match[1].lower() if match else ""


def places(report: Report) -> list[str]:
    """Where the rows lie that are wanted, as far as contexts tell it."""
    return [found[1] for one in report.parties if (found := _PLACE.search(one.context))]


def of_rows(report: Report) -> bool:
    kinds = {one.wants.lock_type for one in report.parties}
    return kinds <= ROWS and len({one.wants.table for one in report.parties}) == 1


def same_place(report: Report) -> bool:
    """Whether the contexts of all tell one row: then each has a share of it that forbids the rest."""
    found = places(report)
    return of_rows(report) and len(found) == len(report.parties) and len(set(found)) == 1


def same_table(report: Report) -> bool:
    """Whether all want one table as a whole."""
    relations = {one.wants.said for one in report.parties}
    return all(one.wants.lock_type == "relation" for one in report.parties) and len(relations) == 1


def same_condition(report: Report) -> bool:
    """Whether all look rows of one table up by the same condition with the same values. It need not be one row."""
    looked_up = [_WHERE.search(one.statement) for one in report.parties]
    if not of_rows(report) or any(len(one.statement) > MOST_COMPARED for one in report.parties):
        return False
    wheres = {" ".join(found[1].split()).lower() for found in looked_up if found}
    literal = all(normalise(one).lower() != one and not _PARAMETER.search(one) for one in wheres)
    return all(looked_up) and len(wheres) == 1 and literal


def same_thing(report: Report) -> bool:
    """What sets a pattern apart from one of the same statements on different things; nothing that is learnt later tells it."""
    return same_table(report) or same_condition(report)


def may_lock_many(statement: str) -> bool:
    """Whether a statement may lock several rows: its condition is more than columns that equal something."""
    text = normalise(statement).lower()
    if verb(statement) not in ("update", "delete", "select"):
        return False
    found = _WHERE.search(text)
    if found is None:
        return verb(statement) != "select"
    return _ONE_EACH.fullmatch(_BEHIND_WHERE.sub("", found[1]).strip()) is None


def all_of_them(circle: Circle) -> str:
    return "Both" if len(circle.parties) == 2 else f"All {len(circle.parties)}"


def who(party: Party) -> str:
    return party.program or f"pid {party.pid}"
