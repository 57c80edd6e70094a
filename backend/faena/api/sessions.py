"""Sessions now and long past: lists, tapes, recordings, and ending one."""

from collections.abc import Mapping
from typing import Annotated, Any

from django.http import HttpRequest
from ninja import Query, Router, Schema, Status
from pydantic import Field

from faena.api.load import GapOut
from faena.api.out import Out
from faena.api.parameters import TrailIn, WindowIn, now_ms
from faena.apps.accounts.policy import permit
from faena.apps.locks.blocking import Moment
from faena.apps.samples import selectors as samples
from faena.apps.servers import selectors as servers
from faena.apps.servers.engines import profile_of
from faena.apps.sessions import ending, recording
from faena.apps.sessions import selectors as sessions
from faena.apps.sessions.models import EndedSession, Recording
from faena.apps.statements import selectors as statements
from faena.apps.statements.models import LogEvent
from faena.core.engines.inquiry import Ending
from faena.core.engines.profile import Waits
from faena.core.errors import NotFound
from faena.core.privacy import Normalised, Permit, shown
from faena.core.readings import LockEdge, SessionSample
from faena.core.sampling.dimensions import Dictionary
from faena.core.series.window import Window
from faena.core.sessions.tape import WaitSum
from faena.core.sql.texts import gist
from faena.core.units import EpochMs
from faena.core.waits.kinds import WaitKind

router = Router(tags=["sessions"])
STALE_MS = 30_000
COST_MS = 600_000  # the cost of a sample is its median over so long


class WatchedSessionOut(Out):
    """A session at a moment. Ages in milliseconds, null where not known. `wait` as "type:event", "" when it runs."""

    pid: int
    started_s: int
    state: str
    active: bool
    kind: str
    wait: str
    wait_label: str
    query_id: str | None
    statement: str
    database: str
    user: str
    program: str
    client: str
    backend: str
    transaction_ms: int | None
    statement_ms: int | None


class EdgeOut(Out):
    """Who stands in whose way, and how. `blocker` -1: the prepared transaction `gid`."""

    waiter: int
    blocker: int
    lock_type: str
    object: str
    which: str
    table: str
    mode_wanted: str
    mode_held: str
    via: str
    gid: str
    waited_ms: int | None


class LiveSessionOut(WatchedSessionOut):
    """`blocked_by` are those in its way, the one to blame first; `blocks` counts those behind it at any distance."""

    blocked_by: list[int]
    blocks: int
    waits_for: EdgeOut | None


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


class StretchOut(Out):
    """[first, last] are moments of the first and the last tick at which it did this."""

    first: int
    last: int
    ticks: int
    kind: str
    wait: str
    wait_label: str
    active: bool
    query_id: str | None
    blocker: int


class RanOut(Out):
    began: int
    seen: int
    query_id: str | None
    statement: str


class WaitSumOut(Out):
    """`count` waits, `ticks` sightings in all, `longest` in a row."""

    wait: str
    label: str
    kind: str
    meaning: str
    hint: str
    count: int
    ticks: int
    longest: int


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
    """`pattern` is its identifier; `victim`: the server ended this session's transaction, not another's."""

    at: int
    pattern: str
    cause: str
    victim: bool


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


def texts_of(server_id: int, query_ids: set[int]) -> dict[int, Normalised]:
    """Texts in a line."""
    return {i: gist(text.text, 200) for i, text in statements.texts(server_id, query_ids).items()}


def session_fields(one: SessionSample, texts: Mapping[int, str], waits: Waits) -> dict[str, Any]:
    """What WatchedSessionOut and its kin share."""
    wait = f"{one.wait_type}:{one.wait_event}" if one.wait_type else ""
    return {
        "pid": one.pid, "started_s": one.started_s, "state": one.state, "active": one.is_active,
        "kind": str(waits.kind_of(one.wait_type, one.wait_event) if one.is_active else WaitKind.SLEEP),
        "wait": wait, "wait_label": waits.label(wait or "running")[0] if one.is_active else one.state,
        "query_id": None if one.query_id is None else str(one.query_id),
        "statement": texts.get(one.query_id or 0, ""), "database": one.database, "user": one.user,
        "program": one.program, "client": one.client, "backend": one.backend,
        "transaction_ms": None if one.transaction_ms < 0 else one.transaction_ms,
        "statement_ms": None if one.statement_ms < 0 else one.statement_ms,
    }  # fmt: skip


def edge_out(edge: LockEdge) -> EdgeOut:
    fact = edge.fact
    return EdgeOut(
        waiter=edge.waiter, blocker=edge.blocker, lock_type=fact.lock_type, object=fact.object, which=edge.which,
        table=fact.table, mode_wanted=fact.mode_wanted, mode_held=fact.mode_held, via=str(fact.via), gid=fact.gid,
        waited_ms=None if edge.waited_ms < 0 else edge.waited_ms,
    )  # fmt: skip


def live(server_id: int, found: Moment, waits: Waits) -> list[LiveSessionOut]:
    """Sessions of a moment with who blocks them and how many they block."""
    texts = texts_of(server_id, {one.query_id for one in found.sessions if one.query_id})
    blocks = {link.pid: link.behind for chain in found.chains for link in chain.links}
    behind = {link.pid: link.edge for chain in found.chains for link in chain.links if link.edge}
    return [
        LiveSessionOut(
            **session_fields(one, texts, waits),
            blocked_by=list(one.blocked_by),
            blocks=blocks.get(one.pid, 0),
            waits_for=edge_out(edge) if (edge := behind.get(one.pid)) else None,
        )
        for one in found.sessions
    ]


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
    texts = texts_of(server_id, {one.session.query_id for one in found if one.session.query_id})
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


def wait_sum(one: WaitSum, dictionary: Dictionary, waits: Waits) -> WaitSumOut:
    label = dictionary.combinations[one.code]
    meaning = waits.explain(label.wait_type, label.wait_event)
    value = f"{label.wait_type}:{label.wait_event}" if label.wait_type else "running"
    idle = not label.active
    return WaitSumOut(
        wait=value,
        label="idle in transaction" if idle else waits.label(value)[0],
        kind=str(WaitKind.SLEEP if idle else meaning.kind),
        meaning="It holds its transaction open and waits for its client." if idle else meaning.meaning,
        hint=waits.hints.get(label.wait_event, ""),
        count=one.count,
        ticks=one.ticks,
        longest=one.longest,
    )


@router.get("/servers/{server_id}/sessions/{pid}/tape", response=TapeOut, operation_id="sessions_tape")
def get_tape(
    request: HttpRequest, server_id: int, pid: int, window_in: Query[WindowIn], started: int | None = None
) -> TapeOut:
    """One session second by second. Without `started`, the one that had this pid last in the window."""
    server, window = servers.server(server_id), window_in.window(now_ms())
    waits = profile_of(server).waits
    found = sessions.tape(server_id, window, pid, started, server.period_ms)
    labels = found.dictionary.combinations
    ids = {labels[one.code].query_id for one in found.stretches} | {labels[one.code].query_id for one in found.ran}
    ids |= {one.query_id for one in found.others.values()}
    texts = texts_of(server_id, {i for i in ids if i})
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
                began=one.began_ms, seen=one.seen_ms, query_id=_id(labels[one.code].query_id),
                statement=texts.get(labels[one.code].query_id or 0, ""),
            )
            for one in found.ran
        ],
        waits=[wait_sum(one, found.dictionary, waits) for one in found.waits],
        gaps=[GapOut(start=gap.start, end=gap.end) for gap in found.gaps],
        others=[WatchedSessionOut(**session_fields(one, texts, waits)) for one in found.others.values()],
        errors=[_error(one, permit(request.user)) for one in found.errors],
        executions=[
            LoggedRunOut(
                began=round(one.ended_ms - one.took_ms), ended=one.ended_ms, took_ms=one.took_ms, query_id=_id(one.query_id)
            )
            for one in found.executions
        ],
        deadlocks=[
            TapeDeadlockOut(at=one.at_ms, pattern=one.pattern.pattern, cause=one.cause, victim=one.victim == pid)
            for one in found.deadlocks
        ],
        alike=list(found.alike),
    )  # fmt: skip


def _error(one: LogEvent, allowed: Permit | None) -> TapeErrorOut:
    return TapeErrorOut(
        at=one.at_ms,
        kind=one.kind,
        message=shown(one.message, one.message_raw, allowed),
        detail=shown(one.detail, one.detail_raw, allowed),
    )


def _id(query_id: int | None) -> str | None:
    return None if query_id is None else str(query_id)


def code_fields(dictionary: Dictionary, code: int, waits: Waits) -> dict[str, Any]:
    """What a stretch with this code was."""
    label = dictionary.combinations[code]
    wait = f"{label.wait_type}:{label.wait_event}" if label.wait_type else ""
    return {
        "kind": dictionary.kinds[code], "wait": wait, "active": label.active, "query_id": _id(label.query_id),
        "wait_label": waits.label(wait or "running")[0] if label.active else "idle in transaction",
    }  # fmt: skip


class EndBody(Schema):
    """`started_s` and `statement_ms` as shown: if it is another session or statement by now, nothing is ended."""

    started_s: int
    statement_ms: Annotated[int, Field(ge=0, le=2**40)] | None = None
    what: Ending
    reason: Annotated[str, Field(max_length=1000)]
    confirmed: bool = False


class EndedOut(Out):
    """A record of what was ended. `freed` waited behind it before and not after; `still` wait on."""

    at: int
    by: str
    what: str
    pid: int
    program: str
    user: str
    client: str
    query_id: str | None
    reason: str
    answer: str
    freed: list[int]
    still: list[int]


def _ended(one: EndedSession) -> EndedOut:
    told = ("what", "pid", "program", "user", "client", "reason", "answer", "freed", "still")
    return EndedOut(
        at=round(one.at.timestamp() * 1000), by=one.by_name, query_id=_id(one.query_id),
        **{name: getattr(one, name) for name in told},
    )  # fmt: skip


@router.post("/servers/{server_id}/sessions/{pid}/end", response={201: EndedOut}, operation_id="sessions_end")
def end_session(request: HttpRequest, server_id: int, pid: int, body: EndBody) -> Status[EndedOut]:
    """End a statement or a session; kept with name and reason. Operators and admins."""
    server = servers.server(server_id)
    seen = next((one for one in sessions.now(server_id).sessions if one.pid == pid), None)
    if seen is None or seen.started_s != body.started_s:
        raise NotFound(f"session {pid} is not there any more as it was shown; nothing was ended")
    order = ending.EndOrder(
        session=seen,
        what=body.what,
        reason=body.reason,
        confirmed=body.confirmed,
        statement_ms=body.statement_ms or 0,
    )
    return Status(201, _ended(ending.end_session(server, order, by=request.user)))


@router.get("/servers/{server_id}/ended", response=list[EndedOut], operation_id="sessions_ended")
def list_ended(request: HttpRequest, server_id: int) -> list[EndedOut]:
    """What was ended on this server, by whom and why, newest first."""
    servers.server(server_id)
    return [_ended(one) for one in ending.ended(server_id)]


class RecordBody(Schema):
    """A session by `pid` and `started_s`, or the next session of `program`."""

    minutes: int
    pid: int | None = None
    started_s: int | None = None
    program: Annotated[str, Field(max_length=200)] = ""
    confirmed: bool = False


class RecordingOut(Out):
    id: int
    program: str
    pid: int | None
    started_s: int | None
    start: int
    end: int
    by: str


class RecordedOut(Out):
    """`tick_ms` is what one sighting stands for; `ticks` were taken and the session was seen in `seen` of them."""

    recording: RecordingOut
    now: int
    tick_ms: int
    ticks: int
    seen: int
    waits: list[WaitSumOut]


def _recording(one: Recording) -> RecordingOut:
    return RecordingOut(
        id=one.pk, program=one.program, pid=one.pid, started_s=one.started_s, start=one.from_ms, end=one.until_ms,
        by=one.asked_by,
    )  # fmt: skip


@router.post("/servers/{server_id}/recordings", response={201: RecordingOut}, operation_id="recordings_begin")
def begin_recording(request: HttpRequest, server_id: int, body: RecordBody) -> Status[RecordingOut]:
    """Record all waits of a session at the finer rate, for some minutes. Operators and admins."""
    server, now = servers.server(server_id), now_ms()
    cost = samples.sample_cost(server_id, Window(start=EpochMs(now - COST_MS), end=EpochMs(now)))
    named = body.pid is not None and body.started_s is not None
    subject = (body.pid or 0, body.started_s or 0) if named else body.program
    made = recording.record(
        server, subject, body.minutes, cost[0] if cost else None, now, confirmed=body.confirmed, by=request.user
    )
    return Status(201, _recording(made))


@router.get("/servers/{server_id}/recordings", response=list[RecordingOut], operation_id="recordings_list")
def list_recordings(request: HttpRequest, server_id: int) -> list[RecordingOut]:
    """The newest recordings of this server."""
    servers.server(server_id)
    return [_recording(one) for one in recording.recordings(server_id)]


@router.get("/servers/{server_id}/recordings/{recording_id}", response=RecordedOut, operation_id="recordings_get")
def get_recording(request: HttpRequest, server_id: int, recording_id: int) -> RecordedOut:
    """What a recording holds so far: waits by event."""
    waits = profile_of(servers.server(server_id)).waits
    found = recording.recorded(server_id, recording_id)
    return RecordedOut(
        recording=_recording(found.recording), now=now_ms(), tick_ms=found.tick_ms, ticks=found.ticks, seen=found.seen,
        waits=[wait_sum(one, found.dictionary, waits) for one in found.waits],
    )  # fmt: skip
