"""Statements that seem to run once for each row of another: a guess from counters, where no trace tells it.

A program that asks for rows and then for something more of each runs the second statement as often as the first one
returned rows, whatever the load. Two statements whose counts go together like that through many readings are told as a
pair that is worth a look; that one program does it in one request is not proven by counters.
"""

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from faena.core.readings import COUNTER_FIELDS
from faena.core.statements.counters import CounterDelta
from faena.core.units import QueryId

Floats = npt.NDArray[np.float64]
EACH = 5.0  # rows of a run of the first statement, on average, and so runs of the second
LEAST_RUNS, LEAST_LEADS = 50, 10  # of the second and of the first statement
LEAST_READINGS = 8  # in which the first one ran
OFF, OFF_BY = 0.15, 3.0  # of the rows returned, or so many: how far runs may be from them
AGREE = 0.9  # share of readings in which they are within that
VARIES = 0.1  # relative spread of the rows over the readings; of what is always alike nothing can be told
TOGETHER = 0.9  # least correlation of rows and runs


@dataclass(frozen=True, slots=True, kw_only=True)
class Follower:
    """Statement number `second` runs once for each row of `first`, it seems: `each` times for a run of it.

    `readings` are those in which both were looked at, `agree` the share of them in which runs and rows are alike.
    """

    first: int
    second: int
    each: float
    runs: float
    ms: float
    readings: int
    agree: float


def followers(whose: Sequence[object], calls: Floats, rows: Floats, ms: Floats) -> list[Follower]:
    """Pairs among statements of one user and database (`whose`), those that took most time first.

    `calls`, `rows` and `ms` are (statements, readings): runs, rows returned and time in each reading of the counters.
    Of several that a statement may follow, the one whose rows fit best.
    """
    if calls.shape[1] < LEAST_READINGS:
        return []
    runs, leads = calls.sum(axis=1), rows.sum(axis=1)
    can_lead = (runs >= LEAST_LEADS) & (leads >= EACH * np.maximum(runs, 1))
    can_follow = runs >= LEAST_RUNS
    spread = rows.std(axis=1) / np.maximum(rows.mean(axis=1), 1e-9)
    can_lead &= (spread >= VARIES) & ((calls > 0).sum(axis=1) >= LEAST_READINGS)
    best: dict[int, Follower] = {}
    for first in np.flatnonzero(can_lead).tolist():
        same = np.array([one == whose[first] for one in whose])
        near = np.abs(runs - leads[first]) <= OFF * leads[first]  # before all readings are looked at one by one
        for second in np.flatnonzero(can_follow & same & near).tolist():
            found = None if second == first else _pair(first, second, calls, rows, ms)
            if found and (second not in best or found.agree > best[second].agree):
                best[second] = found
    return sorted(best.values(), key=lambda one: -one.ms)


def _pair(first: int, second: int, calls: Floats, rows: Floats, ms: Floats) -> Follower | None:
    there = (rows[first] > 0) | (calls[second] > 0)
    returned, ran = rows[first][there], calls[second][there]
    if len(ran) < LEAST_READINGS or ran.std() == 0 or returned.std() == 0:
        return None
    agree = float((np.abs(ran - returned) <= np.maximum(OFF * returned, OFF_BY)).mean())
    if agree < AGREE or float(np.corrcoef(ran, returned)[0, 1]) < TOGETHER:
        return None
    return Follower(
        first=first, second=second, each=float(ran.sum() / calls[first].sum()), runs=float(ran.sum()),
        ms=float(ms[second].sum()), readings=len(ran), agree=agree,
    )  # fmt: skip


@dataclass(frozen=True, slots=True, kw_only=True)
class Match:
    """Statement `second` ran as often as `first` returned rows, `each` times for a run of it, over one span of counting."""

    first: QueryId
    second: QueryId
    each: float


EXACT, LEAST_EACH, LEAST_CALLS = 0.02, 8.0, 200
MOST_CALLED = 3  # statements of a user that are looked at, those that ran most


def matches(delta: CounterDelta) -> list[Match]:
    """Pairs of one user and database whose counts match within 2% and one run of the first, from two readings alone.

    As a load that never changes shows them. A match can be chance: say that it is a guess.
    """
    calls, rows = COUNTER_FIELDS.index("calls"), COUNTER_FIELDS.index("rows")
    by_user = defaultdict[tuple[str, str], list[int]](list)
    for i, key in enumerate(delta.keys):
        by_user[key.database, key.user].append(i)
    found = []
    for mine in by_user.values():
        for second in sorted(mine, key=lambda i: -delta.values[i, calls])[:MOST_CALLED]:
            runs = delta.values[second, calls]
            best: tuple[float, int] | None = None
            for first in mine:
                returned, led = delta.values[first, rows], delta.values[first, calls]
                each = returned / max(led, 1.0)
                off = abs(returned - runs)
                if (
                    first != second
                    and led >= 2
                    and each >= LEAST_EACH
                    and off <= EXACT * runs + each
                    and runs >= LEAST_CALLS
                ):
                    best = min(best or (off, first), (off, first))
            if best is not None:
                lead = best[1]
                each = float(runs / delta.values[lead, calls])
                found.append(Match(first=delta.keys[lead].query_id, second=delta.keys[second].query_id, each=each))
    return found
