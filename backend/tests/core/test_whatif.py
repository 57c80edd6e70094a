"""The queueing estimate: known values, laws, a simulation that is obviously right, and where it refuses."""

import heapq
from random import Random

import numpy as np
import pytest
from faena.core.errors import BadInput, NoTicks
from faena.core.hosts.whatif import FULL, Pool, in_system, offered_from, queueing_probability, what_if
from hypothesis import given
from hypothesis import strategies as st

loads = st.floats(0.01, 0.97)


def test_known_values() -> None:
    assert queueing_probability(1, 0.5) == pytest.approx(0.5), "one core: as likely busy as it is used"
    assert in_system(1, 0.5) == pytest.approx(1.0), "M/M/1: rho / (1 - rho)"
    assert queueing_probability(2, 1.0) == pytest.approx(1 / 3)
    assert queueing_probability(8, 0.0) == 0.0
    with pytest.raises(ValueError, match="between 0 and the 2 cores"):
        queueing_probability(2, 2.0)


@given(st.integers(1, 200), loads)
def test_more_cores_never_mean_more_waiting(cores: int, share: float) -> None:
    offered = cores * share
    assert in_system(cores + 1, offered) <= in_system(cores, offered) + 1e-9
    assert in_system(cores, offered) >= offered


@given(st.integers(1, 100), loads)
def test_what_is_seen_gives_what_was_offered(cores: int, share: float) -> None:
    offered = cores * share
    assert offered_from(in_system(cores, offered), cores) == pytest.approx(offered, rel=1e-6)
    assert offered_from(1e9, cores) == FULL * cores


def simulated(cores: int, offered: float, arrivals: int = 60_000) -> float:
    """Mean number in the system of a queue played event by event."""
    chance, now, area = Random(5), 0.0, 0.0
    free = [0.0] * cores
    heapq.heapify(free)
    for _ in range(arrivals):
        now += chance.expovariate(offered)
        start = max(now, heapq.heappop(free))
        end = start + chance.expovariate(1.0)
        heapq.heappush(free, end)
        area += end - now
    return area / now


@pytest.mark.parametrize(("cores", "offered"), [(2, 1.2), (4, 3.2), (8, 4.0)])
def test_the_formula_agrees_with_a_queue_played_out(cores: int, offered: float) -> None:
    assert in_system(cores, offered) == pytest.approx(simulated(cores, offered), rel=0.08)


def test_half_the_cores_under_steady_load() -> None:
    (same, half, double) = what_if(np.full(30, in_system(8, 5.0)), 6.0, 8, [8, 4, 16])
    assert same.running == pytest.approx(5.0, rel=1e-4)
    assert same.running + (same.queueing or 0) == pytest.approx(in_system(8, 5.0), rel=1e-4)
    assert half.queueing is None
    assert half.overloaded == 1.0
    assert double.queueing == pytest.approx(0.0, abs=1e-3)


def test_it_refuses_what_it_cannot_know() -> None:
    with pytest.raises(BadInput, match="waits for something else"):
        what_if(np.full(10, 1.0), 9.0, 8, [16])
    with pytest.raises(NoTicks):
        what_if(np.full(10, np.nan), 9.0, 8, [16])
    with pytest.raises(BadInput, match="between 1 and 1024"):
        what_if(np.full(10, 1.0), 1.0, 8, [0])


def pool_played(sessions: int, think: float, cores: int) -> float:
    """Mean number that run or wait for a core, of a closed pool played event by event; a statement takes 1."""
    chance, now, area, busy, queue = Random(5), 0.0, 0.0, 0, 0
    events = [(chance.expovariate(1 / think), True) for _ in range(sessions)]
    heapq.heapify(events)
    for _ in range(50_000):
        at, asks = heapq.heappop(events)
        area += (busy + queue) * (at - now)
        now = at
        if asks:
            queue += 1
        else:
            busy -= 1
            heapq.heappush(events, (now + chance.expovariate(1 / think), True))
        if queue and busy < cores:
            queue, busy = queue - 1, busy + 1
            heapq.heappush(events, (now + chance.expovariate(1.0), False))
    return area / now


@pytest.mark.parametrize(
    ("sessions", "think", "cores", "other"), [(24, 2.5, 8, 4), (24, 2.5, 8, 16), (40, 5.0, 4, 8), (300, 30.0, 8, 12)]
)
def test_a_closed_pool_agrees_with_one_played_out(sessions: int, think: float, cores: int, other: int) -> None:
    """It is asked less when it is slow, so half the cores do not make a queue without end, nor twice as many an idle server."""
    seen = pool_played(sessions, think, cores)
    (same, found) = what_if(np.full(5, seen), seen, cores, [cores, other], np.full(5, float(sessions)))
    assert same.running + (same.queueing or 0) == pytest.approx(seen, rel=0.02)
    truth = pool_played(sessions, think, other)
    assert found.running + (found.queueing or 0) == pytest.approx(truth, rel=0.1)
    assert found.queueing is not None
    assert found.running <= other


@given(st.integers(2, 60), st.integers(1, 32), st.floats(0.05, 0.95))
def test_a_pool_is_never_larger_than_it_is_and_gives_back_what_was_seen(
    sessions: int, cores: int, share: float
) -> None:
    pool = Pool(sessions, cores)
    ratio = pool.ratio_from(share * sessions)
    assert pool.in_system(ratio) == pytest.approx(share * sessions, rel=1e-3)
    busy, waiting, over = pool.expected(ratio)
    assert 0 <= busy <= min(cores, sessions) + 1e-9
    assert waiting >= -1e-9
    assert 0 <= over <= 1 + 1e-9
    assert sum(Pool(sessions, cores + 1).expected(ratio)[:2]) <= busy + waiting + 1e-9, "more cores, fewer that wait"
