"""Reading single executions and other entries of logs."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import NamedTuple

from django.db.models import Avg, Count, ExpressionWrapper, F, FloatField, Func, Max, Q, QuerySet, Sum, TextField, Value
from django.db.models import Window as Over
from django.db.models.expressions import Combinable
from django.db.models.functions import Cast, Coalesce, Lag, Lead, RowNumber

from faena.apps.statements.models import Execution, LogEvent
from faena.apps.statements.trails import BY_EXECUTIONS, narrowed
from faena.core import logged
from faena.core.errors import BadInput
from faena.core.logged import EventKind
from faena.core.numbers import whole_number
from faena.core.plans.history import Run
from faena.core.privacy import Normalised, Permit, shown
from faena.core.sampling.trail import Pick
from faena.core.series.window import Window
from faena.core.units import EpochMs, QueryId

MAX_RUNS = 20_000
NOTHING = Normalised("")
LONGEST_MS = 86_400_000  # executions that end longer after the window are not looked for
FILTERS = ("program", "user", "database", "client", "plan", "statement")
FAILURES = tuple(k.value for k in EventKind if k not in (EventKind.LOCK_WAIT, EventKind.TEMP_FILE))


class Filters(NamedTuple):
    """Executions that have these values, and are inside the trail as far as single executions tell."""

    named: Mapping[str, str]
    trail: Sequence[Pick] = ()


def read_filters(written: Iterable[str], trail: Sequence[Pick] = ()) -> Filters:
    """From "program:gate-scan". Raises BadInput."""
    found = {}
    for one in written:
        name, colon, value = one.partition(":")
        if not colon or name not in FILTERS:
            raise BadInput(
                f"{one!r:.60} is no filter; write one of {', '.join(FILTERS)}, a colon and a value", field="only"
            )
        if name in ("plan", "statement") and whole_number(value) is None:
            raise BadInput(f"{value!r:.40} is no number of a {name}", field="only")
        found[name] = value
    return Filters(found, trail)


def _runs(server_id: int, window: Window, filters: Filters) -> QuerySet[Execution]:
    """Executions that ran at some time in the window, whenever they ended."""
    rows = Execution.objects.filter(
        server_id=server_id, ended_ms__gt=window.start, ended_ms__lte=window.end + LONGEST_MS
    )
    started = ExpressionWrapper(F("ended_ms") - F("took_ms"), output_field=FloatField())
    rows = rows.annotate(started=started).filter(started__lt=window.end)
    rows = narrowed(rows, server_id, filters.trail, BY_EXECUTIONS)
    named = {name: value for name, value in filters.named.items() if name not in ("plan", "statement")}
    rows = rows.filter(**named)
    if "plan" in filters.named:
        rows = rows.filter(plan_id=int(filters.named["plan"]))
    return rows.filter(query_id=int(filters.named["statement"])) if "statement" in filters.named else rows


# What a record's fields are read from; texts stay where they are, since figures of many need none.
_SOURCES: dict[str, str | Combinable] = {
    "ended": "ended_ms", "statement": Value(""), "parameters": Value(""),
    "plan": Coalesce(Cast("plan_id", TextField()), Value(""), output_field=TextField()),
}  # fmt: skip
_COLUMNS = [_SOURCES.get(name, name) for name in logged.Execution._fields]


def runs(server_id: int, window: Window, filters: Filters) -> tuple[list[logged.Execution], int]:
    """The newest MAX_RUNS as records, without texts (`plan` holds the shape), and how many there are."""
    found = _runs(server_id, window, filters)
    records = list(map(logged.Execution._make, found.order_by("-ended_ms").values_list(*_COLUMNS)[:MAX_RUNS]))
    return records, len(records) if len(records) < MAX_RUNS else found.count()


@dataclass(frozen=True, slots=True, kw_only=True)
class Captured:
    """A single execution as the log told it; texts "" unless they are kept and the reader may see them."""

    ended: int
    took_ms: float
    parse_ms: float | None
    bind_ms: float | None
    execute_ms: float | None
    pid: int
    place: int
    query_id: int | None
    program: str
    user: str
    database: str
    client: str
    temp_bytes: int
    weight: float
    plan: int | None
    statement: str
    parameters: str


_AS_IS = (
    "took_ms", "parse_ms", "bind_ms", "execute_ms", "pid", "place", "query_id", "program", "user", "database", "client",
    "temp_bytes", "weight",
)  # fmt: skip


def region(
    server_id: int, window: Window, filters: Filters, took_ms: tuple[float, float], limit: int, permit: Permit | None
) -> list[Captured]:
    """Executions of a region of the picture, [least, most) milliseconds, longest first."""
    least, most = took_ms
    rows = _runs(server_id, window, filters).filter(took_ms__gte=least, took_ms__lt=most)
    return [
        Captured(
            ended=row.ended_ms,
            plan=row.plan_id,
            statement=shown(NOTHING, row.statement, permit),
            parameters=shown(NOTHING, row.parameters, permit),
            **{name: getattr(row, name) for name in _AS_IS},
        )
        for row in rows.order_by("-took_ms", "-ended_ms")[:limit]
    ]


def failures(server_id: int, window: Window) -> dict[QueryId, int]:
    """Errors, timeouts and the like by statement, as far as the log told which."""
    rows = LogEvent.objects.filter(
        server_id=server_id, at_ms__gte=window.start, at_ms__lt=window.end, kind__in=FAILURES, query_id__isnull=False
    )
    return {QueryId(i): n for i, n in rows.values_list("query_id").annotate(n=Count("*")).order_by()}


def one(server_id: int, ended_ms: int, pid: int, place: int) -> Execution | None:
    return Execution.objects.filter(server_id=server_id, ended_ms=ended_ms, pid=pid, place=place).first()


def plan_runs(server_id: int, window: Window, query_id: int | None = None) -> dict[int, list[Run]]:
    """By statement, which plan its executions used, run after run; of executions whose plan is known."""
    rows = Execution.objects.filter(
        server_id=server_id, plan_id__isnull=False, query_id__isnull=False, ended_ms__gt=window.start,
        ended_ms__lte=window.end,
    )  # fmt: skip
    if query_id is not None:
        rows = rows.filter(query_id=query_id)
    # Only where a run begins or ends is brought here: there can be a hundred thousand executions, and few runs.
    edges = rows.annotate(
        before=_in_order(Lag("plan_id")), after=_in_order(Lead("plan_id")), nth=_in_order(RowNumber())
    ).filter(~Q(before=F("plan_id")) | Q(before=None) | ~Q(after=F("plan_id")) | Q(after=None))
    found: dict[int, list[Run]] = {}
    columns = edges.order_by("query_id", "nth").values_list("query_id", "plan_id", "ended_ms", "before", "after", "nth")
    first, begun = 0, 0
    for statement, shape, ended, before, after, nth in columns:
        if before != shape:
            first, begun = ended, nth
        if after != shape:
            found.setdefault(statement or 0, []).append(
                Run(shape or 0, EpochMs(first), EpochMs(ended), nth - begun + 1)
            )
    return found


def _in_order(what: Func) -> Over:
    """Of each statement by itself, in the order its executions ended."""
    return Over(what, partition_by=F("query_id"), order_by=("ended_ms", "pid", "place"))


def means_by_shape(server_id: int, query_id: int, window: Window | None = None) -> dict[int, tuple[int, float]]:
    """Captured executions of a statement and what they took on average, by the plan they used; None: all that are kept.

    The mean is an estimate for all executions, also those that were too quick to be logged each.
    """
    rows = Execution.objects.filter(server_id=server_id, query_id=query_id, plan_id__isnull=False)
    if window is not None:
        rows = rows.filter(ended_ms__gt=window.start, ended_ms__lte=window.end)
    mean = Sum(F("took_ms") * F("weight")) / Sum("weight")
    sums = rows.values("plan_id").annotate(n=Count("*"), mean=mean).order_by()
    return {shape or 0: (n, mean) for shape, n, mean in sums.values_list("plan_id", "n", "mean")}


@dataclass(frozen=True, slots=True, kw_only=True)
class Spills:
    """Captured executions of a statement in a window, and those of them that wrote temporary files. Sizes in bytes."""

    captured: int
    spilled: int
    mean_bytes: float | None
    most_bytes: int | None


def spills(server_id: int, query_id: int, window: Window) -> Spills:
    """How often an execution needed more memory than it had, as the server's log told."""
    rows = Execution.objects.filter(
        server_id=server_id, query_id=query_id, ended_ms__gt=window.start, ended_ms__lte=window.end
    )
    wrote = rows.filter(temp_bytes__gt=0).aggregate(n=Count("*"), mean=Avg("temp_bytes"), most=Max("temp_bytes"))
    return Spills(captured=rows.count(), spilled=wrote["n"], mean_bytes=wrote["mean"], most_bytes=wrote["most"])
