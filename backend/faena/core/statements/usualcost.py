"""What a statement's calls usually cost and how often it is usually called, by hour of the day; and its usual time."""

from collections.abc import Mapping, Sequence, Set
from dataclasses import dataclass
from statistics import median

from faena.core.series.window import Buckets, Window
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


def hours_alike(window: Window, days: int) -> list[list[tuple[int, float]]]:
    """For each of so many days before: the hours that the window touches then, each with the share of it."""
    first = window.start // MS_PER_HOUR * MS_PER_HOUR
    touched = [
        (hour, (min(window.end, hour + MS_PER_HOUR) - max(window.start, hour)) / MS_PER_HOUR)
        for hour in range(first, window.end, MS_PER_HOUR)
    ]
    return [[(hour - back * DAY_MS, part) for hour, part in touched] for back in range(1, days + 1)]


def usual_times(
    worked: Mapping[int, Mapping[int, float]], counted: Set[int], days: Sequence[Sequence[tuple[int, float]]]
) -> dict[int, float]:
    """Milliseconds a second that each statement usually takes: the median over the days whose hours were all counted.

    `worked` has by statement the milliseconds of each hour. Empty where fewer than MIN_DAYS days are known.
    """
    known = [day for day in days if all(hour in counted for hour, _ in day)]
    if len(known) < MIN_DAYS:
        return {}
    seconds = sum(part for _, part in known[0]) * MS_PER_HOUR / 1000
    return {
        statement: median(sum(part * hours.get(hour, 0.0) for hour, part in day) / seconds for day in known)
        for statement, hours in worked.items()
    }
