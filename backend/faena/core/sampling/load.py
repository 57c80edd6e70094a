"""Average active sessions: by bucket and group, and ranked by value."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from faena.core.errors import NoTicks
from faena.core.sampling.dimensions import Dictionary, Dimension
from faena.core.sampling.frame import SampleFrame
from faena.core.sampling.trail import Pick, narrow
from faena.core.series.certainty import sessions_margin, share_margin
from faena.core.series.window import Buckets
from faena.core.units import Sessions

OTHERS = "others"  # the group into which all values beyond the largest ones are summed


@dataclass(frozen=True, slots=True)
class LoadSeries:
    """`seen` (groups, buckets): session sightings. `ticks` (buckets,): ticks taken; 0 marks a gap."""

    groups: tuple[str, ...]
    seen: npt.NDArray[np.int64]
    ticks: npt.NDArray[np.int64]

    def sessions(self) -> npt.NDArray[np.float64]:
        """Mean sessions per tick, shape (groups, buckets); NaN where no tick was taken."""
        with np.errstate(divide="ignore", invalid="ignore"):
            return np.where(self.ticks > 0, self.seen / self.ticks, np.nan)

    def total(self) -> Sessions:
        """Mean active sessions over all ticks of the series. Raises NoTicks."""
        ticks = int(self.ticks.sum())
        if ticks == 0:
            raise NoTicks("nothing was sampled in this window")
        return Sessions(float(self.seen.sum()) / ticks)


def load_by(
    frame: SampleFrame,
    buckets: Buckets,
    dictionary: Dictionary,
    dimension: Dimension,
    trail: Sequence[Pick] = (),
    *,
    at_most: int | None = None,
) -> LoadSeries:
    """Load per bucket, split by one dimension, inside the trail.

    `at_most` keeps the groups with most load and sums the rest into OTHERS. Groups come largest first.
    """
    names, group_of_code = _groups(dictionary, dimension, narrow(dictionary, trail) & dictionary.active())
    bucket = buckets.index_of(frame.tick_ms)
    inside = (bucket >= 0) & (bucket < buckets.count)
    ticks = np.bincount(bucket[inside], minlength=buckets.count).astype(np.int64)
    # One bincount over bucket x group; ticks outside and codes left out fall into one spare cell at the end.
    spare = buckets.count * len(names)
    row = np.where(inside, bucket * len(names), spare)
    cell = np.minimum(row[frame.tick] + group_of_code[frame.code], spare)
    seen = np.bincount(cell, minlength=spare + 1)[:spare].reshape(buckets.count, len(names)).T.astype(np.int64)
    return _largest(names, seen, ticks, at_most)


def _groups(
    dictionary: Dictionary, dimension: Dimension, keep: npt.NDArray[np.bool_]
) -> tuple[list[str], npt.NDArray[np.int64]]:
    """Names of the groups, and the group of each code; a code left out gets a group beyond every cell."""
    names: dict[str, int] = {}
    group = np.full(len(dictionary), np.iinfo(np.int32).max, dtype=np.int64)
    for code, value in enumerate(dictionary.values(dimension)):
        if keep[code]:
            group[code] = names.setdefault(value, len(names))
    return list(names), group


def _largest(
    names: list[str], seen: npt.NDArray[np.int64], ticks: npt.NDArray[np.int64], at_most: int | None
) -> LoadSeries:
    sums = seen.sum(axis=1)
    order = [i for i in np.argsort(-sums, kind="stable") if sums[i] > 0]
    if at_most is not None and len(order) > at_most:
        rest = seen[order[at_most - 1 :]].sum(axis=0, keepdims=True)
        order = order[: at_most - 1]
        return LoadSeries((*(names[i] for i in order), OTHERS), np.vstack([seen[order], rest]), ticks)
    return LoadSeries(tuple(names[i] for i in order), seen[order], ticks)


@dataclass(frozen=True, slots=True, kw_only=True)
class RankedValue:
    """One value of a dimension in a window. `by_kind` splits `sessions` by wait kind and adds up to it."""

    value: str
    seen: int
    sessions: Sessions
    sessions_margin: float  # half-width of the 95% interval, in sessions
    share: float  # of all load inside the trail, 0..1
    share_margin: float
    by_kind: dict[str, float]
    picked: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class Column:
    """One column of the sieve: the largest values, and how many more there are."""

    dimension: Dimension
    rows: tuple[RankedValue, ...]
    more: int
    total_seen: int


def count_codes(frame: SampleFrame, dictionary: Dictionary) -> npt.NDArray[np.int64]:
    """How often each code was seen, shape (len(dictionary),). All columns of a sieve share this one pass."""
    return np.bincount(frame.code, minlength=len(dictionary)).astype(np.int64)


def rank(
    counts: npt.NDArray[np.int64],
    ticks: int,
    dictionary: Dictionary,
    dimension: Dimension,
    trail: Sequence[Pick] = (),
    *,
    at_most: int = 10,
) -> Column:
    """The values of one dimension that make up most load inside the trail. Raises NoTicks over zero ticks."""
    if ticks <= 0:
        raise NoTicks("nothing was sampled in this window")
    keep = narrow(dictionary, trail, but=dimension) & dictionary.active() & (counts > 0)
    values = dictionary.values(dimension)
    seen: dict[str, dict[str, int]] = {}
    for code in np.flatnonzero(keep).tolist():
        kinds = seen.setdefault(values[code], {})
        kinds[dictionary.kinds[code]] = kinds.get(dictionary.kinds[code], 0) + int(counts[code])
    total = sum(sum(kinds.values()) for kinds in seen.values())
    picked = {pick.value for pick in trail if pick.dimension is dimension and not pick.exclude}
    excluded = {pick.value for pick in trail if pick.dimension is dimension and pick.exclude}
    ordered = sorted(seen.items(), key=lambda item: (-sum(item[1].values()), item[0]))
    shown = [item for item in ordered if item[0] not in excluded]
    top = shown[:at_most] + [item for item in shown[at_most:] if item[0] in picked]
    rows = (_ranked(value, kinds, ticks, total, value in picked) for value, kinds in top)
    return Column(dimension=dimension, rows=tuple(rows), more=len(shown) - len(top), total_seen=total)


def _ranked(value: str, kinds: dict[str, int], ticks: int, total: int, picked: bool) -> RankedValue:
    seen = sum(kinds.values())
    return RankedValue(
        value=value,
        seen=seen,
        sessions=Sessions(seen / ticks),
        sessions_margin=sessions_margin(seen, ticks),
        share=seen / total,
        share_margin=share_margin(seen, total),
        by_kind={kind: count / ticks for kind, count in kinds.items()},
        picked=picked,
    )
