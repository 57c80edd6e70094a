"""Sums estimated from requests that are kept singly, each counted for as many as it stands for.

By attributes nothing is summed up, since they have too many values; so this is how requests with one are ranked.
"""

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np
from django.db.models import QuerySet

from faena.apps.requests.models import KeptRequest
from faena.apps.requests.rows import SumRow
from faena.core.requests.sums import LAYERS, REQUEST_FIGURES, RUNGS, TOLERATED, Vector, rung_of
from faena.core.series.window import Buckets

MOST_READ = 50_000  # the newest
_COLUMNS = ("origin_id", "at_ms", "weight", "duration_ms", "error", "statements", "repeated", "layers")
_AT = {name: i for i, name in enumerate(REQUEST_FIGURES)}
_LAYERS = [_AT[f"{layer.value}_ms"] for layer in LAYERS]


def sums_of_kept(rows: QuerySet[KeptRequest], targets: Mapping[int, float]) -> list[SumRow]:
    """By origin. `targets` are those of the origins, ms."""
    figures: dict[int, Vector] = {}
    rungs: dict[int, Vector] = {}
    for origin, _, weight, duration, error, statements, repeated, layers in _read(rows):
        target = targets.get(origin)
        if target is None:  # its origin came since they were read
            continue
        mine = figures.setdefault(origin, np.zeros(len(REQUEST_FIGURES)))
        mine += weight * _figures(duration, error, statements, repeated, layers, target)
        rungs.setdefault(origin, np.zeros(RUNGS + 1))[rung_of(duration)] += weight
    return [SumRow(origin, mine, rungs[origin]) for origin, mine in figures.items()]


def series_of_kept(rows: QuerySet[KeptRequest], buckets: Buckets) -> Vector:
    """A row of REQUEST_FIGURES for each bucket; what hangs on a target is 0."""
    found = np.zeros((buckets.count, len(REQUEST_FIGURES)))
    for _, at, weight, duration, error, statements, repeated, layers in _read(rows):
        told = _figures(duration, error, statements, repeated, layers, 0.0)
        found[(at - buckets.start) // buckets.width_ms] += weight * told
    return found


def _read(rows: QuerySet[KeptRequest]) -> QuerySet[KeptRequest, tuple[Any, ...]]:
    return rows.order_by("-at_ms").values_list(*_COLUMNS)[:MOST_READ]


def _figures(
    duration_ms: float,
    error: bool,
    statements: int,
    repeated: Sequence[Mapping[str, Any]],
    layers: Sequence[float],
    target_ms: float,
) -> Vector:
    """Of one request; whether it asked a cache is not told."""
    told = np.zeros(len(REQUEST_FIGURES))
    told[_AT["requests"]], told[_AT["time_ms"]], told[_AT["statements"]] = 1.0, duration_ms, statements
    told[_LAYERS] = layers
    told[_AT["errors"]] = error
    told[_AT["satisfied"]] = not error and duration_ms <= target_ms
    told[_AT["tolerated"]] = not error and target_ms < duration_ms <= TOLERATED * target_ms
    told[_AT["with_repeats"]] = bool(repeated)
    told[_AT["repeats"]] = sum(one["count"] for one in repeated)
    told[_AT["repeated_ms"]] = sum(one["ms"] for one in repeated)
    return told
