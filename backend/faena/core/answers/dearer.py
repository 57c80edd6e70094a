"""Since when a statement's calls cost more than usual, and whether its plan changed then."""

from collections.abc import Sequence
from dataclasses import dataclass

DEARER = 1.8  # times the usual from which a call counts as dear
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
    """The longest run of buckets whose cost lies above DEARER times the usual; None when there is none of two buckets.

    Buckets without calls neither break nor make a run. `times` is weighted by calls.
    """  # fmt: skip
    best: list[int] = []
    run: list[int] = []
    for i, (value, normal) in enumerate(zip(cost, usual, strict=True)):
        if value is None or not normal:
            continue
        if value >= DEARER * normal:
            run.append(i)
            best = max(best, run, key=len)
        else:
            run = []
    if len(best) < 2:
        return None
    weight = [calls[i] or 0.0 for i in best]
    above = sum((cost[i] or 0.0) * w for i, w in zip(best, weight, strict=True))
    below = sum((usual[i] or 0.0) * w for i, w in zip(best, weight, strict=True))
    later = any(cost[i] is not None for i in range(best[-1] + 1, len(cost)))
    return Dearer(
        since=starts[best[0]],
        until=starts[best[-1]] + width_ms if later else None,
        times=above / below if below else 0.0,
    )


def near(moment: int, changes: Sequence[int]) -> int | None:
    """The change of plan closest to a moment, if one is close enough."""
    found = min(changes, key=lambda one: abs(one - moment), default=None)
    return found if found is not None and abs(found - moment) <= NEAR_MS else None
