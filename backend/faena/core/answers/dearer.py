"""Since when a statement's calls cost more than usual, and whether its plan changed then."""

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

from faena.core.findings import Confidence, Finding, Severity

DEARER = 1.8  # times the usual from which a call counts as dear
LEAST = 2  # buckets
CHANCE = 0.03  # of windows in which nothing changed, that may be told all the same
NEAR_MS = 15 * 60_000  # a change of plan so close to the beginning is named with it


@dataclass(frozen=True, slots=True, kw_only=True)
class Dearer:
    """`times` the usual cost per call from `since` on; `until` None: still so at the end."""

    since: int
    until: int | None
    times: float


def dearer_since(
    starts: Sequence[int],
    width_ms: int,
    cost: Sequence[float | None],
    usual: Sequence[float | None],
    calls: Sequence[float | None],
) -> Dearer | None:
    """The longest run of buckets whose cost lies above DEARER times the usual, if chance alone would hardly make one.

    Buckets without calls neither break nor make a run. `times` is weighted by calls. Where costs vary much and calls are
    few, single buckets lie above by chance: how often they did before the run tells how long one must be.
    """  # fmt: skip
    best: list[int] = []
    run: list[int] = []
    judged = above = 0  # buckets before the run, and how many of them lay above
    known = sum(1 for value, normal in zip(cost, usual, strict=True) if value is not None and normal)
    for i, (value, normal) in enumerate(zip(cost, usual, strict=True)):
        if value is None or not normal:
            continue
        if value >= DEARER * normal:
            run.append(i)
            if len(run) > len(best) and _is_no_chance(len(run), above, judged, known):
                best = [*run]
            continue
        judged, above, run = judged + len(run) + 1, above + len(run), []
    if len(best) < LEAST:
        return None
    weight = [calls[i] or 0.0 for i in best]
    spent = sum((cost[i] or 0.0) * w for i, w in zip(best, weight, strict=True))
    normally = sum((usual[i] or 0.0) * w for i, w in zip(best, weight, strict=True))
    later = any(cost[i] is not None for i in range(best[-1] + 1, len(cost)))
    return Dearer(
        since=starts[best[0]],
        until=starts[best[-1]] + width_ms if later else None,
        times=spent / normally if normally else 0.0,
    )


class CostKind(StrEnum):
    """What may be wrong with the cost of a statement's calls."""

    DEARER = "dearer"


def finding_of(found: Dearer, switch: int | None) -> Finding:
    """In words; `switch` is the change of plan near its beginning, if there was one."""
    over = "" if found.until is None else ", and was cheaper again later"
    changed = "; its plan changed then" if switch is not None else ""
    return Finding(
        kind=CostKind.DEARER,
        severity=Severity.SOON if found.until is None else Severity.NOTE,
        sentence=f"A call costs {found.times:.1f} times the usual{over}{changed}",
        next_step="compare the two plans" if switch is not None else "look at what it waits for since then",
        confidence=Confidence.LIKELY,
        rules_out=("more calls alone",),
    )


def _is_no_chance(length: int, above: int, judged: int, known: int) -> bool:
    """Whether a run of such length would come up by chance in no more than CHANCE of windows of so many buckets.

    At most `known` runs can begin, each with the share that lay above before, to the power of its length.
    """
    share = (above + 0.5) / (judged + 1)
    return length >= LEAST and known * float(share**length) <= CHANCE


def near(moment: int, changes: Sequence[int]) -> int | None:
    """The change of plan closest to a moment, if one is close enough."""
    found = min(changes, key=lambda one: abs(one - moment), default=None)
    return found if found is not None and abs(found - moment) <= NEAR_MS else None
