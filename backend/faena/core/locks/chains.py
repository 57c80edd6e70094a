"""Blocking chains at one moment: who stands behind whom, down to a root that waits for nobody's lock."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum

from faena.core.readings import PREPARED, LockEdge, SessionSample, Via
from faena.core.units import Pid


class RootState(StrEnum):
    """What the one at the root is doing, in words."""

    RUNNING = "running"
    DISK = "waiting for disk"
    CLIENT = "waiting client"
    IDLE_IN_TRANSACTION = "idle in transaction"
    IDLE = "idle"
    PREPARED = "prepared transaction"
    WAITING = "waiting"  # for something else than disk, client or a lock
    CIRCLE = "in a circle"  # a deadlock that the server has not broken yet
    GONE = "gone"  # ended before it could be looked at


@dataclass(frozen=True, slots=True)
class Link:
    """A session in a chain, `depth` steps behind the root. `edge` is what it waits for; None at the root of no circle."""

    session: SessionSample | None
    pid: Pid
    depth: int
    edge: LockEdge | None
    behind: int  # sessions that stand behind this one, at any distance


@dataclass(frozen=True, slots=True)
class Chain:
    """All who stand behind one root, in pre-order, the root first."""

    links: tuple[Link, ...]
    state: RootState
    gid: str = ""

    @property
    def root(self) -> Link:
        return self.links[0]

    @property
    def waiting(self) -> int:
        return len(self.links) - 1


def to_blame(edges: Iterable[LockEdge], sessions: Mapping[Pid, SessionSample]) -> dict[Pid, LockEdge]:
    """For each waiter the one edge its waiting is put down to.

    One that holds comes before one that only asked first, and the longer transaction before the shorter: it is the
    less likely to end by itself. Ties go by pid, so that the same moment always reads the same.
    """
    chosen: dict[Pid, LockEdge] = {}
    for edge in edges:
        known = chosen.get(edge.waiter)
        if known is None or _blame(edge, sessions) < _blame(known, sessions):
            chosen[edge.waiter] = edge
    return chosen


def _blame(edge: LockEdge, sessions: Mapping[Pid, SessionSample]) -> tuple[bool, int, int]:
    blocker = sessions.get(edge.blocker)
    return edge.fact.via is Via.QUEUE, -(blocker.transaction_ms if blocker else 0), edge.blocker


def root_state(session: SessionSample | None, pid: Pid) -> RootState:
    """What a root does. Not for one that waits for a lock itself."""
    if pid == PREPARED:
        return RootState.PREPARED
    if session is None:
        return RootState.GONE
    if session.state.startswith("idle in transaction"):
        return RootState.IDLE_IN_TRANSACTION
    if session.state == "idle":
        return RootState.IDLE
    match session.wait_type:
        case "":
            return RootState.RUNNING
        case "IO":
            return RootState.DISK
        case "Client":
            return RootState.CLIENT
    return RootState.WAITING


def chains_at(sessions: Sequence[SessionSample], edges: Sequence[LockEdge]) -> list[Chain]:
    """All chains of a tick, the one with most waiters first. A circle is a chain whose root is its smallest pid.

    One that somebody closes who only stands in line is none: the server lets that one go first, so it is a root.
    """
    by_pid = {session.pid: session for session in sessions}
    blame = without_soft_circles(to_blame(edges, by_pid))
    behind: dict[tuple[Pid, str], list[Pid]] = {}
    for waiter, edge in blame.items():
        # Prepared transactions share a pid, so each is told apart by its name.
        behind.setdefault((edge.blocker, edge.fact.gid), []).append(waiter)
    roots = [node for node in behind if node[0] not in blame]
    reached: set[Pid] = set()
    chains = []
    for pid, gid in roots:
        links = _links(pid, gid, behind, blame, by_pid)
        reached.update(link.pid for link in links)
        chains.append(Chain(links, root_state(by_pid.get(pid), pid), gid))
    for waiter in sorted(blame.keys() - reached):
        if waiter not in reached:
            start = min(_circle(waiter, blame))
            links = _links(start, "", behind, blame, by_pid)
            reached.update(link.pid for link in links)
            links = (replace(links[0], edge=blame[start]), *links[1:])
            chains.append(Chain(links, RootState.CIRCLE))
    return sorted(chains, key=lambda chain: (-chain.waiting, chain.root.pid, chain.gid))


def without_soft_circles(blame: Mapping[Pid, LockEdge]) -> dict[Pid, LockEdge]:
    """Without the edge that closes a circle where it stands for a place in line and for no lock that is held.

    The server resolves such a circle by changing the order of the line, and nobody is ended.
    """
    kept = dict(blame)
    for waiter, edge in blame.items():
        if edge.fact.via is Via.QUEUE and waiter in _circle(waiter, kept):
            del kept[waiter]
    return kept


def _circle(waiter: Pid, blame: Mapping[Pid, LockEdge]) -> set[Pid]:
    """Those of the circle that a waiter leads into; empty where its chain has an end."""
    walked: dict[Pid, int] = {}
    at = waiter
    while at not in walked:
        if at not in blame:
            return set()
        walked[at] = len(walked)
        at = blame[at].blocker
    return {pid for pid, step in walked.items() if step >= walked[at]}


def _links(
    root: Pid,
    gid: str,
    behind: Mapping[tuple[Pid, str], list[Pid]],
    blame: Mapping[Pid, LockEdge],
    sessions: Mapping[Pid, SessionSample],
) -> tuple[Link, ...]:
    """Pre-order with a stack: how deep it goes is the server's choice."""
    order: list[tuple[Pid, int]] = []
    met = {root}
    stack = [(root, 0)]
    while stack:
        pid, depth = stack.pop()
        order.append((pid, depth))
        following = [w for w in behind.get((pid, gid if pid == PREPARED else ""), ()) if w not in met]
        met.update(following)
        # The longest to wait first, as they will be served.
        following.sort(key=lambda w: (blame[w].waited_ms, -w))
        stack.extend((w, depth + 1) for w in following)
    below = [0] * len(order)
    for i in range(len(order) - 1, -1, -1):
        at = i + 1
        while at < len(order) and order[at][1] > order[i][1]:
            below[i] += 1
            at += 1
    return tuple(
        Link(sessions.get(pid), pid, depth, blame.get(pid) if depth else None, below[i])
        for i, (pid, depth) in enumerate(order)
    )
