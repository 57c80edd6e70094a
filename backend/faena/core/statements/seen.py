"""Statements as sessions were seen in them, beside what the server counted of them."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from faena.core.units import QueryId

LEAST_MS = 10_000.0  # of sampled time that is not in the counters, below which it is not worth a word
BESIDE = 0.2  # of the heaviest such statement, below which another one is beside the point
MOST = 3


@dataclass(frozen=True, slots=True, kw_only=True)
class Seen:
    """Mean sessions in a statement over the ticks of a window, those of them on CPU, and the half-width of `sessions`."""

    query_id: QueryId
    sessions: float
    margin: float
    on_cpu: float


def uncounted(seen: Iterable[Seen], counted_ms: Mapping[QueryId, float], sampled_ms: float) -> list[Seen]:
    """Statements most of whose sampled time the counters do not hold, heaviest first; `sampled_ms` were sampled in all.

    A server counts a call when it ended well, from when it began to execute: nothing of calls that still run or failed,
    and nothing of the time that one waits for its tables' locks before.
    """
    found = []
    for one in seen:
        surely_ms = (one.sessions - one.margin) * sampled_ms
        lost_ms = surely_ms - counted_ms.get(one.query_id, 0.0)
        if lost_ms > LEAST_MS and lost_ms > surely_ms / 2:
            found.append(one)
    found.sort(key=lambda one: (-one.sessions, one.query_id))
    return [one for one in found if one.sessions > BESIDE * found[0].sessions][:MOST]
