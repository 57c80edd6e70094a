"""Statement counters summed up by hour, so that a ranking over a day need not read every quarter of a minute.

An hour and its mark change in one transaction; readers take the hours that are marked, and single readings for the rest.
"""

from django.db import transaction
from django.db.models import Sum

from faena.apps.bulk import copy_rows
from faena.apps.statements.models import CountSpan, SummedHour, Work, WorkHour
from faena.core.readings import COUNTER_FIELDS
from faena.core.series.window import Window
from faena.core.units import MS_PER_HOUR

LATE_MS = 2 * 60_000  # an hour is summed up this long after its end; what comes later still has it summed anew
AT_A_TIME = 50  # hours, so that a past that came at once holds nobody up for long
KEY = ("query_id", "database", "user", "toplevel")


def sum_up(server_id: int, now_ms: int, at_most: int = AT_A_TIME) -> int:
    """Sum up hours that are over and counted and not yet summed. Safe to repeat. Returns how many."""
    until = (now_ms - LATE_MS) // MS_PER_HOUR * MS_PER_HOUR
    counted = CountSpan.objects.filter(server_id=server_id, until_ms__lte=until).order_by("until_ms")
    first = counted.values_list("until_ms", flat=True).first()
    if first is None:
        return 0
    done = set(SummedHour.objects.filter(server_id=server_id).values_list("hour_ms", flat=True))
    hours = range((first - 1) // MS_PER_HOUR * MS_PER_HOUR, until, MS_PER_HOUR)
    missing = [hour for hour in hours if hour not in done][:at_most]
    for hour in missing:
        _sum_hour(server_id, hour)
    return len(missing)


@transaction.atomic
def _sum_hour(server_id: int, hour: int) -> None:
    inside = Work.objects.filter(server_id=server_id, until_ms__gt=hour, until_ms__lte=hour + MS_PER_HOUR)
    sums = {f"sum_{name}": Sum(name) for name in COUNTER_FIELDS}
    rows = inside.values(*KEY).annotate(**sums).order_by().values_list(*KEY, *sums)
    WorkHour.objects.filter(server_id=server_id, hour_ms=hour)._raw_delete(using="default")
    copy_rows(WorkHour, ("server", "hour_ms", *KEY, *COUNTER_FIELDS), ((server_id, hour, *row) for row in rows))
    SummedHour.objects.bulk_create([SummedHour(server_id=server_id, hour_ms=hour)], ignore_conflicts=True)


def came_late(server_id: int, until_ms: int) -> None:
    """Work for an hour that was summed up: it will be summed anew, and read one by one until then."""
    hour = (until_ms - 1) // MS_PER_HOUR * MS_PER_HOUR
    SummedHour.objects.filter(server_id=server_id, hour_ms=hour)._raw_delete(using="default")


def split(server_id: int, window: Window) -> tuple[list[int], list[tuple[int, int]]]:
    """Summed hours that lie whole in the window, and what they leave of it as spans (start, end] of `until_ms`."""
    marked = SummedHour.objects.filter(
        server_id=server_id, hour_ms__gte=window.start, hour_ms__lte=window.end - MS_PER_HOUR
    )
    hours = sorted(marked.values_list("hour_ms", flat=True))
    rest, at = list[tuple[int, int]](), int(window.start)
    for hour in (*hours, int(window.end)):
        if hour > at:
            rest.append((at, hour))
        at = max(at, hour + MS_PER_HOUR)
    return hours, rest


def forget_before(server_id: int, before_ms: int) -> None:
    """Retention, along with the counters they come from."""
    WorkHour.objects.filter(server_id=server_id, hour_ms__lt=before_ms)._raw_delete(using="default")
    SummedHour.objects.filter(server_id=server_id, hour_ms__lt=before_ms)._raw_delete(using="default")
