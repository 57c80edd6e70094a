"""Reads the entries of a block, in each of the three forms a server logs in."""

import csv
import io
import re
from collections.abc import Callable, Iterator
from typing import Any

import orjson

from faena.core.logged import Execution
from faena.core.numbers import INT4, INT8, whole_number
from faena.sources.logs.blocks import Form, csv_start
from faena.sources.logs.entries import Entry, Stamps
from faena.sources.logs.languages import WORDS, word_in_english
from faena.sources.logs.prefix import (
    ENTRY_FIELDS,
    EXECUTION_FIELDS,
    FOLLOW_UPS,
    NEVER,
    SEVERITIES,
    execution_pattern_of,
    fields_of,
    pattern_of,
    recognise_prefix,
)

csv.field_size_limit(64 << 20)
MOST_MS = 1e12  # thirty years
_new = tuple.__new__  # half the time of calling Entry, hundreds of thousands of times a second
_BREAK = re.compile(r"\n(?!\t)")
ReadEntries = Callable[[bytes, int], Iterator[Entry | Execution]]  # executions that are told in one entry as such


class Faults:
    """What could not be read, counted; `recoded` entries were not UTF-8 and were read as Latin-1."""

    def __init__(self) -> None:
        self.unreadable = 0
        self.recoded = 0
        self.first = ""

    def add(self, why: str) -> None:
        self.unreadable += 1
        self.first = self.first or why


def reader_for(form: Form, prefix: str | None, stamps: Stamps, faults: Faults) -> ReadEntries:
    """A function that reads blocks of this form; `prefix` None: find it out from the first block."""
    match form:
        case "jsonlog":
            return JsonEntries(stamps, faults)
        case "csvlog":
            return CsvEntries(stamps, faults)
        case "stderr":
            return TextEntries(prefix, stamps, faults)


def _decoded(raw: bytes, faults: Faults) -> str:
    try:
        return raw.decode()
    except UnicodeDecodeError:
        faults.recoded += 1
        return raw.decode("latin-1")


class JsonEntries:
    """jsonlog: an object a line. `place` is the number that the server gives to each line of a session."""

    def __init__(self, stamps: Stamps, faults: Faults) -> None:
        self._stamps, self._faults = stamps, faults

    def __call__(self, block: bytes, offset: int) -> Iterator[Entry | Execution]:
        for line in block.split(b"\n"):
            place, offset = offset, offset + len(line) + 1
            if len(line) < 2:
                continue
            try:
                raw = orjson.loads(line)
                yield self._entry(raw, place)
            except (ValueError, KeyError, TypeError, AttributeError):
                entry = self._again(line, place)
                if entry is None:
                    self._faults.add(f"no entry of jsonlog at byte {place}")
                else:
                    yield entry

    def _again(self, line: bytes, place: int) -> Entry | Execution | None:
        """A server whose databases are not UTF-8 logs their bytes as they are."""
        try:
            line.decode()
            return None
        except UnicodeDecodeError:
            try:
                return self._entry(orjson.loads(_decoded(line, self._faults)), place)
            except (ValueError, KeyError, TypeError, AttributeError):
                return None

    def _entry(self, raw: dict[str, Any], place: int) -> Entry | Execution:
        get = raw.get
        message, detail, client = get("message", ""), get("detail", ""), get("remote_host", "")
        user, database, program = get("user", ""), get("dbname", ""), get("application_name", "")
        pid, line, query_id = raw["pid"], get("line_num", place), get("query_id") or None
        if not (type(message) is type(detail) is type(client) is type(user) is type(database) is type(program) is str):
            raise TypeError("texts are texts")
        if type(pid) is not int or not 0 <= pid <= INT4 or type(line) is not int or line > INT8:
            raise ValueError("no process, or no line")
        if query_id is not None and (type(query_id) is not int or not -INT8 - 1 <= query_id <= INT8):
            raise ValueError("no identifier of a statement")
        if client == "[local]":
            client = "local"
        at = self._stamps.read(raw["timestamp"])
        if at < 0:
            raise ValueError("no time, or in a zone that is not known")
        if message[:10] == "duration: " and raw["error_severity"] == "LOG":
            figure, _, rest = message[10:].partition(" ms  ")
            whole = rest[:11] == "statement: "
            if whole or rest[:8] == "execute ":
                took = float(figure)
                if not 0 <= took < MOST_MS:
                    raise ValueError("no duration")
                return _new(
                    Execution,
                    (
                        at, took, pid, line,
                        rest[11:] if whole else rest.partition(": ")[2], query_id,
                        detail[12:] if detail[1:12] == "arameters: " else "", database, user, program, client, None, None, None if whole else took, 0, "", 1.0,
                    ),
                )  # fmt: skip
        return _new(
            Entry,
            (
                at,
                pid,
                str(raw["error_severity"]),
                message,
                line,
                user,
                database,
                program,
                client,
                str(get("state_code", "")),
                query_id,
                detail,
                str(get("context", "")),
                str(get("statement", "")),
            ),
        )


# Columns of csvlog, the same since PostgreSQL 9: application_name is the 23rd; 13 and 14 added three behind it.
_AT, _USER, _DATABASE, _PID, _CLIENT, _LINE = 0, 1, 2, 3, 4, 6
_SEVERITY, _SQLSTATE, _MESSAGE, _DETAIL, _CONTEXT, _STATEMENT, _PROGRAM, _QUERY_ID = 11, 12, 13, 14, 18, 19, 22, 25
_QUOTED = r'[^"]*+(?:""[^"]*+)*+'
_CSV_RECORD = re.compile(r'[^"\n]*+(?:"[^"]*+"[^"\n]*+)*+(?:\n|\Z)')
# An execution told in one record: taken by one expression, in half the time that taking all columns apart needs, and
# without ways back (*+, ?+), which cost a quarter more.
_CSV_EXECUTION = re.compile(
    rf'(.{{23}} [^,]++),(?:"({_QUOTED})")?+,(?:"({_QUOTED})")?+,(\d{{1,9}}+),(?:"([^"]*+)")?+,[^,]*+,(\d{{1,15}}+),(?:"[^"]*+")?+,'
    rf'[^,]*+,[^,]*+,\d*+,LOG,00000,"duration: (\d{{1,12}}+\.\d{{1,6}}+) ms  (?:statement|(execute) [^:"]*+): ({_QUOTED})",'
    rf'(?:"[Pp]arameters: ({_QUOTED})")?+,,,,,,,,(?:"({_QUOTED})")?+(?:,[^,\n]*+(?:,\d*+,(-?\d{{1,19}}+))?+)?+\r?\n'
)


class CsvEntries:
    """csvlog. `place` is the number that the server gives to each line of a session."""

    def __init__(self, stamps: Stamps, faults: Faults) -> None:
        self._stamps, self._faults = stamps, faults

    def __call__(self, block: bytes, offset: int) -> Iterator[Entry | Execution]:
        if start := csv_start(block):
            self._faults.add(f"the beginning of an entry is missing at byte {offset}")
        text = _decoded(block[start:] if start else block, self._faults)
        execution, stamp, at, end = _CSV_EXECUTION.match, self._stamps.read, 0, len(text)
        while at < end:
            match = execution(text, at)
            if match is None:
                record = _CSV_RECORD.match(text, at)
                until = record.end() if record else end  # a quote that nobody closed: all that is left is one record
                if entry := self._entry(text[at:until], offset + start + at):
                    yield entry
                at = until
                continue
            at = match.end()
            told, user, database, pid, client, line, figure, execute, statement, parameters, program, query_id = (
                match.groups("")
            )
            ended, took = stamp(told), float(figure)
            if ended < 0:
                self._faults.add(f"no entry of csvlog near byte {offset + start + match.start()}")
                continue
            if '"' in statement or '"' in parameters or '"' in program or '"' in user or '"' in database:
                statement, parameters, program = _unquoted(statement), _unquoted(parameters), _unquoted(program)
                user, database = _unquoted(user), _unquoted(database)
            yield _new(
                Execution,
                (
                    ended, took, int(pid), int(line), statement, whole_number(query_id) or None if query_id else None, parameters,
                    database, user, program, _host(client), None, None, took if execute else None, 0, "", 1.0,
                ),
            )  # fmt: skip

    def _entry(self, record: str, place: int) -> Entry | None:
        row = next(csv.reader(io.StringIO(record, newline="")), None)
        if not row:
            return None
        if len(row) < 23:
            self._faults.add(f"no entry of csvlog near byte {place}: {len(row)} columns instead of 23 to 26")
            return None
        query_id = row[_QUERY_ID] if len(row) > _QUERY_ID else ""
        at, pid = self._stamps.read(row[_AT]), row[_PID]
        if at < 0 or whole_number(pid, INT4) is None:
            self._faults.add(f"no entry of csvlog near byte {place}")
            return None
        return _new(
            Entry,
            (
                at,
                int(pid),
                row[_SEVERITY],
                row[_MESSAGE],
                whole_number(row[_LINE]) or place,
                row[_USER],
                row[_DATABASE],
                row[_PROGRAM],
                _host(row[_CLIENT]),
                row[_SQLSTATE],
                whole_number(query_id) or None,
                row[_DETAIL],
                row[_CONTEXT],
                row[_STATEMENT],
            ),
        )


def _unquoted(text: str) -> str:
    """A quote within a quoted field is doubled."""
    return text.replace('""', '"')


def _host(client: str) -> str:
    """Without its port."""
    return "local" if client == "[local]" else client.rpartition(":")[0] or client


class TextEntries:
    """stderr: lines with a prefix of the server's choice; details follow as lines with the same prefix.

    `place` counts characters, so behind letters beyond ASCII it is in order rather than exact.
    """

    def __init__(self, prefix: str | None, stamps: Stamps, faults: Faults) -> None:
        self._stamps, self._faults = stamps, faults
        self.prefix = prefix
        self._patterns: _Patterns | None = None if prefix is None else _Patterns(prefix)

    def __call__(self, block: bytes, offset: int) -> Iterator[Entry | Execution]:
        text = _decoded(block, self._faults)
        patterns = self._patterns or self._find_out(text)
        execution, quick, patient, at, end = patterns.execution, patterns.quick, patterns.patient, 0, len(text)
        stamp, of_execution = self._stamps.read, patterns.of_execution
        held: Entry | None = None
        while at < end:
            if match := execution(text, at):
                told, epoch, pid, user, database, program, client, query_id, figure, execute, statement, parameters = (
                    of_execution(match.groups(""))
                )
                ended = stamp(told) if told else _from_epoch(epoch)
                if ended >= 0:
                    if held is not None:
                        yield held
                        held = None
                    if "\n" in statement or "\n" in parameters or statement[-1:] == "\r":
                        statement, parameters = _untabbed(statement), _untabbed(parameters)
                    took = float(figure)
                    yield _new(
                        Execution,
                        (
                            ended, took, int(pid or 0), offset + at, statement,
                            whole_number(query_id) or None if query_id else None, parameters, database, user, program,
                            _without_port(client) if client else "", None, None, took if execute else None, 0, "", 1.0,
                        ),
                    )  # fmt: skip
                    at = match.end() + 1
                    continue
            match = quick(text, at) or patient(text, at)
            if match is None:
                at = self._pass_over(text, at, offset)
                continue
            told_by = patterns.of_entry(match.groups(""))
            entry = self._entry(told_by, offset + at)
            if entry[0] < 0 and told_by[0]:
                self._faults.add(f"no entry at byte {offset + at}: its time {told_by[0]!r} cannot be told")
                held, at = None, match.end() + 1
                continue
            at = match.end() + 1
            if (word := word_in_english(entry[2])) in FOLLOW_UPS:
                held = held and _with(held, word, entry[3])
                continue
            if held is not None:
                yield held
            held = entry
        if held is not None:
            yield held

    def _pass_over(self, text: str, at: int, offset: int) -> int:
        """To behind the entry at `at`, which could not be read; an empty line is none."""
        stop = _BREAK.search(text, at)
        end = stop.start() if stop else len(text)
        if part := text[at:end].strip():
            self._faults.add(f"no entry at byte {offset + at}: {part[:60]!r}")
        return end + 1

    def _find_out(self, text: str) -> "_Patterns":
        """From the block at hand; a log whose prefix nobody could tell is read for its severities alone."""
        self.prefix = recognise_prefix(_BREAK.split(text[:200_000])[:-1] or [text])
        self._patterns = _Patterns(self.prefix)
        return self._patterns

    def _entry(self, told: tuple[str, ...], place: int) -> Entry:
        at, epoch, pid, user, database, program, client, query_id, severity, message, sqlstate, detail = told
        return _new(
            Entry,
            (
                self._stamps.read(at) if at else _from_epoch(epoch), int(pid or 0), severity, _untabbed(message), place,
                user, database, program, _without_port(client) if client else "", sqlstate,
                whole_number(query_id) or None if query_id else None, _untabbed(detail), "", "",
            ),
        )  # fmt: skip


def _from_epoch(seconds: str) -> int:
    return round(float(seconds or "-0.001") * 1000)


def _without_port(client: str) -> str:
    return "local" if client == "[local]" else client.partition("(")[0]


class _Patterns:
    """What one prefix is read with: an execution told in one, any entry at once, and any entry with patience."""

    def __init__(self, prefix: str | None) -> None:
        patient = _ANY_PREFIX if prefix is None else pattern_of(prefix, loose=True)
        quick = _ANY_PREFIX if prefix is None else pattern_of(prefix)
        execution = _NEVER if prefix is None else execution_pattern_of(prefix)
        self.patient, self.quick, self.execution = patient.match, quick.match, execution.match
        self.of_entry = fields_of(patient, ENTRY_FIELDS)
        self.of_execution = fields_of(execution, EXECUTION_FIELDS)


# What stands before the two spaces behind a severity: a time, and a process in brackets or behind the time, wherever
# they are. Each is looked for once in the first characters of a line.
_AHEAD = r"(?:(?!:  )[^\n]){0,200}?"
_ANY_WORD = "|".join(map(re.escape, sorted({*SEVERITIES, *FOLLOW_UPS, *WORDS}, key=len, reverse=True)))
_ANY_PREFIX = re.compile(
    rf"(?>(?:(?={_AHEAD}(?P<at>\d{{4}}-\d\d-\d\d \d\d:\d\d:\d\d(?:\.\d{{3}})? (?:[A-Za-z]{{1,6}}|[+-]\d\d(?::?\d\d)?))))?+)"
    rf"(?>(?:(?={_AHEAD}(?<![\d.])(?P<epoch>\d{{10}}\.\d{{3}})(?!\d)))?+)"
    rf"(?>(?:(?={_AHEAD}(?:\[|\(|[A-Z]{{1,6}}[ |;:/>-]{{1,3}}|\d{{10}}\.\d{{3}} |^)(?P<pid>(?!\d{{4}}-\d\d)\d{{1,9}})(?:-\d+)?[\])\s|;:,-]))?+)"
    rf"(?>[^\n]{{0,500}}?(?P<severity>{_ANY_WORD}):  )"
    r"(?P<message>[^\n]*+(?:\n\t[^\n]*+)*+)" + NEVER,
    re.MULTILINE,
)
_NEVER = re.compile(NEVER + "(?!)")


def _untabbed(text: str) -> str:
    """A server puts a tab before each further line of a text."""
    return text.replace("\n\t", "\n").rstrip("\r\n")


def _with(entry: Entry, word: str, text: str) -> Entry:
    match word:
        case "DETAIL":
            return entry._replace(detail=text)
        case "CONTEXT":
            return entry._replace(context=text)
        case "STATEMENT":
            return entry._replace(statement=text)
    return entry
