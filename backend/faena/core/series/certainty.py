"""How far a sampled figure may be from the truth.

A session that waits for longer than the period is seen at every tick of its wait, so the count is nearly exact; one
that waits for much less is seen by chance. Treating each sighting as independent is right for the second and too
careful for the first, which is the side to err on. Sessions that wait in bursts, many at once and for less than a
period, are seen together or not at all: of them the margins below tell too little.
"""

from math import sqrt

from faena.core.errors import NoTicks

Z95 = 1.959964  # two-sided 95% quantile of the normal distribution


def share_margin(seen: int, total: int) -> float:
    """How far (0..1) around the share seen/total one must go to hold its 95% Wilson score interval.

    That interval stands around a centre of its own, towards one half of the share, so it reaches further on that side.
    Source: E. B. Wilson, Probable inference, the law of succession, and statistical inference, JASA 22 (1927).
    """
    if total <= 0:
        raise NoTicks("a share of no samples is undefined")
    p, z2 = seen / total, Z95 * Z95
    half = Z95 * sqrt(p * (1 - p) / total + z2 / (4 * total * total)) / (1 + z2 / total)
    centre = (p + z2 / (2 * total)) / (1 + z2 / total)
    return min(half + abs(centre - p), max(p, 1 - p))


def sessions_margin(seen: int, ticks: int) -> float:
    """Half-width, in sessions, of an approximate 95% interval of the mean seen/ticks.

    Poisson counts: the variance of a count is the count (plus one, so that "none seen" is not "certainly none").
    """
    if ticks <= 0:
        raise NoTicks("mean load is undefined over zero ticks")
    return Z95 * sqrt(seen + 1) / ticks
