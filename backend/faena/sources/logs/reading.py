"""Reads logs from beginning to end, in bounded memory."""

import re
import zlib
from collections.abc import Iterator
from dataclasses import dataclass, field
from datetime import tzinfo
from gzip import BadGzipFile
from typing import BinaryIO

from faena.sources.logs.assemble import Assembler, Happening
from faena.sources.logs.blocks import (
    BLOCK,
    Form,
    Readable,
    Word,
    blocks,
    count_byte,
    has_any,
    opened,
    recognise_form,
)
from faena.sources.logs.entries import Stamps
from faena.sources.logs.formats import Faults, TextEntries, reader_for

HEAD = 64 * 1024
# A block without any of these holds nothing but executions and chatter. jsonlog tells a code only where there is one.
_WAITING = Word(b" still waiting for ", (7, 9))
_TROUBLE: dict[Form, tuple[Word, ...]] = {
    "jsonlog": (Word(b'"state_code":"'), _WAITING),
    "csvlog": (Word(b",ERROR,", (0, 1)), Word(b",FATAL,", (0, 1)), Word(b",PANIC,", (0, 1)), _WAITING),
    "stderr": (Word(b"ERROR", (1, 2)), Word(b"FATAL", (0, 2)), Word(b"PANIC", (0, 2)), _WAITING),
}
# A log whose head has none of these is in another language, where the words above tell nothing of trouble.
_ENGLISH = (b"duration: ", b"connection ", b"checkpoint ", b"statement: ", b"database system", b"ERROR", b"FATAL")
_TROUBLE_LINE = {
    "jsonlog": re.compile(
        rb'^[^\n]*?(?:"state_code":"(?!0[01])|"message":"process \d{1,10} (?:still|acq))[^\n]*+', re.MULTILINE
    ),
}


@dataclass(slots=True)
class Summary:
    """What was read of one file, for its reader to judge whether it was read right."""

    form: Form = "stderr"
    prefix: str | None = None
    lines: int = 0
    bytes: int = 0
    entries: int = 0
    happenings: int = 0
    unreadable: int = 0
    recoded: int = 0
    notes: list[str] = field(default_factory=list)


def read_stream(
    stream: BinaryIO,
    summary: Summary,
    *,
    prefix: str | None = None,
    trouble_only: bool = False,
    zone: tzinfo | None = None,
) -> Iterator[Happening]:
    """Executions and events of a log, also a compressed one. `summary` is filled on the way.

    `zone` is what abbreviations of time zones mean that mean several.

    `trouble_only` skips executions, and with them the work of reading blocks in which nothing but executions stands.
    """
    plain = opened(stream)
    peekable = _Peeked(plain)
    summary.form = recognise_form(peekable.head)
    stamps, faults, lost = Stamps(zone), Faults(), list[int]()
    read = reader_for(summary.form, prefix, stamps, faults)
    assembler = Assembler()
    skips = trouble_only and (summary.form == "jsonlog" or any(word in peekable.head for word in _ENGLISH))
    for offset, block in blocks(peekable, summary.form, lost):
        summary.bytes += len(block)
        summary.lines += count_byte(block, b"\n")
        if skips and not has_any(block, _TROUBLE[summary.form]):
            continue
        wanted = _only_trouble(block, summary.form) if trouble_only else block
        summary.entries += assembler.feed(read(wanted, offset))
        found = assembler.take(all_of_it=False)
        summary.happenings += len(found)
        yield from found
    found = assembler.take(all_of_it=True)
    summary.happenings += len(found)
    yield from found
    _conclude(summary, faults, stamps, assembler, read, lost, peekable.head)
    if peekable.broken:
        summary.unreadable += 1
        summary.notes.append(peekable.broken)


def _only_trouble(block: bytes, form: Form) -> bytes:
    """Lines of the block that tell of trouble, where a line is an entry; else the whole of it."""
    pattern = _TROUBLE_LINE.get(form)
    return block if pattern is None else b"\n".join(pattern.findall(block))


def _conclude(
    summary: Summary, faults: Faults, stamps: Stamps, assembler: Assembler, read: object, lost: list[int], head: bytes
) -> None:
    summary.unreadable, summary.recoded = faults.unreadable + len(lost), faults.recoded
    if isinstance(read, TextEntries):
        summary.prefix = read.prefix
        if read.prefix is None and summary.bytes:
            line = head.split(b"\n", 1)[0].split(b":  ", 1)[0][:160].decode("utf-8", "replace")
            summary.notes.append(
                "the log's line prefix was not recognised, so times and processes are guessed where that is possible, "
                f"and users and programs are unknown; give --log-line-prefix the server's log_line_prefix. A line begins {line!r}"
            )
    if faults.first:
        summary.notes.append(faults.first)
    if stamps.unknown_zones:
        names = ", ".join(sorted(stamps.unknown_zones))
        summary.notes.append(
            f"time zone {names} is not known, or means several: entries in it are left out; say which with --time-zone, "
            "as in --time-zone America/Chicago"
        )
    if assembler.foreign:
        summary.notes.append("the server logs in another language than English; read as far as its structure carries")


class _Peeked:
    """A stream whose beginning was looked at. A compressed one that breaks off ends there; `broken` says why."""

    def __init__(self, stream: Readable) -> None:
        self._stream = stream
        self.broken = ""
        self.head = self._next(HEAD)
        self._given = False

    def read(self, size: int = BLOCK, /) -> bytes:
        if self._given:
            return self._next(size)
        self._given = True
        return self.head

    def _next(self, size: int) -> bytes:
        try:
            return self._stream.read(size)
        except (EOFError, BadGzipFile, zlib.error) as error:
            self.broken = f"the compressed file is damaged or cut off: {error}"
            return b""
