"""Deadlocks and their patterns; and all else that a server's log tells, in lists."""

from typing import Annotated

from django.http import HttpRequest
from ninja import Query, Router, Schema, Status
from pydantic import Field

from faena.api.changes import VerdictOut, verdict_out
from faena.api.out import Out
from faena.api.parameters import TrailIn, WindowIn, now_ms
from faena.apps.answers import following, log
from faena.apps.answers.changes import pattern_verdict
from faena.apps.locks import deadlocks
from faena.apps.locks.deadlocks import KnownDeadlock, PatternSummary
from faena.apps.statements.events import Asked, Entry, EventShape, read_kinds

router = Router(tags=["deadlocks"])


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
    """A pattern: what mends it, what was said of it, and its deadlocks, newest first. `verdict` null: nobody handled it."""

    pattern: PatternOut
    mends: list[str]
    comments: list[CommentOut]
    verdict: VerdictOut | None
    deadlocks: list[DeadlockOut]


def _pattern(one: PatternSummary) -> PatternOut:
    return PatternOut.model_validate(one)


@router.get("/servers/{server_id}/deadlocks", response=PatternsOut, operation_id="deadlocks_list")
def list_patterns(
    request: HttpRequest, server_id: int, window_in: Query[WindowIn], trail_in: Query[TrailIn]
) -> PatternsOut:
    """Patterns of deadlocks in a window, those that happened most first.

    The trail keeps deadlocks that have a party of its statements, programs, users, databases and clients.
    """
    window = window_in.window(now_ms())
    found = log.patterns(server_id, window, trail_in.trail())
    return PatternsOut(
        start=window.start, end=window.end, starts=found.cells.starts(), bucket_ms=found.cells.width_ms,
        patterns=[_pattern(one) for one in found.patterns], log=LogReadOut.model_validate(found.log),
    )  # fmt: skip


@router.get("/servers/{server_id}/deadlocks/{pattern}", response=PatternPageOut, operation_id="deadlocks_get")
def get_pattern(request: HttpRequest, server_id: int, pattern: str, window_in: Query[WindowIn]) -> PatternPageOut:
    """One pattern with its deadlocks, comments and what mends it."""
    found = log.pattern_page(server_id, pattern, window_in.window(now_ms()), by=request.user)
    return PatternPageOut(
        pattern=_pattern(found.pattern),
        mends=list(found.pattern.mends),
        verdict=verdict_out(pattern_verdict(server_id, pattern)),
        comments=[CommentOut.model_validate(one) for one in found.comments],
        deadlocks=[_deadlock(one) for one in found.deadlocks],
    )


def _deadlock(one: KnownDeadlock) -> DeadlockOut:
    names = [name for name in DeadlockOut.model_fields if name != "parties"]
    parties = [PartyOut(**party) for party in one.parties]
    return DeadlockOut(parties=parties, **{name: getattr(one, name) for name in names})


class CommentBody(Schema):
    text: Annotated[str, Field(max_length=4000)]


@router.post(
    "/servers/{server_id}/deadlocks/{pattern}/comments", response={201: CommentOut}, operation_id="deadlocks_comment"
)
def comment_pattern(request: HttpRequest, server_id: int, pattern: str, body: CommentBody) -> Status[CommentOut]:
    """Write about a pattern. Operators and admins."""
    made = deadlocks.comment(deadlocks.pattern(server_id, pattern), body.text, by=request.user)
    return Status(201, CommentOut.model_validate(made))


class HandledBody(Schema):
    """What was done about a pattern of deadlocks.

    `change`: what was done; empty with `handled` false to take it back. `at`: when, now if left out.
    """

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
        now = now_ms()
        following.handle_pattern(row, body.change, now if body.at is None else body.at, now, by=request.user)
    else:
        following.reopen_pattern(row, by=request.user)
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


def _event(one: Entry) -> EventOut:
    names = [name for name in EventOut.model_fields if name != "query_id"]
    query_id = None if one.query_id is None else str(one.query_id)
    return EventOut(query_id=query_id, **{name: getattr(one, name) for name in names})


def _shape(one: EventShape) -> ShapeOut:
    names = ("kind", "message", "count", "statements", "waited_ms")
    return ShapeOut(
        programs=list(one.programs), series=list(one.series), last=_event(one.last),
        **{name: getattr(one, name) for name in names},
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
    window = window_in.window(now_ms())
    asked = Asked(kinds=read_kinds(kind), containing=containing, trail=trail_in.trail())
    found = log.entries(server_id, window, asked, limit, by=request.user)
    return EventsOut(
        start=window.start, end=window.end, starts=found.cells.starts(), bucket_ms=found.cells.width_ms,
        total=found.total, shapes=[_shape(one) for one in found.shapes], newest=[_event(one) for one in found.newest],
        log=LogReadOut.model_validate(found.log),
    )  # fmt: skip
