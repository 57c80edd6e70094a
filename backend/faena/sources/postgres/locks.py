"""Reads the lock table when somebody waits, and never otherwise."""

import re
from collections.abc import Awaitable, Callable, Iterable, Mapping, Sequence
from dataclasses import replace
from typing import LiteralString, NamedTuple

from psycopg.rows import TupleRow

from faena.core.engines.postgres.locks.modes import REMEMBERED, SNAPSHOT
from faena.core.engines.postgres.locks.table import LockedThing, LockRow, Names, edges_of, relations_in
from faena.core.engines.postgres.waits.catalogue import SAFE_SNAPSHOT
from faena.core.errors import SourceError
from faena.core.locks.chains import to_blame, without_soft_circles
from faena.core.logged import EventKind, LogEvent
from faena.core.readings import LockEdge, LockFact, SessionSample
from faena.core.units import Pid
from faena.sources.postgres import queries
from faena.sources.postgres.queries import SessionRow

Ask = Callable[[LiteralString, Sequence[object] | None], Awaitable[list[TupleRow]]]
MAX_NAMES = 20_000
_RELATION = re.compile(r"relation (\d+) of database (\d+)")
FORGET_AFTER = 600  # readings after which names are learned anew: tables are renamed, and rarely


MOST_USES = 10  # of a reading of the lock table, against what the sessions do not show: advisory locks, for one


class _Kept(NamedTuple):
    """The lock table as it was told `at` a moment of the server's clock, for waits that are told apart by `of`."""

    of: frozenset[tuple[object, ...]]
    at: float
    rows: Sequence[LockRow]
    uses: int


def _later(row: LockRow, seconds: float) -> LockRow:
    """The same entry a while later."""
    return row if row.waited_ms is None else row._replace(waited_ms=row.waited_ms + int(seconds * 1000))


def for_snapshot(row: SessionRow) -> list[LockEdge]:
    """What stands in the way of a READ ONLY DEFERRABLE transaction; the lock table has nothing of such a wait."""
    fact = LockFact(lock_type=SNAPSHOT, object="safe snapshot", mode_wanted="", mode_held=REMEMBERED)
    return [LockEdge(waiter=Pid(row.pid), blocker=Pid(pid), fact=fact) for pid in dict.fromkeys(row.blocked_by or ())]


class LockReader:
    """Keeps the names it has learned. `quickly` asks the connection of samples, `slowly` the other one."""

    def __init__(self, quickly: Ask, slowly: Ask) -> None:
        self._quickly, self._slowly = quickly, slowly
        self._version = 0
        self._relations: dict[int, tuple[str, str]] = {}
        self._database: int | None = None
        self._readings = 0
        self._kept: _Kept | None = None

    def begin(self, version: int) -> None:
        """After connecting: another database may be behind the same address."""
        self._version, self._relations, self._database, self._readings, self._kept = version, {}, None, 0, None

    async def edges(self, sessions: Sequence[SessionRow]) -> list[LockEdge]:
        """Who stands in whose way, the sessions having the server's word on it. Without detail where it cannot be had."""
        edges = [edge for row in sessions if row.wait_event == SAFE_SNAPSHOT for edge in for_snapshot(row)]
        return edges + await self._for_locks([row for row in sessions if row.wait_event != SAFE_SNAPSHOT])

    async def _for_locks(self, sessions: Sequence[SessionRow]) -> list[LockEdge]:
        waiting = {Pid(row.pid): row.blocked_by for row in sessions if row.blocked_by}
        if not waiting:
            return []
        leaders = {row.pid: row.leader for row in sessions if row.leader}
        try:
            rows = await self._lock_table(sessions, waiting, leaders)
            prepared: dict[int, str] = {}
            if any(pid == 0 for blockers in waiting.values() for pid in blockers):
                prepared = dict(await self._quickly(queries.PREPARED, None))
            names = Names(relations=await self._names(rows), prepared=prepared, database=self._database)
        except SourceError:  # waiting for the lock table must not cost the sample; the next one has it again
            return [
                LockEdge(waiter=waiter, blocker=Pid(pid or -1), fact=LockFact())
                for waiter, blockers in waiting.items()
                for pid in dict.fromkeys(blockers)
            ]
        return edges_of(rows, waiting, leaders, names)

    async def _lock_table(
        self, sessions: Sequence[SessionRow], waiting: Mapping[Pid, Sequence[int]], leaders: Mapping[int, int]
    ) -> Sequence[LockRow]:
        """What concerns those who wait, asked anew when somebody else waits, or for something else.

        A wait ends no sooner than the transaction in its way, so while the same statements wait behind the same
        transactions the lock table says the same. It costs the server as much as the rest of a sample.
        """
        involved = {*waiting, *(pid for blockers in waiting.values() for pid in blockers if pid)}
        # Those the server names are leaders; what their workers hold stands under the workers' own pids.
        involved |= {worker for worker, leader in leaders.items() if leader in involved}
        now = max(row.now for row in sessions)
        same = frozenset(
            (row.pid, row.started_s, row.transaction_at)
            + ((row.statement_at, row.wait_event, *row.blocked_by) if row.blocked_by else ())
            for row in sessions
            if row.pid in involved
        )
        kept = self._kept
        if kept is not None and kept.of == same and kept.uses < MOST_USES:
            self._kept = kept._replace(uses=kept.uses + 1)
            return [_later(row, now - kept.at) for row in kept.rows]
        told = await self._quickly(queries.locks(self._version), [sorted(involved)])
        rows = [LockRow(row[0], LockedThing(*row[1:11]), row[11] or "", row[12], row[13], row[14]) for row in told]
        whole = waiting.keys() <= {row.pid for row in rows if not row.granted}
        self._kept = _Kept(same, now, rows, 0) if whole else None  # else something was let go in between
        return rows

    async def _names(self, rows: Iterable[LockRow]) -> Mapping[int, tuple[str, str]]:
        self._readings += 1
        if self._readings % FORGET_AFTER == 0 or len(self._relations) > MAX_NAMES:
            self._relations = {}
        return await self._learned(relations_in(rows))

    async def _learned(self, wanted: set[int]) -> Mapping[int, tuple[str, str]]:
        unknown = wanted - self._relations.keys()
        if self._database is None:
            ((self._database,),) = await self._slowly(queries.DATABASE, None)
        if unknown:
            found = await self._slowly(queries.RELATIONS, [sorted(unknown)])
            self._relations.update({oid: (name, of) for oid, name, of in found})
        return self._relations

    async def with_names(self, event: LogEvent) -> LogEvent:
        """A deadlock with the names of the relations it tells by number; of another database they are not known."""
        if event.kind is not EventKind.DEADLOCK:
            return event
        numbers = {int(oid) for oid, database in _RELATION.findall(event.detail) if not self._elsewhere(int(database))}
        try:
            names = await self._learned(numbers)
        except SourceError:
            return event
        return event._replace(
            names=tuple((oid, names[oid][1] or names[oid][0]) for oid in sorted(numbers & names.keys()))
        )

    def _elsewhere(self, database: int) -> bool:
        return self._database is not None and database != self._database


def in_order_of_blame(sessions: Sequence[SessionSample], edges: Sequence[LockEdge]) -> list[SessionSample]:
    """The sessions, with whoever is to blame first of all first among those that block each.

    Nobody is to blame where the server only has to change the order of a line; see `without_soft_circles`.
    """
    blame = to_blame(edges, {one.pid: one for one in sessions})
    kept = without_soft_circles(blame)
    return [
        replace(one, blocked_by=tuple(dict.fromkeys((kept[one.pid].blocker, *one.blocked_by))))
        if one.pid in kept
        else replace(one, blocked_by=())
        if one.pid in blame
        else one
        for one in sessions
    ]
