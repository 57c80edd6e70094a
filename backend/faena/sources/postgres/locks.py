"""Reads the lock table when somebody waits, and never otherwise."""

import re
from collections.abc import Awaitable, Callable, Iterable, Mapping, Sequence
from dataclasses import replace
from typing import LiteralString

from psycopg.rows import TupleRow

from faena.core.errors import SourceError
from faena.core.locks.chains import to_blame
from faena.core.locks.table import LockedThing, LockRow, Names, edges_of, relations_in
from faena.core.logged import EventKind, LogEvent
from faena.core.readings import LockEdge, LockFact, SessionSample
from faena.core.units import Pid
from faena.sources.postgres import queries

Ask = Callable[[LiteralString, Sequence[object] | None], Awaitable[list[TupleRow]]]
MAX_NAMES = 20_000
_RELATION = re.compile(r"relation (\d+) of database (\d+)")
FORGET_AFTER = 600  # readings after which names are learned anew: tables are renamed, and rarely


class LockReader:
    """Keeps the names it has learned. `quickly` asks the connection of samples, `slowly` the other one."""

    def __init__(self, quickly: Ask, slowly: Ask) -> None:
        self._quickly, self._slowly = quickly, slowly
        self._version = 0
        self._relations: dict[int, tuple[str, str]] = {}
        self._database: int | None = None
        self._readings = 0

    def begin(self, version: int) -> None:
        """After connecting: another database may be behind the same address."""
        self._version, self._relations, self._database, self._readings = version, {}, None, 0

    async def edges(self, waiting: Mapping[Pid, Sequence[int]], leaders: Mapping[int, int]) -> list[LockEdge]:
        """Who stands in whose way, `waiting` being the server's word on it. Without detail where it cannot be had."""
        try:
            involved = {*waiting, *(pid for blockers in waiting.values() for pid in blockers if pid)}
            # Those the server names are leaders; what their workers hold stands under the workers' own pids.
            involved |= {worker for worker, leader in leaders.items() if leader in involved}
            told = await self._quickly(queries.locks(self._version), [sorted(involved)])
            rows = [LockRow(row[0], LockedThing(*row[1:11]), row[11] or "", row[12], row[13], row[14]) for row in told]
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
    """The sessions, with whoever is to blame first of all first among those that block each."""
    blame = to_blame(edges, {one.pid: one for one in sessions})
    return [
        replace(one, blocked_by=tuple(dict.fromkeys((blame[one.pid].blocker, *one.blocked_by))))
        if one.pid in blame
        else one
        for one in sessions
    ]
