"""What has been read but not yet stored. While the store is away it goes to disk, so that nothing is lost.

Order is kept: as long as the spool file holds anything, new records go behind it. A collector that is killed leaves
its spool behind, and the next one delivers it first. Delivering twice does no harm: the store drops what it has.

Where the disk takes no more, records stay in memory as far as it goes, and what must be dropped then is counted. A record
that cannot be written or that the store cannot take is put aside with its reason; it holds nobody else up.
"""

import asyncio
import logging
import os
from collections import Counter, deque
from dataclasses import dataclass
from pathlib import Path
from typing import IO

import orjson

from faena.collector.intake import Record
from faena.collector.kinds import INTAKE, Noted, Sampled
from faena.collector.orders import Store
from faena.core.errors import StoreAway
from faena.core.ports import Clock
from faena.core.units import EpochMs, Seconds

log = logging.getLogger(__name__)

MAX_IN_MEMORY = 240  # records; beyond it, or as soon as the store is away, they go to disk
MAX_HELD = 60_000  # records in memory while the disk takes none: about 20 minutes of 50 servers, some 300 MB
MAX_SPOOL_BYTES = 512 * 1024 * 1024  # 10 minutes of 50 servers at 64 active sessions take about half of this
MAX_ASIDE_BYTES = 64 * 1024 * 1024
BATCH = 500  # records in one delivery, so that catching up does not hold up the newest for long
RETRY_S = Seconds(1.0)
LATEST = 50  # refused records that the status tells of


@dataclass(frozen=True, slots=True, kw_only=True)
class Refusal:
    """A record that was put aside. `reason` holds nothing of it."""

    at: EpochMs
    server_id: int
    kind: str
    reason: str


def private(path: Path, mode: str) -> IO[bytes]:
    """A file that only we may read: readings hold what sessions did, and statements where their capture is on."""
    flags = os.O_WRONLY | os.O_CREAT | (os.O_APPEND if "a" in mode else os.O_TRUNC)
    return os.fdopen(os.open(path, flags, 0o600), mode)


class Outbox:
    """Put records in from any task; one `run` delivers them."""

    def __init__(self, store: Store, spool: Path, clock: Clock) -> None:
        self._store, self._clock = store, clock
        self._spool, self._aside = spool, spool.with_name("refused.jsonl")
        self._memory: deque[Record] = deque()
        self._wake = asyncio.Event()
        self._spooled = self._lines_left()  # from a collector that was killed
        self._stored_to = 0  # bytes of the file whose records are in the store
        self._back_since: EpochMs | None = None
        self.dropped = 0
        self.dropped_of: Counter[int] = Counter()  # since the store was last there, by server
        self._late_of: dict[int, tuple[int, EpochMs]] = {}  # stored after they had to wait, by server, and the last one
        self.refused: deque[Refusal] = deque(maxlen=LATEST)
        self.refused_count = 0
        self.away_since: int | None = None
        self.disk_full = False
        self._disk_again_at = Seconds(0.0)  # a disk that took nothing is not tried with every record

    @property
    def waiting(self) -> int:
        """Records not yet in the store."""
        return len(self._memory) + self._spooled

    def put(self, record: Record) -> None:
        """Never blocks and never raises; a record that fits nowhere is counted in `dropped`."""
        self._memory.append(record)
        if self._spooled or self.away_since is not None or len(self._memory) > MAX_IN_MEMORY:
            self._to_disk()
        while len(self._memory) > MAX_HELD:
            self._drop(self._memory.popleft())
        self._wake.set()

    def _drop(self, record: Record) -> None:
        self.dropped += 1
        self.dropped_of[record.server_id] += 1

    def _to_disk(self) -> None:
        """All of memory behind what is on disk already; it stays where it is when the disk takes it not whole."""
        if self.disk_full and self._clock.monotonic() < self._disk_again_at:
            return
        self._disk_again_at = Seconds(self._clock.monotonic() + RETRY_S)
        lines = []
        for record in list(self._memory):
            if (line := self._packed(record)) is not None:
                lines.append(line + b"\n")
        try:
            size = self._spool.stat().st_size if self._spool.exists() else 0
            if size > MAX_SPOOL_BYTES:
                self.disk_full = True
                return
            try:
                with private(self._spool, "ab") as file:
                    file.writelines(lines)
            except OSError:
                if self._spool.exists():  # take back what was written of it, so that no line is there in part or twice
                    os.truncate(self._spool, size)
                raise
        except OSError:
            self.disk_full = True
            return
        self.disk_full = False
        self._spooled += len(lines)
        self._memory.clear()

    def _packed(self, record: Record) -> bytes | None:
        """None for a record that cannot be written, for instance with a number that fits nowhere; it is put aside."""
        try:
            return INTAKE.pack(record)
        except (TypeError, ValueError, OverflowError) as error:
            self._memory.remove(record)
            self._put_aside(record, f"cannot be written: {type(error).__name__}", None)
            return None

    def _put_aside(self, record: Record, reason: str, line: bytes | None) -> None:
        """Into a file, with its reason and, where it could be written, the record itself: `./faena replay` tries it again."""
        told = Refusal(at=self._clock.now(), server_id=record.server_id, kind=INTAKE.name_of(record), reason=reason)
        self.refused.append(told)
        self.refused_count += 1
        head = orjson.dumps({"at": told.at, "server": told.server_id, "kind": told.kind, "reason": reason})
        try:
            if self._aside.exists() and self._aside.stat().st_size > MAX_ASIDE_BYTES:
                self._drop(record)
                return
            with private(self._aside, "ab") as file:
                file.write(head[:-1] + b',"record":' + (line or b"null") + b"}\n")
        except OSError:
            self._drop(record)

    def _lines_left(self) -> int:
        if not self._spool.exists():
            return 0
        with self._spool.open("r+b") as file:
            whole, last = 0, b"\n"
            for line in file:
                whole, last = whole + line.endswith(b"\n"), line
            if not last.endswith(b"\n"):  # cut off in the middle of a write: close the line, so that the next is whole
                file.write(b"\n")
                whole += 1
            return whole

    async def run(self) -> None:
        """Deliver until cancelled; on cancellation what is left goes to disk."""
        if self.waiting:  # left by the collector before
            self._wake.set()
        try:
            while True:
                await self._wake.wait()
                self._wake.clear()
                while self.waiting:
                    if not await self._deliver_some():
                        await self._clock.sleep(RETRY_S)
        finally:
            if self._memory:
                self._to_disk()

    async def _deliver_some(self) -> bool:
        """One batch from disk, else everything in memory. False when the store is away."""
        begun = self._clock.now()  # an attempt can take seconds until it fails, and the store was away all of them
        try:
            if self._spooled:
                await self._deliver_spool()
            batch = list(self._memory)[:BATCH]
            if batch:
                await self._hand_over(batch)
            for record in batch:  # `put` may have moved them to disk meanwhile; storing twice does no harm
                if self._memory and self._memory[0] is record:
                    self._memory.popleft()
            if len(batch) < BATCH:
                self._caught_up()
        except StoreAway:
            self._back_since = None
            if self.away_since is None:
                self.away_since = begun
            return False
        return True

    async def _hand_over(self, batch: list[Record]) -> None:
        """Deliver; a record that the store cannot take for another reason than being away is put aside, not retried
        for ever: one such record must not hold up all others. Raises StoreAway."""
        try:
            await self._deliver(batch)
        except StoreAway:
            raise
        except Exception as error:
            log.warning("the store refused a batch of %d (%s); trying its records one by one", len(batch), _kind(error))
            for record in batch:
                await self._hand_over_one(record)

    async def _hand_over_one(self, record: Record) -> None:
        try:
            await self._deliver([record])
        except StoreAway:
            raise
        except Exception as error:
            log.warning("a record of server %d was put aside (%s)", record.server_id, _kind(error))
            try:
                line = INTAKE.pack(record)
            except (TypeError, ValueError, OverflowError):
                line = None
            self._put_aside(record, f"the store did not take it: {_kind(error)}", line)

    async def _deliver(self, records: list[Record]) -> None:
        """Hand records to the store. While it is away: count what it takes, and note when it first takes something again.

        Raises whatever the store's own `deliver` raises.
        """
        begun = self._clock.now()
        await asyncio.to_thread(self._store.deliver, records)
        if self.away_since is None:
            return
        if self._back_since is None:
            self._back_since = begun
        for record in records:
            count, _ = self._late_of.get(record.server_id, (0, 0))
            self._late_of[record.server_id] = count + 1, self._moment(record)

    async def _deliver_spool(self) -> None:
        """All lines now on disk, batch by batch, then those that came meanwhile; the file goes when all are stored.

        The store counts as back once it has taken all that there was when a batch was begun: while it is slow after its
        return, and readings come every second, there may be no moment at all at which none is left.
        """
        batch = list[Record]()
        with self._spool.open("rb") as file:
            file.seek(self._stored_to)
            while True:
                line = file.readline()
                if line.endswith(b"\n"):
                    try:
                        batch.append(INTAKE.unpack(line))
                    except ValueError:  # the half line of a collector that was killed, with a whole one behind it
                        self.dropped += 1
                if len(batch) >= BATCH or (batch and not line):
                    await self._hand_over(batch)
                    self._stored_to = file.tell()
                    batch = []
                    if not line and not self._memory:
                        self._caught_up()
                elif not line:
                    break
        # No await between the end of the file and here, so nothing can have been appended unseen.
        self._spool.unlink()
        self._spooled = self._stored_to = 0
        self.disk_full = False

    def _caught_up(self) -> None:
        """A note for every server with readings that had to wait or were dropped, since each has its own page."""
        if self.away_since is None:
            return
        now = self._clock.now()
        seconds = ((self._back_since or now) - self.away_since) / 1000
        for server_id in sorted({*self._late_of, *self.dropped_of}):
            count, at = self._late_of.get(server_id, (0, now))
            detail = f"the store was away for {seconds:.0f} s; {count} readings were kept and stored since"
            if lost := self.dropped_of[server_id]:
                detail += f"; {lost} were dropped, since neither disk nor memory had room"
            self._memory.append(Noted(server_id=server_id, at=at, event="store_back", detail=detail))
        self.dropped_of.clear()
        self._late_of.clear()
        self.away_since = self._back_since = None

    def _moment(self, record: Record) -> EpochMs:
        return record.reading.due if isinstance(record, Sampled) else self._clock.now()


def _kind(error: Exception) -> str:
    """What went wrong, without the words: those of a database cite the row."""
    return f"{type(error).__name__} {getattr(error.__cause__ or error, 'sqlstate', None) or ''}".strip()
