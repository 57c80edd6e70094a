"""What a difference must be held against before it proves anything: earlier days, and how much was asked of the server."""

from collections.abc import Sequence
from dataclasses import replace
from math import exp, log
from statistics import fmean, variance

from faena.core.answers.proof.differences import Scale, ratio_of
from faena.core.answers.proof.sides import Compared, Side

LEAST_DAYS = 3  # earlier days, before they say what was to be expected
VOLUME = log(1.25)  # calls that came so much more or less often may explain a change of cost by themselves


def against(found: Compared, pairs: Sequence[tuple[float, float]]) -> Compared:
    """Measured against how the same figure changed between the same hours of earlier days."""
    difference = found.difference
    changes = [ratio_of(was, now) for was, now in pairs if was > 0 and now > 0]
    if difference is None or len(changes) < LEAST_DAYS:
        return found
    middle, spread = fmean(changes), variance(changes) * (1 + 1 / len(changes))
    if difference.scale is Scale.DIFFERENCE:
        expected = difference.before * exp(middle)
        told = difference.expecting(expected - difference.before, expected**2 * spread, len(changes) - 1)
    else:
        told = difference.expecting(middle, spread, len(changes) - 1)
    return replace(found, difference=told)


def by_volume(found: Compared, before: Side, after: Side, least: float = VOLUME) -> bool:
    """Whether a change may come from more or fewer calls alone: it goes the same way as they do, and no further."""
    if found.difference is None or not before.calls_s or not after.calls_s:
        return False
    volume, change = ratio_of(before.calls_s, after.calls_s), found.difference.change
    if abs(volume) < least or (volume > 0) != (change > 0):
        return False
    if found.difference.scale is Scale.DIFFERENCE:
        left = ratio_of(found.difference.before, found.difference.after) - volume
        slack = found.difference.slack / found.difference.before if found.difference.before > 0 else 0.0
    else:
        left, slack = change - volume, found.difference.slack
    return (left > 0) != (change > 0) or abs(left) <= slack
