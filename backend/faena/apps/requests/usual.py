"""What is usual of endpoints: their requests in the same hours of earlier days, from sums by the hour."""

from collections import defaultdict
from collections.abc import Sequence

from django.db import connection

from faena.apps.requests.selectors import Only, Summed, touched
from faena.apps.samples.usual import marked_for
from faena.apps.servers.clock import clock_of
from faena.apps.servers.models import Server
from faena.core.requests.sums import REQUEST_FIGURES
from faena.core.requests.usual import Day, UsualRequests, usual_requests
from faena.core.series.baseline import LOOK_BACK_DAYS, window_before
from faena.core.series.window import Window
from faena.core.units import MS_PER_DAY, MS_PER_HOUR, EpochMs

_REQUESTS, _TIME = REQUEST_FIGURES.index("requests") + 1, REQUEST_FIGURES.index("time_ms") + 1


def usual_of(server: Server, window: Window, rows: Sequence[Summed], only: Only) -> dict[int, UsualRequests]:
    """By endpoint; nothing of a window longer than a day, whose hours are of all kinds.

    Learned from whole hours, those that the window touches. A day that touches a marked span does not count.
    """
    if window.length_ms > MS_PER_DAY or not rows:
        return {}
    first, last = window.start // MS_PER_HOUR * MS_PER_HOUR, -(-window.end // MS_PER_HOUR) * MS_PER_HOUR
    whole = Window(start=EpochMs(first), end=EpochMs(last))
    calendar, marked = clock_of(server).calendar, marked_for(server.pk)
    days = [window_before(whole, back, calendar) for back in range(1, LOOK_BACK_DAYS + 1)]
    days = [day for day in days if not any(start < day.end and end > day.start for start, end in marked)]
    known = _known(server.pk, days, only)
    told_of = {place for mine in known.values() for place in mine}  # on other days nobody sent traces
    seconds = (touched(window)[1] - touched(window)[0]) / 1000
    weekend = calendar.is_weekend(whole.start)
    found = {}
    for one in rows:
        mine = known.get(one.endpoint.pk, {})
        told = [
            Day(*mine.get(i, (0.0, 0.0)), alike=calendar.is_weekend(day.start) == weekend)
            for i, day in enumerate(days)
            if i in told_of and i <= max(mine, default=-1)  # before its first request it was not there
        ]
        found[one.endpoint.pk] = usual_requests(told, whole.length_ms / 1000, one.figures["requests"], seconds)
    return found


def _known(server_id: int, days: Sequence[Window], only: Only) -> dict[int, dict[int, tuple[float, float]]]:
    """By endpoint and place of the day: requests, and ms they took."""
    origins = only.origins(server_id)
    found = defaultdict[int, dict[int, tuple[float, float]]](dict)
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT o.endpoint_id, d.place, sum(s.figures[%s]), sum(s.figures[%s]) "
            "FROM unnest(%s::int[], %s::bigint[], %s::bigint[]) AS d(place, starts, ends) "
            "JOIN requests_requestsum s ON s.server_id = %s AND s.length_ms = %s AND s.at_ms >= d.starts AND s.at_ms < d.ends "
            "JOIN requests_origin o ON o.id = s.origin_id WHERE s.origin_id = ANY(%s) GROUP BY 1, 2",
            [
                _REQUESTS, _TIME, list(range(len(days))), [day.start for day in days], [day.end for day in days],
                server_id, MS_PER_HOUR, list(origins),
            ],
        )  # fmt: skip
        for endpoint, place, requests, ms in cursor.fetchall():
            found[endpoint][place] = (requests, ms)
    return found
