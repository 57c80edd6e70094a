"""Deadlocks out of the stream of what a log tells, with what it told of their parties before."""

from collections import OrderedDict
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import TypeVar

from faena.core.deadlocks.cause import judge, sentence
from faena.core.deadlocks.causes.circle import told_of_alike
from faena.core.deadlocks.pattern import pattern_of, shape_of, statement_shape
from faena.core.deadlocks.report import ROWS, Party, Report, ReportGrammar
from faena.core.findings import Finding
from faena.core.logged import EventKind, Execution, LogEvent

K = TypeVar("K")
V = TypeVar("V")

MAX_SESSIONS = 5_000  # what was last heard of so many sessions is kept
FRESH_MS = 600_000  # and believed for so long: a pid is used again


@dataclass(frozen=True, slots=True, kw_only=True)
class Deadlock:
    """A deadlock read, judged and told."""

    report: Report
    pattern: str
    cause: Finding
    sentence: str


class DeadlockReader:
    """Give it what a log tells in order; it remembers who the sessions are, since a report names the victim alone.

    `scans` says of a statement and its plan whether it scans the rows that it locks (answers/scanning.py).
    """

    def __init__(self, grammar: ReportGrammar, scans: Callable[[str, str], bool]) -> None:
        self._grammar = grammar
        self._scans_what_it_locks = scans
        self._heard: OrderedDict[int, LogEvent | Execution] = OrderedDict()
        self._waits: OrderedDict[int, LogEvent] = OrderedDict()
        self._scans: OrderedDict[str, None] = OrderedDict()  # shapes of statements whose plan scans what it locks

    def take(self, happening: LogEvent | Execution, names: Mapping[int, str] | None = None) -> Deadlock | None:
        """The deadlock, if it is one. Raises BadReport when the log's entry of one cannot be read."""
        self._remember(happening)
        if isinstance(happening, Execution) or happening.kind is not EventKind.DEADLOCK:
            return None
        report = self._filled(self._grammar.read(happening, names or {}), names or {})
        return told(report, frozenset(one.pid for one in report.parties if shape_of(one)[0] in self._scans))

    def again(self, found: Deadlock) -> Deadlock:
        """The same, judged by all plans that were told by now: that of its statement is often logged only later."""
        scanning = frozenset(one.pid for one in found.report.parties if shape_of(one)[0] in self._scans)
        return told(found.report, scanning) if scanning else found

    def _remember(self, happening: LogEvent | Execution) -> None:
        _put(self._heard, happening.pid, happening)
        if isinstance(happening, LogEvent):
            if happening.kind is EventKind.LOCK_WAIT:
                _put(self._waits, happening.pid, happening)
        elif happening.plan and self._scans_what_it_locks(happening.statement, happening.plan):
            _put(self._scans, statement_shape(happening.statement), None)

    def _filled(self, report: Report, names: Mapping[int, str]) -> Report:
        """Survivors with what the log told of them shortly before: who they are, and in what context they waited."""
        known = tuple(self._known(one, report, names) for one in report.parties)
        return replace(report, parties=tuple(_as_alike(one, known) for one in known))

    def _known(self, party: Party, report: Report, names: Mapping[int, str]) -> Party:
        heard, wait = self._heard.get(party.pid), self._waits.get(party.pid)
        if (
            wait is not None
            and report.at - wait.at <= FRESH_MS
            and not party.context
            and wait.statement[:60] == party.statement[:60]
        ):
            party = self._grammar.named(replace(party, context=wait.context), names)
        if heard is None or party.program or party.user or report.at - _at(heard) > FRESH_MS:
            return party
        return replace(party, program=heard.program, user=heard.user, database=heard.database, client=heard.client)


def told(report: Report, scanning: frozenset[int] = frozenset()) -> Deadlock:
    """The report with its pattern, cause and sentence."""
    return Deadlock(report=report, pattern=pattern_of(report), cause=judge(report, scanning), sentence=sentence(report))


def _as_alike(party: Party, parties: Sequence[Party]) -> Party:
    """A survivor whose context the log did not tell wanted a row of the table that another with its statement wanted.

    Its own words name only the table that it changes itself, and a trigger or a foreign key takes it to others.
    """
    alike = None if party.context else told_of_alike(party, parties)
    if alike is None or alike.wants.lock_type not in ROWS or party.wants.lock_type not in ROWS:
        return party
    return replace(party, wants=party.wants._replace(table=alike.wants.table))


def _at(happening: LogEvent | Execution) -> int:
    return happening.ended if isinstance(happening, Execution) else happening.at


def _put(kept: OrderedDict[K, V], key: K, one: V) -> None:
    kept[key] = one
    kept.move_to_end(key)
    if len(kept) > MAX_SESSIONS:
        kept.popitem(last=False)
