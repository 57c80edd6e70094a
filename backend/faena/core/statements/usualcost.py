"""What a statement's calls usually cost and how often it is usually called, by hour of the day."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from statistics import median

from faena.core.series.window import Buckets
from faena.core.units import MS_PER_HOUR

MIN_DAYS = 3  # fewer days, and nothing is called usual
DAY_MS = 24 * MS_PER_HOUR


@dataclass(frozen=True, slots=True, kw_only=True)
class UsualCost:
    """Per bucket, None where fewer than MIN_DAYS earlier days are known at that hour. `days` behind the least known."""

    ms_per_call: Sequence[float | None]
    calls_per_s: Sequence[float | None]
    days: int


def usual_cost(hours: Mapping[int, tuple[float, float]], buckets: Buckets) -> UsualCost:
    """From (calls, milliseconds) of counted hours by their start; the days before each bucket's own day count.

    Medians over days, so that one bad day does not become the rule.
    """
    costs, rates, days = list[float | None](), list[float | None](), list[int]()
    for start in buckets.starts():
        hour, day = start // MS_PER_HOUR, start // DAY_MS
        alike = [
            hours[at]
            for back in range(1, 43)
            if (at := (hour - 24 * back) * MS_PER_HOUR) in hours and at // DAY_MS < day
        ]
        ran = [(calls, ms) for calls, ms in alike if calls > 0]
        days.append(len(alike))
        costs.append(median(ms / calls for calls, ms in ran) if len(ran) >= MIN_DAYS else None)
        rates.append(median(calls * 1000 / MS_PER_HOUR for calls, _ in alike) if len(alike) >= MIN_DAYS else None)
    return UsualCost(ms_per_call=costs, calls_per_s=rates, days=min(days, default=0))
