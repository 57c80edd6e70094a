"""The difference of one measure between two windows, with how far it may be from the truth."""

from dataclasses import dataclass, replace
from enum import StrEnum
from math import exp, inf, isinf, log

from faena.core.answers.proof.chances import beyond, reach

SLACK = 0.05  # of the measure: a difference of less is no real one, however sure it is
LEVEL = 0.95


class Scale(StrEnum):
    """How a difference is measured: as a ratio, on its logarithm, or as what is left when one is taken from the other."""

    RATIO = "ratio"
    DIFFERENCE = "difference"


@dataclass(frozen=True, slots=True, kw_only=True)
class Difference:
    """`before` and `after` in the measure's unit; `change` on the scale: log(after/before), or after - before.

    `error` is the standard error of the change, `freedom` its degrees of freedom, `slack` the change that is none, and
    `error_before` the part of the error that no longer time after can take away.
    """

    before: float
    after: float
    change: float
    error: float
    freedom: float
    slack: float
    scale: Scale = Scale.RATIO
    error_before: float = 0.0

    def interval(self, level: float = LEVEL) -> tuple[float, float]:
        """Of the change, in its scale: infinite where nothing is known."""
        half = reach(level, self.freedom) * self.error if self.error else 0.0
        return self.change - half, self.change + half

    def bounds(self, level: float = LEVEL) -> tuple[float, float]:
        """The interval as people read it: of the ratio after/before, or of the difference."""
        low, high = self.interval(level)
        if self.scale is Scale.DIFFERENCE:
            return low, high
        return exp(max(low, -700.0)), exp(high) if high < 700 else inf

    @property
    def chance(self) -> float:
        """The probability of such a change, to either side, if nothing had changed; 1 where it is less than the slack."""
        if abs(self.change) <= self.slack or isinf(self.error):
            return 1.0
        return min(1.0, 2 * beyond(abs(self.change) / self.error, self.freedom)) if self.error > 0 else 0.0

    def expecting(self, change: float, variance: float, freedom: float) -> "Difference":
        """Measured against what was to be expected anyway: the change of the same hours on earlier days."""
        whole = self.error**2 + variance
        below = self.error**4 / max(self.freedom, 1.0) + variance**2 / max(freedom, 1.0)
        return replace(
            self, change=self.change - change, error=whole**0.5, freedom=whole**2 / below if below else self.freedom,
            error_before=(self.error_before**2 + variance) ** 0.5,
        )  # fmt: skip


def ratio_of(before: float, after: float) -> float:
    """log(after/before); infinite where one of them is nought."""
    if before <= 0 or after <= 0:
        return 0.0 if before == after else inf if after > before else -inf
    return log(after / before)
