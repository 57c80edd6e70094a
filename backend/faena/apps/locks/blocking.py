"""Who held up whom: over a window, at a moment, and as lanes."""

from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from django.db.models import Case, Count, F, IntegerField, Q, Value, When

from faena.apps.locks.actions import to_core
from faena.apps.locks.models import Deadlock, LockKind, LockWait
from faena.apps.samples.dictionary import read_dictionary
from faena.apps.samples.hours import read_frame
from faena.apps.samples.sessions import read_sessions, read_waiting, sessions_of
from faena.apps.servers import holdings
from faena.core.locks.chains import Chain, RootState, chains_at, root_state
from faena.core.locks.history import CIRCLE, NOT_SEEN, Episode, Roots, dearest, lost_by, roots_of
from faena.core.readings import PREPARED, LockEdge, LockFact, SessionSample, labels
from faena.core.sampling.dimensions import Dictionary, Dimension, root_blocker
from faena.core.sampling.rollup import unit_for
from faena.core.sampling.trail import Pick, narrow
from faena.core.series.window import Window
from faena.core.sessions.frame import SessionFrame
from faena.core.sessions.tape import Stretch, stretches
from faena.core.units import EpochMs, Pid

GRID_MS = 1000
MOST_EPISODES = 40
MOST_LANES = 40
NOT_SAMPLED, IN_CIRCLE = "not sampled", "in a circle"
BROKEN_WITHIN_MS = 10_000  # from when a circle was last seen until the log tells of it
WAIT_LOOKED_AT_MS = 600_000  # of a statement, its end: far enough to find one of its waits
SEE_BACK_MS = 15_000  # how far before a moment its tick may lie


@dataclass(frozen=True, slots=True, kw_only=True)
class Held:
    """An object that was waited for: sightings of waiters, and how many they were."""

    fact: LockFact
    which: str
    lost: int
    waiters: int


@dataclass(frozen=True, slots=True, kw_only=True)
class ShownEpisode:
    """An episode with what is known of its root. `share` is the part of all samples here that the root's program makes up.

    Of a circle, `parties` are those who wait for each other, each for the next, and `deadlock` is what the server's log
    tells of it, where it was read.
    """

    episode: Episode
    start: int
    end: int
    worst: int
    session: SessionSample | None
    state: RootState
    gid: str
    held: Held | None
    share: float | None
    parties: Sequence[SessionSample] = ()
    deadlock: Deadlock | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Blocking:
    """`lost` counts sightings of lock waits at ticks of `tick_s` seconds; each grouping adds up to it."""

    ticks: int
    tick_s: float
    lost: int
    most: int
    episodes: Sequence[ShownEpisode]
    more: int
    by: Mapping[str, Sequence[tuple[str, int]]]
    objects: Sequence[Held]


def blocking(server_id: int, window: Window, tick_s: float, trail: Sequence[Pick] = ()) -> Blocking:
    """All lock waiting of a window whose waiters are inside the trail, and whose it is.

    Inside a trail it is not told what was waited for by table and mode, which are counted of all waiters.
    """
    dictionary = read_dictionary(server_id)
    waiting = dictionary.held_up
    frame = read_waiting(server_id, window, waiting).on_grid(GRID_MS)
    all_samples = read_frame(server_id, window, holdings.read(server_id), unit_ms=unit_for(window))
    counts = np.bincount(all_samples.code, weights=all_samples.seen, minlength=len(waiting))
    known = frame.code < len(waiting)
    waits = np.zeros(len(frame.code), dtype=np.bool_)
    waits[known] = (waiting & narrow(dictionary, trail))[frame.code[known]]
    roots = roots_of(frame)
    found, count = dearest(frame, roots, waits, int(3000 * tick_s), MOST_EPISODES)
    per_tick = np.bincount(frame.tick[waits]) if waits.any() else np.zeros(1, dtype=np.int64)
    kinds = _kinds(server_id)
    shares, logged = _shares(dictionary, counts), _logged_in(server_id, frame, found)
    return Blocking(
        ticks=all_samples.ticks,
        tick_s=tick_s,
        lost=int(waits.sum()),
        most=int(per_tick.max()),
        episodes=[
            _told(server_id, frame, dictionary, one, held, shares, logged)
            for one, held in zip(found, _held_in(server_id, frame, found, kinds), strict=True)
        ],
        more=count - len(found),
        by={
            "statement": _by_root(dictionary, Dimension.STATEMENT, frame, roots, waits),
            "program": _by_root(dictionary, Dimension.PROGRAM, frame, roots, waits),
            **({} if trail else _by_kind(_waits(server_id, window), kinds, int(waits.sum()))),
        },
        objects=[] if trail else _objects(server_id, window, kinds),
    )


def _by_root(
    dictionary: Dictionary, dimension: Dimension, frame: SessionFrame, roots: Roots, waits: npt.NDArray[np.bool_]
) -> list[tuple[str, int]]:
    encoded = dictionary.encoded(dimension)
    n = len(encoded.names)
    ids = np.append(encoded.ids, 0).astype(np.int64)
    group = ids[np.minimum(frame.code, len(encoded.ids))]
    lost = lost_by(roots, waits, group, unseen=n, circle=n + 1)
    names = (*encoded.names, NOT_SAMPLED, IN_CIRCLE)
    return sorted(((names[i], int(lost[i])) for i in np.flatnonzero(lost).tolist()), key=lambda one: (-one[1], one[0]))


def _waits(server_id: int, window: Window) -> Counter[int]:
    """Waiters by kind of wait, each once a tick."""
    rows = _rows(server_id, window).values("code").annotate(n=Count("*")).values_list("code", "n").order_by()
    return Counter(dict(rows))


def _rows(server_id: int, window: Window):  # type: ignore[no-untyped-def]  # a QuerySet with an annotation
    return LockWait.objects.alias(off=F("at_ms") % GRID_MS).filter(
        server_id=server_id, at_ms__gte=window.start, at_ms__lt=window.end, place=0, off=0
    )


def _by_kind(rows: Counter[int], kinds: Mapping[int, LockFact], lost: int) -> dict[str, list[tuple[str, int]]]:
    """By table and by mode. What the lock table did not tell in time stands as "not known", so that all adds up."""
    sums: dict[str, Counter[str]] = {"table": Counter(), "mode": Counter()}
    for code, n in rows.items():
        fact = kinds.get(code, LockFact())
        sums["table"][fact.table or fact.object or "not known"] += n
        sums["mode"][fact.mode_wanted or "not known"] += n
    for one in sums.values():
        if rest := lost - one.total():
            one["not known"] += rest
    return {
        name: sorted(((k, n) for k, n in one.items() if n), key=lambda kn: (-kn[1], kn[0]))
        for name, one in sums.items()
    }


def _kinds(server_id: int) -> dict[int, LockFact]:
    return {row.code: to_core(row) for row in LockKind.objects.filter(server_id=server_id)}


def _objects(server_id: int, window: Window, kinds: Mapping[int, LockFact], limit: int = 20) -> list[Held]:
    """What was waited for most."""
    rows = _rows(server_id, window)
    rows = rows.values("code", "which").annotate(n=Count("*"), many=Count("waiter", distinct=True))
    found = rows.order_by("-n", "code", "which").values_list("code", "which", "n", "many")[:limit]
    return [Held(fact=kinds.get(code, LockFact()), which=which, lost=n, waiters=many) for code, which, n, many in found]


def _held_in(
    server_id: int, frame: SessionFrame, found: Sequence[Episode], kinds: Mapping[int, LockFact]
) -> list[Held | None]:
    """What was waited for most behind each root, or in each circle, in one question."""
    cases = []
    for i, one in enumerate(found):
        blockers = frame.pid[list(one.circle)].tolist() if one.row == CIRCLE else [one.pid]
        first, last = int(frame.tick_ms[one.first]), int(frame.tick_ms[one.last])
        cases.append(When(blocker__in=blockers, at_ms__gte=first, at_ms__lte=last, then=Value(i)))
    if not cases:
        return []
    span = Window(
        start=EpochMs(int(min(frame.tick_ms[one.first] for one in found))),
        end=EpochMs(int(max(frame.tick_ms[one.last] for one in found)) + 1),
    )
    rows = (
        _rows(server_id, span).annotate(episode=Case(*cases, output_field=IntegerField())).filter(episode__isnull=False)
    )
    rows = rows.values("episode", "code", "which").annotate(n=Count("*"), many=Count("waiter", distinct=True))
    most: list[Held | None] = [None] * len(found)
    for i, code, which, n, many in rows.order_by("n", "-code", "-which").values_list(
        "episode", "code", "which", "n", "many"
    ):
        most[i] = Held(fact=kinds.get(code, LockFact()), which=which, lost=n, waiters=many)
    return most


def _shares(dictionary: Dictionary, counts: npt.NDArray[np.int64]) -> dict[str, float]:
    """The part of the samples that each program makes up; those that only hold a transaction are no load."""
    encoded = dictionary.encoded(Dimension.PROGRAM)
    sums = np.bincount(encoded.ids, weights=counts * dictionary.active, minlength=len(encoded.names))
    total = float(sums.sum())
    return {name: float(sums[i]) / total for i, name in enumerate(encoded.names)} if total else {}


def _told(
    server_id: int,
    frame: SessionFrame,
    dictionary: Dictionary,
    one: Episode,
    held: Held | None,
    shares: Mapping[str, float],
    logged: Sequence[Deadlock],
) -> ShownEpisode:
    start, end = int(frame.tick_ms[one.first]), int(frame.tick_ms[one.last])
    if one.row == CIRCLE:
        return _circle(frame, dictionary, one, held, logged)
    session = session_at(frame, dictionary, one.row) if one.row >= 0 else None
    state = root_state(session, Pid(one.pid)) if session is None else _usual_state(frame, dictionary, one)
    span = Window(start=EpochMs(start), end=EpochMs(end + 1))
    gid = ""
    if one.pid == PREPARED and one.row == NOT_SEEN:
        gid = _rows(server_id, span).filter(blocker=PREPARED).values_list("gid", flat=True).first() or ""
    return ShownEpisode(
        episode=one, start=start, end=end, worst=int(frame.tick_ms[one.worst]), session=session, state=state, gid=gid,
        held=held, share=shares.get(session.program) if session else None,
    )  # fmt: skip


def _circle(
    frame: SessionFrame, dictionary: Dictionary, one: Episode, held: Held | None, logged: Sequence[Deadlock]
) -> ShownEpisode:
    start, end = int(frame.tick_ms[one.first]), int(frame.tick_ms[one.last])
    parties = [session_at(frame, dictionary, row) for row in one.circle]
    return ShownEpisode(
        episode=one, start=start, end=end, worst=int(frame.tick_ms[one.worst]), session=None, state=RootState.CIRCLE,
        gid="", held=held, share=None, parties=parties,
        deadlock=_logged(logged, start, end, {int(party.pid) for party in parties}),
    )  # fmt: skip


def _logged_in(server_id: int, frame: SessionFrame, found: Sequence[Episode]) -> Sequence[Deadlock]:
    """What the log tells of deadlocks while these circles stood or just after, in one question."""
    spans = Q()
    for one in found:
        if one.row == CIRCLE:
            start, end = int(frame.tick_ms[one.first]), int(frame.tick_ms[one.last])
            spans |= Q(at_ms__gte=start - GRID_MS, at_ms__lte=end + BROKEN_WITHIN_MS)
    return list(Deadlock.objects.filter(spans, server_id=server_id).order_by("at_ms")) if spans else []


def _logged(logged: Sequence[Deadlock], start: int, end: int, pids: set[int]) -> Deadlock | None:
    """The deadlock that the log tells of these sessions while they waited or just after."""
    near = (row for row in logged if start - GRID_MS <= row.at_ms <= end + BROKEN_WITHIN_MS)
    return next((row for row in near if len(pids & {party["pid"] for party in row.parties}) > 1), None)


def _usual_state(frame: SessionFrame, dictionary: Dictionary, one: Episode) -> RootState:
    """What the root was seen doing most while it blocked."""
    low, high = np.searchsorted(frame.tick, (one.first, one.last + 1))
    mine = (frame.pid[low:high] == one.pid) & (frame.started_s[low:high] == one.started_s)
    rows = low + np.flatnonzero(mine)
    # A state follows from the code and from whether a transaction is open.
    _, first, counts = np.unique(
        2 * frame.code[rows] + (frame.transaction_ms[rows] >= 0), return_index=True, return_counts=True
    )
    states: Counter[RootState] = Counter()
    for i, count in zip(rows[first].tolist(), counts.tolist(), strict=True):
        states[root_state(session_at(frame, dictionary, i), Pid(one.pid))] += count
    return states.most_common(1)[0][0]


def session_at(frame: SessionFrame, dictionary: Dictionary, i: int) -> SessionSample:
    """A sample as a record. Whether an idle session had a transaction open shows in its age."""
    code = int(frame.code[i])
    label = dictionary.combinations[code]
    age = int(frame.transaction_ms[i])
    state = "active" if label.active else "idle in transaction" if age >= 0 else "idle"
    blocker = int(frame.blocker[i])
    return SessionSample(
        pid=Pid(int(frame.pid[i])), started_s=int(frame.started_s[i]), state=state, wait_type=label.wait_type,
        wait_event=label.wait_event, query_id=label.query_id, database=label.database, user=label.user,
        program=label.program, client=label.client, backend=label.backend, endpoint=label.endpoint,
        blocked_by=(Pid(blocker),) if blocker else (), transaction_ms=age, statement_ms=int(frame.statement_ms[i]),
    )  # fmt: skip


@dataclass(frozen=True, slots=True, kw_only=True)
class Moment:
    """One tick: everybody who was seen, and the chains among them. `at` None: nothing was sampled then."""

    at: int | None
    sessions: Sequence[SessionSample]
    edges: Sequence[LockEdge]
    chains: Sequence[Chain]


def moment(server_id: int, at: int) -> Moment:
    """The last tick up to `at`, unless it lies too far back."""
    window = Window(start=EpochMs(at - SEE_BACK_MS), end=EpochMs(at + 1))
    frame = read_sessions(server_id, window)
    if not len(frame.tick_ms):
        return Moment(at=None, sessions=(), edges=(), chains=())
    dictionary = read_dictionary(server_id)
    last = len(frame.tick_ms) - 1
    rows = np.flatnonzero((frame.tick == last) & (frame.code < len(dictionary)))
    sessions = [session_at(frame, dictionary, i) for i in rows.tolist()]
    at = int(frame.tick_ms[last])
    edges = edges_at(server_id, at, sessions)
    return Moment(at=at, sessions=sessions, edges=edges, chains=chains_at(sessions, edges))


def root_behind(server_id: int, pid: int, first: int, last: int) -> SessionSample | None:
    """The session at the root of the chain in which `pid` waits, at the last of these ticks at which it does.

    None: the root was not sampled, or the samples of that time are not kept any more.
    """
    window = Window(start=EpochMs(max(first, last - WAIT_LOOKED_AT_MS)), end=EpochMs(last + 1))
    frame, dictionary = read_sessions(server_id, window), read_dictionary(server_id)
    waits = np.flatnonzero((frame.pid == pid) & (frame.blocker != 0) & (frame.code < len(dictionary)))
    if not len(waits):
        return None
    tick = frame.tick[waits[-1]]
    rows = np.flatnonzero((frame.tick == tick) & (frame.code < len(dictionary)))
    present = labels([session_at(frame, dictionary, i) for i in rows.tolist()])
    waiter = present.get(Pid(pid))
    return root_blocker(waiter, present) if waiter else None


def edges_at(server_id: int, at: int, sessions: Iterable[SessionSample]) -> list[LockEdge]:
    """The stored edges of a tick; where there are none, what the samples say of who blocks whom."""
    rows = list(LockWait.objects.filter(server_id=server_id, at_ms=at))
    kinds = {
        row.code: to_core(row)
        for row in LockKind.objects.filter(server_id=server_id, code__in={one.code for one in rows})
    }
    found = []
    for row in rows:
        fact = kinds.get(row.code, LockFact())
        fact = (
            fact
            if not row.gid
            else LockFact(**{n: getattr(fact, n) for n in LockFact.__dataclass_fields__ if n != "gid"}, gid=row.gid)
        )
        found.append(
            LockEdge(
                waiter=Pid(row.waiter), blocker=Pid(row.blocker), fact=fact, which=row.which, waited_ms=row.waited_ms
            )
        )
    told = {edge.waiter for edge in found}
    found += [
        LockEdge(waiter=one.pid, blocker=blocker, fact=LockFact())
        for one in sessions
        if one.pid not in told
        for blocker in one.blocked_by
    ]
    return found


@dataclass(frozen=True, slots=True, kw_only=True)
class Lane:
    """One session over a window. `depth` is how far behind the root it stood at most; 0 the root."""

    session: SessionSample
    depth: int
    waited: int
    stretches: Sequence[Stretch]


@dataclass(frozen=True, slots=True, kw_only=True)
class Lanes:
    """`tick_ms` are the moments that stretches index; lanes in order: the root, then who waited, as they came."""

    tick_ms: Sequence[int]
    lanes: Sequence[Lane]
    more: int
    dictionary: Dictionary


def lanes(server_id: int, window: Window, pid: int, started_s: int) -> Lanes:
    """The root and all who stood behind it, or in a circle with it. For pid -1: behind prepared transactions."""
    frame = read_sessions(server_id, window).on_grid(GRID_MS)
    dictionary = read_dictionary(server_id)
    frame = frame.rows(frame.code < len(dictionary))
    waits = dictionary.held_up[frame.code]
    roots = roots_of(frame)
    shown = np.where(roots.row == CIRCLE, roots.circle, roots.row)
    behind = (roots.pid == pid) & ((shown < 0) | (frame.started_s[np.maximum(shown, 0)] == started_s))
    rows = np.flatnonzero(waits & behind)
    order: dict[tuple[int, int], list[int]] = {}
    for i in rows.tolist():
        order.setdefault((int(frame.pid[i]), int(frame.started_s[i])), []).append(i)
    waiters = sorted(order, key=lambda key: (frame.tick[order[key][0]], roots.depth[order[key][0]], key))
    kept = waiters[: MOST_LANES - 1]
    everybody = [(pid, started_s), *(key for key in kept if key != (pid, started_s))] if pid != PREPARED else kept
    mine = sessions_of(frame, everybody)
    made = []
    for key in everybody:
        own = sessions_of(mine, [key])
        if not len(own.pid):
            continue
        rows_of = order.get(key, [])
        depth = int(roots.depth[rows_of].max()) if rows_of and key != (pid, started_s) else 0
        made.append(
            Lane(session=session_at(own, dictionary, 0), depth=depth, waited=len(rows_of), stretches=stretches(own))
        )
    return Lanes(tick_ms=frame.tick_ms.tolist(), lanes=made, more=len(waiters) - len(kept), dictionary=dictionary)
