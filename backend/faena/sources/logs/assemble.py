"""Joins the entries that belong to one execution, and names what went wrong.

A server logs an execution in pieces: its plan and temporary files when they are done with, then a duration for each
phase of the extended protocol that passed the threshold, or one for all of a simple statement.
"""

import re
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field
from html import unescape
from typing import TypeAlias

import orjson

from faena.core.logged import EventKind, Execution, LogEvent
from faena.core.units import EpochMs, Pid, QueryId
from faena.sources.logs.entries import Entry
from faena.sources.logs.languages import entry_in_english

Happening: TypeAlias = Execution | LogEvent

PATIENCE_MS = 5_000  # how long, by the log's own time, pieces of an execution wait for the rest
LINGER_MS = 1_000
_new = tuple.__new__  # see formats.py
_FAILURES = frozenset({"ERROR", "FATAL", "PANIC"})
MAX_PENDING = 20_000  # sessions with pieces; far above what one server can have
# In another language the words differ, but not the figure, its unit and the two spaces behind it.
_DURATION = re.compile(
    r"(?P<word>[^\s:]+)\s?: (?P<ms>\d{1,12}[.,]\d{1,6}) (?:ms|мс|毫秒|ミリ秒)(?:  (?P<phase>[^\s:]+)(?: (?P<name>[^:]*))?:\s*(?P<text>.*))?",
    re.DOTALL,
)
_TEMP = re.compile(r'temporary file: path "[^"]*", size (\d{1,18})')
_LOCK_WAIT = re.compile(r"process \d+ (?:still waiting for|acquired) .* after (\d{1,12}\.\d{1,6}) ms", re.DOTALL)
_SPOKEN = re.compile(r"(?:statement|execute [^:]*): (.*)", re.DOTALL)
_JSON_TEXT = re.compile(r'\s*+\{\s*+"Query Text": ("(?:[^"\\]++|\\[\s\S])*+")')
_YAML_TEXT = re.compile(r'\s*+Query Text: ("(?:[^"\\]++|\\[\s\S])*+")[ \t]*+\n\s*+Plan:')
_XML_TEXT = re.compile(r"\s*+<explain [^>]{0,200}+>\s*+<Query-Text>([^<]*+)</Query-Text>")
_TEXT_BEGINS = re.compile(r"\s*+Query Text: ")

_BY_STATE: dict[str, EventKind] = {
    "40P01": EventKind.DEADLOCK, "40001": EventKind.SERIALIZATION_FAILURE, "55P03": EventKind.TIMEOUT,
    "25P03": EventKind.TIMEOUT, "25P04": EventKind.TIMEOUT, "57P05": EventKind.TIMEOUT, "57014": EventKind.CANCEL,
    "57P01": EventKind.CANCEL, "53300": EventKind.CONNECTION_REFUSED, "57P03": EventKind.CONNECTION_REFUSED,
    "3D000": EventKind.CONNECTION_REFUSED, "53100": EventKind.OUT_OF_SPACE, "57P02": EventKind.CRASH,
}  # fmt: skip
# For logs that carry no code: the beginning of the server's own words.
_BY_WORDS: tuple[tuple[str, EventKind], ...] = (
    ("deadlock detected", EventKind.DEADLOCK),
    ("could not serialize access", EventKind.SERIALIZATION_FAILURE),
    ("canceling statement due to statement timeout", EventKind.TIMEOUT),
    ("canceling statement due to lock timeout", EventKind.TIMEOUT),
    ("could not obtain lock on", EventKind.TIMEOUT),
    ("terminating connection due to idle", EventKind.TIMEOUT),
    ("canceling statement due to", EventKind.CANCEL),
    ("canceling autovacuum task", EventKind.CANCEL),  # by one who waited for a lock that it held
    ("terminating connection due to", EventKind.CANCEL),
    ("sorry, too many clients", EventKind.CONNECTION_REFUSED),
    ("remaining connection slots", EventKind.CONNECTION_REFUSED),
    ("too many connections", EventKind.CONNECTION_REFUSED),
    ("password authentication failed", EventKind.CONNECTION_REFUSED),
    ("no pg_hba.conf entry", EventKind.CONNECTION_REFUSED),
    ("the database system is", EventKind.CONNECTION_REFUSED),
)


@dataclass(slots=True)
class _Pieces:
    """Of one session, since its last whole execution."""

    at: int
    phases: dict[str, tuple[float, Entry, str]] = field(default_factory=dict)  # parse, bind: ms, entry, text
    plans: list[tuple[float, str, Entry]] = field(default_factory=list)
    temp_bytes: int = 0
    temp: Entry | None = None
    spoken: str = ""


class Assembler:
    """Feed entries in the order of the log, and take what became whole from time to time."""

    def __init__(self) -> None:
        self._pieces: dict[int, _Pieces] = {}
        self._found: list[Happening] = []
        self._last: dict[int, int] = {}  # by session, where in `_found` its last execution stands
        self._now = 0
        self.foreign = 0  # entries in another language than English

    def feed(self, entries: Iterable[Entry | Execution]) -> int:
        """More entries; executions that are told in one come as such. Returns how many there were."""
        found, pieces, last, count = self._found, self._pieces, self._last, 0
        for one in entries:
            count += 1
            if not isinstance(one, Execution):
                self._piece(one)
                continue
            pid = one.pid
            if pid in pieces:
                self._whole(one)
                continue
            if one.execute_ms is not None:
                last[pid] = len(found)
            found.append(one)
        if count:
            self._now = one.ended if isinstance(one, Execution) else one.at
        return count

    def _piece(self, entry: Entry) -> None:
        entry = entry_in_english(entry)
        pid, severity, message = entry.pid, entry.severity, entry.message
        if severity not in _FAILURES and (match := _DURATION.match(message)):
            word, ms, phase, _, text = match.groups()
            self._duration(entry, word, float(ms.replace(",", ".")), phase, text or "")
        elif severity in _FAILURES or (entry.sqlstate and entry.sqlstate[:2] not in ("00", "01")):
            self._pieces.pop(pid, None)  # what it did before it failed is not an execution
            self._found.append(_event(entry, kind_of(entry), None))
        elif message.startswith("temporary file:"):
            self._temporary(entry)
        elif message.startswith("process ") and (waited := _LOCK_WAIT.match(message)):
            self._found.append(_event(entry, EventKind.LOCK_WAIT, float(waited[1])))
        elif spoken := _SPOKEN.match(message):
            self._of(entry).spoken = spoken[1]

    def take(self, *, all_of_it: bool) -> list[Happening]:
        """What is whole by now; all that there is when nothing more will come, or nothing came for a while.

        The last second stays, since the plan of an execution in the extended protocol comes behind it.
        """
        for pid, pieces in list(self._pieces.items()):
            if all_of_it or self._now - pieces.at > PATIENCE_MS or len(self._pieces) > MAX_PENDING:
                del self._pieces[pid]
                self._found.extend(_leftovers(pieces))
        cut = len(self._found)
        while not all_of_it and cut and _moment(self._found[cut - 1]) >= self._now - LINGER_MS:
            cut -= 1
        taken, self._found = self._found[:cut], self._found[cut:]
        self._last = {pid: at - cut for pid, at in self._last.items() if at >= cut}
        return taken

    def _of(self, entry: Entry) -> _Pieces:
        pieces = self._pieces.get(entry.pid)
        if pieces is None:
            pieces = self._pieces[entry.pid] = _Pieces(entry.at)
        pieces.at = entry.at
        return pieces

    def _duration(self, entry: Entry, word: str, took: float, phase: str | None, text: str) -> None:
        if word != "duration":
            self.foreign += 1
            phase = "plan" if text and _is_plan(text) else phase and "statement"
        if phase == "plan":
            if not self._belongs_to_last(entry.pid, took, text):
                self._of(entry).plans.append((took, text, entry))
        elif phase in ("parse", "bind"):
            pieces = self._of(entry)
            if phase in pieces.phases or any(other[2] != text for other in pieces.phases.values()):
                self._found.extend(_phases_alone(pieces))
            pieces.phases[phase] = (took, entry, text)
        else:
            self._whole(_execution(entry, took, text, None, None, took if phase == "execute" else None, 0, ""))

    def _belongs_to_last(self, pid: int, took: float, plan: str) -> bool:
        """Whether it is the plan of the execution just logged: extended ones end only when their portal is closed."""
        at = self._last.get(pid)
        last = self._found[at] if at is not None else None
        if at is None or not isinstance(last, Execution) or last.plan or took > last.took_ms + 1:
            return False
        if not _same(plan, last.statement):
            return False
        self._found[at] = last._replace(plan=plan)
        return True

    def _whole(self, told: Execution) -> None:
        pieces = self._pieces.pop(told.pid, None) or _Pieces(told.ended)
        text, took = told.statement or pieces.spoken, told.took_ms
        plan = next((plan for ms, plan, _ in reversed(pieces.plans) if ms <= took + 1 and _same(plan, text)), "")
        before = dict[str, float]()
        if told.execute_ms is not None:
            before = {name: ms for name, (ms, _, of) in pieces.phases.items() if of == text}
        if not before:
            self._found.extend(_phases_alone(pieces))
        self._found.extend(_from_plan(of, ms, nested) for ms, nested, of in pieces.plans if nested is not plan)
        self._last[told.pid] = len(self._found)
        self._found.append(
            told._replace(
                took_ms=took + sum(before.values()),
                statement=text,
                parse_ms=before.get("parse"),
                bind_ms=before.get("bind"),
                temp_bytes=pieces.temp_bytes,
                plan=plan,
            )
        )

    def _temporary(self, entry: Entry) -> None:
        if size := _TEMP.match(entry.message):
            pieces = self._of(entry)
            pieces.temp_bytes += int(size[1])
            pieces.temp = entry


def kind_of(entry: Entry) -> EventKind:
    """By its code, else by the server's own words."""
    message, state = entry.message, entry.sqlstate
    if entry.context.split("\n", 1)[0].endswith(" at RAISE"):
        return EventKind.ERROR  # somebody's words, whatever they are
    if state == "57014" and "timeout" in message:
        return EventKind.TIMEOUT
    if state == "40001" and "conflict with recovery" in message:
        return EventKind.CANCEL
    if state in _BY_STATE:
        return _BY_STATE[state]
    if state.startswith("28"):
        return EventKind.CONNECTION_REFUSED
    if not state:
        for words, kind in _BY_WORDS:
            if message.startswith(words):
                return kind
        if "No space left on device" in message:
            return EventKind.OUT_OF_SPACE
    return EventKind.CRASH if entry.severity == "PANIC" else EventKind.ERROR


def _execution(
    entry: Entry,
    took: float,
    text: str,
    parse_ms: float | None,
    bind_ms: float | None,
    execute_ms: float | None,
    temp_bytes: int,
    plan: str,
) -> Execution:
    at, pid, _, _, place, user, database, program, client, _, query_id, detail, _, _ = entry
    parameters = detail[12:] if detail[1:12] == "arameters: " else ""  # a capital since version 16
    return _new(
        Execution,
        (
            at, took, pid, place, text, query_id, parameters, database, user, program, client,
            parse_ms, bind_ms, execute_ms, temp_bytes, plan, 1.0,
        ),
    )  # fmt: skip


def _phases_alone(pieces: _Pieces) -> Iterator[Execution]:
    """A parse or bind that passed the threshold while its execution did not."""
    phases, pieces.phases = pieces.phases, {}
    for name, (ms, entry, text) in phases.items():
        parse_ms, bind_ms = (ms, None) if name == "parse" else (None, ms)
        yield _execution(entry, ms, text, parse_ms, bind_ms, None, 0, "")


def _from_plan(entry: Entry, took: float, plan: str) -> Execution:
    """A plan whose execution is not logged by itself, or a statement inside a function."""
    return _execution(entry, took, text_of_plan(plan), None, None, None, 0, plan)


def _leftovers(pieces: _Pieces) -> Iterator[Happening]:
    yield from _phases_alone(pieces)
    for ms, plan, entry in pieces.plans:
        yield _from_plan(entry, ms, plan)
    if pieces.temp is not None:
        yield _event(pieces.temp, EventKind.TEMP_FILE, None)


def _is_plan(text: str) -> bool:
    """Whether auto_explain wrote it, in whatever language the server speaks."""
    return any(one.match(text) for one in (_JSON_TEXT, _TEXT_BEGINS, _XML_TEXT))


def text_of_plan(plan: str) -> str:
    """The statement that auto_explain wrote at the head of a plan; empty when it did not.

    In text it can have several lines, and ends where its parameters or the first step stand.
    """
    if quoted := _JSON_TEXT.match(plan) or _YAML_TEXT.match(plan):
        text: str = json_string(quoted[1])
        return text
    if marked := _XML_TEXT.match(plan):
        return unescape(marked[1])
    begun = _TEXT_BEGINS.match(plan)
    if begun is None:
        return ""
    lines = plan[begun.end() :].split("\n")
    end = next((i for i, line in enumerate(lines) if i and _ends_the_text(line)), len(lines))
    return "\n".join(lines[:end]).strip()


def _ends_the_text(line: str) -> bool:
    return line.startswith("Query Parameters: ") or "  (cost=" in line or "  (actual " in line


def json_string(quoted: str) -> str:
    """The text behind a quoted one of JSON; as it stands when it is none."""
    try:
        return str(orjson.loads(quoted))
    except ValueError:
        return quoted.strip('"')


def _same(plan: str, text: str) -> bool:
    """Whether a plan is of this statement. Servers cut neither, but a plan's text has lost the spaces around it."""
    of = text_of_plan(plan)
    return not of or of.strip() == text.strip().rstrip(";") or of.strip().rstrip(";") == text.strip().rstrip(";")


def _event(entry: Entry, kind: EventKind, waited_ms: float | None) -> LogEvent:
    return LogEvent(
        EpochMs(entry.at), kind, Pid(entry.pid), entry.place, entry.severity, entry.sqlstate, entry.message,
        entry.detail, entry.context, entry.statement, None if entry.query_id is None else QueryId(entry.query_id),
        entry.database, entry.user, entry.program, entry.client, waited_ms,
    )  # fmt: skip


def _moment(one: Happening) -> int:
    return one.ended if isinstance(one, Execution) else one.at
