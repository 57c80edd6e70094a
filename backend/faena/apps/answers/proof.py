"""Two windows of a server side by side, from all that the store has of them, and what of it is better or worse."""

from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import replace

import numpy as np

from faena.apps.answers.labels import lines
from faena.apps.changes import selectors as changes
from faena.apps.hosts import selectors as hosts
from faena.apps.locks.models import Deadlock
from faena.apps.requests import selectors as requests
from faena.apps.requests.models import Endpoint, RequestSum
from faena.apps.samples import usual
from faena.apps.samples.dictionary import read_dictionary
from faena.apps.samples.hours import read_frame
from faena.apps.samples.selectors import load
from faena.apps.servers import holdings, vitals
from faena.apps.servers.clock import clock_of
from faena.apps.servers.models import Server
from faena.apps.statements import events
from faena.apps.statements import selectors as statements
from faena.core.answers.proof.comparing import Comparison, compare
from faena.core.answers.proof.costs import Work
from faena.core.answers.proof.sides import EarlierDay, Named, Question, Series, Side
from faena.core.changes.kinds import OF_THE_SERVER
from faena.core.errors import BadWindow
from faena.core.logged import EventKind
from faena.core.sampling.dimensions import Dimension
from faena.core.sampling.load import load_by_kind
from faena.core.series.baseline import windows_before
from faena.core.series.window import Buckets, Window, cut
from faena.core.statements.figures import Effort
from faena.core.units import MS_PER_HOUR, EpochMs, QueryId
from faena.core.waits.kinds import WaitKind

BLOCKS, READINGS, MOMENTS, MINUTES = 24, 120, 360, 96
LONGEST_MS = 7 * 24 * MS_PER_HOUR
BLOCK_MS = 60_000  # of requests and figures of the machine
USUAL_DAYS, TOUCHED_MOST = 14, 48  # earlier days; hours of a window for which they are looked at
WORK_FIELDS = ("calls", "total_ms", "sumsq_ms2")
MOST_ENDPOINTS = 20
ALL, DEADLOCK, PATTERN = "all", EventKind.DEADLOCK.value, "pattern"
_HAPPENINGS = (
    EventKind.TIMEOUT, EventKind.CANCEL, EventKind.SERIALIZATION_FAILURE, EventKind.CONNECTION_REFUSED, EventKind.ERROR,
    EventKind.CRASH, EventKind.OUT_OF_SPACE,
)  # fmt: skip
# Figures of the machine and the server: key, label, unit, and the difference that is none.
_HOST = (
    ("cpu", "CPU in use", "share", 0.02),
    ("disk_latency_ms", "time of a disk request", "ms", 0.1),
    ("disk_reads", "disk reads", "per_s", 5.0),
)
_VITALS = (
    ("blocks_read", "blocks read", "per_s", 10.0),
    ("temp_bytes", "temp written", "bytes_per_s", 100_000.0),
    ("rollbacks", "rollbacks", "per_s", 0.1),
)


def compare_windows(server: Server, before: Window, after: Window, question: Question, now_ms: int) -> Comparison:
    """Both windows of a server compared, against the same hours of earlier days where enough are known.

    Raises BadWindow for windows that overlap, are in the wrong order or too long.
    """
    if before.end > after.start:
        raise BadWindow("the window before must end where the one after begins, or earlier", field="before_to")
    if max(before.length_ms, after.length_ms) > LONGEST_MS:
        raise BadWindow("windows of up to 7 days are compared; choose shorter ones", field="to")
    first, second = (side(server, one, now_ms, question.key) for one in (before, after))
    texts = lines(server.pk, {*first.works, *second.works}, 90)
    asked = replace(question, texts={QueryId(q): text for q, text in texts.items()})
    return compare(first, second, asked, earlier_days(server, before, after))


def side(server: Server, window: Window, now_ms: int, key: str = "") -> Side:
    """All of a window that can be compared; with `key` pattern:ID also the deadlocks of that pattern."""
    counted = statements.coverage(server.pk, window)
    logged_since = events.first_ms(server.pk)
    return Side(
        window=window,
        counted_s=counted.covered_ms / 1000,
        calls_near_s=0.0 if counted.covered_ms else _calls_near(server, window),
        works=_works(server, window),
        load=_load(server, window, now_ms),
        happenings=_happenings(server, window) | _of_pattern(server, window, key),
        logged_s=max(window.end - max(window.start, logged_since), 0) / 1000 if logged_since is not None else 0.0,
        requests=_requests(server, window),
        machine=_machine(server, window),
    )


def server_changes(server_id: int, before: Window, after: Window, without: int | None = None) -> list[str]:
    """What became of the server itself between two windows, or inside of them, but for the change that is judged."""
    whole = Window(start=before.start, end=after.end)
    found = changes.changes(server_id, whole, kinds=OF_THE_SERVER)
    return [one.line for one in found if one.id != without]


def _works(server: Server, window: Window) -> dict[QueryId, Work]:
    buckets = cut(window, at_most=READINGS, period_ms=server.counters_every_ms)
    found = statements.work_in_blocks(server.pk, window, buckets, WORK_FIELDS, without_user=server.username)
    return {QueryId(q): Work(calls=sums[:, 0], ms=sums[:, 1], sumsq=sums[:, 2]) for q, sums in found.items()}


def _calls_near(server: Server, window: Window) -> float:
    """Calls a second by the readings that end in a window or within two readings before it."""
    wider = Window(start=EpochMs(window.start - 2 * server.counters_every_ms), end=window.end)
    counted_s = statements.coverage(server.pk, wider).covered_ms / 1000
    calls = sum(float(one.calls.sum()) for one in _works(server, wider).values())
    return calls / counted_s if counted_s else 0.0


def _load(server: Server, window: Window, now_ms: int) -> dict[str, Series]:
    told = load(
        server.pk, window, Dimension.KIND, (), at_most=MOMENTS, period_ms=server.period_ms, now=now_ms
    )  # fmt: skip
    known = told.series.ticks > 0
    if not known.any():
        return {}
    by_kind = told.series.sessions()[:, known]
    found = {ALL: Series(label="all sessions at work", unit="sessions", values=by_kind.sum(axis=0), least=0.1)}
    for name, values in zip(told.series.groups, by_kind, strict=True):
        found[name] = Series(label=WaitKind(name).label, unit="sessions", values=values, least=0.1)
    return found


def _happenings(server: Server, window: Window) -> dict[str, list[int]]:
    """Deadlocks by the server's own count where it keeps one, since it counts also those that no log tells of."""
    found = {kind: moments for kind, moments in events.moments(server.pk, window, _HAPPENINGS).items() if moments}
    deadlocks = [at for at, many in vitals.deadlocks(server.pk, window) for _ in range(round(many))]
    found[DEADLOCK] = deadlocks or events.moments(server.pk, window, (EventKind.DEADLOCK,)).get(DEADLOCK, [])
    return found


def _of_pattern(server: Server, window: Window, key: str) -> dict[str, list[int]]:
    name, _, pattern = key.partition(":")
    if name != PATTERN:
        return {}
    rows = Deadlock.objects.filter(
        server_id=server.pk, pattern_id=int(pattern), at_ms__gte=window.start, at_ms__lt=window.end
    )
    return {key: list(rows.order_by("at_ms").values_list("at_ms", flat=True))}


def _requests(server: Server, window: Window) -> dict[str, Named]:
    if not RequestSum.objects.filter(server_id=server.pk, length_ms=BLOCK_MS).exists():
        return {}
    buckets = cut(window, at_most=BLOCKS, period_ms=BLOCK_MS)
    sums = requests.in_blocks(server.pk, buckets)
    largest = sorted(sums, key=lambda one: -float(sums[one][:, 1].sum()))[:MOST_ENDPOINTS]
    names = dict(Endpoint.objects.filter(pk__in=largest).values_list("pk", "name"))
    return {
        str(one): Named(
            label=names.get(one, "?"),
            work=Work(calls=sums[one][:, 0], ms=sums[one][:, 1], sumsq=np.zeros(buckets.count)),
        )
        for one in largest
    }


def _machine(server: Server, window: Window) -> dict[str, Series]:
    buckets = cut(window, at_most=MINUTES, period_ms=BLOCK_MS)
    rows = hosts.over_time(server.machine, buckets) if server.machine else []
    figures = [{**one, "cpu": _cpu(one)} for one in rows]
    found = {key: _series(figures, key, label, unit, least) for key, label, unit, least in _HOST}
    told = vitals.over_time(server.pk, buckets)
    found |= {key: _series(told, key, label, unit, least) for key, label, unit, least in _VITALS}
    return {key: one for key, one in found.items() if len(one.values)}


def _cpu(row: Mapping[str, float | None]) -> float | None:
    parts = [row[name] for name in ("cpu_user", "cpu_system")]
    return sum(one for one in parts if one is not None) if None not in parts else None


def _series(rows: Sequence[Mapping[str, float | None]], key: str, label: str, unit: str, least: float) -> Series:
    values = [value for one in rows if (value := one.get(key)) is not None]
    return Series(label=label, unit=unit, values=np.array(values, dtype=np.float64), least=least)


def earlier_days(server: Server, before: Window, after: Window) -> list[EarlierDay]:
    """The same hours of earlier days; none where both windows lie in the same hours, whose figures would be the same."""
    mine = [set(_hours(one)) for one in (before, after)]
    if mine[0] & mine[1] or sum(map(len, mine)) > TOUCHED_MOST:
        return []
    calendar, marked = clock_of(server).calendar, usual.marked_for(server.pk)
    pairs = [
        pair for pair in zip(
            windows_before(before, USUAL_DAYS, calendar), windows_before(after, USUAL_DAYS, calendar), strict=True
        )
        if calendar.is_weekend(pair[1].start) == calendar.is_weekend(after.start) and not _touches(pair, marked)
    ]  # fmt: skip
    wanted = {hour for pair in pairs for one in pair for hour in _hours(one)}
    efforts = statements.efforts_by_hour(server.pk, wanted, without_user=server.username)
    loads = _hourly_load(server, pairs)
    return [
        EarlierDay(
            before=_summed([efforts[hour] for hour in _hours(first)]),
            after=_summed([efforts[hour] for hour in _hours(second)]),
            load=_both(loads, first, second),
        )
        for first, second in pairs
        if all(hour in efforts for one in (first, second) for hour in _hours(one))
    ]


def _hours(window: Window) -> list[int]:
    return list(range(window.start // MS_PER_HOUR * MS_PER_HOUR, window.end, MS_PER_HOUR))


def _touches(pair: tuple[Window, Window], marked: Sequence[tuple[int, int]]) -> bool:
    return any(start < one.end and end > one.start for one in pair for start, end in marked)


def _summed(hours: Sequence[Mapping[QueryId, Effort]]) -> dict[QueryId, Effort]:
    sums: dict[QueryId, list[float]] = defaultdict(lambda: [0.0] * len(Effort._fields))
    for hour in hours:
        for query_id, effort in hour.items():
            sums[query_id] = [a + b for a, b in zip(sums[query_id], effort, strict=True)]
    return {query_id: Effort(*values) for query_id, values in sums.items()}


def _hourly_load(server: Server, pairs: Sequence[tuple[Window, Window]]) -> dict[int, dict[str, float]]:
    """Mean sessions by kind of load in each hour that was sampled, by its start."""
    if not pairs:
        return {}
    first = min(one.start for pair in pairs for one in pair) // MS_PER_HOUR * MS_PER_HOUR
    last = -(-max(one.end for pair in pairs for one in pair) // MS_PER_HOUR) * MS_PER_HOUR
    held = holdings.read(server.pk)
    frame = read_frame(server.pk, Window(start=EpochMs(first), end=EpochMs(last)), held, unit_ms=MS_PER_HOUR)
    buckets = Buckets(start=EpochMs(first), width_ms=MS_PER_HOUR, count=(last - first) // MS_PER_HOUR)
    _, series = load_by_kind(frame, buckets, read_dictionary(server.pk, held), ())
    by_kind = series.sessions()
    return {
        first + i * MS_PER_HOUR: {
            ALL: float(by_kind[:, i].sum()),
            **{name: float(by_kind[k, i]) for k, name in enumerate(series.groups)},
        }
        for i in range(buckets.count)
        if series.ticks[i] > 0
    }


def _both(loads: Mapping[int, Mapping[str, float]], before: Window, after: Window) -> dict[str, tuple[float, float]]:
    sides = [[loads[hour] for hour in _hours(one) if hour in loads] for one in (before, after)]
    if not all(sides):
        return {}
    names = {name for mine in sides for hour in mine for name in hour}
    return {
        name: (
            sum(hour.get(name, 0.0) for hour in sides[0]) / len(sides[0]),
            sum(hour.get(name, 0.0) for hour in sides[1]) / len(sides[1]),
        )
        for name in names
    }
