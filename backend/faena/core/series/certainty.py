"""How far a sampled figure may be from the truth.

A session that waits for longer than the period is seen at every tick of its wait, so the count is nearly exact; one
that waits for much less is seen by chance. Treating each sighting as independent is right for the second and too
careful for the first: the margins below are upper bounds, which is the side to err on.
"""

from math import sqrt

from faena.core.errors import NoTicks

Z95 = 1.959964  # two-sided 95% quantile of the normal distribution


def share_margin(seen: int, total: int) -> float:
    """Half-width (0..1) of the 95% Wilson score interval of the share seen/total.

    Source: E. B. Wilson, Probable inference, the law of succession, and statistical inference, JASA 22 (1927).
    """
    if total <= 0:
        raise NoTicks("a share of no samples is undefined")
    p, z2 = seen / total, Z95 * Z95
    return Z95 * sqrt(p * (1 - p) / total + z2 / (4 * total * total)) / (1 + z2 / total)


def sessions_margin(seen: int, ticks: int) -> float:
    """Half-width, in sessions, of an approximate 95% interval of the mean seen/ticks.

    Poisson counts: the variance of a count is the count (plus one, so that "none seen" is not "certainly none").
    """
    if ticks <= 0:
        raise NoTicks("mean load is undefined over zero ticks")
    return Z95 * sqrt(seen + 1) / ticks
