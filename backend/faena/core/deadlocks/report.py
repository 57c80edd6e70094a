"""A deadlock as a server reports it: who waited for whose lock, and which statement each was running."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import NamedTuple

from faena.core.errors import BadInput
from faena.core.logged import LogEvent
from faena.core.units import EpochMs, Pid

MAX_PARTIES = 100
ROWS = frozenset(("transactionid", "tuple"))  # a row is waited for as its transaction's end or as a place in line


class BadReport(BadInput):
    """Not a deadlock report that we can read."""

    def __init__(self, reason: str) -> None:
        super().__init__(reason, field="detail")


class Wanted(NamedTuple):
    """What a party waited for. `lock_type` as in the lock table, `said` the server's words, `relation` a number, 0 unknown.

    `table` is its name, "" where nobody can tell.
    """

    mode: str
    lock_type: str
    said: str
    relation: int = 0
    table: str = ""

    @property
    def words(self) -> str:
        """A name for people."""
        match self.lock_type:
            case kind if kind in ROWS:
                return f"a row of {self.table}" if self.table else self.said
            case "relation":
                return f"table {self.table}" if self.table else self.said
            case "extend":
                return f"the end of table {self.table}" if self.table else self.said
        return self.said


@dataclass(frozen=True, slots=True, kw_only=True)
class Party:
    """One of a circle. `statement` is what it ran when it waited, as the server tells it, cut off where that cut it."""

    pid: Pid
    wants: Wanted
    waits_for: Pid
    statement: str = ""
    context: str = ""
    program: str = ""
    user: str = ""
    database: str = ""
    client: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Report:
    """A circle in the order of waiting: each party waits for the next, the last for the first, which is the victim."""

    at: EpochMs
    parties: tuple[Party, ...]
    raw: str
    coded: bool = True  # whether the log tells codes of errors, so that it is no message that somebody raised

    @property
    def victim(self) -> Party:
        return self.parties[0]


@dataclass(frozen=True, slots=True)
class ReportGrammar:
    """How an engine writes its reports. `read` raises BadReport; `named` adds the table of what a party wanted.

    Both take names of relations by their numbers.
    """

    read: Callable[[LogEvent, Mapping[int, str]], Report]
    named: Callable[[Party, Mapping[int, str]], Party]
