"""Cuts a stream of bytes into blocks that end where an entry ends, so that memory stays bounded for any size."""

import gzip
import io
import re
from collections.abc import Iterator, Sequence
from typing import BinaryIO, Literal, NamedTuple, Protocol

import numpy as np
import numpy.typing as npt

Form = Literal["jsonlog", "csvlog", "stderr"]
BLOCK = 1 << 18
_TAB = 9
MAX_ENTRY = 32 << 20  # an entry that does not end within so many bytes is given up
_CSV_START = re.compile(rb"\d{4}-\d\d-\d\d \d\d:\d\d:\d\d\.\d{3} [A-Za-z0-9+:-]+,")
_CSV_RECORD = re.compile(rb"\n(?=\d{4}-\d\d-\d\d \d\d:\d\d:\d\d\.\d{3} [A-Za-z0-9+:-]+,)")


def recognise_form(head: bytes) -> Form:
    """By its first line; one that begins in the middle of an entry, which may hold a plan in JSON, by the lines behind."""
    start = head.lstrip(b"\r\n\0 ")
    if start.startswith(b'{"timestamp":'):
        return "jsonlog"
    if _CSV_START.match(start):
        return "csvlog"
    if b'\n{"timestamp":' in head:
        return "jsonlog"
    if _CSV_RECORD.search(head):
        return "csvlog"
    return "jsonlog" if start.startswith(b"{") else "stderr"


def opened(stream: BinaryIO) -> BinaryIO:
    """The stream itself, or what is compressed in it."""
    buffered = stream if isinstance(stream, io.BufferedReader) else io.BufferedReader(stream)  # type: ignore[type-var]
    if buffered.peek(2)[:2] == b"\x1f\x8b":
        return gzip.GzipFile(fileobj=buffered)  # type: ignore[return-value]
    return buffered


class Readable(Protocol):
    """All that is asked of a stream."""

    def read(self, size: int = ..., /) -> bytes: ...


def blocks(stream: Readable, form: Form, lost: list[int]) -> Iterator[tuple[int, bytes]]:
    """(offset, block) after block. What is too long to be an entry is dropped and its offset put into `lost`."""
    offset, kept, tried = 0, b"", 0
    pieces: list[bytes] = []
    while piece := stream.read(BLOCK):
        pieces.append(piece)
        if sum(map(len, pieces)) < tried:  # an end is looked for in twice as much each time, so the work stays linear
            continue
        kept, pieces = b"".join((kept, *pieces)), []
        end = end_of_entries(kept, form)
        tried = 0 if end else len(kept)
        if end:
            yield offset, kept[:end]
            offset, kept = offset + end, kept[end:]
        elif len(kept) > MAX_ENTRY:
            lost.append(offset)
            end, tried = kept.rfind(b"\n") + 1 or len(kept), 0
            offset, kept = offset + end, kept[end:]
    kept = b"".join((kept, *pieces))
    if kept.strip(b"\r\n\0 "):
        yield offset, kept


def end_of_entries(data: bytes, form: Form) -> int:
    """Bytes up to where the last entry that is surely whole ends; 0 when there is none.

    stderr: further lines of an entry begin with a tab, and follow-ups belong to the entry before, so the last entry is
    whole only once another one begins. csvlog: a line end inside quotes is none.
    """
    match form:
        case "jsonlog":
            return data.rfind(b"\n") + 1
        case "csvlog":
            return _end_of_records(data)
        case "stderr":
            return _end_before_last_head(data)


def csv_start(data: bytes) -> int:
    """Where the first record begins; what stands before it was cut off. The length of `data` when none does."""
    if _CSV_START.match(data):
        return 0
    found = _CSV_RECORD.search(data)
    return found.end() if found else len(data)


def count_byte(data: bytes, byte: bytes) -> int:
    """As `data.count(byte)`, and the quicker the more there are: a record of csvlog has dozens of quotes."""
    return int(np.count_nonzero(np.frombuffer(data, np.uint8) == byte[0]))


class Word(NamedTuple):
    """What is looked for, and where in it two letters stand that are seldom found so far apart in a log's texts.

    Two that are neighbours cost two thirds of two that are not.
    """

    text: bytes
    rare: tuple[int, int] | None = None


def has_any(data: bytes, words: Sequence[Word]) -> bool:
    """Whether one of the words stands in `data`.

    Short words take bytes.find longest, since it cannot skip much; comparing two letters of each place costs a third.
    """
    letters = np.frombuffer(data, np.uint8)
    here, there = np.empty((2, len(data)), bool)
    for text, rare in words:
        if rare is not None:
            first, second = rare
            if second - first == 1:
                found = _has_neighbours(letters, text[first : second + 1], here)
            else:
                size = len(data) - (second - first)
                np.equal(letters[:size], text[first], out=here[:size])
                np.equal(letters[second - first :], text[second], out=there[:size])
                found = bool(np.logical_and(here[:size], there[:size], out=here[:size]).any())
            if not found:
                continue
        if text in data:
            return True
    return False


def _has_neighbours(letters: npt.NDArray[np.uint8], pair: bytes, room: npt.NDArray[np.bool_]) -> bool:
    """Whether two letters stand side by side: compared as one number, of even places and of odd ones."""
    wanted, at = np.frombuffer(pair, np.uint16)[0], 0
    for start in (0, 1):
        pairs = letters[start : start + (len(letters) - start) // 2 * 2].view(np.uint16)
        np.equal(pairs, wanted, out=room[at : at + len(pairs)])
        at += len(pairs)
    return bool(room[:at].any())


def _end_of_records(data: bytes) -> int:
    """The last line end with an even number of quotes before it. A text's own quotes are doubled, so parity tells.

    Looked for from the end, where it mostly stands; each byte is looked at twice at most.
    """
    start = csv_start(data)
    end = data.rfind(b"\n", start) + 1
    within = count_byte(data, b'"') - data.count(b'"', 0, start) - data.count(b'"', end) if end else 0
    while end > start:
        if within % 2 == 0:
            return end
        before = data.rfind(b"\n", start, end - 1) + 1
        within -= data.count(b'"', before, end)
        end = before
    return 0


_FOLLOW_UP = re.compile(rb"[^\n]*?(?:DETAIL|HINT|CONTEXT|STATEMENT|QUERY|LOCATION|BACKTRACE):  ")


def _end_before_last_head(data: bytes) -> int:
    """Lines that begin with a tab belong to the entry before; of the others the last that is no follow-up begins one."""
    end = data.rfind(b"\n") + 1  # of whole lines
    while end:
        start = data.rfind(b"\n", 0, end - 1) + 1
        if data[start] != _TAB and not _FOLLOW_UP.match(data[start : min(end, start + 500)]):
            return start
        end = start
    return 0
