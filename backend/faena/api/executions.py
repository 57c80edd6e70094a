"""Single executions: their distribution, a region of it, a table of them."""

from collections.abc import Mapping
from typing import Annotated, Any

from django.http import HttpRequest, StreamingHttpResponse
from ninja import Query, Router, Schema
from pydantic import Field

from faena.api.density_parts import DensityOut, density_fields
from faena.api.exports import Format, export
from faena.api.out import Out
from faena.api.parameters import WindowIn, now_ms
from faena.apps.accounts.policy import permit
from faena.apps.answers.labels import lines
from faena.apps.plans import selectors as plans
from faena.apps.servers import selectors as servers
from faena.apps.statements import executions
from faena.core.logged import Execution as Run
from faena.core.numbers import whole_number
from faena.core.privacy import Permit
from faena.core.sampling.trail import read_trail
from faena.core.series.window import Window, cut
from faena.core.statements.pivot import Aggregate, Labels, PivotBy, PivotMeasure, duration_class, pivot
from faena.core.units import QueryId

router = Router(tags=["executions"])
FEW = 400  # up to so many executions are drawn one by one
BY = ("program", "user", "client", "database", "plan", "session")
MAX_MS = 1e12
_AS_IS = (
    "ended", "took_ms", "parse_ms", "bind_ms", "execute_ms", "pid", "place", "program", "user", "database", "client",
    "temp_bytes", "weight", "statement", "parameters",
)  # fmt: skip


class OnlyIn(Schema):
    """Which executions.

    `only=program:gate-scan`, repeated for each; dimensions program, user, database, client, plan, statement.
    """

    only: list[str] = Field(default_factory=list, description="dimension:value; may be repeated")
    pick: list[str] = Field(
        default_factory=list, description="the trail, as of the sieve; what executions do not tell is ignored"
    )

    def filters(self) -> executions.Filters:
        """Raises BadInput and BadPick."""
        return executions.read_filters(self.only, read_trail(self.pick))


class PointOut(Out):
    started: int
    ended: int
    took_ms: float
    pid: int
    place: int


class ShareOut(Out):
    """A part of the executions by one value.

    `executions` are estimated by weights, `captured` were seen. The value of a session is its pid and its program.
    """

    value: str
    label: str
    executions: float
    captured: int
    total_ms: float


class ByOut(Out):
    by: str
    rows: list[ShareOut]


class DistributionOut(DensityOut):
    """Executions by time and duration, estimated where a sample was logged. Points are there when few executions are."""

    points: list[PointOut]
    captured: int
    known: int
    executions: float
    by: list[ByOut]


class ExecutionOut(Out):
    """One execution. `statement` and `parameters` are empty unless they are kept and the user is an operator."""

    started: int
    ended: int
    took_ms: float
    parse_ms: float | None
    bind_ms: float | None
    execute_ms: float | None
    pid: int
    place: int
    query_id: str | None
    label: str
    program: str
    user: str
    database: str
    client: str
    temp_bytes: int
    weight: float
    plan: str | None
    plan_gist: str
    statement: str
    parameters: str


class PivotOut(Out):
    """Executions by two dimensions.

    `cells` rows by columns, null where there is nothing or too little; `counts` of captured executions behind each.
    """

    rows: list[str]
    row_labels: list[str]
    columns: list[str]
    column_labels: list[str]
    cells: list[list[float | None]]
    counts: list[list[int]]
    row_totals: list[float | None]
    column_totals: list[float | None]
    total: float | None
    more_rows: int
    captured: int
    known: int


@router.get("/servers/{server_id}/executions", response=DistributionOut, operation_id="executions_distribution")
def distribution(
    request: HttpRequest,
    server_id: int,
    window_in: Query[WindowIn],
    only: Query[OnlyIn],
    least_ms: Annotated[float, Query(ge=0, le=MAX_MS)] = 0.0,
    most_ms: Annotated[float, Query(gt=0, le=MAX_MS)] = MAX_MS,
    buckets: Annotated[int, Query(ge=10, le=400)] = 120,
) -> DistributionOut:
    """Executions of a window over time and duration, and whose they are. `least_ms` and `most_ms` narrow to a region."""
    server, window = servers.server(server_id), window_in.window(now_ms())
    found, known = executions.runs(server_id, window, only.filters())
    found = [one for one in found if least_ms <= one.took_ms < most_ms]
    cells = cut(window, at_most=buckets, period_ms=server.period_ms)
    gists = plans.gists(server_id, {int(one.plan) for one in found if one.plan})
    few = found if len(found) <= FEW else []
    return DistributionOut(
        **density_fields(found, window, cells),
        points=[
            PointOut(started=one.started, ended=one.ended, took_ms=one.took_ms, pid=one.pid, place=one.place)
            for one in few
        ],
        captured=len(found),
        known=known,
        executions=float(sum(one.weight for one in found)),
        by=[_by(name, found, gists if name == "plan" else {}) for name in BY],
    )


def _by(name: str, found: list[Run], labels: Mapping[int, str]) -> ByOut:
    sums: dict[str, list[float]] = {}
    for one in found:
        value = f"{one.pid} {one.program}" if name == "session" else getattr(one, name)
        row = sums.setdefault(value, [0.0, 0, 0.0])
        row[0] += one.weight
        row[1] += 1
        row[2] += one.weight * one.took_ms
    rows = sorted(sums.items(), key=lambda item: -item[1][2])[:12]
    return ByOut(
        by=name,
        rows=[
            ShareOut(
                value=value,
                label=labels.get(int(value), value) if labels and value else value,
                executions=n,
                captured=int(seen),
                total_ms=ms,
            )
            for value, (n, seen, ms) in rows
        ],
    )


@router.get("/servers/{server_id}/executions/list", response=list[ExecutionOut], operation_id="executions_list")
def list_executions(
    request: HttpRequest,
    server_id: int,
    window_in: Query[WindowIn],
    only: Query[OnlyIn],
    least_ms: Annotated[float, Query(ge=0, le=MAX_MS)] = 0.0,
    most_ms: Annotated[float, Query(gt=0, le=MAX_MS)] = MAX_MS,
    limit: Annotated[int, Query(ge=1, le=1000)] = 100,
) -> list[ExecutionOut]:
    """Executions of a window or a region of it, longest first."""
    return _listed(request, server_id, window_in, only, least_ms, most_ms, limit)


@router.get("/servers/{server_id}/executions/export", operation_id="executions_export")
def export_executions(
    request: HttpRequest,
    server_id: int,
    window_in: Query[WindowIn],
    only: Query[OnlyIn],
    least_ms: Annotated[float, Query(ge=0, le=MAX_MS)] = 0.0,
    most_ms: Annotated[float, Query(gt=0, le=MAX_MS)] = MAX_MS,
    format: Format = "csv",
) -> StreamingHttpResponse:
    """The same as CSV, JSON Lines or Parquet, the longest 20,000."""
    rows = _listed(request, server_id, window_in, only, least_ms, most_ms, executions.MAX_RUNS)
    name = f"executions-{servers.server(server_id).name}"
    return export(request, (row.model_dump() for row in rows), ExecutionOut, format, name)


def execution_rows(server_id: int, window: Window, limit: int = executions.MAX_RUNS) -> list[dict[str, Any]]:
    """The longest executions of a window as a file has them, without literals."""
    return [row.model_dump() for row in _rows(server_id, window, OnlyIn(), (0.0, MAX_MS), limit, None)]


def _listed(
    request: HttpRequest, server_id: int, window_in: WindowIn, only: OnlyIn, least_ms: float, most_ms: float, limit: int
) -> list[ExecutionOut]:
    servers.server(server_id)
    window = window_in.window(now_ms())
    return _rows(server_id, window, only, (least_ms, most_ms), limit, permit(request.user))


def _rows(
    server_id: int, window: Window, only: OnlyIn, took: tuple[float, float], limit: int, allowed: Permit | None
) -> list[ExecutionOut]:
    rows = executions.region(server_id, window, only.filters(), took, limit, allowed)
    labels = lines(server_id, (row.query_id for row in rows), 120)
    gists = plans.gists(server_id, {row.plan for row in rows if row.plan is not None})
    return [
        ExecutionOut(
            started=round(row.ended - row.took_ms),
            query_id=None if row.query_id is None else str(row.query_id),
            label=labels.get(row.query_id or 0, ""),
            plan=None if row.plan is None else str(row.plan),
            plan_gist=gists.get(row.plan or 0, ""),
            **{name: getattr(row, name) for name in _AS_IS},
        )
        for row in rows
    ]


@router.get("/servers/{server_id}/executions/pivot", response=PivotOut, operation_id="executions_pivot")
def pivot_executions(
    request: HttpRequest,
    server_id: int,
    window_in: Query[WindowIn],
    only: Query[OnlyIn],
    rows: PivotBy = PivotBy.PROGRAM,
    columns: PivotBy | None = None,
    measure: PivotMeasure = PivotMeasure.TOOK,
    aggregate: Aggregate = Aggregate.SUM,
) -> PivotOut:
    """Captured executions as a table."""
    servers.server(server_id)
    found, known = executions.runs(server_id, window_in.window(now_ms()), only.filters())
    table = pivot(found, LABELS, rows, columns, measure, aggregate)
    ids = [QueryId(i) for one in (*table.rows, *table.columns) if (i := whole_number(one)) is not None]
    texts = {str(i): line for i, line in lines(server_id, ids, 100).items()}
    shapes = {str(i): words for i, words in plans.gists(server_id, set(map(int, ids))).items()}

    def named(by: PivotBy | None, values: list[str]) -> list[str]:
        if by is PivotBy.PLAN:
            return [shapes.get(one, one) for one in values]
        return [texts.get(one, f"statement {one}") for one in values] if by is PivotBy.STATEMENT else values

    return PivotOut(
        rows=list(table.rows),
        row_labels=named(rows, list(table.rows)),
        columns=list(table.columns),
        column_labels=named(columns, list(table.columns)),
        cells=[list(row) for row in table.cells],
        counts=[list(row) for row in table.counts],
        row_totals=list(table.row_totals),
        column_totals=list(table.column_totals),
        total=table.total,
        more_rows=table.more_rows,
        captured=len(found),
        known=known,
    )


def _hour(one: Run) -> str:
    """The full hour it began in, in UTC, as milliseconds since 1970: the screen has the time zone."""
    return str(one.started - one.started % 3_600_000)


LABELS: Labels = {
    PivotBy.STATEMENT: lambda one: str(one.query_id or 0),
    PivotBy.PROGRAM: lambda one: one.program,
    PivotBy.USER: lambda one: one.user,
    PivotBy.DATABASE: lambda one: one.database,
    PivotBy.CLIENT: lambda one: one.client,
    PivotBy.PLAN: lambda one: one.plan,
    PivotBy.HOUR: _hour,
    PivotBy.DURATION: lambda one: duration_class(one.took_ms),
}
