"""What load would be with another number of cores: a queueing estimate, with what it takes for granted.

Sessions that run are served by the cores or queue for one; the server shows both as running. As an M/M/c queue
(A. K. Erlang, Solution of some problems in the theory of probabilities of significance in automatic telephone exchanges,
1917) their mean number follows from the offered load alone, so what was seen gives the offered load, and that gives what
would be seen with other cores.

Where it is known how many sessions are connected, they are taken for a closed pool: each asks, waits for its answer, and
asks again after a while, so that a slow server is asked less. That is the machine repairman's queue, M/M/c//N (C. Palm,
1947; see L. Kleinrock, Queueing Systems, vol. 1, 1975, section 3.8). What was seen gives how long sessions take between
answers and asking again, as a multiple of what a statement takes.
"""

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from faena.core.errors import BadInput, NoTicks

Floats = npt.NDArray[np.float64]
CPU_BOUND_SHARE = 0.5  # of all load, that must run for cores to matter
MAX_CORES = 1024
FULL = 0.995  # utilisation beyond which what was seen no longer tells how much more was asked for
OPEN = "work comes at random, and as fast as it did: how many sessions are connected is not known"
CLOSED = (
    "as many sessions as were connected each ask again after the time they took until now: a quicker server is asked more, "
    "a slower one less"
)
ASSUMPTIONS = (
    "each statement uses one core at a time and takes as long as before once it has one",
    "the cores are as fast as those there are, and nothing but them is short: no lock, no disk",
    "where cores were taken all the time, how much more was needed is unknown; the figure is then a lower bound",
)


def queueing_probability(cores: int, offered: float) -> float:
    """Erlang's C: the share of arrivals that find all cores taken. `offered` is mean busy cores wanted, below `cores`."""
    if not 0 <= offered < cores:
        raise ValueError(f"offered load {offered} must lie between 0 and the {cores} cores")
    blocking = 1.0  # Erlang's B by its recursion, which never overflows
    for servers in range(1, cores + 1):
        blocking = offered * blocking / (servers + offered * blocking)
    return blocking / (1 - offered / cores * (1 - blocking))


def in_system(cores: int, offered: float) -> float:
    """Mean sessions on a core or waiting for one."""
    return offered + queueing_probability(cores, offered) * offered / (cores - offered)


def offered_from(running: float, cores: int) -> float:
    """Inverse of `in_system`: the offered load that shows so many running sessions, at most FULL of the cores."""
    low, high = 0.0, FULL * cores
    if running >= in_system(cores, high):
        return high
    for _ in range(50):
        middle = (low + high) / 2
        low, high = (middle, high) if in_system(cores, middle) < running else (low, middle)
    return (low + high) / 2


class Pool:
    """A closed pool of sessions in front of so many cores: how many of them run or wait for a core."""

    def __init__(self, sessions: int, cores: int) -> None:
        self._there = np.arange(sessions + 1)
        self._busy = np.minimum(self._there, cores)
        # Each session that asks takes one off those that can, and with more than the cores hold, answers come no faster.
        asking = np.log(np.maximum(sessions - self._there[:-1], 1))
        self._weights = np.concatenate(([0.0], np.cumsum(asking - np.log(np.maximum(self._busy[1:], 1)))))

    def shares(self, ratio: float) -> Floats:
        """How much of the time so many are there; `ratio` is a statement's time over that between two of a session."""
        told = self._weights + self._there * np.log(ratio)
        weights = np.exp(told - told.max())
        found: Floats = weights / weights.sum()
        return found

    def in_system(self, ratio: float) -> float:
        return float(self.shares(ratio) @ self._there)

    def ratio_from(self, running: float) -> float:
        """Inverse of `in_system`; of a pool that is nearly all there at most a ratio at which all but a few are."""
        low, high = -18.0, 18.0
        for _ in range(60):
            middle = (low + high) / 2
            low, high = (middle, high) if self.in_system(float(np.exp(middle))) < running else (low, middle)
        return float(np.exp((low + high) / 2))

    def expected(self, ratio: float) -> tuple[float, float, float]:
        """On a core, waiting for one, and the share of the time in which somebody waits."""
        shares = self.shares(ratio)
        busy = float(shares @ self._busy)
        return busy, float(shares @ self._there) - busy, float(shares[self._there > self._busy].sum())


@dataclass(frozen=True, slots=True, kw_only=True)
class Expected:
    """With `cores`: mean sessions on a core and queueing for one; `overloaded` share of the time more is asked than fits.

    `queueing` is None where that is all of the time and nobody knows how many could queue: it would only grow.
    """

    cores: int
    running: float
    queueing: float | None
    overloaded: float


def what_if(
    running: Floats, load: float, cores: int, wanted: Sequence[int], connected: Floats | None = None
) -> list[Expected]:
    """`running` sessions per bucket, NaN in gaps; `load` mean of all active ones; `connected` ones per bucket, where known.

    Raises BadInput, NoTicks.
    """
    there = ~np.isnan(running)
    known = running[there]
    if not len(known):
        raise NoTicks("nothing was sampled in this window")
    for one in wanted:
        if not 1 <= one <= MAX_CORES:
            raise BadInput(f"cores lie between 1 and {MAX_CORES}, not {one}", field="cores")
    if load <= 0 or float(known.mean()) < CPU_BOUND_SHARE * load:
        raise BadInput(
            f"only {known.mean():.2f} of {load:.2f} active sessions run: this load waits for something else, and other "
            "cores would not change that",
            field="cores",
        )
    if connected is not None:
        return _of_pool(known, connected[there], cores, wanted)
    offered = [offered_from(float(one), cores) for one in known]
    return [_expected(offered, one) for one in wanted]


def _of_pool(running: Floats, connected: Floats, cores: int, wanted: Sequence[int]) -> list[Expected]:
    """Bucket by bucket; those that are alike are worked out once."""
    sums = {one: np.zeros(3) for one in wanted}
    counted = Counter(
        (round(float(r), 2), max(int(np.ceil(r)) + 1, int(n))) for r, n in zip(running, connected, strict=True)
    )
    for (mean, sessions), times in counted.items():
        ratio = Pool(sessions, cores).ratio_from(max(mean, 0.001))
        for one in wanted:
            sums[one] += times * np.array(Pool(sessions, one).expected(ratio))
    return [
        Expected(cores=one, running=float(busy), queueing=float(waiting), overloaded=float(over))
        for one, (busy, waiting, over) in ((one, total / len(running)) for one, total in sums.items())
    ]


def _expected(offered: Sequence[float], cores: int) -> Expected:
    fits = [a for a in offered if a < FULL * cores]
    queued = [in_system(cores, a) - a for a in fits]
    return Expected(
        cores=cores,
        running=float(np.mean([min(a, cores) for a in offered])),
        queueing=float(np.mean(queued)) if fits else None,
        overloaded=1 - len(fits) / len(offered),
    )
