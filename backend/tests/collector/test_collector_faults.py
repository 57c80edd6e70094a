"""Faults that cannot be staged outside: a full disk, a record that fits nowhere, a clock that is set, a watch that breaks."""

import asyncio
import os
from dataclasses import replace
from pathlib import Path

import pytest
from faena.collector import outbox as boxes
from faena.collector.intake import Record
from faena.collector.jobs import Jobs
from faena.collector.kinds import INTAKE, Learned, Logged, Noted, Sampled
from faena.collector.orders import WatchOrder
from faena.collector.outbox import Outbox
from faena.collector.watch import Watch
from faena.core.errors import SourceAway, StoreAway
from faena.core.logged import EventKind, LogEvent, LogPosition, LogReading
from faena.core.units import NOT_LATE, EpochMs, Millis, Pid, QueryId, Seconds
from faena.testing.builders import START, counters, reading, session
from faena.testing.clocks import ManualClock
from faena.testing.sources import ScriptedSource
from test_outbox import ListStore, stored, tick, until

ORDER = WatchOrder(server_id=1, name="test", revision=1, source={})


@pytest.fixture
def full_disk(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """A folder whose disk takes nothing while a file `full` lies in it; what is written before it fails stays in part."""
    real = boxes.private

    def private(path: Path, mode: str) -> object:
        if (tmp_path / "full").exists():
            with real(path, mode) as file:
                file.write(b'["sampled",1,')
            raise OSError(28, "No space left on device")
        return real(path, mode)

    monkeypatch.setattr(boxes, "private", private)
    return tmp_path


@pytest.mark.parametrize("when", ["before the outage", "during the outage"])
def test_a_full_disk_keeps_readings_in_memory_and_they_arrive(full_disk: Path, when: str) -> None:
    async def scenario() -> None:
        store, clock = ListStore(), ManualClock()
        outbox = Outbox(store, full_disk / "spool", clock)
        store.away = True
        if when == "before the outage":
            (full_disk / "full").touch()
        outbox.put(tick(0))
        await until(lambda: outbox.away_since is not None, outbox)
        for second in range(1, 20):
            outbox.put(tick(second))
        (full_disk / "full").touch()
        for second in range(20, 300):
            clock.advance(1000)
            outbox.put(tick(second))
        assert outbox.disk_full
        assert outbox.waiting == 300
        assert outbox.dropped == 0
        store.away = False
        await until(lambda: outbox.waiting == 0, outbox)
        assert stored(store) == [tick(second).reading.due for second in range(300)], "in order, each once"

    asyncio.run(scenario())


def test_what_fits_neither_disk_nor_memory_is_counted_and_told(
    full_disk: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(boxes, "MAX_HELD", 50)

    async def scenario() -> None:
        store, clock = ListStore(), ManualClock()
        outbox = Outbox(store, full_disk / "spool", clock)
        (full_disk / "full").touch()
        store.away = True
        outbox.put(tick(0))
        await until(lambda: outbox.away_since is not None, outbox)
        for second in range(1, 80):
            outbox.put(tick(second, 2 if second % 2 else 1))
        assert outbox.dropped == 30
        store.away = False
        await until(lambda: outbox.waiting == 0, outbox)
        notes = {one.server_id: one.detail for one in store.records if isinstance(one, Noted)}
        assert len(stored(store)) == 50
        assert "15 were dropped" in notes[1]
        assert "15 were dropped" in notes[2]

    asyncio.run(scenario())


def test_the_note_tells_how_long_the_store_was_away(tmp_path: Path) -> None:
    class SlowToFail(ListStore):
        def deliver(self, records: list[Record]) -> None:
            clock.advance(3000)  # an attempt waits for a connection before it fails
            super().deliver(records)

    clock = ManualClock()

    async def scenario() -> None:
        store = SlowToFail()
        outbox = Outbox(store, tmp_path / "spool", clock)
        store.away = True
        begun = clock.now()
        outbox.put(tick(0))
        await until(lambda: outbox.away_since is not None, outbox)
        assert outbox.away_since == begun, "from the beginning of the attempt that failed, not from its end"
        clock.advance(60_000)
        store.away = False
        back = clock.now()
        await until(lambda: any(isinstance(one, Noted) for one in store.records), outbox)
        (note,) = [one for one in store.records if isinstance(one, Noted)]
        told = int(note.detail.split("away for ")[1].split()[0])
        assert abs(told - (back - begun) / 1000) <= 4

    asyncio.run(scenario())


def bad_event(**changes: object) -> Logged:
    event = LogEvent(EpochMs(START), EventKind.ERROR, Pid(1), 1, "ERROR", "22P02", "x")._replace(**changes)
    return Logged(server_id=1, reading=LogReading(position=LogPosition("x", 1), events=(event,)))


@pytest.mark.parametrize(
    "record",
    [
        bad_event(pid=10**20), bad_event(message="\ud800"), bad_event(place=2**70),
        Sampled(server_id=1, reading=replace(reading(0), due=EpochMs(10**25)), missed=0),
    ],
    ids=["twenty digits", "half a surrogate pair", "a line number", "a moment"],
)  # fmt: skip
def test_a_record_that_cannot_be_written_is_put_aside_and_holds_nobody_up(tmp_path: Path, record: Record) -> None:
    async def scenario() -> None:
        store = ListStore()
        outbox = Outbox(store, tmp_path / "spool", ManualClock())
        store.away = True
        outbox.put(tick(0))
        await until(lambda: outbox.away_since is not None, outbox)
        outbox.put(record)
        outbox.put(tick(1))
        assert [one.reason.split(":")[0] for one in outbox.refused] == ["cannot be written"]
        store.away = False
        await until(lambda: outbox.waiting == 0, outbox)
        assert len(stored(store)) == 2

    asyncio.run(scenario())


def test_files_of_the_collector_are_its_own(tmp_path: Path) -> None:
    store = ListStore()
    outbox = Outbox(store, tmp_path / "spool", ManualClock())
    outbox.away_since = 1
    old = os.umask(0)
    try:
        outbox.put(tick(0))
    finally:
        os.umask(old)
    assert (tmp_path / "spool").stat().st_mode & 0o777 == 0o600


def test_a_text_of_an_older_spool_loses_its_literals_on_the_way_back() -> None:
    found = INTAKE.unpack(b'["learned",1,[[7,"ALTER ROLE x PASSWORD \'hush\'"]]]')
    assert isinstance(found, Learned)
    assert found.texts[0].text == "ALTER ROLE x PASSWORD $1"


class BreakingSource(ScriptedSource):
    """Answers twice, then with something nobody foresaw."""

    async def sample(self, due: EpochMs, late: Millis = NOT_LATE) -> object:
        if self.connects == 1 and not self.asked_texts:
            self.asked_texts.append(QueryId(1))
            raise ZeroDivisionError("Zq7secret of the answer")
        return await super().sample(due)


def records_of(source: ScriptedSource, clock: ManualClock, enough: int) -> list[Record]:
    found: list[Record] = []

    async def scenario() -> None:
        task = asyncio.create_task(Watch(ORDER, source, found.append, clock, chance=lambda: 0.0).run())
        async with asyncio.timeout(5):
            while len(found) < enough:
                await asyncio.sleep(0)
        task.cancel()
        await asyncio.gather(task, return_exceptions=True)

    asyncio.run(scenario())
    return found


def test_a_watch_that_breaks_is_away_and_begins_again() -> None:
    found = records_of(BreakingSource(*[[session()]] * 9), ManualClock(), 6)
    notes = [one for one in found if isinstance(one, Noted)]
    assert [one.event for one in notes][:3] == ["connected", "away", "connected"]
    assert "Zq7secret" not in notes[1].detail
    assert "ZeroDivisionError" in notes[1].detail
    assert any(isinstance(one, Sampled) for one in found)


class SetClock(ManualClock):
    """A clock whose hands are set once, after so many sleeps; the one that only goes forward is not."""

    def __init__(self, by_ms: int, after: int) -> None:
        super().__init__()
        self._by, self._left, self._set = by_ms, after, 0

    def monotonic(self) -> Seconds:
        return Seconds((self._now_ms - self._set) / 1000)

    async def sleep(self, seconds: Seconds) -> None:
        await super().sleep(seconds)
        self._left -= 1
        if self._left == 0:
            self._now_ms += self._by
            self._set = self._by


@pytest.mark.parametrize(("by_ms", "way"), [(-3_600_000, "back by 3600"), (3_600_000, "forward by 3600")])
def test_a_clock_that_is_set_is_noted_and_sampling_goes_on_in_the_present(by_ms: int, way: str) -> None:
    clock = SetClock(by_ms, after=15)
    began = clock.now()
    found = records_of(ScriptedSource(*[[session()]] * 60), clock, 30)
    (note,) = [one for one in found if isinstance(one, Noted) and one.event == "clock_step"]
    assert way in note.detail
    after = [one.reading.due for one in found[found.index(note) :] if isinstance(one, Sampled)]
    assert len(after) > 5
    assert all(abs(due - (began + by_ms)) < 900_000 for due in after), "by the clock as it is now, none in the future"
    assert all(one.missed < 10 for one in found[found.index(note) + 1 :] if isinstance(one, Sampled)), (
        "no hour of misses"
    )


def test_a_job_that_fails_stops_no_other_and_says_so() -> None:
    async def scenario() -> None:
        jobs, ran = Jobs(ManualClock()), [0, 0]

        async def fails() -> None:
            ran[0] += 1
            raise StoreAway("gone") if ran[0] == 1 else RuntimeError("Zq7secret")

        async def works() -> None:
            ran[1] += 1

        jobs.add("fails", Seconds(1.0), fails)
        jobs.add("works", Seconds(1.0), works)
        task = asyncio.create_task(jobs.run())
        while min(ran) < 5:
            await asyncio.sleep(0)
        task.cancel()
        await asyncio.gather(task, return_exceptions=True)
        told = {one["name"]: one for one in jobs.told()}
        assert told["fails"]["error"] == "RuntimeError"
        assert told["works"]["error"] == ""
        assert told["works"]["ran_at"] is not None

    asyncio.run(scenario())


def test_counters_that_could_not_be_read_begin_anew() -> None:
    """656,315 calls came in one reading when they could be read again."""

    answers = [
        counters(0, q1=(10, 1.0)),
        None,
        counters(30, q1=(10, 1.0), q2=(656_315, 9.0)),
        counters(45, q1=(12, 2.0), q2=(656_320, 9.5)),
    ]

    class Counting(ScriptedSource):
        async def counters(self, at: EpochMs) -> object:
            return answers.pop(0)

    found: list[Record] = []
    watch = Watch(ORDER, Counting(), found.append, ManualClock())

    async def scenario() -> None:
        for _ in range(4):
            await watch._count()

    asyncio.run(scenario())
    (counted,) = found
    assert [row[0] for row in counted.delta.values.tolist()] == [2.0, 5.0]  # type: ignore[union-attr]


def test_an_outage_is_away_again_after_it_was_back() -> None:
    first, second = SourceAway("gone"), SourceAway("gone")
    found = records_of(ScriptedSource([session()], first, [session()], second, [session()]), ManualClock(), 7)
    assert [one.event for one in found if isinstance(one, Noted)][:4] == ["connected", "away", "connected", "away"]
