"""Who held up whom: over a window, at a moment, and as lanes."""

from collections.abc import Mapping

from django.http import HttpRequest
from ninja import Query, Router

from faena.api.out import Out
from faena.api.parameters import TrailIn, WindowIn, now_ms
from faena.api.session_parts import (
    EdgeOut,
    LiveSessionOut,
    StretchOut,
    WatchedSessionOut,
    code_fields,
    edge_out,
    live,
    session_fields,
    sighted,
)
from faena.apps.answers.labels import lines
from faena.apps.locks import before, blocking
from faena.apps.servers import selectors as servers
from faena.apps.servers.engines import profile_of
from faena.core.engines.profile import EngineProfile
from faena.core.locks.chains import RootState
from faena.core.numbers import whole_number

router = Router(tags=["blocking"])
RARE = 0.02  # a program that makes up less of the load than this is outside the usual traffic


class HeldOut(Out):
    """An object that was waited for. `wants` ends "wants to …", `holds` tells what the one in the way does with it."""

    object: str
    which: str
    table: str
    lock_type: str
    mode_wanted: str
    mode_held: str
    via: str
    wants: str
    holds: str
    lost_s: float
    waiters: int


class EpisodeOut(Out):
    """One root and those behind it, from `start` to `end`. `session` null: the root was not sampled.

    Where sessions wait in a circle there is no root: `parties` are those who make it up, each waiting for the next,
    `pid` is the smallest of them, and `pattern` leads to the deadlock that the log tells of it.

    `lost_s` session-seconds were waited behind it. `share` of the samples here are the root's program's;
    `outside` when that is so little that the program is none of the usual traffic.
    """

    pid: int
    started_s: int
    session: WatchedSessionOut | None
    state: str
    gid: str
    start: int
    end: int
    worst: int
    lost_s: float
    most: int
    waiters: int
    depth: int
    held: HeldOut | None
    share: float | None
    outside: bool
    parties: list[WatchedSessionOut]
    pattern: str | None


class LostOut(Out):
    key: str
    label: str
    lost_s: float


class BlockingOut(Out):
    """Lock waiting of a window. Each grouping adds up to `lost_s`, session-seconds."""

    start: int
    end: int
    ticks: int
    tick_s: float
    lost_s: float
    most: int
    episodes: list[EpisodeOut]
    more: int
    by_statement: list[LostOut]
    by_program: list[LostOut]
    by_table: list[LostOut]
    by_mode: list[LostOut]
    objects: list[HeldOut]


def _held(one: blocking.Held, tick_s: float, engine: EngineProfile) -> HeldOut:
    fact = one.fact
    return HeldOut(
        object=fact.object, which=one.which, table=fact.table, lock_type=fact.lock_type, mode_wanted=fact.mode_wanted,
        mode_held=fact.mode_held, via=str(fact.via), wants=engine.locks.wants(fact.lock_type, fact.mode_wanted),
        holds=engine.locks.holds(fact.lock_type, fact.mode_held), lost_s=one.lost * tick_s, waiters=one.waiters,
    )  # fmt: skip


@router.get("/servers/{server_id}/blocking", response=BlockingOut, operation_id="blocking_get")
def get_blocking(
    request: HttpRequest, server_id: int, window_in: Query[WindowIn], trail_in: Query[TrailIn]
) -> BlockingOut:
    """All lock waiting of a window by those inside the trail, and whose it is."""
    server, window = servers.server(server_id), window_in.window(now_ms())
    tick_s, engine = max(server.period_ms, blocking.GRID_MS) / 1000, profile_of(server)
    found = blocking.blocking(server_id, window, tick_s, trail_in.trail())
    ids = {int(one.session.query_id) for one in found.episodes if one.session and one.session.query_id}
    ids |= {int(party.query_id) for one in found.episodes for party in one.parties if party.query_id}
    ids |= {i for key, _ in found.by["statement"] if (i := whole_number(key)) is not None}
    texts = lines(server_id, ids)

    def lost(name: str) -> list[LostOut]:
        return [
            LostOut(key=key, label=_label(name, key, texts), lost_s=n * tick_s) for key, n in found.by.get(name, ())
        ]

    return BlockingOut(
        start=window.start,
        end=window.end,
        ticks=found.ticks,
        tick_s=tick_s,
        lost_s=found.lost * tick_s,
        most=found.most,
        episodes=[_episode(one, texts, tick_s, engine) for one in found.episodes],
        more=found.more,
        by_statement=lost("statement"),
        by_program=lost("program"),
        by_table=lost("table"),
        by_mode=lost("mode"),
        objects=[_held(one, tick_s, engine) for one in found.objects],
    )


def _label(name: str, key: str, texts: Mapping[int, str]) -> str:
    if name == "statement" and whole_number(key) is not None:
        return texts.get(int(key), f"statement {key}, text not known")
    return "no statement" if name == "statement" and key == "none" else key


def _episode(told: blocking.ShownEpisode, texts: Mapping[int, str], tick_s: float, engine: EngineProfile) -> EpisodeOut:
    one = told.episode
    return EpisodeOut(
        pid=one.pid, started_s=one.started_s,
        session=WatchedSessionOut(**session_fields(told.session, texts, engine.waits)) if told.session else None,
        state=str(told.state), gid=told.gid, start=told.start, end=told.end, worst=told.worst, lost_s=one.lost * tick_s,
        most=one.most, waiters=one.waiters, depth=one.depth, held=_held(told.held, tick_s, engine) if told.held else None,
        share=told.share, outside=told.state is RootState.PREPARED or (told.share is not None and told.share < RARE),
        parties=[WatchedSessionOut(**session_fields(one, texts, engine.waits)) for one in told.parties],
        pattern=told.deadlock.pattern.pattern if told.deadlock else None,
    )  # fmt: skip


class LinkOut(Out):
    """A member of a chain, in pre-order. `wants` ends "wants to …", `holds` tells what the one in its way does."""

    pid: int
    depth: int
    behind: int
    session: WatchedSessionOut | None
    edge: EdgeOut | None
    wants: str
    holds: str


class ChainOut(Out):
    """All who stand behind one root, the root first."""

    state: str
    gid: str
    links: list[LinkOut]


class ChainsOut(Out):
    """The chains at the last tick up to the moment asked for; null where nothing was sampled then."""

    at: int | None
    chains: list[ChainOut]
    sessions: list[LiveSessionOut]


@router.get("/servers/{server_id}/blocking/chains", response=ChainsOut, operation_id="blocking_chains")
def get_chains(request: HttpRequest, server_id: int, at: int) -> ChainsOut:
    """Who stands behind whom at a moment, in milliseconds since 1970."""
    engine = profile_of(servers.server(server_id))
    found = blocking.moment(server_id, at)
    texts, seen = lines(server_id, (one.query_id for one in found.sessions)), sighted(server_id, found)
    return ChainsOut(
        at=found.at,
        chains=[
            ChainOut(
                state=str(chain.state),
                gid=chain.gid,
                links=[
                    LinkOut(
                        pid=link.pid, depth=link.depth, behind=link.behind,
                        session=WatchedSessionOut(**session_fields(link.session, texts, engine.waits, seen)) if link.session else None,
                        edge=edge_out(link.edge) if link.edge else None,
                        wants=engine.locks.wants(link.edge.fact.lock_type, link.edge.fact.mode_wanted) if link.edge else "",
                        holds=engine.locks.holds(link.edge.fact.lock_type, link.edge.fact.mode_held) if link.edge else "",
                    )
                    for link in chain.links
                ],
            )
            for chain in found.chains
        ],
        sessions=live(server_id, found, engine.waits),
    )  # fmt: skip


class TransactionStatementOut(Out):
    """A statement of a transaction. `busy_s` it was seen at work; `logged` executions of it took `took_ms` in all."""

    query_id: str
    text: str
    first: int
    last: int
    busy_s: float
    logged: int
    took_ms: float


class BeforeOut(Out):
    """What a blocker did before it blocked.

    `begun` null: no sample tells when the transaction began. `cut`: it did more, earlier.
    """

    begun: int | None
    cut: bool
    ran: list[TransactionStatementOut]


@router.get("/servers/{server_id}/blocking/before", response=BeforeOut, operation_id="blocking_before")
def get_before(request: HttpRequest, server_id: int, pid: int, started: int, at: int) -> BeforeOut:
    """What the transaction of a session had run by a moment, as far as samples and log tell: quick statements may not."""
    server = servers.server(server_id)
    found = before.ran_before(server_id, pid, started, at)
    texts = lines(server_id, (one.query_id for one in found.ran))
    tick_s = max(server.period_ms, blocking.GRID_MS) / 1000
    return BeforeOut(
        begun=found.begun,
        cut=found.cut,
        ran=[
            TransactionStatementOut(
                query_id=str(one.query_id), text=texts.get(one.query_id, "text not known"), first=one.first, last=one.last,
                busy_s=one.ticks * tick_s, logged=one.logged, took_ms=one.took_ms,
            )
            for one in found.ran
        ],
    )  # fmt: skip


class LaneOut(Out):
    """One session. `depth` is how far behind the root it stood at most, `waited_s` how long in all."""

    session: WatchedSessionOut
    depth: int
    waited_s: float
    stretches: list[StretchOut]


class LanesOut(Out):
    """Who waited for whom, moment by moment.

    `ticks` are the moments sampled; `more` sessions waited that have no lane here.
    """

    start: int
    end: int
    tick_s: float
    ticks: int
    lanes: list[LaneOut]
    more: int


@router.get("/servers/{server_id}/blocking/lanes", response=LanesOut, operation_id="blocking_lanes")
def get_lanes(request: HttpRequest, server_id: int, window_in: Query[WindowIn], pid: int, started: int) -> LanesOut:
    """The root and all who stood behind it in the window, each as a lane."""
    server, window = servers.server(server_id), window_in.window(now_ms())
    engine = profile_of(server)
    found = blocking.lanes(server_id, window, pid, started)
    tick_s = max(server.period_ms, blocking.GRID_MS) / 1000
    labels = found.dictionary.combinations
    ids = {one.session.query_id for one in found.lanes}
    ids |= {labels[part.code].query_id for one in found.lanes for part in one.stretches}
    texts = lines(server_id, ids)
    return LanesOut(
        start=window.start,
        end=window.end,
        tick_s=tick_s,
        ticks=len(found.tick_ms),
        lanes=[
            LaneOut(
                session=WatchedSessionOut(**session_fields(one.session, texts, engine.waits)),
                depth=one.depth,
                waited_s=one.waited * tick_s,
                stretches=[
                    StretchOut(
                        first=found.tick_ms[part.first], last=found.tick_ms[part.last], ticks=part.last - part.first + 1,
                        blocker=part.blocker, **code_fields(found.dictionary, part.code, engine.waits),
                    )
                    for part in one.stretches
                ],
            )
            for one in found.lanes
        ],
        more=found.more,
    )  # fmt: skip
