"""What pictures of time by duration share, of executions and of requests."""

from collections.abc import Sequence
from typing import Any

import numpy as np

from faena.api.out import Out
from faena.core.series.window import Buckets, Window
from faena.core.statements.density import Timed, density, quantiles

QUANTILES = (0.5, 0.95, 0.99)


class DensityOut(Out):
    """Time by duration. `counts` holds rows of `edges_ms` by columns of `starts`, each one counted for as many as it stands.

    `row_executions` and `row_total_ms` are sums of each row over the whole window, in which each counts once. Quantiles
    are null where too few reach so far.
    """

    start: int
    end: int
    bucket_ms: int
    starts: list[int]
    edges_ms: list[float]
    counts: list[list[float]]
    row_executions: list[float]
    row_total_ms: list[float]
    p50_ms: float | None
    p95_ms: float | None
    p99_ms: float | None
    max_ms: float | None


def density_fields(found: Sequence[Timed], window: Window, cells: Buckets) -> dict[str, Any]:
    """The fields of DensityOut."""
    picture = density(found, cells)
    took, weights = np.array([one.took_ms for one in found]), np.array([one.weight for one in found])
    p50, p95, p99 = quantiles(took, weights, QUANTILES)
    return {
        "start": window.start,
        "end": window.end,
        "bucket_ms": cells.width_ms,
        "starts": cells.starts(),
        "edges_ms": list(picture.edges_ms),
        "counts": picture.counts.round(2).tolist(),
        "row_executions": picture.executions.round(2).tolist(),
        "row_total_ms": picture.total_ms.round(3).tolist(),
        "p50_ms": p50,
        "p95_ms": p95,
        "p99_ms": p99,
        "max_ms": float(took.max()) if len(took) else None,
    }
