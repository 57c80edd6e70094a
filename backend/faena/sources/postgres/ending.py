"""Ends a statement or a session on a watched server, and looks what became of those who waited behind it."""

import time
from collections.abc import Mapping, Sequence
from typing import LiteralString

import psycopg
from psycopg.rows import TupleRow

from faena.core.engines.inquiry import Ended, Ending
from faena.core.engines.postgres.telling import quoted
from faena.core.errors import SourceRefused
from faena.sources.postgres.queries import OWN_NAME
from faena.sources.postgres.refusals import as_source_error
from faena.sources.postgres.source import Target

LOOK_FOR_S = 5.0  # how long the effect is waited for
LOOK_EVERY_S = 0.1

_WHO: LiteralString = """
    SELECT backend_type, application_name, date_part('epoch', backend_start)::bigint, state,
           coalesce(date_part('epoch', query_start), 0)::float8,
           coalesce(1000 * date_part('epoch', clock_timestamp() - query_start), 0)::float8
      FROM pg_stat_activity WHERE pid = %s"""
# Not by its wait event, which is gone for a moment while a waiter looks for a deadlock: it would be told as not waiting.
_BEHIND: LiteralString = "SELECT pid, pg_blocking_pids(pid) FROM pg_stat_activity WHERE state = 'active'"
# One statement, so that the pid cannot become another session between the look and the deed.
_ONLY: LiteralString = """ FROM pg_stat_activity
    WHERE pid = %s AND date_part('epoch', backend_start)::bigint = %s AND backend_type = 'client backend'"""
_END: dict[str, LiteralString] = {
    # Nor can the statement become the next one, as far as its age tells them apart.
    "statement": "SELECT pg_cancel_backend(pid)"
    + _ONLY
    + " AND clock_timestamp() - query_start >= %s * interval '1 ms'",
    "session": "SELECT pg_terminate_backend(pid)" + _ONLY,
}


def end(target: Target, pid: int, started_s: int, what: Ending, at_least_ms: int = 0) -> Ended:
    """End it. Raises SourceRefused when it is protected or no longer the same, and SourceError.

    `at_least_ms` is the age of the statement as it was seen: one that is younger now has begun since.
    """
    try:
        with psycopg.connect(target.conninfo(), autocommit=True) as connection:
            connection.execute("SET statement_timeout = 5000")
            began = _refuse(connection, target, pid, started_s, what, at_least_ms)
            before = _behind(connection, pid)
            age = (at_least_ms,) if what is Ending.STATEMENT else ()
            row = connection.execute(_END[what], (pid, started_s, *age)).fetchone()
            if row is None:
                raise SourceRefused(_OTHER.format(where=target.where, pid=pid), remedy=_AGAIN)
            done = bool(row[0]) and _gone(connection, pid, started_s, what, began)
            still = before & _behind(connection, pid)
    except psycopg.errors.InsufficientPrivilege as error:
        raise SourceRefused(
            f"{target.where}: {' '.join(str(error).split())}",
            remedy=f"GRANT pg_signal_backend TO {quoted(target.user)};  -- sessions of superusers only a superuser can end",
        ) from error
    except psycopg.Error as error:
        raise as_source_error(error, target.where) from error
    if not row[0]:
        return Ended(
            answer="the server could not send the signal: the session has just ended", done=False, freed=(), still=()
        )
    words = (
        f"the server ended the {what}" if done else f"the server was asked to end the {what}, and it has not ended yet"
    )
    return Ended(answer=words, done=done, freed=sorted(before - still), still=sorted(still))


_OTHER = "{where}: pid {pid} is another session by now, or none"
_AGAIN = "nothing was ended; look at the sessions again"


def _refuse(
    connection: psycopg.Connection[TupleRow], target: Target, pid: int, started_s: int, what: Ending, at_least_ms: int
) -> float:
    """Raises SourceRefused for what must not be ended. When its statement began, in seconds since 1970."""
    row = connection.execute(_WHO, (pid,)).fetchone()
    if row is None or row[2] != started_s:
        raise SourceRefused(_OTHER.format(where=target.where, pid=pid), remedy=_AGAIN)
    backend, program, _, state, began, age_ms = row
    if program == OWN_NAME:
        raise SourceRefused(f"pid {pid} is Faena's own connection, which is not ended from here", remedy="")
    if backend != "client backend":
        raise SourceRefused(f"pid {pid} is a {backend}; only sessions of clients are ended from here", remedy="")
    if what is Ending.STATEMENT and state is not None and state.startswith("idle"):
        raise SourceRefused(
            f"pid {pid} runs no statement, it is {state}", remedy="only ending the session lets its locks go"
        )
    if what is Ending.STATEMENT and age_ms < at_least_ms:
        raise SourceRefused(
            f"{target.where}: the statement of pid {pid} that was to be ended is over; it runs another one",
            remedy=_AGAIN,
        )
    return float(began)


def _blockers(connection: psycopg.Connection[TupleRow]) -> Mapping[int, Sequence[int]]:
    return {pid: blockers for pid, blockers in connection.execute(_BEHIND).fetchall() if blockers}


def _behind(connection: psycopg.Connection[TupleRow], pid: int) -> set[int]:
    """All who wait behind a session, at any distance."""
    blockers = _blockers(connection)
    found = {one for one, ahead in blockers.items() if pid in ahead}
    while more := {one for one, ahead in blockers.items() if one not in found and not found.isdisjoint(ahead)}:
        found |= more
    return found


def _gone(connection: psycopg.Connection[TupleRow], pid: int, started_s: int, what: Ending, began: float) -> bool:
    end = time.monotonic() + LOOK_FOR_S
    while True:
        row = connection.execute(_WHO, (pid,)).fetchone()
        if row is None or row[2] != started_s:
            return True
        if what is Ending.STATEMENT and (row[3] != "active" or row[4] != began):
            return True
        if time.monotonic() > end:
            return False
        time.sleep(LOOK_EVERY_S)
