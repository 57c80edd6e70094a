"""What is usual of an endpoint at a time of the day: how many requests there are, and how long one takes.

How many there are hangs on who is at work, so it is learned from days alike: workdays, or weekends. How long one takes
hangs on the work itself, so it is learned from days of any kind.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import NamedTuple

from faena.core.series.usual import UsualFigure, usual_figure

LEAST_REQUESTS = 10  # of an earlier day, below which the mean of its requests says little
VARIES = 1.0  # standard deviation of a request's duration, by their mean


class Day(NamedTuple):
    """Requests of an endpoint in the same hours of an earlier day, and their time in all; `alike`: a day of the same kind."""

    requests: float
    time_ms: float
    alike: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class UsualRequests:
    """What is expected of one request (ms) and of how many there are in a second; None: too few days are known."""

    mean_ms: UsualFigure | None
    per_second: UsualFigure | None


def usual_requests(days: Sequence[Day], day_s: float, requests: float, window_s: float) -> UsualRequests:
    """From earlier days, of `day_s` seconds each, for so many requests in a window: few requests vary more by chance.

    A day without a request counts as one with none. Durations are taken to vary as much as their mean, counts as the
    Poisson distribution has it.
    """
    means = [day.time_ms / day.requests for day in days if day.requests >= LEAST_REQUESTS]
    mean = sum(means) / len(means) if means else 0.0
    rates = [day.requests / day_s for day in days if day.alike]
    rate = sum(rates) / len(rates) if rates else 0.0
    return UsualRequests(
        mean_ms=usual_figure(means, (VARIES * mean) ** 2 / max(requests, 1.0)),
        per_second=usual_figure(rates, rate / window_s) if any(rates) else None,
    )
