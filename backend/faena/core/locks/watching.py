"""Chains summed up over a watch: tick after tick goes in, who cost how much comes out."""

from collections.abc import Callable, Mapping, Sequence, Set
from dataclasses import dataclass, field

from faena.core.locks.chains import Chain, Link, RootState, chains_at, root_state
from faena.core.readings import LockEdge, SampleReading, SessionSample, Via
from faena.core.units import Pid


@dataclass(frozen=True, slots=True)
class SeenEdge:
    """An edge with the sessions at its ends as they were when it was last seen; None: not sampled."""

    edge: LockEdge
    waiter: SessionSample | None
    blocker: SessionSample | None


@dataclass(slots=True)
class SeenChain:
    """One root over a watch. `lost_s` are the session-seconds that others waited behind it: 0 where another is to blame."""

    root: Link
    gid: str
    state: RootState
    lost_s: float = 0.0
    edges: dict[tuple[Pid, Pid, str], SeenEdge] = field(default_factory=dict)


@dataclass(slots=True)
class ChainWatch:
    """Give it readings in order of time. `behind_sessions` is the engine's word on which waits others end."""

    behind_sessions: Callable[[str, str], bool]
    chains: dict[tuple[Pid, int, str], SeenChain] = field(default_factory=dict)
    total_s: float = 0.0

    def take(self, reading: SampleReading, seconds: float) -> None:
        """One reading, which stands for so many seconds."""
        present = {session.pid: session for session in reading.sessions}
        roots = set[tuple[Pid, str]]()
        for chain in chains_at(reading.sessions, reading.edges):
            self.total_s += seconds * self._waiting(chain)
            started = chain.root.session.started_s if chain.root.session else 0
            seen = self.chains.setdefault(
                (chain.root.pid, started, chain.gid), SeenChain(chain.root, chain.gid, chain.state)
            )
            seen.root, seen.state = chain.root, chain.state
            roots.add((chain.root.pid, chain.gid))
            seen.lost_s += seconds * self._waiting(chain)
            members = {link.pid for link in chain.links}
            for edge in reading.edges:
                if edge.waiter in members:
                    key = (edge.waiter, edge.blocker, edge.fact.object)
                    seen.edges[key] = SeenEdge(edge, present.get(edge.waiter), present.get(edge.blocker))

        self._others(reading, present, roots)

    def _others(
        self, reading: SampleReading, present: Mapping[Pid, SessionSample], roots: Set[tuple[Pid, str]]
    ) -> None:
        """All who hold what somebody waits for and wait for nobody themselves: roots, too, though the time is put down to one."""
        waiting = {edge.waiter for edge in reading.edges}
        for edge in reading.edges:
            pid, gid = edge.blocker, edge.fact.gid
            if edge.fact.via is not Via.HOLDER or pid in waiting or (pid, gid) in roots:
                continue
            session = present.get(pid)
            root = Link(session, pid, 0, None, 0)
            started = session.started_s if session else 0
            seen = self.chains.setdefault((pid, started, gid), SeenChain(root, gid, root_state(session, pid)))
            seen.root, seen.state = root, root_state(session, pid)
            key = (edge.waiter, edge.blocker, edge.fact.object)
            seen.edges[key] = SeenEdge(edge, present.get(edge.waiter), session)

    def worst_first(self) -> Sequence[SeenChain]:
        """Chains by the time they cost."""
        return sorted(self.chains.values(), key=lambda one: (-one.lost_s, one.root.pid))

    def _waiting(self, chain: Chain) -> int:
        """Members that wait for a lock; of a circle the root does, too, and so does one that is first in a line."""
        root = chain.root.session
        return chain.waiting + (
            chain.state is RootState.CIRCLE
            or (root is not None and self.behind_sessions(root.wait_type, root.wait_event))
        )
