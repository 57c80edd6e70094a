"""What a statement's calls usually cost and how often it is usually called, by hour of the day; and its usual time."""

from collections.abc import Mapping, Sequence, Set
from dataclasses import dataclass
from statistics import median
from typing import NamedTuple

from faena.core.readings import COUNTER_FIELDS
from faena.core.series.window import Buckets, Window
from faena.core.units import MS_PER_HOUR

MIN_DAYS = 3  # fewer days, and nothing is called usual
DAY_MS = 24 * MS_PER_HOUR
_COSTS = tuple(name for name in COUNTER_FIELDS if name != "calls")


@dataclass(frozen=True, slots=True, kw_only=True)
class UsualCost:
    """Per bucket, None where fewer than MIN_DAYS earlier days are known at that hour. `days` behind the least known.

    `per_call` has a series for each counter but the calls.
    """

    per_call: Mapping[str, Sequence[float | None]]
    calls_per_s: Sequence[float | None]
    days: int


def hours_before(buckets: Buckets, days: int) -> list[int]:
    """Starts of the hours that buckets lie in, on so many days before; hours of a bucket's own day are none of them."""
    own = {start // MS_PER_HOUR * MS_PER_HOUR for start in buckets.starts()}
    return sorted({hour - back * DAY_MS for hour in own for back in range(1, days + 1)})


def usual_cost(hours: Mapping[int, Mapping[str, float]], buckets: Buckets, days: int) -> UsualCost:
    """From COUNTER_FIELDS of counted hours by their start; so many days before each bucket's own day count.

    Medians over days, so that one bad day does not become the rule.
    """
    by_hour = {hour: _usual_hour(hours, hour, days) for hour in {at // MS_PER_HOUR for at in buckets.starts()}}
    usual = [by_hour[start // MS_PER_HOUR] for start in buckets.starts()]
    return UsualCost(
        per_call={name: [one.per_call[i] for one in usual] for i, name in enumerate(_COSTS)},
        calls_per_s=[one.calls_per_s for one in usual],
        days=min((one.days for one in usual), default=0),
    )


class _UsualHour(NamedTuple):
    per_call: list[float | None]
    calls_per_s: float | None
    days: int


def _usual_hour(hours: Mapping[int, Mapping[str, float]], hour: int, days: int) -> _UsualHour:
    alike = [hours[at] for back in range(1, days + 1) if (at := (hour - 24 * back) * MS_PER_HOUR) in hours]
    ran = [one for one in alike if one["calls"] > 0]
    known = len(ran) >= MIN_DAYS
    return _UsualHour(
        per_call=[median(one[name] / one["calls"] for one in ran) if known else None for name in _COSTS],
        calls_per_s=median(one["calls"] * 1000 / MS_PER_HOUR for one in alike) if len(alike) >= MIN_DAYS else None,
        days=len(alike),
    )


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
