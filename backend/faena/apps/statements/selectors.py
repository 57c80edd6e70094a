"""Reading statements: texts, figures of a window, figures over time."""

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, TypedDict, Unpack

import numpy as np
import numpy.typing as npt
from django.contrib.postgres.aggregates import ArrayAgg
from django.contrib.postgres.fields import ArrayField
from django.db.models import Count, F, FloatField, Func, IntegerField, Q, QuerySet, Sum
from django.db.models.functions import Cast

from faena.apps.servers.models import Server
from faena.apps.statements import hours
from faena.apps.statements.models import CountSpan, SummedHour, Text, Work, WorkHour
from faena.apps.statements.trails import BY_COUNTERS, narrowed
from faena.core.readings import COUNTER_FIELDS
from faena.core.sampling.trail import Pick
from faena.core.series.calendar import IN_UTC, Calendar
from faena.core.series.window import Buckets, Window
from faena.core.sql.names import reindexed
from faena.core.sql.texts import gist
from faena.core.statements.conditions import Condition, of_field
from faena.core.statements.figures import Effort, StatementFigures, figures_of
from faena.core.statements.usualcost import usual_times as usual_times_of
from faena.core.statements.usualcost import window_hours_alike
from faena.core.units import MS_PER_HOUR, QueryId

USUAL_DAYS = 14
USUAL_UP_TO_MS = 2 * 24 * MS_PER_HOUR
MAX_SPANS = 8  # between summed hours, above which single readings are read for all of the window


def tables_by_statement(server_id: int) -> dict[int, str]:
    """Joined table names by statement, for the dimension of tables."""
    rows = Text.objects.filter(server_id=server_id).exclude(tables="")
    return dict(rows.values_list("query_id", "tables"))


def texts(server_id: int, query_ids: Iterable[int]) -> dict[int, Text]:
    """Texts as far as learned."""
    return {text.query_id: text for text in Text.objects.filter(server_id=server_id, query_id__in=list(query_ids))}


def containing(server_id: int, words: str, *, at_most: int) -> dict[int, Text]:
    """Statements whose text contains the words, whenever they ran."""
    rows = Text.objects.filter(server_id=server_id, text__icontains=words)[:at_most]
    return {text.query_id: text for text in rows}


def tools(server_id: int, query_ids: Iterable[int]) -> set[int]:
    """Of these statements, those of tools and of the system."""
    rows = Text.objects.filter(server_id=server_id, tool=True, query_id__in=list(query_ids))
    return set(rows.values_list("query_id", flat=True))


def _work(server_id: int, window: Window, *, without_user: str = "") -> QuerySet[Work]:
    """Readings whose end lies in the window; at most one period of work is attributed to a neighbouring window."""
    rows = Work.objects.filter(server_id=server_id, until_ms__gt=window.start, until_ms__lte=window.end)
    return rows.exclude(user=without_user) if without_user else rows


def _summed(server_id: int, window: Window) -> list[QuerySet[Any, Any]]:
    """The same work as few rows as there are for it: summed hours, and readings for the rest."""
    whole, rest = hours.split(server_id, window)
    if not whole or len(rest) > MAX_SPANS:
        return [_work(server_id, window)]
    # One question for each span: asked for all at once, the store reads the whole window and throws most of it away.
    return [
        WorkHour.objects.filter(server_id=server_id, hour_ms__in=whole),
        *(Work.objects.filter(server_id=server_id, until_ms__gt=a, until_ms__lte=b) for a, b in rest),
    ]


class Narrowing(TypedDict, total=False):
    """Which work counts: of statements that contain a text or of one alone, and not of one user.

    Of `conditions` those on names; those on figures are for whoever has the figures. Of the trail what counters tell.
    """

    containing: str
    without_user: str
    query_id: int
    conditions: Sequence[Condition]
    trail: Sequence[Pick]


def figures(server_id: int, window: Window, **narrowing: Unpack[Narrowing]) -> list[StatementFigures]:
    """One record per statement that ran in the window, summed over users and databases, in no order."""
    return [figures_of(QueryId(i), row) for i, row in _added(server_id, window, COUNTER_FIELDS, **narrowing).items()]


def efforts(server_id: int, window: Window, **narrowing: Unpack[Narrowing]) -> dict[QueryId, Effort]:
    """`figures`, as far as a comparison needs them: a third of the store's work."""
    added = _added(server_id, window, Effort._fields, **narrowing)
    return {QueryId(i): Effort(*row.tolist()) for i, row in added.items()}


def times(server_id: int, window: Window, **narrowing: Unpack[Narrowing]) -> dict[int, float]:
    """Milliseconds of each statement that ran in the window: `figures`, as far as most need them."""
    return {i: float(row[0]) for i, row in _added(server_id, window, ("total_ms",), **narrowing).items()}


def _added(
    server_id: int, window: Window, fields: Sequence[str], **narrowing: Unpack[Narrowing]
) -> dict[int, npt.NDArray[np.float64]]:
    conditions, without = narrowing.get("conditions", ()), narrowing.get("without_user")
    found: dict[int, npt.NDArray[np.float64]] = {}
    for source in _summed(server_id, window):
        rows = source.exclude(user=without) if without else source
        for field in ("user", "database"):
            wanted, unwanted = of_field(conditions, field)
            rows = rows.filter(**{f"{field}__in": wanted}) if wanted else rows
            rows = rows.exclude(**{f"{field}__in": unwanted}) if unwanted else rows
        rows = _touching_tables(rows, server_id, conditions)
        rows = narrowed(rows, server_id, narrowing.get("trail", ()), BY_COUNTERS)
        if "query_id" in narrowing:
            rows = rows.filter(query_id=narrowing["query_id"])
        if containing := narrowing.get("containing"):
            ids = Text.objects.filter(server_id=server_id, text__icontains=containing).values("query_id")
            rows = rows.filter(query_id__in=ids)
        for i, sums in rows.values("query_id").annotate(sums=_sums(fields)).order_by().values_list("query_id", "sums"):
            row = np.array(sums)
            found[i] = found[i] + row if i in found else row
    return found


def _sums(fields: Sequence[str]) -> Func:
    """The sums of all fields as one array: a value each costs more to take over than to add up."""
    values = ArrayField(FloatField())
    return Func(
        *(Sum(name) for name in fields), function="ARRAY", template="%(function)s[%(expressions)s]", output_field=values
    )


def usual_times(
    server_id: int, window: Window, calendar: Calendar = IN_UTC, *, without_user: str = ""
) -> dict[int, float]:
    """Milliseconds a second that each statement takes at these hours of days alike; empty for more than two days at once."""
    if window.length_ms > USUAL_UP_TO_MS:
        return {}
    days = window_hours_alike(
        window, USUAL_DAYS if window.length_ms <= USUAL_UP_TO_MS / 4 else USUAL_DAYS // 2, calendar
    )
    wanted = sorted({hour for day in days for hour, _ in day})
    counted = SummedHour.objects.filter(server_id=server_id, hour_ms__in=wanted).values_list("hour_ms", flat=True)
    rows = WorkHour.objects.filter(server_id=server_id, hour_ms__in=wanted)
    rows = rows.exclude(user=without_user) if without_user else rows
    # A statement's hours as two arrays: a value each costs more to take over than to add up.
    lists = rows.values("query_id").annotate(at=ArrayAgg("hour_ms"), ms=ArrayAgg("total_ms")).order_by()
    found = list(lists.values_list("query_id", "at", "ms"))
    worked = np.zeros((len(found), len(wanted)))
    for row, (_, at, ms) in enumerate(found):
        np.add.at(worked[row], np.searchsorted(wanted, at), ms)
    usual = usual_times_of(wanted, worked, set(counted), days)
    return {} if usual is None else dict(zip((query_id for query_id, _, _ in found), usual.tolist(), strict=True))


def _touching_tables(rows: QuerySet[Any, Any], server_id: int, conditions: Sequence[Condition]) -> QuerySet[Any, Any]:
    wanted, unwanted = of_field(conditions, "table")
    for name in wanted:
        rows = rows.filter(query_id__in=_naming(server_id, name))
    for name in unwanted:
        rows = rows.exclude(query_id__in=_naming(server_id, name))
    return rows


def _naming(server_id: int, table: str) -> QuerySet[Any, Any]:
    """Statements that name a table, as the only one, first, in between or last of theirs."""
    mine = Text.objects.filter(server_id=server_id)
    named = Q(tables=table) | Q(tables__startswith=f"{table}, ") | Q(tables__endswith=f", {table}")
    return mine.filter(named | Q(tables__contains=f", {table}, ")).values("query_id")


def hourly(server_id: int, query_id: int, hours: Collection[int]) -> dict[int, dict[str, float]]:
    """A statement's counters in each of these hours that was counted and summed up; noughts where it did not run."""
    marked = SummedHour.objects.filter(server_id=server_id, hour_ms__in=hours).values_list("hour_ms", flat=True)
    found = {hour: dict.fromkeys(COUNTER_FIELDS, 0.0) for hour in marked}
    rows = WorkHour.objects.filter(server_id=server_id, hour_ms__in=list(found), query_id=query_id).values("hour_ms")
    for hour, sums in rows.annotate(sums=_sums(COUNTER_FIELDS)).order_by().values_list("hour_ms", "sums"):
        found[hour] = dict(zip(COUNTER_FIELDS, sums, strict=True))
    return found


def hourly_times(server_id: int, window: Window, *, without_user: str = "") -> dict[int, dict[int, float]]:
    """Milliseconds of each statement in the summed hours of a window, by the hour counted since 1970."""
    rows = WorkHour.objects.filter(server_id=server_id, hour_ms__gte=window.start, hour_ms__lt=window.end)
    rows = rows.exclude(user=without_user) if without_user else rows
    found: dict[int, dict[int, float]] = {}
    lists = rows.values("query_id").annotate(at=ArrayAgg("hour_ms"), ms=ArrayAgg("total_ms")).order_by()
    for query_id, at, took in lists.values_list("query_id", "at", "ms"):
        mine = found.setdefault(query_id, {})
        for hour, ms in zip(at, took, strict=True):
            mine[hour // MS_PER_HOUR] = mine.get(hour // MS_PER_HOUR, 0.0) + ms
    return found


@dataclass(frozen=True, slots=True, kw_only=True)
class CountCoverage:
    """How much of a window the counters cover: readings in it, the time they span, and what broke them."""

    readings: int
    covered_ms: int
    breaks: tuple[str, ...]


def coverage(server_id: int, window: Window) -> CountCoverage:
    """Zero readings: the server keeps no counters, or was not watched."""
    spans = CountSpan.objects.filter(server_id=server_id, until_ms__gt=window.start, until_ms__lte=window.end)
    total = spans.aggregate(n=Count("*"), ms=Sum(F("until_ms") - F("since_ms")))
    broken = spans.filter(~Q(breaks="")).values_list("breaks", flat=True).distinct()
    found = sorted({word for words in broken for word in words.split(",")})
    return CountCoverage(readings=total["n"], covered_ms=total["ms"] or 0, breaks=tuple(found))


@dataclass(frozen=True, slots=True, kw_only=True)
class WorkSeries:
    """Per bucket: `sums` (buckets, len(COUNTER_FIELDS)) and the milliseconds of it that counters cover; 0 is a gap."""

    sums: npt.NDArray[np.float64]
    covered_ms: npt.NDArray[np.int64]


def work_over_time(server_id: int, query_id: int, buckets: Buckets) -> WorkSeries:
    """A statement's work by bucket, each reading counted where it ended."""
    end = buckets.start + buckets.count * buckets.width_ms
    cell = Cast((F("until_ms") - 1 - buckets.start) / buckets.width_ms, IntegerField())
    inside = {"server_id": server_id, "until_ms__gt": buckets.start, "until_ms__lte": end}
    sums = np.zeros((buckets.count, len(COUNTER_FIELDS)))
    rows = Work.objects.filter(query_id=query_id, **inside).annotate(cell=cell).values("cell")
    for at, row in rows.annotate(sums=_sums(COUNTER_FIELDS)).order_by().values_list("cell", "sums"):
        sums[at] = row
    covered = np.zeros(buckets.count, dtype=np.int64)
    spans = CountSpan.objects.filter(**inside).annotate(cell=cell).values("cell")
    for row in spans.annotate(ms=Sum(F("until_ms") - F("since_ms"))).order_by():
        covered[row["cell"]] = row["ms"]
    return WorkSeries(sums=sums, covered_ms=covered)


def work_in_blocks(
    server_id: int, window: Window, buckets: Buckets, fields: Sequence[str], *, without_user: str = ""
) -> dict[int, npt.NDArray[np.float64]]:
    """Each statement's sums of these counters by bucket, (buckets, fields), of readings inside the window alone."""
    found: dict[int, npt.NDArray[np.float64]] = {}
    whole = buckets.width_ms % MS_PER_HOUR == 0
    for source in _summed(server_id, window) if whole else [_work(server_id, window)]:
        at = F("hour_ms") if source.model is WorkHour else F("until_ms") - 1
        rows = source.exclude(user=without_user) if without_user else source
        rows = rows.annotate(cell=Cast((at - buckets.start) / buckets.width_ms, IntegerField()))
        sums = rows.values("query_id", "cell").annotate(sums=_sums(fields)).order_by()
        for query_id, cell, row in sums.values_list("query_id", "cell", "sums"):
            if query_id not in found:
                found[query_id] = np.zeros((buckets.count, len(fields)))
            found[query_id][cell] += row
    return found


def efforts_by_hour(
    server_id: int, hours: Collection[int], *, without_user: str = ""
) -> dict[int, dict[QueryId, Effort]]:
    """What statements took in each of these summed hours, by the hour's start."""
    rows = WorkHour.objects.filter(server_id=server_id, hour_ms__in=hours)
    rows = rows.exclude(user=without_user) if without_user else rows
    marked = SummedHour.objects.filter(server_id=server_id, hour_ms__in=hours).values_list("hour_ms", flat=True)
    found: dict[int, dict[QueryId, Effort]] = {hour: {} for hour in marked}
    sums = rows.values("hour_ms", "query_id").annotate(sums=_sums(Effort._fields)).order_by()
    for hour, query_id, row in sums.values_list("hour_ms", "query_id", "sums"):
        if hour in found:
            found[hour][QueryId(query_id)] = Effort(*row)
    return found


def naming(server_id: int, table: str) -> list[QueryId]:
    """Statements that name a table."""
    return [QueryId(one) for one in _naming(server_id, table).values_list("query_id", flat=True)]


@dataclass(frozen=True, slots=True, kw_only=True)
class Touching:
    """A statement that names a table. `reads` blocks a second by the counters, which count a call when it has ended.

    `reading` is how many of its sessions were seen waiting for the disk, in the mean: also of calls under way.
    """

    query_id: int
    label: str
    reads: float
    reading: float


def touching(
    server: Server, window: Window, reading: Mapping[int, float], table_of: Mapping[str, str]
) -> dict[str, list[Touching]]:
    """By table the statements that name it, the ones first that read most, by the counters or by what was seen.

    `reading` has sessions seen to wait for disk reads by statement; `table_of` the table of each index.
    """
    ran = efforts(server.id, window, without_user=server.username)
    found: dict[str, list[Touching]] = {}
    for query_id, text in texts(server.id, {*ran, *map(QueryId, reading)}).items():
        counted = ran.get(QueryId(query_id))
        reads = counted.blocks_read / (window.length_ms / 1000) if counted else 0.0
        one = Touching(query_id=query_id, label=gist(text.text, 100), reads=reads, reading=reading.get(query_id, 0.0))
        named = [*filter(None, text.tables.split(", ")), *filter(None, [table_of.get(reindexed(text.text), "")])]
        for table in dict.fromkeys(named):
            found.setdefault(table, []).append(one)
    for rows in found.values():
        counted_in_all, seen = sum(one.reads for one in rows) or 1.0, sum(one.reading for one in rows) or 1.0
        # Of the two shares the larger: what has not ended is in no counter, and what is read quickly is seldom seen.
        rows.sort(key=lambda one: -max(one.reads / counted_in_all, one.reading / seen))
    return found


def database_of(server_id: int, query_id: int) -> str:
    """The database a statement ran in last, empty where that is not known."""
    rows = Work.objects.filter(server_id=server_id, query_id=query_id).order_by("-until_ms")
    return rows.values_list("database", flat=True).first() or ""


def databases(server_id: int, window: Window, *, without_user: str = "") -> list[str]:
    """Databases that statements ran in, most time first."""
    took: dict[str, float] = {}
    for source in _summed(server_id, window):
        rows = source.exclude(user=without_user) if without_user else source
        for name, ms in rows.values_list("database").annotate(ms=Sum("total_ms")).order_by():
            took[name] = took.get(name, 0.0) + ms
    return sorted(filter(None, took), key=lambda name: -took[name])


def calls_in(server_id: int, window: Window) -> tuple[float, int]:
    """Calls of all statements in a window, and the milliseconds of it that counters cover."""
    total = _work(server_id, window).aggregate(n=Sum("calls"))["n"] or 0.0
    return total, coverage(server_id, window).covered_ms


@dataclass(frozen=True, slots=True, kw_only=True)
class CallSeries:
    """Per bucket: calls of all statements, and the milliseconds of it that counters cover; 0 is a gap."""

    calls: npt.NDArray[np.float64]
    covered_ms: npt.NDArray[np.int64]


def calls_over_time(server_id: int, buckets: Buckets) -> CallSeries:
    """Calls of all statements by bucket. A reading wider than a bucket is spread evenly over what it covers."""
    end = buckets.start + buckets.count * buckets.width_ms
    inside = {"server_id": server_id, "until_ms__gt": buckets.start, "until_ms__lte": end + buckets.width_ms}
    totals = dict(Work.objects.filter(**inside).values_list("until_ms").annotate(n=Sum("calls")).order_by())
    edges = np.array([*buckets.starts(), end], dtype=np.float64)
    calls, covered = np.zeros(buckets.count), np.zeros(buckets.count)
    for since, until in CountSpan.objects.filter(**inside).values_list("since_ms", "until_ms"):
        overlap = np.clip(np.minimum(edges[1:], until) - np.maximum(edges[:-1], since), 0, None)
        covered += overlap
        calls += overlap / (until - since) * totals.get(until, 0.0)
    return CallSeries(calls=calls, covered_ms=covered.astype(np.int64))


@dataclass(frozen=True, slots=True, kw_only=True)
class UserWork:
    """What one user ran of a statement in one database."""

    user: str
    database: str
    calls: float
    total_ms: float


def by_user(server_id: int, query_id: int, window: Window) -> list[UserWork]:
    """Who ran the statement, as the server counted; most time first."""
    rows = _work(server_id, window).filter(query_id=query_id).values("user", "database")
    sums = rows.annotate(sum_calls=Sum("calls"), sum_ms=Sum("total_ms")).order_by("-sum_ms")
    return [
        UserWork(user=user, database=database, calls=calls, total_ms=ms)
        for user, database, calls, ms in sums.values_list("user", "database", "sum_calls", "sum_ms")
    ]
