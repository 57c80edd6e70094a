"""Statements ranked over a window, with filters and stars."""

from collections.abc import Sequence
from typing import Annotated, NamedTuple, Unpack

import numpy as np
from django.http import HttpRequest, StreamingHttpResponse
from ninja import Path, Query, Router, Schema
from pydantic import Field

from faena.api.exports import Format, export
from faena.api.out import Out
from faena.api.parameters import WindowIn, now_ms
from faena.apps.accounts import preferences
from faena.apps.samples import selectors as samples
from faena.apps.servers import selectors as servers
from faena.apps.servers.models import Server
from faena.apps.statements import executions, selectors
from faena.apps.statements.models import Text
from faena.core.numbers import whole_number
from faena.core.readings import COUNTER_FIELDS
from faena.core.sampling.dimensions import Dimension
from faena.core.sampling.trail import Pick, read_trail
from faena.core.series.window import Window
from faena.core.sql.texts import gist
from faena.core.statements.conditions import Condition, NameCondition, NumberCondition, read_conditions
from faena.core.statements.figures import Measure, StatementFigures, figures_of
from faena.core.statements.seen import Seen, uncounted
from faena.core.units import QueryId
from faena.core.waits.kinds import WaitKind

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
    """`covered_ms` of the window's length was counted; `breaks` say why some work may be missing.

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


class Ranked(NamedTuple):
    """A statement's figures with what stands beside them; made for all, while only what is shown is written out."""

    figures: StatementFigures
    share: float
    errors: int = 0
    change: float | None = None
    starred: bool = False
    sessions: float | None = None
    on_cpu: float | None = None
    disk_read_rate: float | None = None
    disk_write_rate: float | None = None

    def value(self, name: str) -> float | None:
        found: float | None = getattr(self if name in self._fields else self.figures, name)
        return found

    def place(self, by: Measure) -> tuple[bool, float, int]:
        """Largest first; statements without the measure last."""
        value = self.value(by.value)
        return value is None, -(value or 0.0), self.figures.query_id


_DERIVED = {"query_id", "label", "tables", *Ranked._fields}


def _change(after_ms: float, after_s: float, before_ms: float, before_s: float) -> float | None:
    """Time a second over that of the window before."""
    return (after_ms / after_s) / (before_ms / before_s) if before_ms and before_s and after_s else None


def _label(text: Text | None, query_id: QueryId) -> str:
    return gist(text.text, 160) if text else f"statement {query_id}, text not known yet"


def written_out(one: Ranked, text: Text | None) -> FiguresOut:
    """A ranked statement with its text as far as that was learned."""
    query_id = one.figures.query_id
    beside = {name: getattr(one, name) for name in Ranked._fields if name != "figures"}
    counted = {n: getattr(one.figures, n) for n in FiguresOut.model_fields if n not in _DERIVED}
    return FiguresOut(
        query_id=str(query_id), label=_label(text, query_id), tables=text.tables if text else "", **beside, **counted
    )


class RankingIn(Schema):
    """What to rank by and what to leave out. `where` is a condition as "mean_ms >= 10" or "user != report"."""

    sort: Measure = Measure.TOTAL
    containing: Annotated[str, Field(max_length=200, description="only texts that contain this")] = ""
    where: list[str] = Field(default_factory=list, description="a condition; may be repeated, and all must hold")
    tools: bool = Field(False, description="also statements of tools and of the system")
    starred: bool = Field(False, description="only those the user has starred")
    pick: list[str] = Field(
        default_factory=list, description="the trail; counters know statement, user, database, tables"
    )


def _ranking(request: HttpRequest, server: Server, window: Window, given: RankingIn, limit: int) -> RankingOut:
    """Without what Faena's own account ran: the watching must not pose as load of the application."""
    conditions = read_conditions(given.where)
    trail = read_trail(given.pick)
    narrowing = selectors.Narrowing(
        containing=given.containing, without_user=server.username, conditions=conditions, trail=trail
    )
    counted = selectors.figures(server.id, window, **narrowing)
    picks = [*_picks(conditions), *trail]
    sampled = _seen(server, window, picks)
    moved = samples.bytes_by_statement(server.id, window, picks)
    whole = not (given.containing or conditions or given.starred or trail)
    found = [*counted, *_not_counted(counted, sampled)] if whole else counted
    hidden = set() if given.tools else selectors.tools(server.id, [one.query_id for one in found])
    found = [one for one in found if one.query_id not in hidden]
    total_ms = sum(one.total_ms for one in found)
    stars = stars_of(request, server.id)
    if given.starred:
        found = [one for one in found if str(one.query_id) in stars]
    failed = executions.failures(server.id, window)
    cover = selectors.coverage(server.id, window)
    previous, before_ms = _previous(server, window, **narrowing)
    rows = [
        Ranked(
            figures=one,
            share=one.total_ms / total_ms if total_ms else 0.0,
            errors=failed.get(one.query_id, 0),
            change=_change(one.total_ms, cover.covered_ms, previous.get(one.query_id, 0.0), before_ms),
            starred=str(one.query_id) in stars,
            sessions=sampled.of(one.query_id, "sessions"),
            on_cpu=sampled.of(one.query_id, "on_cpu"),
            disk_read_rate=moved.read.get(one.query_id, 0.0) if moved else None,
            disk_write_rate=moved.written.get(one.query_id, 0.0) if moved else None,
        )
        for one in found
    ]
    numbers = [one for one in conditions if isinstance(one, NumberCondition)]
    fit = [row for row in rows if all(one.fits(row.value(one.field)) for one in numbers)]
    fit.sort(key=lambda row: row.place(given.sort))
    counted_ms = {one.query_id: one.total_ms for one in found}
    beside = [one for one in sampled.statements.values() if one.query_id in counted_ms]
    missing = uncounted(beside, counted_ms, sampled.sampled_ms) if whole else []
    texts = selectors.texts(
        server.id, [row.figures.query_id for row in fit[:limit]] + [one.query_id for one in missing]
    )
    return RankingOut(
        start=window.start,
        end=window.end,
        rows=[written_out(row, texts.get(row.figures.query_id)) for row in fit[:limit]],
        more=max(0, len(fit) - limit),
        total_ms=total_ms,
        covered_ms=cover.covered_ms,
        breaks=list(cover.breaks),
        hidden=len(hidden),
        unfit=len(rows) - len(fit),
        previous_covered_ms=before_ms,
        uncounted=[
            UncountedOut(
                query_id=str(one.query_id), label=_label(texts.get(one.query_id), one.query_id), sessions=one.sessions
            )
            for one in missing
        ],
    )


class _Sampled(NamedTuple):
    """What sessions were seen doing in a window of which so many milliseconds were sampled."""

    statements: dict[QueryId, Seen]
    sampled_ms: float

    def of(self, query_id: QueryId, name: str) -> float | None:
        """A figure of a statement; 0 where it was not seen, None where nothing was sampled."""
        one = self.statements.get(query_id)
        return (float(getattr(one, name)) if one else 0.0) if self.sampled_ms else None


def _not_counted(counted: Sequence[StatementFigures], sampled: _Sampled) -> list[StatementFigures]:
    """Statements that no counter has, since none of their calls ended."""
    known = {one.query_id for one in counted}
    return [figures_of(i, np.zeros(len(COUNTER_FIELDS))) for i in sampled.statements if i not in known]


def _picks(conditions: Sequence[Condition]) -> list[Pick]:
    """The conditions as far as samples tell of them."""
    return [
        Pick(Dimension(one.field), one.name, exclude=not one.wanted)
        for one in conditions
        if isinstance(one, NameCondition) and one.field in ("user", "database")
    ]


def _seen(server: Server, window: Window, picks: Sequence[Pick]) -> _Sampled:
    """Statements as sessions were seen in them."""
    (column,), ticks = samples.sieve(server.id, window, [Dimension.STATEMENT], picks, at_most=10_000)
    found = [
        Seen(
            query_id=QueryId(int(row.value)),
            sessions=row.sessions,
            margin=row.sessions_margin,
            on_cpu=row.by_kind.get(WaitKind.RUNNING, 0.0),
        )
        for row in column.rows
        if whole_number(row.value) is not None
    ]
    sampled_ms = float(min(ticks * server.period_ms, window.length_ms))
    return _Sampled({one.query_id: one for one in found}, sampled_ms)


def _previous(server: Server, window: Window, **narrowing: Unpack[selectors.Narrowing]) -> tuple[dict[int, float], int]:
    """Time of each statement in the window before, and the milliseconds of that one which were counted."""
    earlier = window.previous()
    covered = selectors.coverage(server.id, earlier).covered_ms
    if not covered:
        return {}, 0
    return selectors.times(server.id, earlier, **narrowing), covered


@router.get("/servers/{server_id}/statements", response=RankingOut, operation_id="statements_rank")
def rank_statements(
    request: HttpRequest,
    server_id: int,
    window_in: Query[WindowIn],
    given: Query[RankingIn],
    limit: Annotated[int, Query(ge=1, le=1000)] = 100,
) -> RankingOut:
    """Statements of a window, ranked by a measure."""
    return _ranking(request, servers.server(server_id), window_in.window(now_ms()), given, limit)


@router.get("/servers/{server_id}/statements/export", operation_id="statements_export")
def export_statements(
    request: HttpRequest, server_id: int, window_in: Query[WindowIn], given: Query[RankingIn], format: Format = "csv"
) -> StreamingHttpResponse:
    """The ranking as CSV or JSON Lines, whole."""
    server = servers.server(server_id)
    found = _ranking(request, server, window_in.window(now_ms()), given, 100_000)
    rows = (row.model_dump() for row in found.rows)
    return export(request, rows, list(FiguresOut.model_fields), format, f"statements-{server.name}")


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
