"""Whether more or fewer sessions are at work than before, from samples that resemble their neighbours.

A load that is high at one moment is likely high at the next, so that moments are no independent witnesses: blocks of
them are. The moving-block bootstrap draws such blocks with return (H. R. Künsch, The jackknife and the bootstrap for
general stationary observations, Annals of Statistics 17, 1989); the variance that infinitely many draws would give has
a closed form, the variance of the means of all blocks by the number of blocks, and that is what is worked out here: it
needs no chance, and the same question has the same answer.
"""

import numpy as np
import numpy.typing as npt

from faena.core.answers.proof.chances import together
from faena.core.answers.proof.differences import SLACK, Difference, Scale

Floats = npt.NDArray[np.float64]
LEAST_MOMENTS = 12
LEAST_BLOCKS = 4  # of the longest blocks, so many fit
SLACK_SESSIONS = 0.1  # a difference of less is nothing to anybody


def load_difference(before: Floats, after: Floats, least: float = SLACK_SESSIONS) -> Difference | None:
    """Of the means of two series in order of time, gaps left out; None where one is too short. `least` is no difference."""
    if min(len(before), len(after)) < LEAST_MOMENTS:
        return None
    was, now = float(before.mean()), float(after.mean())
    parts = [bootstrap_variance(one) for one in (before, after)]
    error, freedom = together(parts)
    return Difference(
        before=was, after=now, change=now - was, error=error, freedom=freedom, slack=max(SLACK * was, least),
        scale=Scale.DIFFERENCE, error_before=parts[0][0] ** 0.5,
    )  # fmt: skip


def bootstrap_variance(series: Floats) -> tuple[float, float]:
    """The variance of the series' mean, and its degrees of freedom: the number of blocks less one."""
    n, length = len(series), block_length(series)
    ringed = np.concatenate(
        [series, series[: length - 1]]
    )  # blocks go on at the beginning, so that each moment counts alike
    sums = np.cumsum(np.concatenate([[0.0], ringed]))
    means = (sums[length:] - sums[:-length]) / length
    blocks = n / length
    # Means of blocks vary around the mean of this very series, not around the true one.
    variance = float(means.var()) / blocks / max(1 - length / n, 0.5)
    return variance, max(blocks - 1, 1.0)


def block_length(series: Floats) -> int:
    """How many neighbours make up a block: as long as moments resemble each other.

    Source: D. N. Politis and H. White, Automatic block-length selection for the dependent bootstrap, Econometric
    Reviews 23 (2004), with the correction by A. Patton of 2009; for the moving-block bootstrap.
    """
    n = len(series)
    most = max(n // LEAST_BLOCKS, 1)
    off = series - series.mean()
    variance = float(off @ off) / n
    if variance <= 0:
        return 1
    lags = min(most, max(int(np.ceil(np.sqrt(n))) * 4, 5))
    covariance = np.array([float(off[: n - k] @ off[k:]) / n for k in range(lags + 1)])
    near = np.abs(covariance[1:] / variance) < 2 * np.sqrt(np.log10(n) / n)
    quiet = max(5, int(np.sqrt(np.log10(n))))  # so many lags after each other in which nothing is left
    last = lags
    for k in range(len(near)):
        if near[k : k + quiet].all():
            last = k
            break
    wide = min(2 * max(last, 1), lags)
    away = np.abs(np.arange(-wide, wide + 1))
    values = np.clip(2 * (1 - away / wide), 0, 1) * covariance[away]  # the flat-top lag window
    slope, level = float((away * values).sum()), float(values.sum())
    if level <= 0:
        return most if last == lags else 1
    best = (2 * slope**2 / (4 / 3 * level**2)) ** (1 / 3) * n ** (1 / 3)
    return int(np.clip(np.ceil(best), 1, most))
