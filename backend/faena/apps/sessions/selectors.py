"""Sessions now and long past: lists, and one of them second by second."""

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import NamedTuple

import numpy as np

from faena.apps.locks.blocking import GRID_MS, Moment, moment, session_at
from faena.apps.locks.models import Deadlock
from faena.apps.samples import sightings
from faena.apps.samples.dictionary import NO_TABLES, read_dictionary
from faena.apps.samples.models import Tick
from faena.apps.samples.sessions import read_sessions, sessions_of
from faena.apps.servers.engines import profile_by_id
from faena.apps.statements.events import Entry, entry_of
from faena.apps.statements.models import Execution, LogEvent, Text
from faena.apps.statements.selectors import tables_by_statement
from faena.core.errors import NotFound
from faena.core.numbers import whole_number
from faena.core.privacy import Permit
from faena.core.readings import SessionSample, labels
from faena.core.sampling.dimensions import Dictionary, Dimension, combination_of
from faena.core.sampling.trail import Pick, narrow
from faena.core.series.ticks import Gap, gaps
from faena.core.series.window import Window
from faena.core.sessions.frame import SessionFrame
from faena.core.sessions.tape import Ran, Stretch, WaitSum, statements_run, stretches, wait_sums
from faena.core.waits.kinds import WaitKind

MOST_FOUND = 200
FINE_MS = 120_000  # up to this length a tape shows every sample, and beyond it those of full seconds


def now(server_id: int) -> Moment:
    """The newest tick."""
    newest = Tick.objects.filter(server_id=server_id).order_by("-at_ms").values_list("at_ms", flat=True).first()
    return moment(server_id, newest) if newest is not None else Moment(at=None, sessions=(), edges=(), chains=())


@dataclass(frozen=True, slots=True, kw_only=True)
class Seen:
    """A session as it was seen in a window: `ticks` in all, `lock_ticks` of them behind a lock. `session` as last seen."""

    session: SessionSample
    first: int
    last: int
    ticks: int
    lock_ticks: int
    main_wait: str
    errors: int


def inside(found: Moment, server_id: int, trail: Sequence[Pick]) -> Moment:
    """A moment with only those sessions that are inside the trail; chains stay whole."""
    if not trail:
        return found
    present = labels(found.sessions)
    combinations = [combination_of(one, present) for one in found.sessions]
    kind_of = profile_by_id(server_id).waits.kind_of
    kinds = [kind_of(one.wait_type, one.wait_event) if one.active else WaitKind.SLEEP for one in combinations]
    tables = tables_by_statement(server_id)
    dictionary = Dictionary(combinations, kinds, [tables.get(one.query_id or 0, NO_TABLES) for one in combinations])
    keep = narrow(dictionary, trail).tolist()
    return replace(found, sessions=tuple(one for one, kept in zip(found.sessions, keep, strict=True) if kept))


def find(
    server_id: int, window: Window, containing: str, errors_only: bool = False, trail: Sequence[Pick] = ()
) -> tuple[list[Seen], int]:
    """Sessions of a window by pid, program, user, client, a piece of a statement or of an error; and how many there are.

    Inside the trail is one that was seen so at any tick.

    Those with errors come first, then those that waited longest for locks.
    """
    frame = read_sessions(server_id, window)
    dictionary = read_dictionary(server_id)
    frame = frame.rows(frame.code < len(dictionary))
    if not len(frame.pid):
        return [], 0
    key = (frame.pid << np.int64(32)) | (frame.started_s & 0xFFFFFFFF)
    _, of_row, counts = np.unique(key, return_inverse=True, return_counts=True)
    locked = np.bincount(of_row, weights=dictionary.held_up[frame.code], minlength=len(counts)).astype(np.int64)
    last = np.zeros(len(counts), dtype=np.int64)
    first = np.full(len(counts), len(frame.pid), dtype=np.int64)
    rows = np.arange(len(frame.pid))
    np.maximum.at(last, of_row, rows)
    np.minimum.at(first, of_row, rows)
    failed = _failures(server_id, window)
    wanted = _matching(server_id, window, dictionary, frame, of_row, containing, len(counts))
    pids = frame.pid[last]
    errors = np.array([failed.get(int(pid), 0) for pid in pids], dtype=np.int64)
    seen_inside = np.bincount(of_row, weights=narrow(dictionary, trail)[frame.code], minlength=len(counts)) > 0
    chosen = np.flatnonzero(wanted & seen_inside & ((errors > 0) | (not errors_only)))
    order = sorted(chosen.tolist(), key=lambda i: (-errors[i], -locked[i], -counts[i], int(pids[i])))
    found = [
        Seen(
            session=session_at(frame, dictionary, int(last[i])),
            first=int(frame.tick_ms[frame.tick[first[i]]]),
            last=int(frame.tick_ms[frame.tick[last[i]]]),
            ticks=int(counts[i]),
            lock_ticks=int(locked[i]),
            main_wait=_main_wait(frame, dictionary, of_row == i),
            errors=int(errors[i]),
        )
        for i in order[:MOST_FOUND]
    ]
    return found, len(order)


def _failures(server_id: int, window: Window) -> Counter[int]:
    rows = LogEvent.objects.filter(server_id=server_id, at_ms__gte=window.start, at_ms__lt=window.end)
    return Counter(rows.values_list("pid", flat=True))


def _matching(
    server_id: int,
    window: Window,
    dictionary: Dictionary,
    frame: SessionFrame,
    of_row: np.ndarray[tuple[int, ...], np.dtype[np.int64]],
    containing: str,
    count: int,
) -> np.ndarray[tuple[int, ...], np.dtype[np.bool_]]:
    """Which sessions any sample or any error of matches."""
    words = containing.strip().lower()
    if not words:
        return np.ones(count, dtype=np.bool_)
    found = np.zeros(count, dtype=np.bool_)
    if words.isascii() and words.isdigit():  # a pid, and not a piece of an address
        found[of_row[frame.pid == (whole_number(words) or -2)]] = True
        return found
    texts = set(Text.objects.filter(server_id=server_id, text__icontains=words).values_list("query_id", flat=True))
    codes = np.array(
        [
            one.query_id in texts
            or any(words in value.lower() for value in (one.program, one.user, one.client, one.database))
            for one in dictionary.combinations
        ],
        dtype=np.bool_,
    )
    said = LogEvent.objects.filter(
        server_id=server_id, at_ms__gte=window.start, at_ms__lt=window.end, message__icontains=words
    )
    by_pid = np.isin(frame.pid, list(said.values_list("pid", flat=True)))
    found[of_row[codes[frame.code] | by_pid]] = True
    return found


def _main_wait(
    frame: SessionFrame, dictionary: Dictionary, mine: np.ndarray[tuple[int, ...], np.dtype[np.bool_]]
) -> str:
    encoded = dictionary.encoded(Dimension.WAIT)
    counts = np.bincount(encoded.ids[frame.code[mine]], minlength=len(encoded.names))
    return encoded.names[int(np.argmax(counts))]


class RunLogged(NamedTuple):
    """An execution that the log tells of."""

    ended_ms: int
    took_ms: float
    query_id: int | None


class DeadlockMet(NamedTuple):
    """A deadlock that a session took part in; `victim`: its transaction was the one that the server ended."""

    at: int
    pattern: str
    cause: str
    victim: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class Tape:
    """One session over a window. Stretches index `tick_ms`; at ticks in none of them it was idle or not there.

    A tick stands for `each_ms`; short windows show each sample of a close watch. `waits` are summed over full seconds.

    `errors` and `executions` are what the server's log told of this pid in this time.
    """

    session: SessionSample
    tick_ms: Sequence[int]
    each_ms: int
    stretches: Sequence[Stretch]
    ran: Sequence[Ran]
    waits: Sequence[WaitSum]
    gaps: Sequence[Gap]
    others: dict[int, SessionSample]
    errors: Sequence[Entry]
    executions: Sequence[RunLogged]
    deadlocks: Sequence[DeadlockMet]
    dictionary: Dictionary
    alike: Sequence[int]  # starts of other sessions that had the same pid in the window


def tape(
    server_id: int, window: Window, pid: int, started_s: int | None, period_ms: int, permit: Permit | None
) -> Tape:
    """Raises NotFound when the session was not seen in the window. Without a start, the one with this pid seen last."""
    whole = read_sessions(server_id, window)
    dictionary = read_dictionary(server_id)
    whole = whole.rows(whole.code < len(dictionary))
    grid = whole.on_grid(GRID_MS)
    frame = whole if window.end - window.start <= FINE_MS else grid
    starts = np.unique(frame.started_s[frame.pid == pid]).tolist()
    if started_s is None and starts:
        started_s = int(frame.started_s[frame.pid == pid][-1])
    own = sessions_of(frame, [(pid, started_s or 0)])
    if not len(own.pid):
        raise NotFound(f"session {pid} was not seen in this window: it was idle, or not there; look at a wider one")
    found = stretches(own)
    active = [one.active for one in dictionary.combinations]
    holders = {one.blocker for one in found if one.blocker > 0}
    # Of each holder the sample of the tick at which it first held this session up.
    others = {}
    for one in found:
        if one.blocker in holders and one.blocker not in others:
            at = np.flatnonzero((frame.tick == one.first) & (frame.pid == one.blocker))
            if len(at):
                others[one.blocker] = session_at(frame, dictionary, int(at[0]))
    span = {"server_id": server_id, "pid": pid}
    log = LogEvent.objects.filter(**span, at_ms__gte=window.start, at_ms__lt=window.end).order_by("at_ms", "place")
    runs = Execution.objects.filter(**span, ended_ms__gte=window.start, ended_ms__lt=window.end).order_by("ended_ms")
    encoded = dictionary.encoded(Dimension.WAIT)
    return Tape(
        session=session_at(own, dictionary, len(own.pid) - 1),
        tick_ms=frame.tick_ms.tolist(),
        each_ms=int(np.median(np.diff(frame.tick_ms))) if len(frame.tick_ms) > 1 else max(period_ms, GRID_MS),
        stretches=found,
        ran=statements_run(own, active),
        waits=wait_sums(stretches(sessions_of(grid, [(pid, started_s or 0)])), encoded.ids.astype(np.int64)),
        gaps=gaps(frame.tick_ms, window, max(period_ms, 1000)),
        others=others,
        errors=[entry_of(row, permit) for row in log[:200]],
        executions=[RunLogged(*one) for one in runs.values_list(*RunLogged._fields)[:500]],
        deadlocks=deadlocks_of(server_id, window, pid),
        dictionary=dictionary,
        alike=[start for start in starts if start != started_s],
    )


def deadlocks_of(server_id: int, window: Window, pid: int) -> list[DeadlockMet]:
    """Those of the window that a session was a party of, oldest first."""
    rows = Deadlock.objects.filter(server_id=server_id, at_ms__gte=window.start, at_ms__lt=window.end)
    mine = rows.filter(parties__contains=[{"pid": pid}]).order_by("at_ms")
    told = mine.values_list("at_ms", "pattern__pattern", "cause", "victim")[:50]
    return [DeadlockMet(at, pattern, cause, victim == pid) for at, pattern, cause, victim in told]


def first_of_program(
    frame: SessionFrame, dictionary: Dictionary, program: str, since_ms: int
) -> tuple[int, int] | None:
    """The first session of a program that began at `since_ms` or later; None: none yet."""
    codes = np.array([one.program == program for one in dictionary.combinations], dtype=np.bool_)
    rows = np.flatnonzero(codes[frame.code] & (frame.started_s >= since_ms // 1000))
    return (int(frame.pid[rows[0]]), int(frame.started_s[rows[0]])) if len(rows) else None


@dataclass(frozen=True, slots=True, kw_only=True)
class Served:
    """A request that a session was seen working for: `statements` of it at least. `endpoint` "" until its trace tells it."""

    trace: str
    first: int
    last: int
    statements: int
    blocked: bool
    endpoint: str


def served(server_id: int, session: SessionSample, window: Window) -> list[Served]:
    """The requests of a tape, as trace contexts tell, in order of time."""
    by_trace: dict[str, list[sightings.Seen]] = {}
    for one in sightings.of_session(server_id, session.pid, session.started_s, window.start, window.end):
        by_trace.setdefault(one.trace, []).append(one)
    return [
        Served(
            trace=trace, first=min(one.first for one in seen), last=max(one.last for one in seen), statements=len(seen),
            blocked=any(one.blocked for one in seen), endpoint=next((one.endpoint for one in seen if one.endpoint), ""),
        )
        for trace, seen in by_trace.items()
    ]  # fmt: skip
