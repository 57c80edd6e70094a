"""Captured executions as a table: rows, columns, a measure, an aggregate."""

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import TypeVar

import numpy as np
import numpy.typing as npt

from faena.core.labels import Labelled
from faena.core.logged import Execution
from faena.core.statements.density import quantiles

Floats = npt.NDArray[np.float64]


class PivotBy(Labelled):
    """What rows and columns can be."""

    STATEMENT = "statement", "statement"
    PROGRAM = "program", "program"
    USER = "user", "user"
    DATABASE = "database", "database"
    CLIENT = "client", "client host"
    PLAN = "plan", "plan"
    HOUR = "hour", "hour"
    DURATION = "duration", "duration"


class PivotMeasure(Labelled):
    TOOK = "took_ms", "time"
    PARSE = "parse_ms", "time to parse"
    BIND = "bind_ms", "time to bind"
    EXECUTE = "execute_ms", "time to execute"
    TEMP = "temp_bytes", "temp written"


class Aggregate(Labelled):
    COUNT = "count", "how many"
    SUM = "sum", "in all"
    MEAN = "mean", "mean"
    MEDIAN = "median", "median"
    P95 = "p95", "95% are below"
    MAX = "max", "longest"


@dataclass(frozen=True, slots=True, kw_only=True)
class Pivot:
    """`cells[row][column]` is None where there is nothing, or too little for the aggregate.

    Largest rows first, but hours and durations in their own order; columns by name or in that order.

    `counts` says from how many captured executions a cell comes.
    """

    rows: Sequence[str]
    columns: Sequence[str]
    cells: Sequence[Sequence[float | None]]
    counts: Sequence[Sequence[int]]
    row_totals: Sequence[float | None]
    column_totals: Sequence[float | None]
    total: float | None
    more_rows: int


Labels = Mapping[PivotBy, Callable[[Execution], str]]


def pivot(
    runs: Sequence[Execution],
    labels: Labels,
    rows: PivotBy,
    columns: PivotBy | None,
    measure: PivotMeasure,
    aggregate: Aggregate,
    *,
    at_most: int = 100,
) -> Pivot:
    """Counts and sums are estimates of all executions, by their weights. Executions without the measure are left out."""
    if aggregate is not Aggregate.COUNT:
        runs = [one for one in runs if getattr(one, measure) is not None]
    values = np.array([float(getattr(one, measure) or 0.0) for one in runs])
    weights = np.array([one.weight for one in runs])
    row_of = [labels[rows](one) for one in runs]
    column_of = [labels[columns](one) for one in runs] if columns else ["all"] * len(runs)
    places = _places(zip(row_of, column_of, strict=True))
    row_totals = {name: _of(values, weights, where, aggregate) for name, where in _places(row_of).items()}
    in_column = _places(column_of)
    ordered = sorted(row_totals, key=_natural(rows) or (lambda name: (-(row_totals[name] or 0.0), name)))
    names = sorted(in_column, key=_natural(columns))
    shown = ordered[:at_most]
    empty: list[int] = []
    return Pivot(
        rows=shown,
        columns=names,
        cells=[[_of(values, weights, places.get((r, c), empty), aggregate) for c in names] for r in shown],
        counts=[[len(places.get((r, c), empty)) for c in names] for r in shown],
        row_totals=[row_totals[name] for name in shown],
        column_totals=[_of(values, weights, in_column[c], aggregate) for c in names],
        total=_of(values, weights, np.arange(len(runs)), aggregate),
        more_rows=len(ordered) - len(shown),
    )


_Key = TypeVar("_Key")


def _places(keys: Iterable[_Key]) -> dict[_Key, list[int]]:
    """Where each key stands."""
    found: dict[_Key, list[int]] = {}
    for i, key in enumerate(keys):
        found.setdefault(key, []).append(i)
    return found


def _of(
    values: Floats, weights: Floats, chosen: Sequence[int] | npt.NDArray[np.int64], aggregate: Aggregate
) -> float | None:
    if not len(chosen):
        return None
    some, their = values[chosen], weights[chosen]
    match aggregate:
        case Aggregate.COUNT:
            return float(their.sum())
        case Aggregate.SUM:
            return float((some * their).sum())
        case Aggregate.MEAN:
            return float((some * their).sum() / their.sum())
        case Aggregate.MEDIAN:
            return quantiles(some, their, [0.5])[0]
        case Aggregate.P95:
            return quantiles(some, their, [0.95])[0]
        case Aggregate.MAX:
            return float(some.max())


_DURATIONS = ((1, "< 1 ms"), (10, "< 10 ms"), (100, "< 100 ms"), (1000, "< 1 s"), (10_000, "< 10 s"))
_LONGER = "10 s and more"
_RANK = {words: rank for rank, words in enumerate([*(words for _, words in _DURATIONS), _LONGER])}


def duration_class(took_ms: float) -> str:
    """For reading a distribution in a table: below 1, 10, 100 ms, 1 s, 10 s, and above."""
    return next((words for bound, words in _DURATIONS if took_ms < bound), _LONGER)


def _natural(by: PivotBy | None) -> Callable[[str], tuple[float, str]] | None:
    """The order in which people expect values of a kind; None where they have none of their own."""
    match by:
        case PivotBy.DURATION:
            return lambda name: (_RANK.get(name, len(_RANK)), name)
        case PivotBy.HOUR:
            return lambda name: (0, name)
    return None
