"""Whether something happens more often than before: deadlocks, errors, failed requests."""

from collections.abc import Sequence
from dataclasses import dataclass
from math import exp, inf, lgamma, log, log1p

EPISODE_MS = 60_000  # happenings that follow each other within a minute are one episode: they have one cause


@dataclass(frozen=True, slots=True, kw_only=True)
class RateChange:
    """Happenings in so many seconds before and after. `episodes_before` and `episodes_after` are what counts as a witness.

    `chance`: of a difference as large, to either side, if nothing had changed.
    """

    before: int
    after: int
    before_s: float
    after_s: float
    episodes_before: int
    episodes_after: int
    chance: float

    @property
    def an_hour(self) -> tuple[float, float]:
        """Rates before and after."""
        return self.before / self.before_s * 3600, self.after / self.after_s * 3600

    @property
    def none_by_chance(self) -> float | None:
        """The chance that none comes in the time after though nothing has changed; None where one came, or none ever did."""
        return none_by_chance(self.episodes_before, self.before_s, self.after_s) if not self.after else None


def rate_change(before: Sequence[int], after: Sequence[int], before_s: float, after_s: float) -> RateChange | None:
    """From moments in ms, in any order; None where a window has no length.

    Exact test of two Poisson rates, given how many there were in all (J. Przyborowski and H. Wilenski, Homogeneity of
    results in testing samples from Poisson series, Biometrika 31, 1940). It counts episodes, since deadlocks and errors
    come in flocks, which a Poisson process does not.
    """
    if before_s <= 0 or after_s <= 0:
        return None
    first, second = episodes(before), episodes(after)
    return RateChange(
        before=len(before), after=len(after), before_s=before_s, after_s=after_s, episodes_before=first,
        episodes_after=second, chance=conditional(first, second, after_s / (before_s + after_s)),
    )  # fmt: skip


def episodes(moments: Sequence[int]) -> int:
    """Happenings, those that follow another within a minute left out."""
    ordered = sorted(moments)
    return sum(1 for i, at in enumerate(ordered) if i == 0 or at - ordered[i - 1] > EPISODE_MS)


def conditional(before: int, after: int, share: float) -> float:
    """The chance of a split as uneven of `before + after` happenings, each of which falls after with probability `share`."""
    whole = before + after
    if not whole or not 0 < share < 1:
        return 1.0
    chances = [_binomial(k, whole, share) for k in range(whole + 1)]
    return min(1.0, 2 * min(sum(chances[: after + 1]), sum(chances[after:])))


def none_by_chance(before: int, before_s: float, after_s: float) -> float | None:
    """The chance that all of `before` happenings fall into the first window, if they come as often in both."""
    return (before_s / (before_s + after_s)) ** before if before else None


def told_after_s(before: int, before_s: float, chance: float = 0.05) -> float | None:
    """How long none must have come until that is no chance any more; None where too few came before to ever tell."""
    if before < 1:
        return None
    power = -log(chance) / before
    return before_s * (exp(power) - 1) if power < 700 else inf


def _binomial(k: int, n: int, share: float) -> float:
    ways = lgamma(n + 1) - lgamma(k + 1) - lgamma(n - k + 1)
    return exp(ways + k * log(share) + (n - k) * log1p(-share))
