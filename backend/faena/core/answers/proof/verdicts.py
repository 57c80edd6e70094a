"""What a difference means, in a word: better, worse, none, or why it cannot be told."""

from dataclasses import dataclass
from math import exp, expm1, inf, isinf

from faena.core.answers.proof.chances import reach
from faena.core.answers.proof.differences import LEVEL, Difference, Scale
from faena.core.answers.proof.rates import RateChange, told_after_s
from faena.core.labels import Labelled

# A difference that chance gives less often is a real one. Where minutes resemble each other in ways that half an hour cannot
# show, chance gives it about twice as often as the tests say: bench/proof.py measures under one in twenty.
UNLIKELY = 0.02
NARROW = 4.0  # times the slack: where the whole interval lies within that, there is no difference worth the name
TIMES_FROM = 2.0  # a factor of less is said in per cent


class Verdict(Labelled):
    """Of one measure, or of a comparison as a whole."""

    BETTER = "better", "better"
    WORSE = "worse", "worse"
    SAME = "no_difference", "no real difference"
    TOO_EARLY = "too_early", "too early to tell"
    NOT_COMPARABLE = "not_comparable", "not comparable"
    UNKNOWN = "unknown", "cannot be told", "what there is of these windows is too little to tell"


class Method(Labelled):
    """How a difference was tested."""

    WELCH = "welch", "Welch's test over blocks of time"
    BOOTSTRAP = "block_bootstrap", "moving-block bootstrap"
    RATES = "rates", "exact test of two rates, counted by episode"


@dataclass(frozen=True, slots=True, kw_only=True)
class Judged:
    """`told_after_s`: how long the window after must be until it can be told; None where no length helps, or none is needed."""

    verdict: Verdict
    told_after_s: float | None = None


def judged(difference: Difference, chance: float, after_s: float, *, growing: bool, up_is_worse: bool = True) -> Judged:
    """A difference by its chance, corrected for how many were looked at. `growing`: the window after still gets longer."""
    if chance < UNLIKELY:
        return Judged(verdict=Verdict.WORSE if (difference.change > 0) is up_is_worse else Verdict.BETTER)
    low, high = difference.interval()
    room = NARROW * difference.slack
    if -room <= low and high <= room:
        return Judged(verdict=Verdict.SAME)
    needed = _needed_s(difference, after_s, room)
    if growing and needed is not None:
        return Judged(verdict=Verdict.TOO_EARLY, told_after_s=needed)
    return Judged(verdict=Verdict.UNKNOWN)


def judged_rate(change: RateChange, chance: float, *, growing: bool) -> Judged:
    """Of happenings, of which fewer are better."""
    was, now = change.an_hour
    if chance < UNLIKELY:
        return Judged(verdict=Verdict.WORSE if now > was else Verdict.BETTER)
    if growing and not change.after and change.before:
        return Judged(verdict=Verdict.TOO_EARLY, told_after_s=told_after_s(change.episodes_before, change.before_s))
    return Judged(verdict=Verdict.SAME if change.before == change.after == 0 else Verdict.UNKNOWN)


def _needed_s(difference: Difference, after_s: float, room: float) -> float | None:
    """The length of the window after at which the interval is half as wide as the room for "no difference" is."""
    target = (room / reach(LEVEL, max(difference.freedom, 8.0))) ** 2
    left = target - difference.error_before**2
    mine = difference.error**2 - difference.error_before**2
    return after_s * max(mine / left, 1.05) if left > 0 else None


def by_how_much(difference: Difference) -> str:
    """The change in words, without its direction: "40 times", "30%", "2.1 sessions"."""
    if difference.scale is Scale.DIFFERENCE:
        return f"{abs(difference.change):.3g}"
    if isinf(difference.change):
        return "altogether"
    times = exp(abs(difference.change))
    if times >= TIMES_FROM:
        return f"{_two(times)} times"
    return f"{abs(expm1(difference.change)):.0%}"


def within(difference: Difference) -> str:
    """The 95% interval in words: "35 to 46 times", "22% to 38%"; "" where it is not known."""
    low, high = difference.bounds()
    if difference.scale is Scale.DIFFERENCE:
        return f"{low:+.3g} to {high:+.3g}"
    if low <= 0 or high == inf:
        return ""
    if difference.change < 0:
        low, high = 1 / high, 1 / low
    if exp(abs(difference.change)) >= TIMES_FROM:
        return f"{_two(low)} to {_two(high)} times"
    if difference.change < 0:
        return f"{1 - 1 / low:.0%} to {1 - 1 / high:.0%}"
    return f"{low - 1:.0%} to {high - 1:.0%}"


def _two(value: float) -> str:
    """With two figures, and never as a power of ten."""
    short = float(f"{value:.2g}")
    return f"{short:,.0f}".replace(",", " ") if short >= 10 else f"{short:.2g}"
