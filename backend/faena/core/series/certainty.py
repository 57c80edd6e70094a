"""How far a sampled figure may be from the truth.

A session that waits for longer than the period is seen at every tick of its wait, so the count is nearly exact; one
that waits for much less is seen by chance. Treating each sighting as independent is right for the second and too
careful for the first, which is the side to err on. Sessions that wait in bursts, many at once and for less than a
period, are seen together or not at all: then a sighting counts for less, by the spread of what the ticks saw.
"""

from math import sqrt

import numpy as np
import numpy.typing as npt

from faena.core.errors import NoTicks

Z95 = 1.959964  # two-sided 95% quantile of the normal distribution


def spread(counts: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
    """How much more the counts of ticks vary than those of independent sightings would, at least 1. Shape (..., ticks).

    The variance from one tick to the next (J. von Neumann, Distribution of the ratio of the mean square successive
    difference to the variance, 1941), since a load that changes slowly is no chance of sampling, over the mean, which
    is the variance of independent ones (Poisson).
    """
    mean = counts.mean(axis=-1)
    varies = np.square(np.diff(counts, axis=-1)).mean(axis=-1) / 2 if counts.shape[-1] > 1 else mean
    found: npt.NDArray[np.float64] = np.maximum(1.0, np.divide(varies, mean, out=np.ones_like(mean), where=mean > 0))
    return found


def share_margin(seen: int, total: int, varies: float = 1.0) -> float:
    """How far (0..1) around the share seen/total one must go to hold its 95% Wilson score interval.

    That interval stands around a centre of its own, towards one half of the share, so it reaches further on that side.
    `varies` as `spread` tells it: so many sightings say as much as one independent one.
    Source: E. B. Wilson, Probable inference, the law of succession, and statistical inference, JASA 22 (1927).
    """
    if total <= 0:
        raise NoTicks("a share of no samples is undefined")
    p, z2 = seen / total, Z95 * Z95
    n = total / varies
    half = Z95 * sqrt(p * (1 - p) / n + z2 / (4 * n * n)) / (1 + z2 / n)
    centre = (p + z2 / (2 * n)) / (1 + z2 / n)
    return min(half + abs(centre - p), max(p, 1 - p))


def sessions_margin(seen: int, ticks: int, varies: float = 1.0) -> float:
    """Half-width, in sessions, of an approximate 95% interval of the mean seen/ticks.

    Poisson counts: the variance of a count is the count (plus one, so that "none seen" is not "certainly none"), times
    `varies` as `spread` tells it.
    """
    if ticks <= 0:
        raise NoTicks("mean load is undefined over zero ticks")
    return Z95 * sqrt(varies * (seen + 1)) / ticks
