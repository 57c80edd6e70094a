"""Why a circle formed, and what mends it. Rules in the order in which they are asked; the first that fits says so."""

import re
from collections.abc import Callable, Set
from dataclasses import dataclass, replace
from enum import StrEnum

from faena.core.deadlocks.report import Party, Report
from faena.core.sql.names import target_of
from faena.core.sql.texts import normalise

_DDL = re.compile(
    r"^\s*(alter|create|drop|truncate|reindex|cluster|refresh|vacuum|comment|grant|revoke)\b", re.IGNORECASE
)
_VERB = re.compile(r"^\s*(?:with\b.*?\)\s*)?(insert|update|delete|select|lock|merge|copy)\b", re.IGNORECASE | re.DOTALL)
UNCODED = " The log has no codes of errors, so this is perhaps a message that somebody raised, and no deadlock."
RETRY = "Whatever else is done: let the program repeat a transaction that ends with 40P01 (deadlock_detected)."


class Cause(StrEnum):
    """The class of a deadlock's cause. Values are part of files and URLs."""

    OPPOSITE_ORDER = "opposite_order"
    UPGRADE = "upgrade"
    FOREIGN_KEY = "foreign_key"
    MISSING_INDEX_SCAN = "missing_index_scan"
    UNIQUE_INSERT = "unique_insert"
    UPSERT = "upsert"
    MANY_ROWS = "many_rows"
    ADVISORY = "advisory"
    TABLE_LOCK = "table_lock"
    DDL = "ddl"


class Confidence(StrEnum):
    """How far what is known carries: it was logged, the statements speak for it, or it may as well be another."""

    CERTAIN = "certain"
    LIKELY = "likely"
    PERHAPS = "perhaps"


@dataclass(frozen=True, slots=True)
class Verdict:
    """The class, what speaks for it, and what mends it, the best first."""

    cause: Cause
    reason: str
    mends: tuple[str, ...]
    confidence: Confidence = Confidence.LIKELY


_INNER = re.compile(r'SQL statement "(?P<text>(?:[^"]|"(?!\n|$))*)"(?:\n|$)')
_FUNCTION = re.compile(r"(?:PL/pgSQL|SQL) function (?P<name>[^\n(]{1,200})\(")


def ran(party: Party) -> str:
    """The statement that wanted the lock: the one inside a function or trigger, where the context tells it."""
    inner = _INNER.search(party.context)
    return inner["text"] if inner and "FOR KEY SHARE OF x" not in inner["text"] else party.statement


def _inside(party: Party) -> str:
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
        alike = (one for one in self.parties if one.context and normalise(one.statement) == normalise(party.statement))
        return next((ran(one) for one in alike), told)


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
        if verb(circle.ran(one)) == "insert" and one.wants.lock_type in ("transactionid", "spectoken")
    ]
    told = any("inserting index tuple" in one.context for one in inserting)
    if any("FOR KEY SHARE" in one.context for one in inserting) and not told:
        return None
    alone = len(inserting) < len(circle.parties)
    # An insert waits for a row of another table on account of a foreign key, and of its own on account of a unique one.
    if not inserting or (alone and not told and not _meets_its_own(circle, inserting)):
        return None
    who = _all(circle) if not alone else _who(inserting[0])
    confidence = Confidence.CERTAIN if told else Confidence.PERHAPS
    unsure = "" if told else " The log does not say so: it could be the check of a foreign key as well."
    upserting = [one for one in inserting if _UPSERT.search(normalise(circle.ran(one)))]
    if len(upserting) == len(inserting):
        return Verdict(
            Cause.UPSERT,
            f"{who} insert{'' if not alone else 's'} rows of {circle.tables} or change{'' if not alone else 's'} those that are there (ON CONFLICT "
            f"DO UPDATE), and meet{'' if not alone else 's'} keys that another has written and not yet committed.{unsure}",
            (
                "Sort the rows of each statement by their key before they are sent.",
                "One statement with all rows, or a transaction for each row, but not several rows in one after the other.",
            ),
            confidence,
        )
    return Verdict(
        Cause.UNIQUE_INSERT,
        f"{who} insert{'' if not alone else 's'} keys into {circle.tables} that another has written and not yet committed; each must see "
        f"whether that key stays.{unsure}",
        (
            "Insert several rows of a transaction in the order of their key.",
            "INSERT … ON CONFLICT DO NOTHING with the rows sorted, in one statement.",
            "Commit after each row where they need not stand or fall together.",
        ),
        confidence,
    )


_UPSERT = re.compile(r"\bon conflict\b.*\bdo update\b", re.IGNORECASE | re.DOTALL)


def _meets_its_own(circle: Circle, inserting: list[Party]) -> bool:
    """Whether all others work on the table that is inserted into."""
    tables = {target_of(circle.ran(one)) for one in inserting}
    return all(target_of(circle.ran(one)) in tables for one in circle.parties) and "" not in tables


def _foreign_key(circle: Circle) -> Verdict | None:
    checking = next((one for one in circle.parties if "FOR KEY SHARE" in one.context), None)
    if checking is None:
        # Without its context: an insert waits for somebody's row only on account of a key.
        rows = [one for one in circle.parties if one.wants.lock_type in ("transactionid", "tuple")]
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
    return Verdict(
        Cause.FOREIGN_KEY,
        f"{_who(checking)} writes a row that refers to {parent}, and must lock the row there, which the other has changed.{unsure}",
        (
            f"Change the row of {parent} first and write what refers to it afterwards, in every program.",
            f"Lock the row of {parent} at the beginning: SELECT … FROM {parent} WHERE … FOR NO KEY UPDATE.",
            "Do not touch key columns in updates: FOR NO KEY UPDATE and the check of a foreign key do not exclude each other.",
        ),
        Confidence.CERTAIN if told else Confidence.PERHAPS,
    )


def _upgrade(circle: Circle) -> Verdict | None:
    same_row, same_table = _same_place(circle.report), _same_table(circle.report)
    alike = not same_row and same_condition(circle.report) and len(set(_places(circle.report))) < 2
    if not (same_row or same_table or alike) or (alike and any(_many(circle.ran(one)) for one in circle.parties)):
        return None
    thing = f"table {circle.tables}" if same_table else f"the same row of {circle.tables}"
    unsure = (
        " They look it up by the same condition; if that is met by several rows, they lock those in different order."
        if alike
        else ""
    )
    return Verdict(
        Cause.UPGRADE,
        f"{_all(circle)} share {thing} already, and each now wants it in a stronger mode, which the share of another forbids.{unsure}",
        (
            "Take the stronger lock at once: FOR UPDATE instead of FOR SHARE, "
            "or LOCK TABLE in the mode that is needed in the end.",
            "Read without locking, and let the UPDATE check that nothing has changed meanwhile.",
        ),
        Confidence.PERHAPS if alike else Confidence.CERTAIN,
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
        Confidence.CERTAIN,
    )


def _many_rows(circle: Circle) -> Verdict | None:
    """Statements that each lock several rows of one table, as they come upon them."""
    tables = {one.wants.table or target_of(circle.ran(one)) for one in circle.parties}
    if len(tables) != 1 or not all(_many(circle.ran(one)) for one in circle.parties):
        return None
    return Verdict(
        Cause.MANY_ROWS,
        f"Each statement may lock several rows of {circle.tables}, in the order in which it comes upon them: one by an index, "
        "the other by another or by reading all. Or a statement before it in the transaction holds what the other wants.",
        (
            "Lock the rows in order first: SELECT … ORDER BY key FOR UPDATE, and change them then.",
            "Change fewer rows a statement, and commit between.",
        ),
        Confidence.PERHAPS,
    )


def _opposite_order(circle: Circle) -> Verdict | None:
    tables = {one.wants.table for one in circle.parties if one.wants.table}
    rows = f"rows of {circle.tables}" if tables else "rows"
    order = " before ".join(sorted(tables)) if len(tables) > 1 else "by their key, the smallest first"
    return Verdict(
        Cause.OPPOSITE_ORDER,
        f"The parties lock {rows} in opposite order: each holds what the next one wants{''.join(map(_inside, circle.parties[:1]))}.",
        (
            f"Keep one order in every program: {order}.",
            "Lock all rows of a task at its beginning: SELECT … ORDER BY key FOR UPDATE.",
            "Hold them for less long: nothing but the changes between the first lock and COMMIT.",
        ),
    )


RULES: tuple[Callable[[Circle], Verdict | None], ...] = (
    _advisory, _ddl, _unique_insert, _foreign_key, _upgrade, _table_lock, _missing_index_scan, _many_rows, _opposite_order,
)  # fmt: skip


def judge(report: Report, scanning: Set[int] = frozenset()) -> Verdict:
    """The class of cause, with its reason. `scanning` are pids whose plan is known to lock rows by scanning."""
    circle = Circle(report, scanning)
    found = next(verdict for rule in RULES if (verdict := rule(circle)) is not None)
    unsure = "" if report.coded else UNCODED
    return replace(found, mends=(*found.mends, RETRY), reason=found.reason + unsure)


_WHERE = re.compile(r"\bwhere\b(.*)$", re.IGNORECASE | re.DOTALL)
_PARAMETER = re.compile(r"\$\d")
_PLACE = re.compile(r"\((\d+,\d+)\)")


def _places(report: Report) -> list[str]:
    """Where the rows lie that are wanted, as far as contexts tell it."""
    return [found[1] for one in report.parties if (found := _PLACE.search(one.context))]


def _of_rows(report: Report) -> bool:
    kinds = {one.wants.lock_type for one in report.parties}
    return kinds <= {"transactionid", "tuple"} and len({one.wants.table for one in report.parties}) == 1


def _same_place(report: Report) -> bool:
    """Whether the contexts of all tell one row: then each has a share of it that forbids the rest."""
    places = _places(report)
    return _of_rows(report) and len(places) == len(report.parties) and len(set(places)) == 1


def _same_table(report: Report) -> bool:
    """Whether all want one table as a whole."""
    relations = {one.wants.said for one in report.parties}
    return all(one.wants.lock_type == "relation" for one in report.parties) and len(relations) == 1


MOST_COMPARED = 250  # characters of a statement: no server cuts one that is so short


def same_condition(report: Report) -> bool:
    """Whether all look rows of one table up by the same condition with the same values. It need not be one row."""
    looked_up = [_WHERE.search(one.statement) for one in report.parties]
    if not _of_rows(report) or any(len(one.statement) > MOST_COMPARED for one in report.parties):
        return False
    wheres = {" ".join(found[1].split()).lower() for found in looked_up if found}
    literal = all(normalise(one).lower() != one and not _PARAMETER.search(one) for one in wheres)
    return all(looked_up) and len(wheres) == 1 and literal


def same_thing(report: Report) -> bool:
    """What sets a pattern apart from one of the same statements on different things; nothing that is learnt later tells it."""
    return _same_table(report) or same_condition(report)


_ONE_EACH = re.compile(r"(?:\(?[\w.\"]+\s*=\s*(?:\?|\$\d+)\)?(?:\s+and\s+|$))+")
_BEHIND_WHERE = re.compile(
    r"\s+(?:returning|for (?:no key )?update|for (?:key )?share|limit|order by)\b.*|;.*", re.DOTALL
)


def _many(statement: str) -> bool:
    """Whether a statement may lock several rows: its condition is more than columns that equal something."""
    text = normalise(statement).lower()
    if verb(statement) not in ("update", "delete", "select"):
        return False
    found = _WHERE.search(text)
    if found is None:
        return verb(statement) != "select"
    return _ONE_EACH.fullmatch(_BEHIND_WHERE.sub("", found[1]).strip()) is None


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
