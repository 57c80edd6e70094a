"""Lock waits of a simulated server in detail, and what its log would tell of deadlocks."""

from collections.abc import Iterator, Sequence
from functools import lru_cache

import numpy as np

from faena.core.logged import EventKind, LogEvent
from faena.core.readings import LockEdge, LockFact, SessionSample
from faena.core.sql.names import table_changed_by
from faena.core.units import EpochMs, Pid, QueryId
from faena.sources.simulated.engine import Engine, Hour
from faena.sources.simulated.incidents import Deadlock, Retries, happenings
from faena.sources.simulated.lasting import DEADLOCK_PID, deadlock_seconds

WAITED_MS = 1000.3  # a server looks for a circle once somebody has waited for deadlock_timeout


def edges_of(sessions: Sequence[SessionSample], texts: dict[QueryId, str]) -> tuple[LockEdge, ...]:
    """Who waits for whose row, table or advisory lock, as the wait says."""
    return tuple(
        LockEdge(waiter=one.pid, blocker=blocker, fact=_fact(one, texts), waited_ms=one.statement_ms)
        for one in sessions
        for blocker in one.blocked_by
    )


def _fact(one: SessionSample, texts: dict[QueryId, str]) -> LockFact:
    table = _table_of(texts.get(one.query_id or QueryId(0), ""))
    if one.wait_event == "advisory":
        return LockFact(
            lock_type="advisory", object="advisory lock", mode_wanted="ExclusiveLock", mode_held="ExclusiveLock"
        )
    if one.wait_event == "relation":
        return LockFact(
            lock_type="relation", object=table, table=table, mode_wanted="RowExclusiveLock", mode_held="ShareLock"
        )
    return _row_of(table)


@lru_cache(maxsize=1024)  # a day has ten thousands of waits of the estate's few statements
def _table_of(text: str) -> str:
    return table_changed_by(text)


def _row_of(table: str) -> LockFact:
    return LockFact(
        lock_type="transactionid", object=f"row of {table}" if table else "end of a transaction", table=table,
        mode_wanted="ShareLock", mode_held="ExclusiveLock",
    )  # fmt: skip


def retry_events(engine: Engine, hour: Hour, first: int, last: int) -> Iterator[LogEvent]:
    """What the log tells of transactions that failed for each other in the seconds [first, last) of an hour."""
    since, until = EpochMs(hour.start + 1000 * first), EpochMs(hour.start + 1000 * last)
    for h in happenings(engine.incidents, engine.server.name, engine.anchor, since, until):
        if not isinstance(h.effect, Retries):
            continue
        one = engine.estate.statements[h.effect.retries]
        who = engine.estate.programs[one.program]
        begin, end = max(h.start, since) // 1000, min(h.end, until) // 1000
        counts = np.random.default_rng([h.start // 1000, begin]).poisson(h.effect.per_s, max(end - begin, 0))
        for second, many in zip(range(begin, end), counts.tolist(), strict=True):
            for place in range(many):
                yield LogEvent(
                    at=EpochMs(1000 * second + 10 * place), kind=EventKind.SERIALIZATION_FAILURE,
                    pid=Pid(2000 + place), place=place, severity="ERROR", sqlstate="40001",
                    message="could not serialize access due to read/write dependencies among transactions",
                    statement=one.text, query_id=one.query_id,
                    database=engine.server.group or engine.server.name, user=who.user, program=one.program,
                    client=who.hosts[place % len(who.hosts)],
                )  # fmt: skip


def deadlock_events(engine: Engine, hour: Hour, first: int, last: int) -> Iterator[LogEvent]:
    """What the log tells of the deadlocks in the seconds [first, last) of an hour, in the server's own words."""
    since, until = EpochMs(hour.start + 1000 * first), EpochMs(hour.start + 1000 * last)
    for h in happenings(engine.incidents, engine.server.name, engine.anchor, since, until):
        if not isinstance(h.effect, Deadlock):
            continue
        one, other = (engine.estate.statements[key] for key in h.effect.deadlock)
        who = engine.estate.programs[one.program]
        chance = np.random.default_rng([h.start // 1000, 3])
        for number, second in enumerate(deadlock_seconds(h, h.effect).tolist()):
            at = EpochMs(1000 * second + 900)
            row, transaction = chance.integers(1, 60), chance.integers(800_000, 900_000)
            if not since <= at < until:
                continue
            victim, survivor = DEADLOCK_PID + 2 * number, DEADLOCK_PID + 2 * number + 1
            detail = (
                f"Process {victim} waits for ShareLock on transaction {transaction + 1}; blocked by process {survivor}.\n"
                f"Process {survivor} waits for ShareLock on transaction {transaction}; blocked by process {victim}.\n"
                f"Process {victim}: {one.text}\nProcess {survivor}: {other.text}"
            )
            yield LogEvent(
                at=at, kind=EventKind.DEADLOCK, pid=Pid(victim), place=number, severity="ERROR", sqlstate="40P01",
                message="deadlock detected", detail=detail,
                context=f'while updating tuple ({row},{1 + number}) in relation "{table_changed_by(one.text)}"',
                statement=one.text, query_id=one.query_id, database=engine.server.group or engine.server.name,
                user=who.user, program=one.program, client=who.hosts[0], waited_ms=WAITED_MS,
            )  # fmt: skip
