"""Records that a server's log yields: single executions with their plans, and what went wrong."""

from dataclasses import dataclass
from typing import NamedTuple

from faena.core.labels import Labelled
from faena.core.units import EpochMs, Pid, QueryId


@dataclass(frozen=True, slots=True)
class LogPosition:
    """How far a log was read: `offset` bytes of the file `name`.

    `tail` is a digest of what stood just before the offset: a file that was emptied, or copied away and begun anew, and
    grew past the offset again does not have it any more. A digest, since this is stored and a log holds literals.
    """

    name: str
    offset: int
    tail: bytes = b""


class Execution(NamedTuple):
    """One execution of a statement, as its server logged it. It ran from `ended - took_ms` to `ended`.

    A tuple, because a log yields hundreds of thousands a second and a frozen dataclass takes three times as long to make.

    A phase is None where the server did not log it: it logs each phase that passes its threshold. `took_ms` is the sum
    of those it did. `place` tells entries of the same session and millisecond apart, and is the same when the same log
    is read again.
    """

    ended: EpochMs
    took_ms: float
    pid: Pid
    place: int
    statement: str = ""  # as it was run, literals and all
    query_id: QueryId | None = None
    parameters: str = ""
    database: str = ""
    user: str = ""
    program: str = ""
    client: str = ""
    parse_ms: float | None = None
    bind_ms: float | None = None
    execute_ms: float | None = None
    temp_bytes: int = 0
    plan: str = ""  # as auto_explain wrote it
    weight: float = 1.0  # executions that this one stands for, where only a sample is logged

    @property
    def started(self) -> EpochMs:
        """When it began: it is placed over the time it ran, not at the time it ended."""
        return EpochMs(round(self.ended - self.took_ms))


@dataclass(frozen=True, slots=True, kw_only=True)
class CaptureRules:
    """Which executions are kept of a log, and how much of them.

    All that took `slow_ms` or more, and of the others the share `fast_share`, chosen by chance. Statements as they were
    run, their parameters, and the literals in plans are kept with `parameters` only: they can be personal data.
    """

    slow_ms: float = 1000.0
    fast_share: float = 0.01
    parameters: bool = False


class EventKind(Labelled):
    """What a log tells beside executions."""

    ERROR = "error", "other errors"
    LOCK_WAIT = "lock_wait", "lock waits"
    TIMEOUT = "timeout", "timeouts"
    CANCEL = "cancel", "cancelled"
    DEADLOCK = "deadlock", "deadlocks"
    SERIALIZATION_FAILURE = "serialization_failure", "serialization failures"
    CONNECTION_REFUSED = "connection_refused", "refused connections"
    OUT_OF_SPACE = "out_of_space", "out of disk"
    TEMP_FILE = "temp_file", "temporary files"  # of a statement that did not end in the log
    CRASH = "crash", "crashes"


class LogEvent(NamedTuple):
    """Something the server logged that is no execution."""

    at: EpochMs
    kind: EventKind
    pid: Pid
    place: int
    severity: str
    sqlstate: str
    message: str
    detail: str = ""
    context: str = ""
    statement: str = ""
    query_id: QueryId | None = None
    database: str = ""
    user: str = ""
    program: str = ""
    client: str = ""
    waited_ms: float | None = None
    names: tuple[tuple[int, str], ...] = ()  # of relations that the texts mention by number, where the server was asked


@dataclass(frozen=True, slots=True)
class LogReading:
    """What was new in a log. `behind` bytes wait to be read; `unreadable` entries were passed over."""

    position: LogPosition
    executions: tuple[Execution, ...] = ()
    events: tuple[LogEvent, ...] = ()
    unreadable: int = 0
    behind: int = 0
    broken: str = ""  # why what is read does not continue what was read before
