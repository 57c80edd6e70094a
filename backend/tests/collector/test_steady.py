"""The simulated server keeps the same promises as a real one."""

import asyncio

import numpy as np
from faena.core.engines.postgres.waits.catalogue import CATALOGUE
from faena.core.ports import Source
from faena.core.statements.counters import difference
from faena.core.units import EpochMs
from faena.testing.steady import SteadySource
from hypothesis import given
from hypothesis import strategies as st

moments = st.integers(1_600_000_000, 1_900_000_000).map(lambda s: EpochMs(s * 1000))


@given(moments, st.integers(1, 5))
def test_a_sample_is_a_possible_one(due: EpochMs, seed: int) -> None:
    source: Source = SteadySource(seed=seed)  # the port is satisfied, as the type checker sees too
    sessions = asyncio.run(source.sample(due)).sessions
    pids = [s.pid for s in sessions]
    assert len(pids) == len(set(pids)), "no session is in two places"
    for s in sessions:
        assert s.wait_type == "" or (s.wait_type, s.wait_event) in CATALOGUE
        assert set(s.blocked_by) <= set(pids)
        assert s.is_active or s.state == "idle in transaction"


def test_the_mean_is_the_one_asked_for() -> None:
    source = SteadySource(seed=9, mean_sessions=12, lock_seconds=0)
    counts = [len(source.sessions_at(EpochMs(1_700_000_000_000 + 1000 * s))) for s in range(2000)]
    assert abs(float(np.mean(counts)) - 12) < 0.3


@given(moments, st.integers(1, 3600))
def test_counters_only_grow(at: EpochMs, seconds: int) -> None:
    source = SteadySource()
    before, after = asyncio.run(source.counters(at)), asyncio.run(source.counters(EpochMs(at + 1000 * seconds)))
    assert (after.values >= before.values).all()
    assert difference(before, after).breaks == frozenset()


def test_its_statements_have_texts() -> None:
    source = SteadySource()
    reading = asyncio.run(source.counters(EpochMs(1_700_000_000_000)))
    ids = [key.query_id for key in reading.keys]
    texts = asyncio.run(source.texts([*ids, ids[0]]))
    assert {t.query_id for t in texts} == set(ids)
