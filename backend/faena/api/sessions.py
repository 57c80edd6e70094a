"""Sessions now and long past: lists and tapes."""

from typing import Annotated

from django.http import HttpRequest
from ninja import Query, Router

from faena.api.load import GapOut
from faena.api.out import Out
from faena.api.parameters import TrailIn, WindowIn, now_ms
from faena.api.session_parts import (
    LiveSessionOut,
    StretchOut,
    WaitSumOut,
    WatchedSessionOut,
    code_fields,
    id_text,
    live,
    session_fields,
    wait_sum,
)
from faena.apps.accounts.policy import permit
from faena.apps.answers.labels import lines
from faena.apps.servers import selectors as servers
from faena.apps.servers.engines import profile_of
from faena.apps.sessions import selectors as sessions

router = Router(tags=["sessions"])
STALE_MS = 30_000


class NowOut(Out):
    """Everybody who was active or held a transaction at the newest tick; sessions that idle without one are not among them."""

    at: int | None
    now: int
    stale: bool
    sessions: list[LiveSessionOut]


class SeenOut(WatchedSessionOut):
    """A session of a window as last seen; `main_wait` is what it was seen doing most."""

    first: int
    last: int
    ticks: int
    lock_ticks: int
    main_wait: str
    errors: int


class FoundOut(Out):
    total: int
    sessions: list[SeenOut]


class RanOut(Out):
    began: int
    seen: int
    query_id: str | None
    statement: str


class TapeErrorOut(Out):
    at: int
    kind: str
    message: str
    detail: str


class LoggedRunOut(Out):
    began: int
    ended: int
    took_ms: float
    query_id: str | None


class TapeDeadlockOut(Out):
    """A deadlock of a session.

    `pattern` is its identifier; `victim`: the server ended this session's transaction, not another's.
    """

    at: int
    pattern: str
    cause: str
    victim: bool


class WorkedForOut(Out):
    """A request that a session was seen working for, from `first` to `last`; `endpoint` "" until its trace tells it."""

    trace: str
    first: int
    last: int
    statements: int
    blocked: bool
    endpoint: str


class TapeOut(Out):
    """One session over a window. At moments in no stretch and in no gap it was idle or not there.

    A tick stands for `tick_ms` in stretches, and for `wait_tick_ms` in `waits`.
    """

    session: WatchedSessionOut
    start: int
    end: int
    ticks: int
    tick_ms: int
    wait_tick_ms: int
    first: int | None
    last: int | None
    stretches: list[StretchOut]
    ran: list[RanOut]
    waits: list[WaitSumOut]
    gaps: list[GapOut]
    others: list[WatchedSessionOut]
    errors: list[TapeErrorOut]
    executions: list[LoggedRunOut]
    deadlocks: list[TapeDeadlockOut]
    alike: list[int]
    served: list[WorkedForOut]


@router.get("/servers/{server_id}/sessions/now", response=NowOut, operation_id="sessions_now")
def sessions_now(request: HttpRequest, server_id: int, trail_in: Query[TrailIn]) -> NowOut:
    """Everybody at the newest tick, inside the trail."""
    server = servers.server(server_id)
    stale_ms = STALE_MS + 2 * server.period_ms
    found, now = sessions.now(server_id), now_ms()
    return NowOut(
        at=found.at,
        now=now,
        stale=found.at is None or now - found.at > stale_ms,
        sessions=live(server_id, sessions.inside(found, server_id, trail_in.trail()), profile_of(server).waits),
    )


@router.get("/servers/{server_id}/sessions", response=FoundOut, operation_id="sessions_find")
def find_sessions(
    request: HttpRequest,
    server_id: int,
    window_in: Query[WindowIn],
    trail_in: Query[TrailIn],
    containing: Annotated[str, Query(max_length=200)] = "",
    errors: Annotated[bool, Query(description="only those of which the log tells errors")] = False,
) -> FoundOut:
    """Sessions of a window by pid, program, user, client, a piece of a statement or of an error."""
    waits = profile_of(servers.server(server_id)).waits
    found, total = sessions.find(server_id, window_in.window(now_ms()), containing, errors, trail_in.trail())
    texts = lines(server_id, (one.session.query_id for one in found))
    return FoundOut(
        total=total,
        sessions=[
            SeenOut(
                **session_fields(one.session, texts, waits),
                main_wait=waits.label(one.main_wait)[0],
                **{name: getattr(one, name) for name in ("first", "last", "ticks", "lock_ticks", "errors")},
            )
            for one in found
        ],
    )


@router.get("/servers/{server_id}/sessions/{pid}/tape", response=TapeOut, operation_id="sessions_tape")
def get_tape(
    request: HttpRequest, server_id: int, pid: int, window_in: Query[WindowIn], started: int | None = None
) -> TapeOut:
    """One session second by second. Without `started`, the one that had this pid last in the window."""
    server, window = servers.server(server_id), window_in.window(now_ms())
    waits = profile_of(server).waits
    found = sessions.tape(server_id, window, pid, started, server.period_ms, permit(request.user))
    labels = found.dictionary.combinations
    ids = {labels[one.code].query_id for one in found.stretches} | {labels[one.code].query_id for one in found.ran}
    ids |= {one.query_id for one in found.others.values()}
    texts = lines(server_id, ids)
    return TapeOut(
        session=WatchedSessionOut(**session_fields(found.session, texts, waits)),
        start=window.start,
        end=window.end,
        ticks=len(found.tick_ms),
        tick_ms=found.each_ms,
        wait_tick_ms=max(server.period_ms, 1000),
        first=found.tick_ms[0] if found.tick_ms else None,
        last=found.tick_ms[-1] if found.tick_ms else None,
        stretches=[
            StretchOut(
                first=found.tick_ms[one.first], last=found.tick_ms[one.last], ticks=one.last - one.first + 1,
                blocker=one.blocker, **code_fields(found.dictionary, one.code, waits),
            )
            for one in found.stretches
        ],
        ran=[
            RanOut(
                began=one.began_ms, seen=one.seen_ms, query_id=id_text(labels[one.code].query_id),
                statement=texts.get(labels[one.code].query_id or 0, ""),
            )
            for one in found.ran
        ],
        waits=[wait_sum(one, found.dictionary, waits) for one in found.waits],
        gaps=[GapOut(start=gap.start, end=gap.end) for gap in found.gaps],
        others=[WatchedSessionOut(**session_fields(one, texts, waits)) for one in found.others.values()],
        errors=[TapeErrorOut.model_validate(one) for one in found.errors],
        executions=[
            LoggedRunOut(
                began=round(one.ended_ms - one.took_ms), ended=one.ended_ms, took_ms=one.took_ms, query_id=id_text(one.query_id)
            )
            for one in found.executions
        ],
        deadlocks=[
            TapeDeadlockOut(at=one.at, pattern=one.pattern, cause=one.cause, victim=one.victim) for one in found.deadlocks
        ],
        alike=list(found.alike),
        served=[WorkedForOut.model_validate(one) for one in sessions.served(server_id, found.session, window)],
    )  # fmt: skip
