"""Single executions as a picture of time by duration, and what figures follow from them."""

from collections.abc import Sequence
from dataclasses import dataclass
from math import ceil, floor, log10
from typing import Protocol

import numpy as np
import numpy.typing as npt

from faena.core.series.window import Buckets

Floats = npt.NDArray[np.float64]
BINS_PER_DECADE = 8
MIN_MS = 0.01  # shorter executions stand in the lowest bin
MAX_DECADES = 9


@dataclass(frozen=True, slots=True, kw_only=True)
class Density:
    """`counts[bin][bucket]`: executions of that duration that ran in that bucket, those that are only estimated included.

    `edges_ms` has one more entry than there are bins. An execution is placed over the time it ran, so a long one stands
    in several buckets. `executions` and `total_ms` are of the whole window, one entry a bin: each execution once.
    """

    edges_ms: Sequence[float]
    counts: Floats
    executions: Floats
    total_ms: Floats


class Timed(Protocol):
    """What took a time, and stands for `weight` like it. Moments and `took_ms` in milliseconds."""

    @property
    def started(self) -> int: ...
    @property
    def ended(self) -> int: ...
    @property
    def took_ms(self) -> float: ...
    @property
    def weight(self) -> float: ...


def density(runs: Sequence[Timed], buckets: Buckets) -> Density:
    """On a grid of durations that doubles about every two and a half bins."""
    took = np.array([max(one.took_ms, MIN_MS) for one in runs])
    if not len(took):
        none = np.zeros(0)
        return Density(edges_ms=(), counts=np.zeros((0, buckets.count)), executions=none, total_ms=none)
    low, high = floor(log10(took.min())), max(ceil(log10(took.max() * 1.0000001)), floor(log10(took.min())) + 1)
    high = min(high, low + MAX_DECADES)
    edges = np.logspace(low, high, (high - low) * BINS_PER_DECADE + 1)
    row = np.clip(np.searchsorted(edges, took, side="right") - 1, 0, len(edges) - 2)
    started = np.array([one.started for one in runs], dtype=np.int64)
    ended = np.array([one.ended for one in runs], dtype=np.int64)
    weight = np.array([one.weight for one in runs])
    first = (started - buckets.start) // buckets.width_ms
    last = (ended - buckets.start) // buckets.width_ms
    seen = (last >= 0) & (first < buckets.count)
    # A difference array per bin: +weight where it began, -weight behind where it ended.
    edge = np.zeros((len(edges) - 1, buckets.count + 1))
    np.add.at(edge, (row[seen], np.clip(first[seen], 0, buckets.count - 1)), weight[seen])
    np.add.at(edge, (row[seen], np.clip(last[seen] + 1, 0, buckets.count)), -weight[seen])
    bins = len(edges) - 1
    return Density(
        edges_ms=edges.tolist(),
        counts=edge.cumsum(axis=1)[:, :-1].clip(0),
        executions=np.bincount(row, weights=weight, minlength=bins).astype(np.float64),
        total_ms=np.bincount(row, weights=weight * took, minlength=bins).astype(np.float64),
    )


def quantiles(took_ms: Floats, weights: Floats, wanted: Sequence[float]) -> list[float | None]:
    """Weighted quantiles by the inverse of the empirical distribution; None where too few executions reach that far.

    A quantile q is not told from fewer than 1/(1-q) executions: the slowest of ten is no p99.
    """
    if not len(took_ms):
        return [None for _ in wanted]
    order = np.argsort(took_ms)
    reached = weights[order].cumsum() / weights.sum()
    return [
        float(took_ms[order][min(int(np.searchsorted(reached, q)), len(order) - 1)])
        if len(took_ms) * (1 - q) >= 1
        else None
        for q in wanted
    ]
