"""Asks a watched server for a plan: in a transaction that is always rolled back, with time limits, one statement only."""

import json
from collections.abc import Sequence

import psycopg
from psycopg import sql
from psycopg.rows import TupleRow

from faena.core.errors import BadInput, SourceError, SourceRefused
from faena.core.plans.guard import Explainable, explainable, runnable
from faena.sources.postgres.source import Target, as_source_error

ESTIMATE_TIMEOUT_MS = 5_000
RUN_TIMEOUT_MS = 60_000
LOCK_TIMEOUT_MS = 500


def estimate(target: Target, statement: str, values: Sequence[str | None] | None) -> str:
    """The plan in JSON without running it. `values` for its $n; None: the generic plan, made for no values in particular.

    Raises Unexplainable, BadInput, or SourceError.
    """
    return _ask(target, explainable(statement), values, run=False)


def measure(target: Target, statement: str, values: Sequence[str | None] | None) -> str:
    """Run it once, measured step by step, and roll back. Raises Unexplainable, BadInput, or SourceError."""
    found = runnable(statement)
    if found.places and values is None:
        raise BadInput(
            "a statement with parameters is run with values; choose an execution that has them", field="values"
        )
    return _ask(target, found, values, run=True)


def _ask(target: Target, what: Explainable, values: Sequence[str | None] | None, *, run: bool) -> str:
    if values is not None and len(values) < what.places:
        raise BadInput(
            f"the statement has {what.places} parameters and {len(values)} values were given", field="values"
        )
    try:
        with psycopg.connect(target.conninfo()) as connection:
            try:
                return _explained(connection, what, values, run=run)
            finally:
                connection.rollback()
    except psycopg.errors.InsufficientPrivilege as error:
        raise SourceRefused(
            f"{target.where}: {_words(error)}",
            remedy=f'GRANT pg_read_all_data TO "{target.user}";  -- from 14 on; before, GRANT SELECT on its tables',
        ) from error
    except (psycopg.errors.QueryCanceled, psycopg.errors.LockNotAvailable) as error:
        raise SourceError(
            f"{target.where}: {_words(error)}", remedy="nothing was changed; try at a quieter time"
        ) from error
    except (psycopg.ProgrammingError, psycopg.DataError, psycopg.NotSupportedError) as error:
        raise BadInput(f"{target.where} does not take it: {_words(error)}", field="statement") from error
    except psycopg.Error as error:
        raise as_source_error(error, target.where) from error


def _explained(
    connection: psycopg.Connection[TupleRow], what: Explainable, values: Sequence[str | None] | None, *, run: bool
) -> str:
    if not (run and what.writes):
        connection.read_only = True
    connection.execute(f"SET LOCAL statement_timeout = {RUN_TIMEOUT_MS if run else ESTIMATE_TIMEOUT_MS}")
    connection.execute(f"SET LOCAL lock_timeout = {LOCK_TIMEOUT_MS}")
    generic = bool(what.places) and values is None
    options = "ANALYZE, BUFFERS, VERBOSE, SETTINGS, FORMAT JSON" if run else "VERBOSE, SETTINGS, FORMAT JSON"
    if not what.places:
        return _plan(connection, f"EXPLAIN ({options}) {what.text}")
    # Not EXPLAIN (GENERIC_PLAN): by the extended protocol a server wants values for its parameters even there.
    mode = "force_generic_plan" if generic else "force_custom_plan"
    connection.execute(f"SET LOCAL plan_cache_mode = {mode}".encode())
    _alone(connection, f"PREPARE faena_asked AS {what.text}")
    given = [None] * what.places if values is None else values[: what.places]
    literals = ", ".join("NULL" if one is None else sql.Literal(one).as_string(connection) for one in given)
    return _plan(connection, f"EXPLAIN ({options}) EXECUTE faena_asked ({literals})")


def _alone(connection: psycopg.Connection[TupleRow], query: str) -> psycopg.Cursor[TupleRow]:
    """By the extended protocol, in which the server itself refuses a second statement."""
    cursor: psycopg.Cursor[TupleRow] = connection.cursor()
    return cursor.execute(query.encode(), binary=True)


def _plan(connection: psycopg.Connection[TupleRow], query: str) -> str:
    row = _alone(connection, query).fetchone()
    assert row is not None
    return row[0] if isinstance(row[0], str) else json.dumps(row[0])


def _words(error: psycopg.Error) -> str:
    return " ".join(str(error).split())[:300]
