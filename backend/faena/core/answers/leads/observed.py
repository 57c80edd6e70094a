"""All that rules look at: what was seen of one server over one window, from the store or from watching it just now."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
import numpy.typing as npt

from faena.core.answers.leads.claim import Flags
from faena.core.engines.profile import Waits
from faena.core.findings import Finding
from faena.core.locks.history import Roots, roots_of
from faena.core.logged import LogEvent
from faena.core.plans.proposal import IndexProposal
from faena.core.plans.schema import IndexFacts
from faena.core.readings import LockEdge, ServerVitals, TableFigures
from faena.core.sampling.dimensions import Combination, Dictionary, Dimension
from faena.core.series.window import Window
from faena.core.sessions.frame import SessionFrame
from faena.core.statements.figures import StatementFigures
from faena.core.statements.followers import Match
from faena.core.units import QueryId
from faena.core.waits.kinds import WaitKind

Floats = npt.NDArray[np.float64]


@dataclass(frozen=True, slots=True, kw_only=True)
class PlanFacts:
    """What the plan of a statement tells: its cost as the planner has it, what is found, and indexes it would gain from."""

    cost: float
    findings: Sequence[Finding]
    proposals: Sequence[IndexProposal]
    whole: bool = True  # False: made for no values in particular, so that it may run by another
    indexes: Mapping[str, Sequence[IndexFacts]] = field(default_factory=dict)  # of its tables


@dataclass(frozen=True, slots=True, kw_only=True)
class UsualWork:
    """What a statement usually does in these hours: ms, blocks read and rows of a call, and calls a second.

    `blocks` are all that a call looks at, read from the disk or found in memory; None where that is not known.
    """

    ms: float
    reads: float
    rows: float
    blocks: float | None = None
    calls_s: float | None
    days: int


@dataclass(frozen=True, slots=True, kw_only=True)
class UsualSessions:
    """Sessions that usually run and wait in these hours, and the most that is usual; means over the window."""

    running: float
    running_high: float
    waiting: float
    waiting_high: float


@dataclass(frozen=True, slots=True, kw_only=True)
class PlanSwitch:
    """From `at` on a statement used another plan; both in a line."""

    at: int
    before: str
    after: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Horizon:
    """Who keeps dead rows from being removed: the oldest snapshot of all, and tables with many dead rows.

    `pid` None: a prepared transaction or a replication slot, whose name is `program`. `tables` are name, live and dead rows.
    """

    pid: int | None
    program: str
    what: str  # "idle in transaction", "active", "prepared transaction", "replication slot"
    query_id: QueryId | None
    age_ms: float
    tables: Sequence[tuple[str, float, float]]


@dataclass(frozen=True, slots=True, kw_only=True)
class RequestTrouble:
    """What was found of an endpoint's requests over the window: `kind` is the word of core/requests/findings.Found.

    `mean_ms` of a request, and the most that is usual in these hours, None where it is not known; `satisfaction` between 0 and 1.
    `share` of the endpoint's time is the layer or statement that was found; `statements` are those of the server that its requests
    run, those that took most time first, of which `repeated` was run again and again. `callee` is who is called most.
    """

    kind: str
    endpoint: str
    endpoint_id: int
    service: str
    detail: str
    requests: float
    mean_ms: float
    usual_most_ms: float | None
    satisfaction: float
    share: float
    database_share: float
    statements: Sequence[QueryId]
    repeated: QueryId | None
    callee: str


@dataclass(frozen=True, slots=True, kw_only=True)
class SharedDisk:
    """The disk of a server: how long a request takes, as it is and as is usual, ms; and another server that makes most
    of its requests, "" where none does, with its part of them."""

    latency_ms: float
    usual_ms: float | None
    neighbour: str
    share: float


@dataclass(frozen=True, kw_only=True)
class Observed:
    """One server over one window. What is None was not asked or cannot be told; an empty one was looked for and not found.

    `edges` are lock waits by tick of the frame. `work` are counters over `work_s` seconds of the window.
    """

    window: Window
    frame: SessionFrame
    dictionary: Dictionary
    waits: Waits
    past: bool = False  # the window ended a while ago: whoever was at fault may be gone
    cores: int | None = None
    edges: Mapping[int, Sequence[LockEdge]] = field(default_factory=dict)
    texts: Mapping[QueryId, str] = field(default_factory=dict)
    work: Mapping[QueryId, StatementFigures] = field(default_factory=dict)
    work_s: float = 0.0
    work_before: Mapping[QueryId, StatementFigures] = field(default_factory=dict)  # as long, just before the window
    plans: Mapping[QueryId, PlanFacts] = field(default_factory=dict)
    usual_work: Mapping[QueryId, UsualWork] = field(default_factory=dict)
    usual: UsualSessions | None = None
    switches: Mapping[QueryId, PlanSwitch] = field(default_factory=dict)
    disk: SharedDisk | None = None
    horizon: Horizon | None = None
    tables: Sequence[TableFigures] = ()  # what was read of each over the window; an index by itself is left out
    requests: Sequence[RequestTrouble] | None = None
    callers: Mapping[QueryId, str] = field(
        default_factory=dict
    )  # program of statements too quick to be sampled at work
    matches: Sequence[Match] = ()  # statements that ran as often as others returned rows
    vitals: ServerVitals | None = None
    events: Sequence[LogEvent] | None = None
    max_connections: int | None = None
    sessions_begun: float | None = None  # on the whole server, over the window
    newcomers: Mapping[tuple[str, str], int] = field(
        default_factory=dict
    )  # fresh sessions by program and client, idle or not
    memo: dict[str, object] = field(
        default_factory=dict, compare=False, repr=False
    )  # what several rules need, worked out once
    serializable: bool | None = None  # whether any session kept watch over what it read, as SERIALIZABLE does

    @property
    def ticks(self) -> int:
        return len(self.frame.tick_ms)

    @property
    def seconds(self) -> float:
        return self.window.length_ms / 1000

    @cached_property
    def tick_s(self) -> float:
        """What a tick stands for: the time to the next one. What a gap hides is nobody's waiting."""
        if self.ticks < 2:
            return self.seconds if self.ticks else 0.0
        apart = float(np.median(np.diff(np.unique(self.frame.tick_ms)))) / 1000
        return min(apart, self.seconds / self.ticks)

    @cached_property
    def active(self) -> Flags:
        """(N,) samples that are load; the others hold a transaction and idle."""
        return self.dictionary.active[self.frame.code]

    @cached_property
    def blocked(self) -> Flags:
        """(N,) samples that wait for other sessions."""
        return self.dictionary.held_up[self.frame.code]

    @cached_property
    def roots(self) -> Roots:
        return roots_of(self.frame)

    def mean(self, mask: Flags) -> float:
        """Sessions a tick."""
        return float(mask.sum()) / self.ticks if self.ticks else 0.0

    def share(self, mask: Flags) -> float:
        """Of the load, between 0 and 1."""
        load = int(self.active.sum())
        return float((mask & self.active).sum()) / load if load else 0.0

    def part(self, mask: Flags) -> float:
        """Of the load that waits for no other session, 0 where there is none: what somebody blocks must not hide the rest."""
        free = int((self.active & ~self.blocked).sum())
        return float((mask & self.active).sum()) / free if free else 0.0

    @cached_property
    def load(self) -> float:
        """Mean active sessions."""
        return self.mean(self.active)

    def where(self, dimension: Dimension, *values: str) -> Flags:
        """(N,) samples that have one of these values."""
        encoded = self.dictionary.encoded(dimension)
        wanted = np.array([name in values for name in encoded.names], dtype=np.bool_)
        return wanted[encoded.ids][self.frame.code] if len(wanted) else np.zeros(len(self.frame.code), dtype=np.bool_)

    def of_kind(self, kind: WaitKind) -> Flags:
        """(N,) active samples of a kind of load."""
        return self.where(Dimension.KIND, kind.value) & self.active

    def ranked(self, dimension: Dimension, mask: Flags) -> list[tuple[str, int]]:
        """Values by their samples inside the mask, the most frequent first."""
        encoded = self.dictionary.encoded(dimension)
        counts = np.bincount(encoded.ids[self.frame.code[mask]], minlength=len(encoded.names))
        found = [(encoded.names[i], int(counts[i])) for i in np.flatnonzero(counts).tolist()]
        return sorted(found, key=lambda one: (-one[1], one[0]))

    def statements(self, mask: Flags) -> list[tuple[QueryId, int]]:
        """Statements by their samples inside the mask, the most frequent first; samples without one are left out."""
        return [(QueryId(int(v)), n) for v, n in self.ranked(Dimension.STATEMENT, mask) if v.lstrip("-").isdigit()]

    def of_statement(self, query_id: QueryId) -> Flags:
        """(N,) active samples of a statement."""
        return self.where(Dimension.STATEMENT, str(query_id)) & self.active

    def who(self, row: int) -> Combination:
        """What a sample is told apart by."""
        return self.dictionary.combinations[int(self.frame.code[row])]

    def text(self, query_id: QueryId | None) -> str:
        """Of a statement, "" where it is not known."""
        return self.texts.get(query_id, "") if query_id is not None else ""

    @cached_property
    def running_at(self) -> Floats:
        """(T,) sessions that run at each tick."""
        running = self.of_kind(WaitKind.RUNNING)
        return np.bincount(self.frame.tick[running], minlength=self.ticks).astype(np.float64)
