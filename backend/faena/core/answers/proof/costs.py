"""Whether the same work costs more or less than before, from counters of statements.

A call's cost is summed time by summed calls. How far that is from the truth shows in how it varies from one block of
time to the next: single calls are no independent witnesses, since all that run while a disk is slow are slow. So blocks
of time are the witnesses, fewer of them where a block resembles the one before it, and Welch's test compares the two
windows. Where a few calls take most of the time, their chance would hide any change: then what lies far out is pulled
in for each statement, and the test is K. K. Yuen's, which is Welch's without the fifth of blocks highest and lowest.
"""

from collections.abc import Collection, Mapping
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
import numpy.typing as npt

from faena.core.answers.proof.chances import together
from faena.core.answers.proof.differences import SLACK, Difference, ratio_of
from faena.core.units import QueryId

Floats = npt.NDArray[np.float64]
LEAST_BLOCKS, MOST_BLOCKS = 3, 24  # with calls in them
FEW = 4  # readings make a block where there are many readings
LEAST_CALLS = 5
TRIM, TRIM_FROM = 0.2, 5  # of the blocks at either end, where there are so many of them
FAR_OUT = 0.15  # of a statement's blocks at either end
HIDES = 0.6  # the trimmed test is taken where its error is no more than this part of the plain one's
SIZES, LEAST_BATCHES = (2, 3, 4, 6), 3  # blocks in a row that are looked at together, while so many rows fit in


@dataclass(frozen=True, slots=True, kw_only=True)
class Work:
    """A statement's work by block of time, each (blocks,): calls, milliseconds and their squares summed over calls."""

    calls: Floats
    ms: Floats
    sumsq: Floats

    @property
    def cost(self) -> float:
        """Of a call, ms; NaN without calls."""
        calls = float(self.calls.sum())
        return float(self.ms.sum()) / calls if calls else float("nan")


Works = Mapping[QueryId, Work]


def cost_of_calls(before: Work, after: Work) -> Difference | None:
    """The ratio of a call's cost after to that before; None where there are too few calls to tell."""
    only = QueryId(0)
    return cost_of_the_same_work({only: before}, {only: after}, 1.0, 1.0, calls=True).difference


@dataclass(frozen=True, slots=True, kw_only=True)
class SameWork:
    """What the same calls cost before and after. `shared_before` and `shared_after` are the shares of all time that
    statements took which ran in both windows; `difference` is None where nothing did, or too little."""

    difference: Difference | None
    shared_before: float
    shared_after: float


def cost_of_the_same_work(
    before: Works,
    after: Works,
    before_s: float,
    after_s: float,
    only: Collection[QueryId] | None = None,
    *,
    calls: bool = False,
) -> SameWork:
    """The cost of the mean of both windows' calls, in ms a second, by what each call cost before and after.

    `only` these statements, or all. What ran in one window alone has no other cost to compare, and is left out. With
    `calls`, figures are of a call.
    """
    chosen = [q for q in (before.keys() | after.keys()) if only is None or q in only]
    both = [q for q in chosen if q in before and q in after and before[q].calls.sum() > 0 < after[q].calls.sum()]
    shares = [_share(side, both, chosen) for side in (before, after)]
    nothing = SameWork(difference=None, shared_before=shares[0], shared_after=shares[1])
    if not both or before_s <= 0 or after_s <= 0:
        return nothing
    sides = [_in_blocks({q: side[q] for q in both}) for side in (before, after)]
    many = {q: (sides[0][q].calls.sum() / before_s + sides[1][q].calls.sum() / after_s) / 2 for q in both}
    rates = dict.fromkeys(both, 1.0) if calls else many
    was, now = (sum(float(rates[q]) * one.cost for q, one in side.items()) for side in sides)
    if was <= 0 or now <= 0 or not all(_enough(side) for side in sides):
        return nothing
    pooled = {
        q: float(sides[0][q].ms.sum() + sides[1][q].ms.sum()) / float(sides[0][q].calls.sum() + sides[1][q].calls.sum())
        for q in both
    }
    plain = _plain([_dearness(side, pooled) for side in sides], [_alone(side, rates) for side in sides])
    change, parts = ratio_of(was, now), plain
    tame = [_dearness({q: _pulled_in_blocks(one) for q, one in side.items()}, pooled)[0] for side in sides]
    if min(map(len, tame)) >= TRIM_FROM:
        trimmed = [_trimmed(one) for one in tame]
        rest = [one.part(_resembling(tame[0], tame[1])) for one in trimmed]
        if together(rest)[0] <= HIDES * together(plain)[0]:
            change, parts = ratio_of(trimmed[0].value, trimmed[1].value), rest
    error, freedom = together(parts)
    return SameWork(
        difference=Difference(
            before=was, after=now, change=change, error=error, freedom=freedom, slack=float(np.log1p(SLACK)),
            error_before=parts[0][0] ** 0.5,
        ),
        shared_before=shares[0],
        shared_after=shares[1],
    )  # fmt: skip


def _in_blocks(side: Works) -> Works:
    """From the first block with calls to the last, put together to at most MOST_BLOCKS: what ran for two minutes of an hour
    is judged by these two minutes. Where there are many, several make one, since neighbours resemble each other."""
    busy = np.flatnonzero(np.sum([one.calls for one in side.values()], axis=0) > 0)
    if not len(busy):
        return side
    first, last = int(busy[0]), int(busy[-1]) + 1
    blocks = last - first
    size = max(-(-blocks // MOST_BLOCKS), FEW if blocks >= FEW * MOST_BLOCKS // 3 else 1)
    at = np.arange(0, blocks, size)

    def put(values: Floats) -> Floats:
        return np.add.reduceat(values[first:last], at)

    return {q: Work(calls=put(one.calls), ms=put(one.ms), sumsq=put(one.sumsq)) for q, one in side.items()}


def _enough(side: Works) -> bool:
    calls = np.sum([one.calls for one in side.values()], axis=0)
    return int((calls > 0).sum()) >= LEAST_BLOCKS and float(calls.sum()) >= LEAST_CALLS


def _share(side: Works, both: Collection[QueryId], chosen: Collection[QueryId]) -> float:
    whole = sum(float(side[q].ms.sum()) for q in chosen if q in side)
    return sum(float(side[q].ms.sum()) for q in both) / whole if whole else 1.0


def _dearness(side: Works, pooled: Mapping[QueryId, float]) -> tuple[Floats, Floats]:
    """Of each block with calls: its time by what its calls cost on average over both windows, and that cost as its weight."""
    took = np.sum([one.ms for one in side.values()], axis=0)
    expected = np.sum([one.calls * pooled[q] for q, one in side.items()], axis=0)
    known = expected > 0
    return took[known] / expected[known], expected[known]


def _alone(side: Works, rates: Mapping[QueryId, float]) -> float:
    """The relative variance of the cost if single calls were independent, from the squares that the server sums up."""
    variance, mean = 0.0, 0.0
    for q, one in side.items():
        calls, cost = float(one.calls.sum()), one.cost
        varies = max(float(one.sumsq.sum()) / calls - cost**2, 0.0) * calls / max(calls - 1, 1.0)
        variance += float(rates[q]) ** 2 * varies / calls
        mean += float(rates[q]) * cost
    return variance / mean**2 if mean else 0.0


class _Mean(NamedTuple):
    """A mean over blocks, its variance if blocks were independent, and how many they are."""

    value: float
    variance: float
    blocks: int

    def part(self, times: float, least: float = 0.0) -> tuple[float, float]:
        """Relative variance, by so many times larger since blocks resemble each other, and degrees of freedom.

        Of these half are counted: by how much blocks resemble each other is itself only estimated.
        """
        return max(self.variance * times / self.value**2, least), max(self.blocks / times / 2, 1.0)


def _plain(dear: list[tuple[Floats, Floats]], alone: list[float]) -> list[tuple[float, float]]:
    """Of the mean of both windows: relative variance and degrees of freedom."""
    times = _resembling(dear[0][0], dear[1][0])
    return [_mean(*one).part(times, own) for one, own in zip(dear, alone, strict=True)]


def _mean(values: Floats, weights: Floats) -> _Mean:
    """Weighted, with its variance by the linearised ratio (W. G. Cochran, Sampling Techniques, 1977, 6.3)."""
    n, mean = len(values), float(np.average(values, weights=weights))
    off = weights / weights.sum() * (values - mean)
    return _Mean(mean, float(np.square(off).sum()) * n / max(n - 1, 1), n)


def _trimmed(values: Floats) -> _Mean:
    """Without the highest and lowest fifth.

    Source: K. K. Yuen, The two-sample trimmed t for unequal population variances, Biometrika 61 (1974).
    """
    n, off = len(values), int(TRIM * len(values))
    ordered = np.sort(values)
    left = n - 2 * off
    varies = np.clip(values, ordered[off], ordered[n - off - 1]).var(ddof=1)
    return _Mean(float(ordered[off : n - off].mean()), float(varies) * (n - 1) / (left * (left - 1)), left)


def _pulled_in_blocks(work: Work) -> Work:
    """The same, with what a call cost in the dearest and cheapest blocks no further out than in the next ones."""
    ran = work.calls > 0
    costs = work.ms[ran] / work.calls[ran]
    if len(costs) < TRIM_FROM:
        return work
    ms = work.ms.copy()
    ms[ran] = np.clip(costs, *np.quantile(costs, [FAR_OUT, 1 - FAR_OUT])) * work.calls[ran]
    return Work(calls=work.calls, ms=ms, sumsq=work.sumsq)


def _resembling(before: Floats, after: Floats) -> float:
    """By how much the variance of a mean grows since blocks resemble their neighbours, at least 1.

    How much means of two, three or more blocks in a row vary, against what they would if blocks were independent; of
    these the largest, outliers pulled in first (overlapping batch means; M. S. Meketon and B. Schmeiser, Overlapping
    batch means: something for nothing?, 1984).
    """
    sides = [_pulled_in(one) for one in (before, after)]
    single = sum(float(np.square(one).sum()) for one in sides) / sum(len(one) - 1 for one in sides)
    found = 1.0
    for size in SIZES:
        long = [one for one in sides if len(one) >= LEAST_BATCHES * size]
        if not long or single <= 0:
            break
        means = [np.convolve(one, np.full(size, 1 / size), "valid") for one in long]
        # Around the mean of this very window, batches vary less than around the true one.
        varies = [float(np.square(m).mean()) / (1 - size / len(one)) for m, one in zip(means, long, strict=True)]
        found = max(found, size * sum(varies) / len(varies) / single)
    return found


def _pulled_in(values: Floats) -> Floats:
    """Around their mean, the tenth at either end no further out than the next one."""
    near = np.clip(values, *np.quantile(values, [0.1, 0.9]))
    off: Floats = near - near.mean()
    return off
