"""What is read but not stored: memory, disk, and back."""

import asyncio
from pathlib import Path

import numpy as np
import orjson
import pytest
from faena.collector.intake import Record
from faena.collector.kinds import INTAKE, Counted, HostRead, Learned, Logged, Noted, Sampled, Surveyed
from faena.collector.orders import WatchOrder
from faena.collector.outbox import BATCH, Outbox
from faena.core.errors import StoreAway
from faena.core.logged import EventKind, Execution, LogEvent, LogPosition, LogReading
from faena.core.privacy import Normalised
from faena.core.readings import COUNTER_FIELDS, CounterKey, StatementText, Survey
from faena.core.statements.counters import Break, CounterDelta
from faena.core.units import EpochMs, Pid, QueryId
from faena.testing.builders import START, host_figures, reading, session, survey
from faena.testing.clocks import ManualClock
from patience import PATIENCE_S


class ListStore:
    """Keeps what is delivered; away while told so; refuses what it is told to."""

    def __init__(self) -> None:
        self.records: list[Record] = []
        self.away = False
        self.poison: Record | None = None

    def orders(self) -> list[WatchOrder]:
        return []

    def report(self, status: dict[str, object]) -> None:
        return None

    def deliver(self, records: list[Record]) -> None:
        if self.away:
            raise StoreAway("told so")
        if self.poison in records:
            raise ValueError("cannot take this one")
        self.records += records


def tick(second: int, server_id: int = 1) -> Sampled:
    return Sampled(server_id=server_id, reading=reading(second, session(second + 1)), missed=0)


RUN = Execution(EpochMs(START + 900), 812.5, Pid(7), 3, "SELECT 1", QueryId(-4), "$1 = 'é'", parse_ms=0.5, plan="{}")
EVENT = LogEvent(START, EventKind.TIMEOUT, Pid(7), 4, "ERROR", "57014", "canceling statement", waited_ms=None)
RECORDS: list[Record] = [
    Logged(
        server_id=7,
        reading=LogReading(
            position=LogPosition("a.json", 99, b"\xff\n"), executions=(RUN,), events=(EVENT,), unreadable=1, behind=5
        ),
    ),
    Sampled(server_id=7, reading=reading(3, session(4, blocked_by=(Pid(9), Pid(8)), query_id=QueryId(-5))), missed=2),
    Counted(
        server_id=7,
        delta=CounterDelta(
            since=START,
            until=EpochMs(START + 15_000),
            keys=(CounterKey(query_id=QueryId(2**62), database="d", user="u", toplevel=False),),
            values=np.arange(float(len(COUNTER_FIELDS))).reshape(1, -1),
            breaks=frozenset({Break.RESET}),
        ),
    ),
    Learned(server_id=7, texts=(StatementText(query_id=QueryId(1), text=Normalised("SELECT ü FROM t")),)),
    Noted(server_id=7, at=START, event="away", detail="x", facts={"version": 150000}),
    Surveyed(server_id=7, survey=survey(START)),
    Surveyed(server_id=7, survey=Survey(at=START)),
    HostRead(machine="vm-3", figures=host_figures(START)),
]


@pytest.mark.parametrize("record", RECORDS, ids=lambda record: type(record).__name__)
def test_a_record_comes_back_from_disk_as_it_went(record: Record) -> None:
    line = INTAKE.pack(record)
    assert b"\n" not in line
    again = INTAKE.unpack(line)
    if isinstance(record, Counted) and isinstance(again, Counted):
        assert (again.delta.values == record.delta.values).all()
        assert (again.delta.keys, again.delta.breaks) == (record.delta.keys, record.delta.breaks)
    else:
        assert again == record


@pytest.mark.parametrize("line", [b"", b"{}", b'["sampled",1]', b'["poem",1,2]', INTAKE.pack(RECORDS[0])[:-9]])
def test_a_damaged_line_is_refused(line: bytes) -> None:
    with pytest.raises(ValueError, match=r"."):
        INTAKE.unpack(line)


async def until(condition: object, outbox: Outbox) -> None:
    task = asyncio.create_task(outbox.run())
    try:
        async with asyncio.timeout(PATIENCE_S):
            while not condition():  # type: ignore[operator]
                await asyncio.sleep(0.005)
    finally:
        task.cancel()
        await asyncio.gather(task, return_exceptions=True)


def stored(store: ListStore) -> list[EpochMs]:
    return [r.reading.due for r in store.records if isinstance(r, Sampled)]


def test_an_absence_of_the_store_loses_nothing_and_keeps_the_order(tmp_path: Path) -> None:
    async def scenario() -> None:
        store, clock = ListStore(), ManualClock()
        outbox = Outbox(store, tmp_path / "spool", clock)
        outbox.put(tick(0))
        await until(lambda: len(store.records) == 1, outbox)
        store.away = True
        outbox.put(tick(1))
        await until(lambda: outbox.away_since is not None, outbox)
        for second in range(2, 700):  # more than ten minutes
            outbox.put(tick(second, 2 if second % 100 == 99 else 1))
        assert outbox.waiting == 699
        assert len(outbox._memory) == 0, "memory stays bounded: everything is on disk"
        store.away = False
        await until(lambda: outbox.waiting == 0, outbox)
        assert stored(store) == [tick(second).reading.due for second in range(700)]
        assert not (tmp_path / "spool").exists()
        assert outbox.away_since is None
        assert backs(store) == {1: "692", 2: "7"}, "each server's page tells of its own readings, whoever's came last"

    asyncio.run(scenario())


class BusyStore(ListStore):
    """So slow after its return that another reading has come whenever it took some; stays away for `refusals` calls
    once it took `until` records."""

    def __init__(self) -> None:
        super().__init__()
        self.outbox: Outbox | None = None
        self.loop: asyncio.AbstractEventLoop | None = None
        self.next_second = 0
        self.until, self.refusals = 0, 0

    def deliver(self, records: list[Record]) -> None:
        if self.refusals and len(self.records) >= self.until:
            self.refusals -= 1
            raise StoreAway("once more")
        super().deliver(records)
        if self.outbox is not None and self.loop is not None:
            asyncio.run_coroutine_threadsafe(self._one_more(self.outbox), self.loop).result()

    async def _one_more(self, outbox: Outbox) -> None:
        outbox.put(tick(self.next_second, server_id=2))
        self.next_second += 1


def backs(store: ListStore) -> dict[int, str]:
    """What the notes of the store's return say was kept, by server."""
    notes = [r for r in store.records if isinstance(r, Noted) and r.event == "store_back"]
    return {note.server_id: note.detail.partition("; ")[2].split()[0] for note in notes}


def test_the_return_of_the_store_is_told_though_there_is_always_another_reading_left(tmp_path: Path) -> None:
    async def scenario() -> None:
        store, clock = BusyStore(), ManualClock()
        outbox = Outbox(store, tmp_path / "spool", clock)
        store.away = True
        outbox.put(tick(0))
        await until(lambda: outbox.away_since is not None, outbox)
        for second in range(1, 7):
            outbox.put(tick(second))
        store.away, store.outbox, store.loop, store.next_second = False, outbox, asyncio.get_running_loop(), 7
        await until(lambda: 1 in backs(store), outbox)
        assert outbox.away_since is None
        assert backs(store) == {1: "7"}, (
            "the note is of the server whose readings were kept, though another's came last"
        )

    asyncio.run(scenario())


def test_a_store_that_goes_away_again_is_not_given_again_what_it_took(tmp_path: Path) -> None:
    async def scenario() -> None:
        store = BusyStore()
        outbox = Outbox(store, tmp_path / "spool", ManualClock())
        store.away = True
        outbox.put(tick(0))
        await until(lambda: outbox.away_since is not None, outbox)
        for second in range(1, BATCH + 100):
            outbox.put(tick(second))
        store.away, store.until, store.refusals = False, BATCH, 2
        await until(lambda: outbox.waiting == 0, outbox)
        assert store.refusals == 0
        assert stored(store) == [tick(second).reading.due for second in range(BATCH + 100)]
        assert backs(store) == {1: str(BATCH + 100)}

    asyncio.run(scenario())


def test_a_killed_collector_leaves_its_readings_to_the_next(tmp_path: Path) -> None:
    async def scenario() -> None:
        spool = tmp_path / "spool"
        spool.write_bytes(
            INTAKE.pack(tick(0)) + b"\n" + INTAKE.pack(tick(1)) + b"\n" + INTAKE.pack(tick(2))[:40]
        )  # cut off in a write
        store = ListStore()
        outbox = Outbox(store, spool, ManualClock())
        outbox.put(tick(3))
        await until(lambda: outbox.waiting == 0, outbox)
        assert stored(store) == [tick(0).reading.due, tick(1).reading.due, tick(3).reading.due]
        assert outbox.dropped == 1

    asyncio.run(scenario())


def test_a_stop_writes_what_is_left_to_disk(tmp_path: Path) -> None:
    async def scenario() -> None:
        store = ListStore()
        store.away = True
        outbox = Outbox(store, tmp_path / "spool", ManualClock())
        outbox.put(tick(0))
        await until(lambda: outbox.away_since is not None, outbox)
        assert INTAKE.unpack((tmp_path / "spool").read_bytes().strip()) == tick(0)

    asyncio.run(scenario())


def test_a_record_that_the_store_cannot_take_holds_nobody_up(tmp_path: Path) -> None:
    async def scenario() -> None:
        store = ListStore()
        store.poison = tick(1)
        outbox = Outbox(store, tmp_path / "spool", ManualClock())
        for second in range(3):
            outbox.put(tick(second))
        await until(lambda: outbox.waiting == 0, outbox)
        assert stored(store) == [tick(0).reading.due, tick(2).reading.due]
        assert outbox.dropped == 0
        told = orjson.loads((tmp_path / "refused.jsonl").read_bytes())
        assert INTAKE.unpack(orjson.dumps(told["record"])) == tick(1), "put aside, not thrown away"
        assert (told["server"], told["kind"], told["reason"]) == (1, "sampled", "the store did not take it: ValueError")
        assert [one.reason for one in outbox.refused] == [told["reason"]]
        assert (tmp_path / "refused.jsonl").stat().st_mode & 0o777 == 0o600

    asyncio.run(scenario())
