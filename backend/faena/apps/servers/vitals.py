"""Writing and reading what servers say of themselves each minute."""

from collections.abc import Iterable
from dataclasses import asdict, dataclass

from django.contrib.postgres.aggregates import ArrayAgg
from django.db.models import F, IntegerField, Max, Sum
from django.db.models.functions import Cast

from faena.apps.bulk import copy_rows
from faena.apps.servers.models import Vitals
from faena.core.readings import ServerVitals
from faena.core.series.window import Buckets, Window


def store_vitals(server_id: int, readings: Iterable[ServerVitals]) -> None:
    """Store readings; one already stored is left as it is."""
    rows = []
    for one in readings:
        figures = asdict(one)
        rows.append(Vitals(server_id=server_id, at_ms=figures.pop("at"), **figures))
    Vitals.objects.bulk_create(rows, ignore_conflicts=True)


_FIELDS = tuple(name for name in ServerVitals.__dataclass_fields__ if name != "at")


def copy_vitals(server_id: int, readings: Iterable[ServerVitals]) -> None:
    """As `store_vitals`, for readings that are known to be new."""
    rows = ((server_id, one.at, *(getattr(one, name) for name in _FIELDS)) for one in readings)
    copy_rows(Vitals, ("server", "at_ms", *_FIELDS), rows)


def forget_before(server_id: int, before_ms: int) -> None:
    """Retention."""
    Vitals.objects.filter(server_id=server_id, at_ms__lt=before_ms)._raw_delete(using="default")


COUNTS = ("commits", "rollbacks", "deadlocks", "conflicts", "temp_bytes", "blocks_read", "blocks_hit")
SIZES = ("connections", "size_bytes", "lag_ms", "transaction_age")


def over_time(server_id: int, buckets: Buckets) -> list[dict[str, float | None]]:
    """Per bucket: rates per second of COUNTS, the largest of SIZES; all None where there is no reading."""
    end = buckets.start + buckets.count * buckets.width_ms
    rows = Vitals.objects.filter(server_id=server_id, at_ms__gt=buckets.start, at_ms__lte=end)
    cell = Cast((F("at_ms") - 1 - buckets.start) / buckets.width_ms, IntegerField())
    sums = {name: Sum(name) for name in COUNTS} | {name: Max(name) for name in SIZES} | {"covers": Sum("covers_ms")}
    grouped = rows.annotate(cell=cell).values("cell").annotate(**{f"all_{k}": v for k, v in sums.items()}).order_by()
    found: list[dict[str, float | None]] = [dict.fromkeys((*COUNTS, *SIZES)) for _ in range(buckets.count)]
    for at, *figures in grouped.values_list("cell", *(f"all_{name}" for name in sums)):
        row = dict(zip(sums, figures, strict=True))
        seconds = row["covers"] / 1000
        found[at] = {name: row[name] / seconds for name in COUNTS} | {name: row[name] for name in SIZES}
    return found


def deadlocks(server_id: int, window: Window) -> list[tuple[int, float]]:
    """Readings that counted any: their moment and how many."""
    rows = Vitals.objects.filter(server_id=server_id, at_ms__gt=window.start, at_ms__lte=window.end, deadlocks__gt=0)
    return list(rows.order_by("at_ms").values_list("at_ms", "deadlocks"))


@dataclass(frozen=True, slots=True, kw_only=True)
class VitalTotals:
    """`lag_ms` is the newest; None when the server is no replica or did not tell."""

    deadlocks: float
    conflicts: float
    lag_ms: float | None


NO_TOTALS = VitalTotals(deadlocks=0.0, conflicts=0.0, lag_ms=None)


def totals(servers: Iterable[int], start_ms: int, end_ms: int) -> dict[int, VitalTotals]:
    """Counts of [start, end) by server, in one question; servers of which nothing was read are left out."""
    rows = Vitals.objects.filter(server_id__in=list(servers), at_ms__gte=start_ms, at_ms__lt=end_ms)
    lags = ArrayAgg("lag_ms", order_by="-at_ms")
    sums = rows.values("server_id").annotate(dead=Sum("deadlocks"), conflict=Sum("conflicts"), lags=lags).order_by()
    return {
        server: VitalTotals(deadlocks=dead or 0.0, conflicts=conflict or 0.0, lag_ms=lags[0])
        for server, dead, conflict, lags in sums.values_list("server_id", "dead", "conflict", "lags")
    }


def summed(server_id: int, start_ms: int, end_ms: int) -> ServerVitals | None:
    """Counts of [start, end) in one, with the largest sizes; None where nothing was read."""
    rows = Vitals.objects.filter(server_id=server_id, at_ms__gte=start_ms, at_ms__lt=end_ms)
    told = rows.aggregate(
        at=Max("at_ms"), covers_ms=Sum("covers_ms"),
        **{name: Sum(name) for name in COUNTS}, **{name: Max(name) for name in SIZES},
    )  # fmt: skip
    if told["at"] is None:
        return None
    return ServerVitals(**told)
