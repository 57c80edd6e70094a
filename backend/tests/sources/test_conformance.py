"""What every source must keep to, whatever server it stands for: the real one and the made-up ones alike."""

import asyncio
import time
import tomllib
from collections.abc import Callable
from pathlib import Path

import pytest
from faena.core.ports import Source
from faena.core.sampling.dimensions import combination_of
from faena.core.units import EpochMs, QueryId
from faena.sources.postgres import PostgresSource, Target
from faena.sources.simulated import Engine, SimulatedSource, read_estate, read_incidents
from faena.testing.steady import SteadySource

DEMO = Path(__file__).parents[3] / "demo"
HOUR = 3_600_000
STATES = {"active", "idle in transaction", "idle in transaction (aborted)", "fastpath function call"}


def simulated(target: Target) -> Source:
    estate = read_estate(tomllib.loads((DEMO / "estate.toml").read_text()))
    incidents = read_incidents(tomllib.loads((DEMO / "incidents.toml").read_text()))
    return SimulatedSource(Engine(estate, incidents, "bookings-main", EpochMs(int(time.time()) // 3600 * HOUR), seed=3))


SOURCES: dict[str, Callable[[Target], Source]] = {
    "postgresql": PostgresSource,
    "simulated": simulated,
    "steady": lambda _: SteadySource(),
}


@pytest.mark.parametrize("kind", SOURCES)
def test_samples_counters_texts_and_surveys(kind: str, target: Target) -> None:
    source = SOURCES[kind](target)

    async def scenario() -> None:
        facts = await source.connect()
        assert facts.version >= 120000
        assert facts.max_connections > 0
        now = EpochMs(int(time.time()) * 1000)
        wanted: set[QueryId] = set()
        for second in range(3):
            reading = await source.sample(EpochMs(now + 1000 * second))
            assert reading.due == now + 1000 * second
            assert reading.took >= 0
            pids = [s.pid for s in reading.sessions]
            assert len(pids) == len(set(pids)), "a session is there once"
            present = {s.pid: s for s in reading.sessions}
            for s in reading.sessions:
                assert s.state in STATES
                assert bool(s.wait_type) == bool(s.wait_event)
                assert s.pid not in s.blocked_by
                assert s.statement_ms >= -1
                assert s.transaction_ms >= -1
                assert combination_of(s, present).active == s.is_active
                wanted |= {s.query_id} if s.query_id is not None else set()
        earlier = await source.counters(now)
        later = await source.counters(EpochMs(now + 30_000))
        assert earlier is not None
        assert later is not None
        assert later.values.shape == (len(later.keys), earlier.values.shape[1])
        assert len(set(later.keys)) == len(later.keys)
        before = dict(zip(earlier.keys, earlier.values[:, 0], strict=True))
        assert all(calls >= before.get(key, 0) for key, calls in zip(later.keys, later.values[:, 0], strict=True))
        assert {text.query_id for text in await source.texts(list(wanted))} <= wanted
        assert (await source.survey(now)).at <= now
        await source.close()
        await source.close()  # closing twice does no harm

    asyncio.run(scenario())
