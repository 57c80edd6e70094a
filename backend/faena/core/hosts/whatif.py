"""What load would be with another number of cores: a queueing estimate, with what it takes for granted.

Sessions that run are served by the cores or queue for one; the server shows both as running. As an M/M/c queue
(A. K. Erlang, Solution of some problems in the theory of probabilities of significance in automatic telephone exchanges,
1917) their mean number follows from the offered load alone, so what was seen gives the offered load, and that gives what
would be seen with other cores.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from faena.core.errors import BadInput, NoTicks

Floats = npt.NDArray[np.float64]
CPU_BOUND_SHARE = 0.5  # of all load, that must run for cores to matter
MAX_CORES = 1024
FULL = 0.995  # utilisation beyond which what was seen no longer tells how much more was asked for
ASSUMPTIONS = (
    "work comes at random, and as fast as it did: applications that wait for answers would send more once they are quicker",
    "each statement uses one core at a time and takes as long as before once it has one",
    "the cores are as fast as those there are, and nothing but them is short: no lock, no disk",
    "where cores were taken all the time, more was asked for than can be known; the figure is then a lower bound",
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


@dataclass(frozen=True, slots=True, kw_only=True)
class Expected:
    """With `cores`: mean sessions on a core and queueing for one; `overloaded` share of the time more is asked than fits.

    `queueing` is None where that is all of the time: the queue would only grow.
    """

    cores: int
    running: float
    queueing: float | None
    overloaded: float


def what_if(running: Floats, load: float, cores: int, wanted: Sequence[int]) -> list[Expected]:
    """`running` sessions per bucket, NaN in gaps; `load` mean of all active ones. Raises BadInput, NoTicks."""
    known = running[~np.isnan(running)]
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
    offered = [offered_from(float(one), cores) for one in known]
    return [_expected(offered, one) for one in wanted]


def _expected(offered: Sequence[float], cores: int) -> Expected:
    fits = [a for a in offered if a < FULL * cores]
    queued = [in_system(cores, a) - a for a in fits]
    return Expected(
        cores=cores,
        running=float(np.mean([min(a, cores) for a in offered])),
        queueing=float(np.mean(queued)) if fits else None,
        overloaded=1 - len(fits) / len(offered),
    )
