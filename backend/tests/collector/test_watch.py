"""Watching one server: ticks, gaps, reconnecting, texts."""

import asyncio
from collections.abc import Callable
from itertools import pairwise
from random import Random

import pytest
from faena.collector.intake import Record
from faena.collector.kinds import Learned, Noted, Sampled
from faena.collector.orders import WatchOrder
from faena.collector.watch import BACKOFF_S, Watch
from faena.core.errors import SourceAway
from faena.core.readings import SampleReading
from faena.core.series.schedule import read_schedule
from faena.core.units import NOT_LATE, EpochMs, Millis, QueryId
from faena.testing.builders import session
from faena.testing.clocks import ManualClock
from faena.testing.sources import ScriptedSource
from faena.testing.steady import SteadySource

ORDER = WatchOrder(server_id=1, name="test", revision=1, source={})


def at_once() -> float:
    return 0.0


def watch(source: ScriptedSource | SteadySource, enough: int, clock: ManualClock | None = None) -> list[Record]:
    """Watch until `enough` records came."""
    records: list[Record] = []

    async def scenario() -> None:
        task = asyncio.create_task(Watch(ORDER, source, records.append, clock or ManualClock(), chance=at_once).run())
        async with asyncio.timeout(5):
            while len(records) < enough:
                await asyncio.sleep(0)
        task.cancel()
        await asyncio.gather(task, return_exceptions=True)

    asyncio.run(scenario())
    return records


def ticks(records: list[Record]) -> list[Sampled]:
    return [r for r in records if isinstance(r, Sampled)]


def test_an_outage_is_noted_once_and_its_ticks_are_missed_not_invented() -> None:
    away = SourceAway("gone", remedy="look at it")
    source = ScriptedSource([session()], [session()], away, [session()])
    records = watch(source, 6)
    events = [r.event for r in records if isinstance(r, Noted)]
    assert events[:3] == ["connected", "away", "connected"]
    taken = ticks(records)
    assert len(taken) == 3
    assert source.connects >= 2
    assert taken[2].missed > 0
    gap = taken[2].reading.due - taken[1].reading.due
    assert gap == 1000 * (taken[2].missed + 1), "every tick is either taken or counted as missed"


def test_the_wait_between_tries_grows_to_a_bound() -> None:
    assert list(BACKOFF_S) == sorted(BACKOFF_S)
    assert BACKOFF_S[0] <= 1, "a restart of a server costs few samples"
    assert BACKOFF_S[-1] <= 30


class SlowSource(SteadySource):
    """Each third sample takes three and a half periods."""

    clock = ManualClock()
    in_flight = 0

    async def sample(self, due: EpochMs, late: Millis = NOT_LATE) -> SampleReading:
        cls = SlowSource
        assert cls.in_flight == 0, "never two samples at once"
        cls.in_flight += 1
        if (due // 1000) % 3 == 0:
            cls.clock.advance(3500)
        await asyncio.sleep(0)
        cls.in_flight -= 1
        return await super().sample(due)


def test_a_late_sample_makes_a_gap_and_no_burst() -> None:
    taken = ticks(watch(SlowSource(), 30, SlowSource.clock))
    assert any(t.missed >= 3 for t in taken)
    dues = [t.reading.due for t in taken]
    assert dues == sorted(set(dues))
    for before, after in pairwise(taken):
        assert after.reading.due - before.reading.due == 1000 * (after.missed + 1)


class InStep(SteadySource):
    """A session that works in the first tenth of each second, by the clock."""

    clock = ManualClock()

    async def sample(self, due: EpochMs, late: Millis = NOT_LATE) -> SampleReading:
        await asyncio.sleep(0)
        assert abs(self.clock.now() - due - late) < 1, "what is said is when it was asked"
        busy = (session(),) if self.clock.now() % 1000 < 100 else ()
        return SampleReading(due=due, took=Millis(0.0), sessions=busy, late=late)


@pytest.mark.parametrize(("chance", "low", "high"), [(Random(4).random, 0.07, 0.13), (at_once, 1.0, 1.0)])
def test_work_in_step_with_the_clock_is_neither_over_nor_undercounted(
    chance: Callable[[], float], low: float, high: float
) -> None:
    records: list[Record] = []
    watching = Watch(ORDER, InStep(), records.append, InStep.clock, chance=chance)

    async def scenario() -> None:
        task = asyncio.create_task(watching._sample_forever())  # alone: the other loop moves this clock, too
        while len(records) < 1500:
            await asyncio.sleep(0)
        task.cancel()

    asyncio.run(scenario())
    taken = ticks(records)
    assert low <= sum(len(one.reading.sessions) for one in taken) / len(taken) <= high, (
        "it works for a tenth of the time"
    )
    assert all(one.missed == 0 for one in taken), "each period has its sample, however early or late in it"
    assert {b.reading.due - a.reading.due for a, b in pairwise(taken)} == {1000}


def test_a_text_is_learned_once() -> None:
    one, unknown = QueryId(11), QueryId(12)
    rows = [[session(query_id=one), session(2, query_id=unknown)]] * 40
    source = ScriptedSource(*rows, texts={one: "SELECT 1"})
    learned = [r for r in watch(source, 40) if isinstance(r, Learned)]
    assert [t.text for r in learned for t in r.texts] == ["SELECT $1"], "and without its literals"
    assert source.asked_texts.count(one) == 1
    assert 1 < source.asked_texts.count(unknown) <= 10, "asked again for a while, then left alone"


def test_the_simulated_server_repeats_itself_by_seed() -> None:
    async def sessions(seed: int) -> tuple[object, ...]:
        return (await SteadySource(seed=seed).sample(EpochMs(1_700_000_100_000))).sessions

    assert asyncio.run(sessions(3)) == asyncio.run(sessions(3))
    assert asyncio.run(sessions(3)) != asyncio.run(sessions(4))


def test_outside_its_schedule_nothing_is_sampled_and_nothing_missed() -> None:
    clock = ManualClock()
    minute = clock.now() // 60_000 * 60_000
    day, opens = (minute // 86_400_000 + 3) % 7, minute % 86_400_000 // 60_000 + 10
    spans = read_schedule([{"days": [day], "from": f"{opens // 60:02}:{opens % 60:02}", "to": "24:00"}])
    order = WatchOrder(server_id=1, name="test", revision=1, source={}, schedule=spans)
    records: list[Record] = []

    async def scenario() -> None:
        task = asyncio.create_task(Watch(order, SteadySource(), records.append, clock, chance=at_once).run())
        async with asyncio.timeout(5):
            while len(ticks(records)) < 3:
                await asyncio.sleep(0)
        task.cancel()
        await asyncio.gather(task, return_exceptions=True)

    asyncio.run(scenario())
    first = ticks(records)[0]
    assert first.reading.due >= minute + 600_000
    assert first.reading.due < minute + 610_000, "the other loop moves this clock, too, by a few seconds"
    assert first.missed == 0
