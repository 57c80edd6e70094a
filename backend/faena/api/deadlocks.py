"""Deadlocks and their patterns; and all else that a server's log tells, in lists."""

from typing import Annotated, Any

from django.http import HttpRequest
from ninja import Query, Router, Schema, Status
from pydantic import Field

from faena.api.out import Out
from faena.api.parameters import TrailIn, WindowIn, now_ms
from faena.api.sessions import texts_of
from faena.apps.accounts.policy import permit
from faena.apps.locks import deadlocks
from faena.apps.locks.models import Deadlock, DeadlockPattern, PatternComment
from faena.apps.servers import selectors as servers
from faena.apps.servers.models import Server
from faena.apps.statements import events, logged
from faena.apps.statements.models import LogEvent
from faena.core.privacy import Normalised, Permit, shown
from faena.core.series.window import cut

router = Router(tags=["deadlocks"])
SERIES = 60


class WantedOut(Out):
    """What a party waited for: the engine's mode, the kind of lock, in words, and as the server said it."""

    mode: str
    lock_type: str
    words: str
    said: str
    table: str


class PartyOut(Out):
    """One of the circle; the first is the victim, and each waits for the next. Empty where neither log nor samples tell."""

    pid: int
    waits_for: int
    wants: WantedOut
    statement: str
    query_id: str | None
    context: str
    program: str
    user: str
    database: str
    client: str


class DeadlockOut(Out):
    """One deadlock; texts with their literals only for operators, and only where they are kept. `waited_ms` is what its parties waited in all, `lost_ms` the age of the victim's transaction."""

    at: int
    victim: int
    place: int
    cause: str
    confidence: str
    reason: str
    sentence: str
    waited_ms: float | None
    lost_ms: float | None
    parties: list[PartyOut]
    raw: str


class PatternOut(Out):
    """Deadlocks of the same shape in the window; `total`, `first` and `last` of all that are kept. `series` by bucket."""

    pattern: str
    state: str
    cause: str
    count: int
    total: int
    first: int
    last: int
    waited_ms: float
    lost_ms: float
    series: list[int]
    programs: list[str]
    tables: list[str]
    statements: list[str]
    handled_at: int | None
    handled_by: str
    change: str
    since_change: int | None
    comments: int


class LogReadOut(Out):
    """How far the server's log was read, without which "none" cannot be told. `read_at` null: never."""

    read_at: int | None
    refused: str


class PatternsOut(Out):
    start: int
    end: int
    starts: list[int]
    bucket_ms: int
    patterns: list[PatternOut]
    log: LogReadOut


class CommentOut(Out):
    at: int
    by: str
    text: str


class PatternPageOut(Out):
    """A pattern: what mends it, what was said of it, and its deadlocks, newest first."""

    pattern: PatternOut
    mends: list[str]
    comments: list[CommentOut]
    deadlocks: list[DeadlockOut]


def _one(row: Deadlock, permit: Permit | None) -> DeadlockOut:
    names = ("victim", "place", "cause", "confidence", "reason", "waited_ms", "lost_ms")
    return DeadlockOut(
        at=row.at_ms,
        sentence=_sentence(row.parties),
        parties=[PartyOut(**one) for one in deadlocks.parties_of(row, permit)],
        raw=shown(row.record, row.record_raw, permit),
        **{name: getattr(row, name) for name in names},
    )


def _sentence(parties: list[dict[str, Any]]) -> str:
    """What happened, with what is known of the parties by now."""
    by_pid = {one["pid"]: one for one in parties}

    def who(one: dict[str, Any]) -> str:
        return f"{one['program'] or 'a session'} (pid {one['pid']})"

    steps = [
        f"{who(one)} wanted {one['wants']['words']}, which {who(by_pid[one['waits_for']])} held" for one in parties
    ]
    return f"{'; '.join(steps)}. The server ended the transaction of {who(parties[0])}."


def _pattern(one: deadlocks.PatternSummary) -> PatternOut:
    parties = one.example.parties
    row = one.row
    return PatternOut(
        pattern=row.pattern, state=one.state, cause=one.example.cause, count=one.count, total=one.total, first=one.first,
        last=one.last, waited_ms=one.waited_ms, lost_ms=one.lost_ms, series=one.series,
        programs=list(dict.fromkeys(p["program"] for p in parties if p["program"])),
        tables=sorted({p["wants"]["table"] for p in parties if p["wants"]["table"]}),
        statements=list(dict.fromkeys(p["statement"][:200] for p in parties)),
        handled_at=row.handled_at_ms, handled_by=row.handled_by, change=row.change, since_change=one.since_change,
        comments=one.comments,
    )  # fmt: skip


@router.get("/servers/{server_id}/deadlocks", response=PatternsOut, operation_id="deadlocks_list")
def list_patterns(request: HttpRequest, server_id: int, window_in: Query[WindowIn]) -> PatternsOut:
    """Patterns of deadlocks in a window, those that happened most first."""
    server = servers.server(server_id)
    window = window_in.window(now_ms())
    cells = cut(window, at_most=SERIES, period_ms=1000)
    found = deadlocks.patterns(server_id, window, cells)
    return PatternsOut(
        start=window.start, end=window.end, starts=cells.starts(), bucket_ms=cells.width_ms,
        patterns=[_pattern(one) for one in found], log=_log_read(server),
    )  # fmt: skip


def _log_read(server: Server) -> LogReadOut:
    return LogReadOut(read_at=logged.read_at(server.id), refused=servers.log_refusal(server))


def _page(server_id: int, row: DeadlockPattern, window_in: WindowIn, permit: Permit | None) -> PatternPageOut:
    window = window_in.window(now_ms())
    found = deadlocks.patterns(server_id, window, cut(window, at_most=SERIES, period_ms=1000), only=row)
    kept = deadlocks.of_pattern(row)
    return PatternPageOut(
        pattern=_pattern(found[0]),
        mends=found[0].example.mends,
        comments=[_comment(one) for one in deadlocks.comments(row)],
        deadlocks=[_one(one, permit) for one in kept],
    )


def _comment(one: PatternComment) -> CommentOut:
    return CommentOut(at=round(one.written_at.timestamp() * 1000), by=one.written_by, text=one.text)


@router.get("/servers/{server_id}/deadlocks/{pattern}", response=PatternPageOut, operation_id="deadlocks_get")
def get_pattern(request: HttpRequest, server_id: int, pattern: str, window_in: Query[WindowIn]) -> PatternPageOut:
    """One pattern with its deadlocks, comments and what mends it."""
    return _page(server_id, deadlocks.pattern(server_id, pattern), window_in, permit(request.user))


class CommentBody(Schema):
    text: Annotated[str, Field(max_length=4000)]


@router.post(
    "/servers/{server_id}/deadlocks/{pattern}/comments", response={201: CommentOut}, operation_id="deadlocks_comment"
)
def comment_pattern(request: HttpRequest, server_id: int, pattern: str, body: CommentBody) -> Status[CommentOut]:
    """Write about a pattern. Operators and admins."""
    return Status(201, _comment(deadlocks.comment(deadlocks.pattern(server_id, pattern), body.text, by=request.user)))


class HandledBody(Schema):
    """`change`: what was done; empty with `handled` false to take it back. `at`: when, now if left out."""

    handled: bool
    change: Annotated[str, Field(max_length=200)] = ""
    at: int | None = None


class HandledOut(Out):
    handled_at: int | None
    change: str


@router.put("/servers/{server_id}/deadlocks/{pattern}/handled", response=HandledOut, operation_id="deadlocks_handle")
def handle_pattern(request: HttpRequest, server_id: int, pattern: str, body: HandledBody) -> HandledOut:
    """Note what was changed, from when on it is counted whether the deadlock comes back. Operators and admins."""
    row = deadlocks.pattern(server_id, pattern)
    if body.handled:
        deadlocks.handle(row, body.change, body.at or now_ms(), by=request.user)
    else:
        deadlocks.reopen(row, by=request.user)
    return HandledOut(handled_at=row.handled_at_ms, change=row.change)


class EventOut(Out):
    """One entry of a log. Texts with their literals only for operators, and only where they are kept."""

    at: int
    kind: str
    pid: int
    severity: str
    sqlstate: str
    message: str
    detail: str
    context: str
    statement: str
    query_id: str | None
    program: str
    user: str
    database: str
    client: str
    waited_ms: float | None


class ShapeOut(Out):
    """Entries of one shape. `last` is the newest of them."""

    kind: str
    message: str
    count: int
    programs: list[str]
    statements: int
    waited_ms: float | None
    series: list[int]
    last: EventOut


class EventsOut(Out):
    """What the log tells in a window: grouped by shape, and the newest single entries."""

    start: int
    end: int
    starts: list[int]
    bucket_ms: int
    total: int
    shapes: list[ShapeOut]
    newest: list[EventOut]
    log: LogReadOut


def _event(one: LogEvent, texts: dict[int, Normalised], permit: Permit | None) -> EventOut:
    told = ("kind", "pid", "severity", "sqlstate", "program", "user", "database", "client")
    return EventOut(
        at=one.at_ms, query_id=None if one.query_id is None else str(one.query_id), waited_ms=one.waited_ms,
        message=shown(one.message, one.message_raw, permit), detail=shown(one.detail, one.detail_raw, permit),
        context=shown(one.context, one.context_raw, permit),
        statement=shown(texts.get(one.query_id or 0, Normalised("")), one.statement, permit),
        **{name: getattr(one, name) for name in told},
    )  # fmt: skip


@router.get("/servers/{server_id}/events", response=EventsOut, operation_id="events_list")
def list_events(
    request: HttpRequest,
    server_id: int,
    window_in: Query[WindowIn],
    trail_in: Query[TrailIn],
    kind: Annotated[list[str], Query(description="only these kinds; may be repeated")] = [],  # noqa: B006  # read only
    containing: Annotated[str, Query(max_length=200)] = "",
    limit: Annotated[int, Query(ge=1, le=500)] = 100,
) -> EventsOut:
    """Lock waits, timeouts, cancelled statements, refused connections and other errors of the log."""
    server = servers.server(server_id)
    window = window_in.window(now_ms())
    asked = events.Asked(kinds=events.read_kinds(kind), containing=containing, trail=trail_in.trail())
    cells = cut(window, at_most=SERIES, period_ms=1000)
    groups, total = events.shapes(server_id, window, asked, cells)
    newest = events.newest(server_id, window, asked, limit)
    ids = {one.query_id for one in newest if one.query_id} | {g.last.query_id for g in groups if g.last.query_id}
    texts, allowed = texts_of(server_id, {int(i) for i in ids}), permit(request.user)
    return EventsOut(
        start=window.start, end=window.end, starts=cells.starts(), bucket_ms=cells.width_ms, total=total,
        shapes=[
            ShapeOut(
                kind=one.kind, message=one.message, count=one.count, programs=list(one.programs),
                statements=one.statements, waited_ms=one.waited_ms, series=list(one.series), last=_event(one.last, texts, allowed),
            )
            for one in groups[:200]
        ],
        newest=[_event(one, texts, allowed) for one in newest],
        log=_log_read(server),
    )  # fmt: skip
