"""Statements ranked over a window, with filters and stars."""

from collections.abc import Iterator
from typing import Annotated, Any

from django.http import HttpRequest, StreamingHttpResponse
from ninja import Path, Query, Router, Schema
from pydantic import Field

from faena.api.exports import Format, export
from faena.api.figures import steady
from faena.api.out import Out
from faena.api.parameters import WindowIn, now_ms
from faena.apps.accounts import preferences
from faena.apps.answers.ranking import Asked, Ranked, RankedStatement, rank
from faena.apps.servers import selectors as servers
from faena.core.sampling.trail import read_trail
from faena.core.series.window import Window
from faena.core.statements.conditions import read_conditions
from faena.core.statements.figures import Measure

router = Router(tags=["statements"])


class FiguresOut(Out):
    """Sums over a window as the server counted them; times in ms, blocks in pages, null where undefined."""

    query_id: str
    label: str
    tables: str
    calls: float
    total_ms: float
    mean_ms: float | None
    stddev_ms: float | None
    rows: float
    plan_ms: float
    blocks_hit: float
    blocks_read: float
    read_ms: float
    temp_read: float
    temp_written: float
    wal_bytes: float
    share: float
    errors: int
    change: float | None
    sessions: float | None
    on_cpu: float | None
    disk_read_rate: float | None
    disk_write_rate: float | None
    starred: bool


class UncountedOut(Out):
    """A statement that sessions were seen in for far longer than its counted calls took."""

    query_id: str
    label: str
    sessions: float


class RankingOut(Out):
    """Statements by what they cost.

    `covered_ms` of the window's length was counted; `breaks` say why some work may be missing.

    A row's `change` is its time a second over that of the window before: null when it is new or that was not counted.
    `hidden` statements of tools and of the system were left out, `unfit` by conditions on figures. `sessions` and
    `on_cpu` of a row are sampled means, null where nothing was sampled. `disk_read_rate` and `disk_write_rate` are bytes a
    second that its sessions' processes read from the disks and wrote, null where nobody counted them. `uncounted`, told where nothing is narrowed, are
    statements most of whose sampled time is not in the counters.
    """

    hidden: int
    unfit: int
    previous_covered_ms: int

    start: int
    end: int
    rows: list[FiguresOut]
    more: int
    total_ms: float
    covered_ms: int
    breaks: list[str]
    uncounted: list[UncountedOut]


_BESIDE = [name for name in Ranked._fields if name != "figures"]
_COUNTED = [name for name in FiguresOut.model_fields if name not in {"query_id", "label", "tables", *_BESIDE}]


def figures_out(one: RankedStatement) -> FiguresOut:
    """A ranked statement, written out."""
    figures = one.ranked.figures
    return FiguresOut(
        query_id=str(figures.query_id),
        label=one.label,
        tables=one.tables,
        **{name: steady(getattr(one.ranked, name)) for name in _BESIDE},
        **{name: steady(getattr(figures, name)) for name in _COUNTED},
    )


class RankingIn(Schema):
    """What to rank by and what to leave out. `where` is a condition as "mean_ms >= 10" or "user != report"."""

    sort: Measure = Measure.TOTAL
    ascending: bool = Field(False, description="the smallest first")
    containing: Annotated[str, Field(max_length=200, description="only texts that contain this")] = ""
    where: list[str] = Field(default_factory=list, description="a condition; may be repeated, and all must hold")
    tools: bool = Field(False, description="also statements of tools and of the system")
    starred: bool = Field(False, description="only those the user has starred")
    pick: list[str] = Field(
        default_factory=list, description="the trail; counters know statement, user, database, tables"
    )

    def asked(self, stars: set[str]) -> Asked:
        """Raises BadInput for a condition or a pick that cannot be read."""
        return Asked(
            sort=self.sort, ascending=self.ascending, containing=self.containing, conditions=read_conditions(self.where), trail=read_trail(self.pick),
            tools=self.tools, starred=self.starred, stars=stars,
        )  # fmt: skip


@router.get("/servers/{server_id}/statements", response=RankingOut, operation_id="statements_rank")
def rank_statements(
    request: HttpRequest,
    server_id: int,
    window_in: Query[WindowIn],
    given: Query[RankingIn],
    limit: Annotated[int, Query(ge=1, le=1000)] = 100,
) -> RankingOut:
    """Statements of a window, ranked by a measure."""
    window = window_in.window(now_ms())
    found = rank(server_id, window, given.asked(stars_of(request, server_id)), limit)
    beside = ("more", "total_ms", "covered_ms", "hidden", "unfit", "previous_covered_ms")
    return RankingOut(
        start=window.start,
        end=window.end,
        rows=[figures_out(row) for row in found.rows],
        breaks=list(found.breaks),
        uncounted=[
            UncountedOut(query_id=str(one.query_id), label=one.label, sessions=one.sessions) for one in found.uncounted
        ],
        **{name: getattr(found, name) for name in beside},
    )


@router.get("/servers/{server_id}/statements/export", operation_id="statements_export")
def export_statements(
    request: HttpRequest, server_id: int, window_in: Query[WindowIn], given: Query[RankingIn], format: Format = "csv"
) -> StreamingHttpResponse:
    """The ranking as CSV, JSON Lines or Parquet, whole."""
    server = servers.server(server_id)
    rows = statement_rows(server_id, window_in.window(now_ms()), given.asked(stars_of(request, server_id)))
    return export(request, rows, FiguresOut, format, f"statements-{server.name}")


def statement_rows(server_id: int, window: Window, asked: Asked) -> Iterator[dict[str, Any]]:
    """The ranking as a file has it, whole."""
    return (figures_out(row).model_dump() for row in rank(server_id, window, asked, 100_000).rows)


class FilterBody(Schema):
    """A filter under a name: what stands behind ? in the address of the ranking."""

    name: Annotated[str, Field(min_length=1, max_length=60)]
    query: Annotated[str, Field(max_length=1000)]


@router.put("/servers/{server_id}/stars/{query_id}", response=list[str], operation_id="statements_star")
def star_statement(
    request: HttpRequest, server_id: int, query_id: Annotated[str, Path(pattern=r"^-?\d{1,19}$")], on: bool
) -> list[str]:
    """Star a statement, or take its star away. Stars are each user's own."""
    servers.server(server_id)
    stars = stars_of(request, server_id)
    stars = stars | {query_id} if on else stars - {query_id}
    preferences.write(request.user, f"stars:{server_id}", sorted(stars))
    return sorted(stars)


def stars_of(request: HttpRequest, server_id: int) -> set[str]:
    return set(preferences.read(request.user, f"stars:{server_id}", []))


@router.get("/filters", response=list[FilterBody], operation_id="filters_list")
def list_filters(request: HttpRequest) -> list[FilterBody]:
    """The user's saved filters of statements, by name."""
    return [FilterBody(**one) for one in preferences.read(request.user, "filters", [])]


@router.put("/filters", response=list[FilterBody], operation_id="filters_save")
def save_filter(request: HttpRequest, body: FilterBody) -> list[FilterBody]:
    """Keep a filter; one of the same name is replaced, and one with an empty query removed."""
    kept = {one["name"]: one for one in preferences.read(request.user, "filters", [])}
    kept.pop(body.name, None)
    if body.query:
        kept[body.name] = body.dict()
    found = sorted(kept.values(), key=lambda one: str(one["name"]))[:100]
    preferences.write(request.user, "filters", found)
    return [FilterBody(**one) for one in found]
