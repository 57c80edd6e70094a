"""What has been read but not yet stored. While the store is away it goes to disk, so that nothing is lost.

Order is kept: as long as the spool file holds anything, new records go behind it. A collector that is killed leaves
its spool behind, and the next one delivers it first. Delivering twice does no harm: the store drops what it has.
"""

import asyncio
import logging
from collections import deque
from pathlib import Path

from faena.collector.records import Noted, Record, Sampled, Store, pack, unpack
from faena.core.errors import StoreAway
from faena.core.ports import Clock
from faena.core.units import EpochMs, Seconds

log = logging.getLogger(__name__)

MAX_IN_MEMORY = 240  # records; beyond it, or as soon as the store is away, they go to disk
MAX_SPOOL_BYTES = 512 * 1024 * 1024  # 10 minutes of 50 servers at 64 active sessions take about half of this
BATCH = 500  # records in one delivery, so that catching up does not hold up the newest for long
RETRY_S = Seconds(1.0)


class Outbox:
    """Put records in from any task; one `run` delivers them."""

    def __init__(self, store: Store, spool: Path, clock: Clock) -> None:
        self._store, self._clock = store, clock
        self._spool, self._aside = spool, spool.with_name("refused.jsonl")
        self._memory: deque[Record] = deque()
        self._wake = asyncio.Event()
        self._spooled = self._lines_left()  # from a collector that was killed
        self.dropped = 0
        self.away_since: int | None = None

    @property
    def waiting(self) -> int:
        """Records not yet in the store."""
        return len(self._memory) + self._spooled

    def put(self, record: Record) -> None:
        """Never blocks and never raises; a record that fits nowhere is counted in `dropped`."""
        if self._spooled or self.away_since is not None or len(self._memory) >= MAX_IN_MEMORY:
            self._to_disk([*self._memory, record])
            self._memory.clear()
        else:
            self._memory.append(record)
        self._wake.set()

    def _to_disk(self, records: list[Record]) -> None:
        try:
            if self._spool.exists() and self._spool.stat().st_size > MAX_SPOOL_BYTES:
                self.dropped += len(records)
                return
            with self._spool.open("ab") as file:
                file.writelines(pack(record) + b"\n" for record in records)
        except OSError:  # a full disk: hold what memory allows, say what was lost
            self.dropped += len(records)
            return
        self._spooled += len(records)

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
        try:
            while True:
                await self._wake.wait()
                self._wake.clear()
                while self.waiting:
                    if not await self._deliver_some():
                        await self._clock.sleep(RETRY_S)
        finally:
            if self._memory:
                self._to_disk(list(self._memory))
                self._memory.clear()

    async def _deliver_some(self) -> bool:
        """One batch from disk, else everything in memory. False when the store is away."""
        try:
            if self._spooled:
                await self._deliver_spool()
            else:
                batch = list(self._memory)
                await self._hand_over(batch)
                for record in batch:  # `put` may have moved them to disk meanwhile; storing twice does no harm
                    if self._memory and self._memory[0] is record:
                        self._memory.popleft()
        except StoreAway:
            if self.away_since is None:
                self.away_since = self._clock.now()
            return False
        return True

    async def _hand_over(self, batch: list[Record]) -> None:
        """Deliver; a record that the store cannot take for another reason than being away is put aside, not retried
        for ever: one such record must not hold up all others. Raises StoreAway."""
        try:
            await asyncio.to_thread(self._store.deliver, batch)
        except StoreAway:
            raise
        except Exception:
            log.exception("the store refused a batch of %d; trying its records one by one", len(batch))
            for record in batch:
                await self._hand_over_one(record)

    async def _hand_over_one(self, record: Record) -> None:
        try:
            await asyncio.to_thread(self._store.deliver, [record])
        except StoreAway:
            raise
        except Exception:
            log.exception("a record was put aside in %s", self._aside)
            self.dropped += 1
            with self._aside.open("ab") as file:
                file.write(pack(record) + b"\n")

    async def _deliver_spool(self) -> None:
        """All lines now on disk, batch by batch, then those that came meanwhile; the file goes when all are stored."""
        batch = list[Record]()
        stored: dict[int, tuple[int, EpochMs]] = {}  # per server: readings stored, and the moment of the last
        with self._spool.open("rb") as file:
            while True:
                line = file.readline()
                if line.endswith(b"\n"):
                    try:
                        batch.append(unpack(line))
                    except ValueError:  # the half line of a collector that was killed, with a whole one behind it
                        self.dropped += 1
                if len(batch) >= BATCH or (batch and not line):
                    await self._hand_over(batch)
                    for record in batch:
                        stored[record.server_id] = stored.get(record.server_id, (0, 0))[0] + 1, self._moment(record)
                    batch = []
                elif not line:
                    break
        # No await between the end of the file and here, so nothing can have been appended unseen.
        self._spool.unlink()
        self._spooled = 0
        if self.away_since is not None:
            self._note_return(stored, self.away_since)
        self.away_since = None

    def _note_return(self, stored: dict[int, tuple[int, EpochMs]], away_since: int) -> None:
        """A note for every server with readings that had to wait, since each has its own page."""
        seconds = (self._clock.now() - away_since) / 1000
        for server_id, (count, at) in stored.items():
            detail = f"the store was away for {seconds:.0f} s; {count} readings were kept on disk and stored since"
            self._memory.append(Noted(server_id=server_id, at=at, event="store_back", detail=detail))

    def _moment(self, record: Record) -> EpochMs:
        return record.reading.due if isinstance(record, Sampled) else self._clock.now()
