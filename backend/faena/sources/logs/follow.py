"""Follows a log from where it was left, over rotation, truncation and files that are copied away and begun anew."""

import asyncio
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import tzinfo
from hashlib import blake2b
from pathlib import Path
from typing import Protocol

from faena.core.errors import SourceRefused
from faena.core.logged import Execution, LogEvent, LogPosition, LogReading
from faena.sources.logs.assemble import Assembler
from faena.sources.logs.blocks import Form, end_of_entries
from faena.sources.logs.entries import Stamps
from faena.sources.logs.formats import Faults, ReadEntries, reader_for

STEP = (
    256 * 1024
)  # a step is read in about 5 ms, in a thread, and between steps the collector's samples have their turn
STEPS = 32  # in one reading, so that catching up does not hold up the readings behind it
FIRST = 1024 * 1024  # of a log that was never read, so much of its end
MAX_ENTRY = 8 * 1024 * 1024  # an entry that does not end within so many bytes is passed over
AGAIN = 128 * 1024  # of a log that somebody else read before, so much is read again; the store knows it by its keys
TAIL = 64  # bytes before the position by whose digest a file is known again
DIGEST = 16


def form_by_name(name: str) -> Form:
    """As servers name their logs; a rotated one may have a number behind."""
    return "jsonlog" if ".json" in name else "csvlog" if ".csv" in name else "stderr"


@dataclass(frozen=True, slots=True)
class LogFile:
    name: str
    size: int
    modified: float  # seconds since 1970


class LogFiles(Protocol):
    """Where logs lie; `where` names it in a sentence. Raises SourceError."""

    where: str

    async def files(self) -> Sequence[LogFile]: ...
    async def read(self, name: str, offset: int, length: int) -> bytes:
        """Fewer bytes at the end of the file; none when it is gone."""
        ...


class LocalFiles:
    """A directory of logs, or one log with what it is renamed to when it is rotated."""

    def __init__(self, path: Path) -> None:
        self._path = path
        self.where = f"the log at {path}"

    async def files(self) -> Sequence[LogFile]:
        return await asyncio.to_thread(self._list)

    def _list(self) -> list[LogFile]:
        directory = self._path if self._path.is_dir() else self._path.parent
        begins = "" if self._path.is_dir() else self._path.name
        found = []
        try:
            for entry in directory.iterdir():
                if (
                    entry.name.startswith(begins)
                    and not entry.name.endswith((".gz", ".zst", ".xz"))
                    and entry.is_file()
                ):
                    stat = entry.stat()
                    found.append(LogFile(entry.name, stat.st_size, stat.st_mtime))
        except OSError as error:
            raise SourceRefused(
                f"the log at {self._path} cannot be read: {error.strerror}",
                remedy="let the collector's user read it, or read the log through the server",
            ) from error
        if not begins:
            return found
        renamed = (begins + ".", begins + "-", begins + "_")
        return [one for one in found if one.name == begins or one.name.startswith(renamed)]

    async def read(self, name: str, offset: int, length: int) -> bytes:
        return await asyncio.to_thread(self._read, name, offset, length)

    def _read(self, name: str, offset: int, length: int) -> bytes:
        directory = self._path if self._path.is_dir() else self._path.parent
        try:
            with (directory / name).open("rb") as file:
                file.seek(offset)
                return file.read(length)
        except FileNotFoundError:
            return b""
        except OSError as error:
            raise SourceRefused(
                f"the log {directory / name} cannot be read: {error.strerror}",
                remedy="let the collector's user read it, or read the log through the server",
            ) from error


class Follower:
    """One server's log. `prefix` is the server's log_line_prefix where it is known, `zone` its log_timezone."""

    def __init__(
        self, files: LogFiles, prefix: str | None = None, form: Form | None = None, zone: tzinfo | None = None
    ) -> None:
        self._files, self._prefix, self._wanted = files, prefix, form
        self._form: Form | None = None
        self._stamps, self._faults, self._assembler = Stamps(zone), Faults(), Assembler()
        self._read_entries: ReadEntries | None = None
        self._ended_at: tuple[str, int] | None = None  # where the file ended in this round
        self._stood_at: tuple[str, int] | None = (
            None  # and in the one before: a last entry that nothing followed for a round is whole
        )

    async def read(self, position: LogPosition | None) -> LogReading:
        """What is new since `position`. Raises SourceError, SourceRefused where there is no log."""
        found_files = await self._files.files()
        listed = [one for one in found_files if self._is_ours(one)]
        if not listed:
            raise self._without_files(len(found_files))
        broken = ""
        if position is None:
            position = await self._beginning(max(listed, key=_age))
        else:
            position, broken = await self._found_again(position, listed)
            if self._ended_at is None and not broken:  # pieces of executions were lost with whoever read before
                position = await self._beginning_at(position.name, position.offset - AGAIN)
        unreadable = self._faults.unreadable
        moved = False
        for _ in range(STEPS):
            after = await self._step(position, listed)
            if after is None:
                break
            position, moved = after, True
            await asyncio.sleep(0)
        self._stood_at = self._ended_at
        found = self._assembler.take(all_of_it=not moved)
        size = next((one.size for one in listed if one.name == position.name), position.offset)
        return LogReading(
            position=position,
            executions=tuple(one for one in found if isinstance(one, Execution)),
            events=tuple(one for one in found if isinstance(one, LogEvent)),
            unreadable=self._faults.unreadable - unreadable,
            behind=max(0, size - position.offset),
            broken=broken,
        )

    def _without_files(self, others: int) -> SourceRefused:
        """No log is not an empty log: nothing of what it would have told is known."""
        if others:
            return SourceRefused(
                f"{self._files.where} has {others} files, and none is of the form {self._wanted}, which the server says it writes",
                remedy="compare the path with the server's log_directory and log_destination",
            )
        return SourceRefused(
            f"{self._files.where} has no file",
            remedy="compare the path with the server's log_directory and log_filename, and see that logging_collector is on",
        )

    def _is_ours(self, file: LogFile) -> bool:
        return self._wanted is None or form_by_name(file.name) == self._wanted

    async def _beginning(self, file: LogFile) -> LogPosition:
        """Near the end of a file that was never read."""
        return await self._beginning_at(file.name, file.size - FIRST)

    async def _beginning_at(self, name: str, offset: int) -> LogPosition:
        """The first start of a line from `offset` on."""
        if offset <= 0:
            return LogPosition(name, 0)
        head = await self._files.read(name, offset, FIRST)
        return await self._position(name, offset + head.find(b"\n") + 1)

    async def _position(self, name: str, offset: int) -> LogPosition:
        return LogPosition(name, offset, await self._tail(name, offset))

    async def _tail(self, name: str, offset: int) -> bytes:
        start = max(0, offset - TAIL)
        before = await self._files.read(name, start, offset - start)
        return blake2b(before, digest_size=DIGEST).digest() if before else b""

    async def _found_again(self, position: LogPosition, listed: Sequence[LogFile]) -> tuple[LogPosition, str]:
        """The same place, under whatever name its file goes by now; else the beginning of what took its place."""
        if await self._holds(position.name, position, listed):
            return position, ""
        for other in listed:
            if other.name.startswith(position.name) and await self._holds(other.name, position, listed):
                return LogPosition(other.name, position.offset, position.tail), ""
        same = next((one for one in listed if one.name == position.name), min(listed, key=_age))
        return LogPosition(same.name, 0), "the log was emptied or replaced; what came in between may be missing"

    async def _holds(self, name: str, position: LogPosition, listed: Sequence[LogFile]) -> bool:
        size = next((one.size for one in listed if one.name == name), -1)
        if size < position.offset:
            return False
        if len(position.tail) != DIGEST:  # nothing stood before it, or it was stored before digests were
            return True
        return await self._tail(name, position.offset) == position.tail

    async def _step(self, position: LogPosition, listed: Sequence[LogFile]) -> LogPosition | None:
        """Read on by a piece; None when there is nothing more for now."""
        name, offset = position.name, position.offset
        length = STEP
        data = await self._files.read(name, offset, length)
        form = self._form_of(name)
        following = self._next_file(name, listed)
        end = end_of_entries(data, form)
        while not end and len(data) == length and length < MAX_ENTRY:  # an entry longer than a step
            length *= 4
            data = await self._files.read(name, offset, length)
            end = end_of_entries(data, form)
        if len(data) < length and (following is not None or self._stood_at == (name, offset + len(data))):
            end = len(data) if following is not None else max(end, data.rfind(b"\n") + 1)
        self._ended_at = (name, offset + len(data))
        if not end and len(data) == length:
            self._faults.add(f"an entry of {name} does not end within {length} bytes")
            end = len(data)
        if end:
            await asyncio.to_thread(self._take_in, data[:end], offset)
            if end < TAIL:
                return await self._position(name, offset + end)
            return LogPosition(name, offset + end, blake2b(data[end - TAIL : end], digest_size=DIGEST).digest())
        return LogPosition(following.name, 0) if following is not None and not data else None

    def _take_in(self, data: bytes, offset: int) -> None:
        """In a thread of its own: the samples of all servers must not wait for one server's log."""
        assert self._read_entries
        self._assembler.feed(self._read_entries(data, offset))

    def _next_file(self, name: str, listed: Sequence[LogFile]) -> LogFile | None:
        """The file that the log went on in: the oldest that was written to after this one.

        Within a second, which is as fine as some tell time, by name: names that change so often hold the time.
        """
        here = next(((one.modified, one.name) for one in listed if one.name == name), (0.0, ""))
        later = [one for one in listed if (one.modified, one.name) > here]
        return min(later, key=_age, default=None)

    def _form_of(self, name: str) -> Form:
        form = self._wanted or form_by_name(name)
        if self._read_entries is None or form != self._form:
            self._form = form
            self._read_entries = reader_for(form, self._prefix, self._stamps, self._faults)
        return form


def _age(one: LogFile) -> tuple[float, str]:
    return one.modified, one.name
