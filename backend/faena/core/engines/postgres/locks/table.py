"""From a server's lock table and its own word on who blocks whom to edges that a person can read."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from functools import lru_cache
from typing import NamedTuple

from faena.core.engines.postgres.locks.modes import conflict, strongest
from faena.core.readings import PREPARED, UNKNOWN_AGE, LockEdge, LockFact, Via
from faena.core.units import Pid


class LockedThing(NamedTuple):
    """What a lock is on: the columns of pg_locks that name it. None where they say nothing."""

    lock_type: str
    database: int | None = None
    relation: int | None = None
    page: int | None = None
    tuple: int | None = None
    virtualxid: str | None = None
    transaction: int | None = None
    classid: int | None = None
    objid: int | None = None
    objsubid: int | None = None


class LockRow(NamedTuple):
    """One entry of the lock table. `virtual` names the transaction it belongs to; `pid` None: a prepared one."""

    pid: int | None
    thing: LockedThing
    virtual: str
    mode: str
    granted: bool
    waited_ms: int | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Names:
    """What numbers stand for. `relations`: name and, for an index, the table it is on; `prepared`: gid by transaction."""

    relations: Mapping[int, tuple[str, str]] = field(default_factory=dict)
    prepared: Mapping[int, str] = field(default_factory=dict)
    database: int | None = None  # the one whose relations are known

    def relation(self, thing: LockedThing) -> tuple[str, str]:
        """In words, and the table; of a relation of another database its number is all there is."""
        found = self.relations.get(thing.relation or 0)
        if found is None or thing.database not in (None, 0, self.database):
            return f"relation {thing.relation}", ""
        name, of = found
        return (f"index {name}", of) if of else (f"table {name}", name)


def relations_in(rows: Iterable[LockRow]) -> set[int]:
    """Numbers of the relations whose names are wanted."""
    return {row.thing.relation for row in rows if row.thing.relation is not None}


def edges_of(
    rows: Sequence[LockRow], blocked_by: Mapping[Pid, Sequence[int]], leaders: Mapping[int, int], names: Names
) -> list[LockEdge]:
    """An edge for each waiter and each one in its way; `blocked_by` is the server's own word, 0 a prepared transaction.

    `leaders` maps parallel workers to their leader, under whose pid the server names them. A lock that was let go
    between the two questions leaves an edge without detail, never one that is made up.
    """
    waited = {row.pid: row for row in rows if not row.granted and row.pid is not None}
    on_thing: dict[LockedThing, dict[int, list[LockRow]]] = {}  # by who the server says it is
    of_session: dict[int, list[LockRow]] = {}
    for one in rows:
        owner = leaders.get(one.pid or 0, one.pid or 0)
        on_thing.setdefault(one.thing, {}).setdefault(owner, []).append(one)
        of_session.setdefault(one.pid or 0, []).append(one)
    found = []
    for waiter, blockers in blocked_by.items():
        row = waited.get(waiter)
        described = None if row is None else describe(row.thing, of_session[waiter], names)
        rivals = {} if row is None else on_thing[row.thing]
        for blocker in dict.fromkeys(blockers):
            pid = Pid(blocker or PREPARED)
            if row is None or described is None:
                found.append(LockEdge(waiter=waiter, blocker=pid, fact=LockFact()))
                continue
            fact = _fact(row, rivals.get(blocker, ()), described, blocker, names, of_session.get(0, ()))
            age = UNKNOWN_AGE if row.waited_ms is None else max(0, row.waited_ms)
            found.append(LockEdge(waiter=waiter, blocker=pid, fact=fact, which=described.which, waited_ms=age))
    return found


class Described(NamedTuple):
    """A locked thing: its kind and name in words, which one of them, and the table it belongs to; "" where not known."""

    words: str
    which: str = ""
    table: str = ""


def _fact(
    row: LockRow,
    of_blocker: Sequence[LockRow],
    described: Described,
    blocker: int,
    names: Names,
    of_prepared: Sequence[LockRow],
) -> LockFact:
    theirs = [one for one in of_blocker if one.pid != row.pid]
    held = [one for one in theirs if one.granted]
    in_the_way = [one for one in held if conflict(row.mode, one.mode)]
    gid = ""
    if blocker == 0 and held:
        gid = names.prepared.get(_prepared_transaction(held[0], of_prepared), "a prepared transaction")
    via = Via.HOLDER if in_the_way or not theirs else Via.QUEUE
    held_mode = strongest([one.mode for one in in_the_way or held]) if held else ""
    return _known_fact(row.thing.lock_type, described.words, described.table, row.mode, held_mode, via, gid)


@lru_cache(maxsize=4096)
def _known_fact(lock_type: str, words: str, table: str, wanted: str, held: str, via: Via, gid: str) -> LockFact:
    """A queue of hundreds has thousands of edges, and nearly all are about the same."""
    return LockFact(
        lock_type=lock_type, object=words, table=table, mode_wanted=wanted, mode_held=held, via=via, gid=gid
    )


def _prepared_transaction(row: LockRow, of_prepared: Sequence[LockRow]) -> int:
    """Its number is that of the one lock that every transaction holds on itself."""
    own = (one.thing.transaction for one in of_prepared if one.virtual == row.virtual and one.granted)
    return next((number for number in own if number is not None), 0)


def describe(thing: LockedThing, own: Sequence[LockRow], names: Names) -> Described:
    """What is waited for. `own` are the waiter's entries of the lock table.

    A row that another transaction has is waited for as that transaction's number. Which row it is shows where the
    waiter holds its place in the line for it; failing that, the one table it is changing, as where it inserts a key that
    another transaction has inserted.
    """
    match thing.lock_type:
        case "relation":
            words, table = names.relation(thing)
            return Described(words, "", table)
        case "tuple":
            return _row(thing, names)
        case "page":
            words, table = names.relation(thing)
            return Described(f"page of {words}", str(thing.page), table)
        case "extend":
            words, table = names.relation(thing)
            return Described(f"end of {words}", "", table)
        case "transactionid":
            return _row_behind(thing, own, names)
        case "virtualxid":
            return Described("end of a transaction", thing.virtualxid or "")
        case "advisory" | "userlock":
            return Described("advisory lock", _key(thing))
        case "spectoken":
            return Described("insertion by a transaction", str(thing.transaction or ""))
        case "object":
            return Described(f"object of class {thing.classid}", str(thing.objid))
    return Described(thing.lock_type)


def _row(thing: LockedThing, names: Names) -> Described:
    words, table = names.relation(thing)
    return Described(f"row of {words.removeprefix('table ')}", f"({thing.page},{thing.tuple})", table)


def _row_behind(thing: LockedThing, own: Sequence[LockRow], names: Names) -> Described:
    line = [row.thing for row in own if row.granted and row.thing.lock_type == "tuple"]
    if len(line) == 1:
        return _row(line[0], names)
    for mode in ("RowExclusiveLock", "RowShareLock"):
        told = [
            names.relation(row.thing)
            for row in own
            if row.granted and row.thing.lock_type == "relation" and row.mode == mode
        ]
        tables = {table for words, table in told if words.startswith("table ")}
        # A statement that inserts has its table's indexes locked while it runs, and only then.
        written = {table for words, table in told if words.startswith("index ")}
        if len(tables) > 1 and len(tables & written) == 1:
            tables &= written
        if len(tables) == 1:
            table = tables.pop()
            return Described(f"row of {table}", "", table)
    return Described("end of a transaction", str(thing.transaction or ""))


def _key(thing: LockedThing) -> str:
    """As it was given: one number, or two."""
    high, low = thing.classid or 0, thing.objid or 0
    if thing.objsubid == 2:
        return f"({high}, {low})"
    number = high << 32 | low
    return str(number - (1 << 64) if number >= 1 << 63 else number)
