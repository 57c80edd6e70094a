"""What a statement's calls usually cost and how often it is usually called, by hour of the day; and its usual time."""

from collections.abc import Mapping, Sequence, Set
from dataclasses import dataclass
from itertools import islice
from typing import NamedTuple

import numpy as np
import numpy.typing as npt

from faena.core.readings import COUNTER_FIELDS
from faena.core.series import baseline
from faena.core.series.baseline import LOOK_BACK_DAYS, MIN_DAYS, typical
from faena.core.series.calendar import IN_UTC, Calendar
from faena.core.series.window import Buckets, Window
from faena.core.units import MS_PER_HOUR

Floats = npt.NDArray[np.float64]
_COSTS = tuple(name for name in COUNTER_FIELDS if name != "calls")


@dataclass(frozen=True, slots=True, kw_only=True)
class UsualCost:
    """Per bucket, None where fewer than MIN_DAYS earlier days are known at that hour. `days` behind the least known cost.

    `per_call` has a series for each counter but the calls.
    """

    per_call: Mapping[str, Sequence[float | None]]
    calls_per_s: Sequence[float | None]
    days: int


def hours_before(buckets: Buckets, days: int, calendar: Calendar = IN_UTC) -> list[int]:
    """Starts of the hours from which is told what is usual in these buckets: of so many earlier days, of any and alike."""
    own = {start // MS_PER_HOUR * MS_PER_HOUR for start in buckets.starts()}
    return sorted(
        {
            at
            for hour in own
            for at in (*baseline.hours_alike(hour, days, calendar), *baseline.hours_before(hour, days, calendar))
        }
    )


def usual_cost(
    hours: Mapping[int, Mapping[str, float]], buckets: Buckets, days: int, calendar: Calendar = IN_UTC
) -> UsualCost:
    """From COUNTER_FIELDS of counted hours by their start; so many days before each bucket's own count.

    Medians over days, so that one bad day does not become the rule.
    """
    by_hour = {
        hour: _usual_hour(hours, hour, days, calendar) for hour in {at // MS_PER_HOUR for at in buckets.starts()}
    }
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


def _usual_hour(hours: Mapping[int, Mapping[str, float]], hour: int, days: int, calendar: Calendar) -> _UsualHour:
    """How often it is called depends on the kind of day; what a call costs much less, so other days do as well."""
    alike = [hours[at] for at in baseline.hours_alike(hour * MS_PER_HOUR, days, calendar) if at in hours]
    before = [hours[at] for at in baseline.hours_before(hour * MS_PER_HOUR, days, calendar) if at in hours]
    ran = [one for one in alike if one["calls"] > 0]
    if len(ran) < MIN_DAYS:
        ran = [one for one in before if one["calls"] > 0]
    return _UsualHour(
        per_call=[typical(one[name] / one["calls"] for one in ran) for name in _COSTS],
        calls_per_s=typical(one["calls"] * 1000 / MS_PER_HOUR for one in alike),
        days=len(ran),
    )


def window_hours_alike(window: Window, days: int, calendar: Calendar = IN_UTC) -> list[list[tuple[int, float]]]:
    """The hours that the window touches, each with the share of it, as they lay on so many days before.

    Of the newest days on which each of these hours is on a workday, or on a weekend, as it is in the window.
    """
    first = window.start // MS_PER_HOUR * MS_PER_HOUR
    touched = [
        (hour, (min(window.end, hour + MS_PER_HOUR) - max(window.start, hour)) / MS_PER_HOUR)
        for hour in range(first, window.end, MS_PER_HOUR)
    ]
    weekends = [calendar.is_weekend(hour) for hour, _ in touched]
    before = (
        [(calendar.days_before(hour, back) // MS_PER_HOUR * MS_PER_HOUR, part) for hour, part in touched]
        for back in range(1, LOOK_BACK_DAYS + 1)
    )
    alike = (day for day in before if [calendar.is_weekend(hour) for hour, _ in day] == weekends)
    return list(islice(alike, days))


def usual_times(
    hours: Sequence[int], worked: Floats, counted: Set[int], days: Sequence[Sequence[tuple[int, float]]]
) -> Floats | None:
    """Milliseconds a second that each statement usually takes: the median over the days whose hours were all counted.

    `worked` (statements, hours) has the milliseconds of each. None where fewer than MIN_DAYS days are known.
    """
    known = [day for day in days if all(hour in counted for hour, _ in day)]
    if len(known) < MIN_DAYS:
        return None
    place = {hour: i for i, hour in enumerate(hours)}
    part_of = np.zeros((len(hours), len(known)))
    for column, day in enumerate(known):
        for hour, part in day:
            part_of[place[hour], column] += part  # an hour that the clock left out stands for its neighbour, too
    seconds = sum(part for _, part in known[0]) * MS_PER_HOUR / 1000
    found: Floats = np.median(worked @ part_of, axis=1) / seconds
    return found
