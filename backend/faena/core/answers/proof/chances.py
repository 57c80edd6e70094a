"""Student's distribution, and the correction for looking at many measures at once."""

from collections.abc import Sequence
from math import exp, inf, log, sqrt
from statistics import NormalDist

NORMAL = NormalDist()
# Both directions by one approximation, so that an interval and the chance beside it never contradict each other; it is
# off by less than 0.001 from four degrees of freedom on. Source: D. L. Wallace, Bounds on normal approximations to
# Student's and the chi-square distributions, Annals of Mathematical Statistics 30 (1959), 1121.


def beyond(t: float, freedom: float) -> float:
    """The chance, one-sided, of Student's t with so many degrees of freedom to be `t` or larger."""
    v = max(freedom, 1.0)
    z = (8 * v + 1) / (8 * v + 3) * sqrt(v * log(1 + t * t / v))
    return NORMAL.cdf(-z) if t >= 0 else NORMAL.cdf(z)


def reach(level: float, freedom: float) -> float:
    """How many standard errors a two-sided interval of this level (0.95) goes to either side."""
    v = max(freedom, 1.0)
    z = NORMAL.inv_cdf(0.5 + level / 2) * (8 * v + 3) / (8 * v + 1)
    power = z * z / v
    return sqrt(v * (exp(power) - 1)) if power < 700 else inf


def together(parts: Sequence[tuple[float, float]]) -> tuple[float, float]:
    """The standard error of a difference of independent figures, and its degrees of freedom.

    `parts` are the variance and degrees of freedom of each figure. Source: B. L. Welch, The generalization of Student's
    problem when several different population variances are involved, Biometrika 34 (1947), with F. E. Satterthwaite's
    approximation of 1946.
    """
    variance = sum(one for one, _ in parts)
    below = sum(one * one / max(freedom, 1.0) for one, freedom in parts)
    return sqrt(variance), variance * variance / below if below > 0 else inf


def corrected(chances: Sequence[float]) -> list[float]:
    """The same chances for many measures looked at together: of any to be found by chance alone.

    Source: S. Holm, A simple sequentially rejective multiple test procedure, Scandinavian Journal of Statistics 6 (1979).
    """
    order = sorted(range(len(chances)), key=lambda i: chances[i])
    found, least = [1.0] * len(chances), 0.0
    for rank, i in enumerate(order):
        least = max(least, min(1.0, (len(chances) - rank) * chances[i]))
        found[i] = least
    return found
