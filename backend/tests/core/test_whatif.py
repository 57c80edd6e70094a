"""The queueing estimate: known values, laws, a simulation that is obviously right, and where it refuses."""

import heapq
from random import Random

import numpy as np
import pytest
from faena.core.errors import BadInput, NoTicks
from faena.core.hosts.whatif import FULL, in_system, offered_from, queueing_probability, what_if
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
