"""What a session can be told apart by, and the dictionary of every combination seen on a server.

A sample carries one small integer, its code; everything else it can be narrowed by stands once in the dictionary.
Narrowing is therefore a choice of codes, and no matter how many samples there are, it costs the same.
"""

from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
import numpy.typing as npt

from faena.core.labels import Labelled
from faena.core.readings import PREPARED, SessionSample
from faena.core.units import Pid, QueryId


class Dimension(Labelled):
    """The value is the word used in the API, in the URL and in exports."""

    KIND = "kind", "Wait kind"
    WAIT = "wait", "Wait event"
    STATEMENT = "statement", "Statement"
    TABLES = "tables", "Tables"
    PROGRAM = "program", "Program"
    ENDPOINT = "endpoint", "Endpoint"
    USER = "user", "User"
    CLIENT = "client", "Client host"
    DATABASE = "database", "Database"
    HELD_BY = "held_by", "Held by"
    BACKEND = "backend", "Process"


RUNNING = "running"  # value of KIND that is no wait
NOT_WAITING = "running"  # value of WAIT for a session that reports no wait
NO_STATEMENT = "none"  # value of STATEMENT where the server gave no identifier
NOBODY = "nobody"  # value of HELD_BY for a session that no other one blocks
NO_ENDPOINT = "unknown"  # value of ENDPOINT for a session whose request no trace has told


@dataclass(frozen=True, slots=True, kw_only=True)
class Combination:
    """One distinct set of dimension values, as the source told them. `held_by` names the root blocker's program.

    `endpoint` is that of the request a session works for; it is learned from traces, some time after the sample.
    """

    active: bool
    wait_type: str
    wait_event: str
    query_id: QueryId | None
    database: str
    user: str
    program: str
    client: str
    backend: str
    held_by: str
    endpoint: str = ""


def root_blocker(session: SessionSample, present: dict[Pid, SessionSample]) -> SessionSample | None:
    """Follow the first blocker of each waiting session to one that waits for nobody; None when nobody blocks.

    A circle (a deadlock not yet broken) ends at the first session met twice. A blocker that was not sampled
    (a prepared transaction, or one that ended meanwhile) ends the walk at the last session known.
    """
    met = {session.pid}
    last: SessionSample | None = None
    current = session
    while current.blocked_by:
        ahead = present.get(current.blocked_by[0])
        if ahead is None or ahead.pid in met:
            break
        met.add(ahead.pid)
        last = current = ahead
    return last


def combination_of(session: SessionSample, present: dict[Pid, SessionSample]) -> Combination:
    """The dictionary entry a sampled session belongs to."""
    root = root_blocker(session, present)
    held_by = root.program or root.user if root else ""
    if root is None and session.blocked_by:
        held_by = "prepared transaction" if session.blocked_by[0] == PREPARED else "not a session"
    return Combination(
        active=session.is_active,
        wait_type=session.wait_type,
        wait_event=session.wait_event,
        query_id=session.query_id,
        database=session.database,
        user=session.user,
        program=session.program,
        client=session.client,
        backend=session.backend,
        held_by=held_by,
        endpoint=session.endpoint,
    )


@dataclass(frozen=True, slots=True)
class Encoded:
    """One dimension of a dictionary: `names` of its values, and for each code the index of its value, (codes,) int32."""

    names: tuple[str, ...]
    ids: npt.NDArray[np.int32]


@dataclass(frozen=True)
class Dictionary:
    """All combinations of a server; index = code. `kinds` and `tables` are derived, one string per code.

    `behind` tells of each code whether such a wait ends when other sessions let go; empty: of none.

    Encodings are made once per dictionary and kept: with them, narrowing and ranking are arithmetic on arrays.
    """

    combinations: Sequence[Combination]
    kinds: Sequence[str]
    tables: Sequence[str]
    behind: Sequence[bool] = ()
    _encoded: dict[Dimension, Encoded] = field(default_factory=dict, repr=False, compare=False)

    def __len__(self) -> int:
        return len(self.combinations)

    @cached_property
    def active(self) -> npt.NDArray[np.bool_]:
        """True for the codes that are load; the others hold a transaction and idle."""
        return np.fromiter((c.active for c in self.combinations), dtype=np.bool_, count=len(self))

    @cached_property
    def held_up(self) -> npt.NDArray[np.bool_]:
        """True for the codes of active sessions that wait for other sessions."""
        behind = np.array(self.behind, dtype=np.bool_) if len(self.behind) else np.zeros(len(self), dtype=np.bool_)
        return behind & self.active

    def encoded(self, dimension: Dimension) -> Encoded:
        """The dimension as numbers; values in the order in which they were first seen."""
        found = self._encoded.get(dimension)
        if found is None:
            index: dict[str, int] = {}
            ids = [index.setdefault(value, len(index)) for value in self.values(dimension)]
            found = self._encoded[dimension] = Encoded(tuple(index), np.array(ids, dtype=np.int32))
        return found

    def values(self, dimension: Dimension) -> list[str]:
        """The value of one dimension for each code, in the form used in URLs."""
        if dimension is Dimension.KIND:
            return list(self.kinds)
        if dimension is Dimension.TABLES:
            return list(self.tables)
        return [value_of(c, dimension) for c in self.combinations]


def value_of(combination: Combination, dimension: Dimension) -> str:
    """The value of one stored dimension. KIND and TABLES are derived elsewhere and not found here."""
    match dimension:
        case Dimension.WAIT:
            return f"{combination.wait_type}:{combination.wait_event}" if combination.wait_type else NOT_WAITING
        case Dimension.STATEMENT:
            return NO_STATEMENT if combination.query_id is None else str(combination.query_id)
        case Dimension.PROGRAM:
            return combination.program
        case Dimension.USER:
            return combination.user
        case Dimension.CLIENT:
            return combination.client
        case Dimension.DATABASE:
            return combination.database
        case Dimension.HELD_BY:
            return combination.held_by or NOBODY
        case Dimension.ENDPOINT:
            return combination.endpoint or NO_ENDPOINT
        case Dimension.BACKEND:
            return combination.backend
        case Dimension.KIND | Dimension.TABLES:
            raise ValueError(f"{dimension} is derived, not stored in a combination")
