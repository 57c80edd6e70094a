"""Reads the entries of a block, in each of the three forms a server logs in."""

import csv
import io
import re
from collections.abc import Callable, Iterator
from typing import Any

import orjson

from faena.sources.logs.blocks import Form, csv_start
from faena.sources.logs.entries import Entry, Stamps
from faena.sources.logs.prefix import FOLLOW_UPS, NEVER, fields_of, pattern_of, recognise_prefix

csv.field_size_limit(64 << 20)
_new = tuple.__new__  # half the time of calling Entry, hundreds of thousands of times a second
_BREAK = re.compile(r"\n(?!\t)")
ReadEntries = Callable[[bytes, int], Iterator[Entry]]


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

    def __call__(self, block: bytes, offset: int) -> Iterator[Entry]:
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

    def _again(self, line: bytes, place: int) -> Entry | None:
        """A server whose databases are not UTF-8 logs their bytes as they are."""
        try:
            line.decode()
            return None
        except UnicodeDecodeError:
            try:
                return self._entry(orjson.loads(_decoded(line, self._faults)), place)
            except (ValueError, KeyError, TypeError, AttributeError):
                return None

    def _entry(self, raw: dict[str, Any], place: int) -> Entry:
        get = raw.get
        message, detail, client = get("message", ""), get("detail", ""), get("remote_host", "")
        if not isinstance(message, str) or not isinstance(detail, str):
            raise TypeError("texts are texts")
        return _new(
            Entry,
            (
                self._stamps.read(raw["timestamp"]),
                int(raw["pid"]),
                raw["error_severity"],
                message,
                get("line_num", place),
                get("user", ""),
                get("dbname", ""),
                get("application_name", ""),
                "local" if client == "[local]" else client,
                get("state_code", ""),
                get("query_id") or None,
                detail,
                get("context", ""),
                get("statement", ""),
            ),
        )


# Columns of csvlog, the same since PostgreSQL 9: application_name is the 23rd; 13 and 14 added three behind it.
_AT, _USER, _DATABASE, _PID, _CLIENT, _LINE = 0, 1, 2, 3, 4, 6
_SEVERITY, _SQLSTATE, _MESSAGE, _DETAIL, _CONTEXT, _STATEMENT, _PROGRAM, _QUERY_ID = 11, 12, 13, 14, 18, 19, 22, 25


class CsvEntries:
    """csvlog. `place` is the number that the server gives to each line of a session."""

    def __init__(self, stamps: Stamps, faults: Faults) -> None:
        self._stamps, self._faults = stamps, faults

    def __call__(self, block: bytes, offset: int) -> Iterator[Entry]:
        if start := csv_start(block):
            self._faults.add(f"the beginning of an entry is missing at byte {offset}")
        text = _decoded(block[start:] if start else block, self._faults)
        for place, row in enumerate(csv.reader(io.StringIO(text, newline="")), offset + start):
            if len(row) < 23:
                if row:
                    self._faults.add(f"no entry of csvlog near byte {place}: {len(row)} columns instead of 23 to 26")
                continue
            query_id = row[_QUERY_ID] if len(row) > _QUERY_ID else ""
            at, pid = self._stamps.read(row[_AT]), row[_PID]
            if at < 0 or not pid.isdigit():
                self._faults.add(f"no entry of csvlog near byte {place}")
                continue
            client = row[_CLIENT]
            yield _new(
                Entry,
                (
                    at,
                    int(pid),
                    row[_SEVERITY],
                    row[_MESSAGE],
                    int(line) if (line := row[_LINE]).isdigit() else place,
                    row[_USER],
                    row[_DATABASE],
                    row[_PROGRAM],
                    "local" if client == "[local]" else client.rpartition(":")[0] or client,
                    row[_SQLSTATE],
                    int(query_id) or None if query_id.lstrip("-").isdigit() else None,
                    row[_DETAIL],
                    row[_CONTEXT],
                    row[_STATEMENT],
                ),
            )


class TextEntries:
    """stderr: lines with a prefix of the server's choice; details follow as lines with the same prefix.

    `place` counts characters, so behind letters beyond ASCII it is in order rather than exact.
    """

    def __init__(self, prefix: str | None, stamps: Stamps, faults: Faults) -> None:
        self._stamps, self._faults = stamps, faults
        self.prefix = prefix
        self._quick, self._patient = _patterns(prefix)
        self._fields = fields_of(self._patient)

    def __call__(self, block: bytes, offset: int) -> Iterator[Entry]:
        text = _decoded(block, self._faults)
        if self._quick is None:
            self._find_out(text)
        assert self._quick
        quick, at, end = self._quick.match, 0, len(text)
        held: Entry | None = None
        while at < end:
            match = quick(text, at) or self._patient.match(text, at)
            if match is None:
                at = self._pass_over(text, at, offset)
                continue
            entry = self._entry(self._fields(match.groups()), offset + at)
            at = match.end() + 1
            if entry[2] in FOLLOW_UPS:
                held = held and _with(held, entry[2], entry[3])
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

    def _find_out(self, text: str) -> None:
        """From the block at hand; a log whose prefix nobody could tell is read for its severities alone."""
        self.prefix = recognise_prefix(_BREAK.split(text[:200_000])[:-1] or [text])
        self._quick, self._patient = _patterns(self.prefix)
        self._quick = self._quick or _ANY_PREFIX
        self._fields = fields_of(self._patient)

    def _entry(self, told: tuple[str | None, ...], place: int) -> Entry:
        at, epoch, pid, severity, message, user, database, program, client, sqlstate, query_id, detail = told
        assert severity is not None
        assert message is not None
        if "\n" in message or message[-1:] == "\r":
            message = _untabbed(message)
        if detail and ("\n" in detail or detail[-1] == "\r"):
            detail = _untabbed(detail)
        if client:
            client = "local" if client == "[local]" else client.partition("(")[0]
        return _new(
            Entry,
            (
                self._stamps.read(at) if at else round(float(epoch or "-0.001") * 1000),
                int(pid or 0), severity, message, place, user or "", database or "", program or "", client or "",
                sqlstate or "", int(query_id) or None if query_id else None, detail or "", "", "",
            ),
        )  # fmt: skip


def _patterns(prefix: str | None) -> tuple[re.Pattern[str] | None, re.Pattern[str]]:
    if prefix is None:
        return None, _ANY_PREFIX
    return pattern_of(prefix), pattern_of(prefix, loose=True)


_ANY_PREFIX = re.compile(
    r"(?:(?P<at>\d{4}-\d\d-\d\d \d\d:\d\d:\d\d(?:\.\d{3})? [A-Za-z0-9+:-]+))?[^\n]*?(?:\[(?P<pid>\d+)\][^\n]*?)?"
    r"(?P<severity>LOG|ERROR|FATAL|PANIC|WARNING|NOTICE|INFO|DETAIL|HINT|CONTEXT|STATEMENT|QUERY):  "
    r"(?P<message>[^\n]*(?:\n\t[^\n]*)*)" + NEVER
)


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
