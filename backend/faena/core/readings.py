"""Records that a source yields. Nothing in here is computed; it is what a server said at a moment."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum
from typing import NamedTuple

import numpy as np
import numpy.typing as npt

from faena.core.privacy import Normalised
from faena.core.units import NOT_LATE, EpochMs, Millis, Pid, QueryId

PREPARED = Pid(-1)  # stands for a prepared transaction, which holds locks and has no session
UNKNOWN_AGE = -1  # an age the server did not tell, for instance of a statement it hides


@dataclass(frozen=True, slots=True, kw_only=True)
class SessionSample:
    """One session at one tick: running, waiting, or idle while it holds a transaction open."""

    pid: Pid
    started_s: int  # start of the session, seconds since 1970; tells apart two sessions that had the same pid
    state: str  # the server's own word: active, idle in transaction, ...
    wait_type: str = ""  # empty: the server reports no wait, so the session runs
    wait_event: str = ""
    query_id: QueryId | None = None
    database: str = ""
    user: str = ""
    program: str = ""  # application_name, or the kind of process when it is no client
    client: str = ""  # client address; "local" over a Unix socket
    backend: str = "client backend"
    blocked_by: tuple[Pid, ...] = ()  # the one to blame first comes first; PREPARED for a transaction without a session
    transaction_ms: int = UNKNOWN_AGE
    statement_ms: int = UNKNOWN_AGE
    leader: Pid | None = None  # of a parallel worker
    context: str = ""  # trace and span of its statement, as core/requests/context.py tells them; empty: none told
    endpoint: str = ""  # of the request it works for; no source tells it, samples learn it from traces

    @property
    def is_active(self) -> bool:
        """Active sessions make up load. One that idles inside a transaction holds things but is no load."""
        return self.state in ("active", "fastpath function call")


class Via(StrEnum):
    """How one session stands in another's way."""

    HOLDER = "holder"  # it holds a lock that conflicts
    QUEUE = "queue"  # it asked first for one that conflicts, and waits itself


@dataclass(frozen=True, slots=True, kw_only=True)
class LockFact:
    """What a lock wait is about. Modes and `lock_type` are the server's own words, `object` is in words and by name.

    `mode_held` is what the one in the way has on the object, "" nothing yet. All is "" where the server's lock table
    had changed before it was read.
    """

    lock_type: str = ""  # relation, tuple, transactionid, advisory …
    object: str = ""
    table: str = ""  # empty: none, or not known
    mode_wanted: str = ""
    mode_held: str = ""
    via: Via = Via.HOLDER
    gid: str = ""  # name of the prepared transaction that stands in the way


@dataclass(frozen=True, slots=True, kw_only=True)
class LockEdge:
    """At one tick: `waiter` waits, `blocker` stands in its way.

    `which` tells the object of `fact` from its like: a row's place, a key, a transaction. `waited_ms` for how long it has
    waited, UNKNOWN_AGE before version 14.
    """

    waiter: Pid
    blocker: Pid
    fact: LockFact
    which: str = ""
    waited_ms: int = UNKNOWN_AGE


ENDED = Pid(0)  # stands for processes that ended before they were looked at again


class ProcessBytes(NamedTuple):
    """What one process of a server read from the disks and wrote to them, in bytes. `backend` is its kind."""

    pid: Pid
    backend: str
    read: int
    written: int


@dataclass(frozen=True, slots=True, kw_only=True)
class DiskBytes:
    """What a server's processes moved in the `covers` before a sample; who moved nothing is left out.

    `resting` are sessions that moved bytes and rest at the sample: it is known whose they are, and not for which statement.
    """

    covers: Millis
    processes: tuple[ProcessBytes, ...]
    resting: tuple[SessionSample, ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class SampleReading:
    """All sessions of interest at one tick. `due` is the start of its period, `took` the time the answer needed.

    `late` is how long after it was asked, drawn by chance; ages are those at `due`. `edges` tell of the lock waits
    among them. `disk` is None where the server's processes cannot be looked at.
    """

    due: EpochMs
    took: Millis
    sessions: tuple[SessionSample, ...]
    edges: tuple[LockEdge, ...] = ()
    late: Millis = NOT_LATE
    disk: DiskBytes | None = None


# Cumulative figures of one statement, in the order of the columns of CounterReading.values.
COUNTER_FIELDS: tuple[str, ...] = (
    "calls",
    "total_ms",
    "sumsq_ms2",  # sum of squared execution times, so that any window's spread can be had by differences
    "rows",
    "plan_ms",
    "blocks_hit",
    "blocks_read",
    "blocks_dirtied",
    "blocks_written",
    "read_ms",
    "write_ms",
    "temp_read",
    "temp_written",
    "wal_bytes",
)


@dataclass(frozen=True, slots=True, kw_only=True, order=True)
class CounterKey:
    """Whose counter: PostgreSQL counts per statement, database, user and nesting."""

    query_id: QueryId
    database: str
    user: str
    toplevel: bool = True


@dataclass(frozen=True, slots=True, kw_only=True)
class CounterReading:
    """All statement counters at one moment, cumulative since `reset_at` or the entry's own first call."""

    at: EpochMs
    took: Millis
    server_started: EpochMs
    keys: tuple[CounterKey, ...]
    values: npt.NDArray[np.float64]  # shape (len(keys), len(COUNTER_FIELDS))
    reset_at: EpochMs | None = None  # None: the server's version does not tell
    evictions: int | None = None  # entries thrown out for want of room since reset; None: not told
    entry_since: npt.NDArray[np.float64] | None = None  # shape (len(keys),), when each began to count; None: not told


@dataclass(frozen=True, slots=True, kw_only=True)
class StatementText:
    """Text of a statement without its literals, learned once."""

    query_id: QueryId
    text: Normalised


class Processes(StrEnum):
    """Whether the collector can see what each process of a server reads from the disks and writes to them."""

    ELSEWHERE = "elsewhere"  # they run on another machine, or hidden from us in a container
    REFUSED = "refused"  # they run here, and belong to another account
    SEEN = "seen"


@dataclass(frozen=True, slots=True, kw_only=True)
class ServerFacts:
    """What a server says of itself on connecting."""

    version: int  # as the server counts: 150020 is 15.20
    version_text: str
    started: EpochMs
    max_connections: int
    settings: dict[str, str] = field(default_factory=dict)
    in_recovery: bool = False
    has_statement_counters: bool = True
    cores: int | None = None  # None: the server cannot tell; set by hand or by a host agent
    processes: Processes = Processes.ELSEWHERE
    product: str = "PostgreSQL"


def labels(sessions: Sequence[SessionSample]) -> dict[Pid, SessionSample]:
    """Sessions of one tick by pid, to look up who a blocker is."""
    return {session.pid: session for session in sessions}


@dataclass(frozen=True, slots=True, kw_only=True)
class HostFigures:
    """A machine over the `covers_ms` before `at`. Shares are of all cores, 0 to 1; rates are per second; sizes in bytes."""

    at: EpochMs
    covers_ms: int
    cores: int
    cpu_user: float
    cpu_system: float
    cpu_iowait: float
    cpu_steal: float
    memory_used: int
    memory_total: int
    disk_reads: float
    disk_writes: float
    disk_read_bytes: float
    disk_write_bytes: float
    disk_latency_ms: float | None  # mean of a request; None when there was none
    disk_queue: float  # mean requests in flight
    net_in_bytes: float
    net_out_bytes: float
    processes: tuple[dict[str, object], ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class ServerVitals:
    """A server's own counts over the `covers_ms` before `at`, and its sizes then. None where it does not tell."""

    at: EpochMs
    covers_ms: int
    connections: int
    size_bytes: int | None
    commits: float
    rollbacks: float
    deadlocks: float
    conflicts: float
    temp_bytes: float
    blocks_read: float
    blocks_hit: float
    lag_ms: float | None
    transaction_age: float | None = None  # of the oldest transaction id of any database, in transactions


@dataclass(frozen=True, slots=True, kw_only=True)
class TableFigures:
    """What was read and written of a table, or with `index` of one index of it, since the survey before."""

    table: str
    index: str
    blocks_read: float
    blocks_hit: float
    scans: float  # of a table: sequential ones
    rows_read: float
    rows_written: float
    size_bytes: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Catalogue:
    """What a server is made of, to find out what changed: by class, the traits of each object by its name.

    Classes: server, setting, role_setting, extension, replica, table, index. One that is missing was not asked or not
    answered; an empty one has no object. No class at all: everything is as it was told last. Secrets among values are
    left out at the source.
    """

    at: EpochMs
    objects: Mapping[str, Mapping[str, Mapping[str, str]]]


@dataclass(frozen=True, slots=True, kw_only=True)
class Survey:
    """What a server tells of itself now and then; each part None or empty where it does not."""

    at: EpochMs
    since: EpochMs | None = None  # the survey before; None: the first, whose counts say nothing yet
    vitals: ServerVitals | None = None
    tables: tuple[TableFigures, ...] = ()
    host: HostFigures | None = None
    catalogue: Catalogue | None = None  # only when it is not what it was at the last survey
