"""What is usual of an endpoint, from its requests on earlier days."""

import numpy as np
import pytest
from faena.core.requests.usual import Day, usual_requests

HOUR_S = 3600.0


def days(requests: list[float], mean_ms: float, alike: bool = True) -> list[Day]:
    return [Day(many, many * mean_ms, alike) for many in requests]


def test_a_request_takes_as_long_as_on_days_of_any_kind_and_there_are_as_many_as_on_days_alike() -> None:
    known = days([3600, 3500, 3700, 3650, 3550], 40.0) + days([700, 720], 42.0, alike=False)
    found = usual_requests(known, HOUR_S, requests=3600, window_s=HOUR_S)
    assert found.mean_ms
    assert found.per_second
    assert (found.mean_ms.days, found.per_second.days) == (7, 5)
    assert found.mean_ms.low < 40 < found.mean_ms.high
    assert found.mean_ms.high < 60, "one and a half times as long is not usual"
    assert found.per_second.middle == 1.0


def test_few_requests_vary_more_by_chance() -> None:
    known = days([3600] * 6, 40.0)
    many, few = (usual_requests(known, HOUR_S, n, window_s=n).mean_ms for n in (3600.0, 4.0))
    assert many
    assert few
    assert few.high - few.low > 2 * (many.high - many.low)


@pytest.mark.parametrize(
    "known",
    [days([100, 100], 40.0), days([3, 4, 5, 3], 40.0), [], days([0, 0, 0], 40.0)],
    ids=["two days", "a handful a day", "no day", "never one"],
)
def test_of_too_few_days_or_requests_nothing_is_called_usual(known: list[Day]) -> None:
    found = usual_requests(known, HOUR_S, 100, HOUR_S)
    assert found.mean_ms is None
    assert found.per_second is None or sum(day.requests for day in known) > 0


def test_a_day_like_the_others_seldom_departs() -> None:
    """At most one in twenty, where days differ by a tenth and requests by their mean."""
    chance = np.random.default_rng(7)
    outside, times = 0, 600
    for _ in range(times):
        level = 40 * chance.lognormal(0, 0.1, 15)
        many = chance.poisson(300, 15)
        means = [chance.exponential(m, n).mean() for m, n in zip(level, many, strict=True)]
        *past, today = zip(many.tolist(), means, strict=True)
        found = usual_requests([Day(n, n * m, True) for n, m in past], HOUR_S, today[0], HOUR_S)
        assert found.mean_ms
        assert found.per_second
        outside += not found.mean_ms.low <= today[1] <= found.mean_ms.high
        outside += not found.per_second.low <= today[0] / HOUR_S <= found.per_second.high
    assert outside / (2 * times) < 0.05
