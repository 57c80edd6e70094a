"""What some requests have in common that others do not, with the chance that it means nothing.

A request carries marks: attribute values, statements it ran, whom it called, how it ended. A mark is told when it is on
more of the picked than of the others, and chance would hardly give that.
"""

from collections import defaultdict
from collections.abc import Hashable, Iterable, Sequence, Set
from dataclasses import dataclass
from math import exp, lgamma
from typing import Generic, TypeVar

Mark = TypeVar("Mark", bound=Hashable)
UNLIKELY = 0.01  # a chance above it is no finding
LEAST_PICKED = 3  # requests with a mark, before it is looked at


@dataclass(frozen=True, slots=True, kw_only=True)
class Marked(Generic[Mark]):
    """A request that is known by itself; it stands for `weight` requests."""

    marks: Set[Mark]
    weight: float = 1.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Common(Generic[Mark]):
    """A mark on `picked` requests of those picked, a share of `picked_share`, and on `others` of the rest.

    `chance`: the probability of as large a difference, or a larger one, of any mark looked at, if marks meant nothing.
    """

    mark: Mark
    picked: float
    picked_share: float
    others: float
    others_share: float
    chance: float


def in_common(picked: Sequence[Marked[Mark]], others: Sequence[Marked[Mark]]) -> list[Common[Mark]]:
    """Marks that are on more of the picked, the least likely by chance first.

    Fisher's exact test, one-sided (R. A. Fisher, 1922), with the size that weighted requests are worth (L. Kish, 1965),
    and multiplied by the number of marks looked at (C. E. Bonferroni, 1936).
    """
    inside, outside = _worth(picked), _worth(others)
    if not picked or not others:
        return []
    mine, rest = _sums(picked), _sums(others)
    whole, left = sum(one.weight for one in picked), sum(one.weight for one in others)
    seen = defaultdict[Mark, int](int)
    for one in picked:
        for mark in one.marks:
            seen[mark] += 1
    looked_at = [mark for mark, times in seen.items() if times >= LEAST_PICKED]
    found = []
    for mark in looked_at:
        share, other = mine[mark] / whole, rest.get(mark, 0.0) / left
        if share <= other:
            continue
        chance = len(looked_at) * fisher(round(share * inside), inside, round(other * outside), outside)
        if chance <= UNLIKELY:
            found.append(
                Common(
                    mark=mark, picked=mine[mark], picked_share=share, others=rest.get(mark, 0.0), others_share=other,
                    chance=chance,
                )
            )  # fmt: skip
    return sorted(found, key=lambda one: (one.chance, -one.picked_share, str(one.mark)))


def _worth(requests: Sequence[Marked[Mark]]) -> int:
    """How many unweighted requests would tell as much: the square of the weights' sum by the sum of their squares."""
    whole = sum(one.weight for one in requests)
    return round(whole * whole / sum(one.weight**2 for one in requests)) if requests else 0


def _sums(requests: Iterable[Marked[Mark]]) -> dict[Mark, float]:
    found = defaultdict[Mark, float](float)
    for one in requests:
        for mark in one.marks:
            found[mark] += one.weight
    return found


def fisher(with_mark: int, picked: int, others_with: int, others: int) -> float:
    """The probability that so many or more of the picked carry a mark, if it were spread among all by chance."""
    marked, whole = with_mark + others_with, picked + others

    def log_ways(of: int, chosen: int) -> float:
        return lgamma(of + 1) - lgamma(chosen + 1) - lgamma(of - chosen + 1)

    every = log_ways(whole, picked)
    terms = (
        log_ways(marked, n) + log_ways(whole - marked, picked - n) - every
        for n in range(max(with_mark, picked + marked - whole), min(marked, picked) + 1)
    )
    return min(1.0, sum(exp(term) for term in terms))
