"""Why a circle formed, and what mends it. Rules in the order in which they are asked; the first that fits says so."""

import re
from collections.abc import Callable, Set
from dataclasses import dataclass
from enum import StrEnum

from faena.core.deadlocks.report import Party, Report
from faena.core.sql.texts import normalise

_DDL = re.compile(
    r"^\s*(alter|create|drop|truncate|reindex|cluster|refresh|vacuum|comment|grant|revoke)\b", re.IGNORECASE
)
_VERB = re.compile(r"^\s*(?:with\b.*?\)\s*)?(insert|update|delete|select|lock|merge|copy)\b", re.IGNORECASE | re.DOTALL)
RETRY = "Whatever else is done: let the program repeat a transaction that ends with 40P01 (deadlock_detected)."


class Cause(StrEnum):
    """The class of a deadlock's cause. Values are part of files and URLs."""

    OPPOSITE_ORDER = "opposite_order"
    UPGRADE = "upgrade"
    FOREIGN_KEY = "foreign_key"
    MISSING_INDEX_SCAN = "missing_index_scan"
    UNIQUE_INSERT = "unique_insert"
    ADVISORY = "advisory"
    TABLE_LOCK = "table_lock"
    DDL = "ddl"


@dataclass(frozen=True, slots=True)
class Verdict:
    """The class, what speaks for it, and what mends it, the best first."""

    cause: Cause
    reason: str
    mends: tuple[str, ...]


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


def verb(statement: str) -> str:
    """What a statement does, in one word; "" when it cannot be told."""
    match = _VERB.match(normalise(statement[:2000]))
    return match[1].lower() if match else ""


def _advisory(circle: Circle) -> Verdict | None:
    if all(one.wants.lock_type != "advisory" for one in circle.parties):
        return None
    return Verdict(
        Cause.ADVISORY,
        "The parties wait for advisory locks, which only the programs give a meaning.",
        (
            "Take advisory locks in one order everywhere: sort the keys before taking the first.",
            "Take all that a task needs in one statement, or pg_try_advisory_lock and begin anew when one is not free.",
        ),
    )


def _ddl(circle: Circle) -> Verdict | None:
    changing = next((one for one in circle.parties if _DDL.match(normalise(one.statement[:2000]))), None)
    if changing is None:
        return None
    return Verdict(
        Cause.DDL,
        f"{_who(changing)} changes the structure of {circle.tables} while others work with it.",
        (
            "Run such changes one statement a transaction, with SET lock_timeout = '2s', and repeat them when they time out.",
            "If several tables are changed, lock them first, in the order in which the programs touch them.",
        ),
    )


def _unique_insert(circle: Circle) -> Verdict | None:
    inserting = [
        one
        for one in circle.parties
        if verb(one.statement) == "insert" and one.wants.lock_type in ("transactionid", "spectoken")
    ]
    told = any("inserting index tuple" in one.context for one in inserting)
    if not told and not (
        len(inserting) == len(circle.parties) and all("FOR KEY SHARE" not in one.context for one in inserting)
    ):
        return None
    return Verdict(
        Cause.UNIQUE_INSERT,
        f"{_all(circle)} insert keys into {circle.tables} that another has inserted and not yet committed; each must see "
        "whether that key stays.",
        (
            "Insert several rows of a transaction in the order of their key.",
            "INSERT … ON CONFLICT DO NOTHING with the rows sorted, in one statement.",
            "Commit after each row where they need not stand or fall together.",
        ),
    )


def _foreign_key(circle: Circle) -> Verdict | None:
    checking = next((one for one in circle.parties if "FOR KEY SHARE" in one.context), None)
    if checking is None:
        # Without its context: an insert waits for somebody's row only on account of a key.
        rows = [one for one in circle.parties if one.wants.lock_type in ("transactionid", "tuple")]
        checking = next((one for one in rows if verb(one.statement) == "insert"), None)
    if checking is None:
        return None
    parent = checking.wants.table or "the table referred to"
    return Verdict(
        Cause.FOREIGN_KEY,
        f"{_who(checking)} writes a row that refers to {parent}, and must lock the row there, which the other has changed.",
        (
            f"Change the row of {parent} first and write what refers to it afterwards, in every program.",
            f"Lock the row of {parent} at the beginning: SELECT … FROM {parent} WHERE … FOR NO KEY UPDATE.",
            "Do not touch key columns in updates: FOR NO KEY UPDATE and the check of a foreign key do not exclude each other.",
        ),
    )


def _upgrade(circle: Circle) -> Verdict | None:
    same_row, same_table = same_thing(circle.report)
    if not same_row and not same_table:
        return None
    thing = f"table {circle.tables}" if same_table else f"the same row of {circle.tables}"
    return Verdict(
        Cause.UPGRADE,
        f"{_all(circle)} share {thing} already, and each now wants it in a stronger mode, which the share of another forbids.",
        (
            "Take the stronger lock at once: FOR UPDATE instead of FOR SHARE, "
            "or LOCK TABLE in the mode that is needed in the end.",
            "Read without locking, and let the UPDATE check that nothing has changed meanwhile.",
        ),
    )


def _table_lock(circle: Circle) -> Verdict | None:
    locking = [one for one in circle.parties if one.wants.lock_type == "relation"]
    if not locking and all(verb(one.statement) != "lock" for one in circle.parties):
        return None
    return Verdict(
        Cause.TABLE_LOCK,
        f"The parties lock whole tables ({circle.tables}), each in its own order.",
        (
            "Take all table locks of a task in one LOCK TABLE a, b, c statement, in one order everywhere.",
            "Ask whether row locks would do.",
        ),
    )


def _missing_index_scan(circle: Circle) -> Verdict | None:
    scanning = next((one for one in circle.parties if one.pid in circle.scanning), None)
    if scanning is None:
        return None
    table = scanning.wants.table or "the table"
    return Verdict(
        Cause.MISSING_INDEX_SCAN,
        f"{_who(scanning)} finds the rows it locks by scanning {table}: it meets them in the order in which they lie there, "
        "whatever order others keep, and takes long over it.",
        (
            f"An index on what it looks for in {table}: see the plan and its proposal.",
            "Until then, lock the rows in order first: SELECT … ORDER BY key FOR UPDATE.",
        ),
    )


def _opposite_order(circle: Circle) -> Verdict | None:
    tables = {one.wants.table for one in circle.parties if one.wants.table}
    rows = f"rows of {circle.tables}" if tables else "rows"
    order = " before ".join(sorted(tables)) if len(tables) > 1 else "by their key, the smallest first"
    return Verdict(
        Cause.OPPOSITE_ORDER,
        f"The parties lock {rows} in opposite order: each holds what the next one wants.",
        (
            f"Keep one order in every program: {order}.",
            "Lock all rows of a task at its beginning: SELECT … ORDER BY key FOR UPDATE.",
            "Hold them for less long: nothing but the changes between the first lock and COMMIT.",
        ),
    )


RULES: tuple[Callable[[Circle], Verdict | None], ...] = (
    _advisory, _ddl, _unique_insert, _foreign_key, _upgrade, _table_lock, _missing_index_scan, _opposite_order,
)  # fmt: skip


def judge(report: Report, scanning: Set[int] = frozenset()) -> Verdict:
    """The class of cause, with its reason. `scanning` are pids whose plan is known to lock rows by scanning."""
    circle = Circle(report, scanning)
    found = next(verdict for rule in RULES if (verdict := rule(circle)) is not None)
    return Verdict(found.cause, found.reason, (*found.mends, RETRY))


_WHERE = re.compile(r"\bwhere\b(.*)$", re.IGNORECASE | re.DOTALL)
_PARAMETER = re.compile(r"\$\d")
_PLACE = re.compile(r"\((\d+,\d+)\)")


def same_thing(report: Report) -> tuple[bool, bool]:
    """Whether all parties want the same row, and whether the same table: then each has a share of it that forbids the rest.

    A row shows by its place where the contexts tell it; else by the literals that statements look it up by.
    """
    relations = {one.wants.said for one in report.parties}
    tables = all(one.wants.lock_type == "relation" for one in report.parties) and len(relations) == 1
    if any(one.wants.lock_type not in ("transactionid", "tuple") for one in report.parties):
        return False, tables
    if len({one.wants.table for one in report.parties}) != 1:
        return False, False
    contexts = [_PLACE.search(one.context) for one in report.parties]
    if all(contexts):
        return len({found[1] for found in contexts if found}) == 1, False
    looked_up = [_WHERE.search(one.statement) for one in report.parties]
    wheres = {" ".join(found[1].split()).lower() for found in looked_up if found}
    literal = all(normalise(one).lower() != one and not _PARAMETER.search(one) for one in wheres)
    return all(looked_up) and len(wheres) == 1 and literal, False


def _all(circle: Circle) -> str:
    return "Both" if len(circle.parties) == 2 else f"All {len(circle.parties)}"


def _who(party: Party) -> str:
    return party.program or f"pid {party.pid}"


def sentence(report: Report) -> str:
    """What happened, from the victim on."""
    steps = [
        f"{_who(one)} (pid {one.pid}) wanted {one.wants.words}, which {_who(_of(report, one.waits_for))} "
        f"(pid {one.waits_for}) held"
        for one in report.parties
    ]
    return f"{'; '.join(steps)}. The server ended the transaction of {_who(report.victim)}."


def _of(report: Report, pid: int) -> Party:
    return next(one for one in report.parties if one.pid == pid)
