"""Asks a watched server for a plan: what passed the guard, checked once more by the server's own catalogue, never more.

The transaction is read-only, limited in time and rolled back; nothing but pg_catalog is on its search path, so that
neither a function nor an operator of anybody else's can be meant. The server's words are not passed on: an error can
cite what stands in a table.
"""

import json
from collections.abc import Collection, Mapping, Sequence

import psycopg
from psycopg import sql
from psycopg.rows import TupleRow

from faena.core.engines.postgres.plans.allowed import FUNCTIONS
from faena.core.engines.postgres.plans.guard import Explainable, Relation, Unexplainable, explainable, runnable
from faena.core.engines.postgres.telling import quoted
from faena.core.errors import BadInput, SourceError, SourceRefused
from faena.sources.postgres.refusals import as_source_error
from faena.sources.postgres.source import Target

ESTIMATE_TIMEOUT_MS = 5_000
RUN_TIMEOUT_MS = 60_000
LOCK_TIMEOUT_MS = 500
MAX_VIEWS = 30  # looked into, views within views included

_RELATION = """
    SELECT n.nspname, c.relkind, c.oid,
           CASE WHEN c.relkind = 'v' THEN pg_get_viewdef(c.oid) END,
           ARRAY(SELECT attname FROM pg_attribute WHERE attrelid = c.oid AND attnum > 0 AND NOT attisdropped),
           c.relkind = 'p' AND EXISTS (SELECT FROM pg_partition_tree(c.oid) t JOIN pg_class f ON f.oid = t.relid WHERE f.relkind = 'f'),
           EXISTS (SELECT FROM pg_policy p JOIN pg_depend d ON d.classid = 'pg_policy'::regclass AND d.objid = p.oid
                   WHERE p.polrelid = c.oid AND d.refclassid = 'pg_proc'::regclass)
      FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace WHERE c.oid = to_regclass(%s)"""
# Functions that are not the server's own from the first start on, or volatile; and those that are not there at all.
_FUNCTIONS = """
    SELECT w.name FROM unnest(%s::text[]) AS w(name)
     WHERE NOT EXISTS (SELECT FROM pg_proc WHERE proname = w.name AND pronamespace = 'pg_catalog'::regnamespace)
        OR EXISTS (SELECT FROM pg_proc WHERE proname = w.name AND pronamespace = 'pg_catalog'::regnamespace
                                         AND (provolatile = 'v' OR oid >= 16384))"""
_FIELDS = """
    SELECT proname FROM pg_proc WHERE pronamespace = 'pg_catalog'::regnamespace AND pronargs = 1 AND proname = ANY(%s::text[])"""

# What an error says, in our words: those of the server can hold values of the table, or what stands in a file.
_SAID = {
    "42P01": "a table of the statement is not there", "42703": "a column of the statement is not there",
    "42883": "a function or an operator is not there for these types, or is an extension's, which is not asked about",
    "42704": "a type is not there, or is an extension's, which is not asked about", "42601": "its syntax is not right",
    "42P18": "the type of a parameter is unknown", "42804": "two types do not fit together",
    "42803": "a column is neither in GROUP BY nor in an aggregate", "42725": "a function fits in more than one way",
    "42702": "a column could be meant in more than one way", "22P02": "a value is not of the type it is compared with",
    "25006": "it would change data, and only what reads is asked about",
}  # fmt: skip


def estimate(target: Target, statement: str, values: Sequence[str | None] | None, *, foreign: bool = False) -> str:
    """The plan in JSON without running it. `values` for its $n; None: the generic plan, made for no values in particular.

    `foreign`: tables of other servers may be asked about. Raises Unexplainable, BadInput, or SourceError.
    """
    return _ask(target, explainable(statement), values, run=False, foreign=foreign)


def measure(target: Target, statement: str, values: Sequence[str | None] | None, *, foreign: bool = False) -> str:
    """Run it once, measured step by step, without being able to write. Raises Unexplainable, BadInput, or SourceError."""
    found = runnable(statement)
    if found.places and values is None:
        raise BadInput(
            "a statement with parameters is run with values; choose an execution that has them", field="values"
        )
    return _ask(target, found, values, run=True, foreign=foreign)


def _ask(target: Target, what: Explainable, values: Sequence[str | None] | None, *, run: bool, foreign: bool) -> str:
    if values is not None and len(values) < what.places:
        raise BadInput(
            f"the statement has {what.places} parameters and {len(values)} values were given", field="values"
        )
    try:
        with psycopg.connect(target.conninfo()) as connection:
            connection.read_only = True
            try:
                return _explained(connection, what, values, run=run, foreign=foreign)
            finally:
                connection.rollback()
    except psycopg.errors.InsufficientPrivilege:
        if what.writes:
            raise SourceRefused(
                f"{target.where}: user {target.user!r} may not change a table of the statement, which even an estimate "
                "takes (42501)",
                remedy="ask for the plan of a SELECT with the same FROM and WHERE; it finds the rows the same way",
            ) from None
        raise SourceRefused(
            f"{target.where}: user {target.user!r} may not read a table of the statement (42501)",
            remedy=f"GRANT pg_read_all_data TO {quoted(target.user)};  -- from 14 on; before, GRANT SELECT on its tables",
        ) from None
    except (psycopg.errors.QueryCanceled, psycopg.errors.LockNotAvailable) as error:
        what_for = "took too long" if isinstance(error, psycopg.errors.QueryCanceled) else "had to wait for a lock"
        raise SourceError(
            f"{target.where}: asking {what_for} and was given up ({error.sqlstate})",
            remedy="nothing was changed; try at a quieter time",
        ) from None
    except (psycopg.ProgrammingError, psycopg.DataError, psycopg.NotSupportedError, psycopg.InternalError) as error:
        state = error.sqlstate or "no code"
        words = _SAID.get(state, "the server did not take it")
        raise BadInput(f"{target.where} does not take the statement: {words} ({state})", field="statement") from None
    except psycopg.OperationalError as error:
        raise as_source_error(error, target.where) from None


def _explained(
    connection: psycopg.Connection[TupleRow], what: Explainable, values: Sequence[str | None] | None, *, run: bool,
    foreign: bool,
) -> str:  # fmt: skip
    connection.execute(f"SET LOCAL statement_timeout = {RUN_TIMEOUT_MS if run else ESTIMATE_TIMEOUT_MS}")
    connection.execute(f"SET LOCAL lock_timeout = {LOCK_TIMEOUT_MS}")
    schemas = _checked(connection, what, foreign=foreign)
    connection.execute("SET LOCAL search_path = pg_catalog")
    text = what.text(schemas)
    generic = bool(what.places) and values is None
    options = "ANALYZE, BUFFERS, VERBOSE, SETTINGS, FORMAT JSON" if run else "VERBOSE, SETTINGS, FORMAT JSON"
    if not what.places:
        return _plan(connection, f"EXPLAIN ({options}) {text}")
    # Not EXPLAIN (GENERIC_PLAN): by the extended protocol a server wants values for its parameters even there.
    mode = "force_generic_plan" if generic else "force_custom_plan"
    connection.execute(f"SET LOCAL plan_cache_mode = {mode}".encode())
    _alone(connection, f"PREPARE faena_asked AS {text}")
    given = [None] * what.places if values is None else values[: what.places]
    literals = ", ".join("NULL" if one is None else sql.Literal(one).as_string(connection) for one in given)
    return _plan(connection, f"EXPLAIN ({options}) EXECUTE faena_asked ({literals})")


def _checked(connection: psycopg.Connection[TupleRow], what: Explainable, *, foreign: bool) -> Mapping[Relation, str]:
    """The schema of each table, found on the role's own path. Raises Unexplainable for what the server does not vouch for.

    A view stands for its definition, which goes through the same guard.
    """
    schemas: dict[Relation, str] = {}
    functions, fields, columns = set(what.functions), set(what.fields), set[str]()
    waiting, looked_into = list(what.relations), 0
    while waiting:
        relation = waiting.pop()
        if relation in schemas:
            continue
        found = connection.execute(_RELATION, [_quoted(connection, relation)]).fetchone()
        if found is None:
            raise Unexplainable(f"{relation.name} is not a table that is seen in this database")
        schema, kind, _, definition, named, foreign_parts, policies = found
        schemas[relation] = schema
        columns.update(one.lower() for one in (*named, schema, relation.name))
        if (kind == "f" and not foreign) or (foreign_parts and not foreign):
            raise Unexplainable(f"{relation.name} is a table of another server, which planning would call")
        if policies:
            raise Unexplainable(f"row security of {relation.name} calls functions that are not known to be harmless")
        if kind == "v":
            looked_into += 1
            inside = _inside(relation, definition, looked_into)
            functions |= inside.functions
            fields |= inside.fields
            waiting += inside.relations
        elif kind not in "rpmf":
            raise Unexplainable(f"{relation.name} is not a table")
    _refuse_functions(connection, functions, fields - columns)
    return schemas


def _inside(relation: Relation, definition: str, looked_into: int) -> Explainable:
    if looked_into > MAX_VIEWS:
        raise Unexplainable("these views use too many others to check")
    try:
        return explainable(definition)
    except Unexplainable as error:
        raise Unexplainable(f"the view {relation.name} cannot be vouched for: {error}") from None


def _refuse_functions(
    connection: psycopg.Connection[TupleRow], functions: Collection[str], fields: Collection[str]
) -> None:
    if found := connection.execute(_FUNCTIONS, [sorted(functions)]).fetchone():
        raise Unexplainable(
            f"{found[0]}() is not one of this server's own harmless functions, so it is not asked about"
        )
    for (name,) in connection.execute(_FIELDS, [sorted(fields)]).fetchall():
        if name not in FUNCTIONS:
            raise Unexplainable(f".{name} is no column, and could be a call of {name}(); it is not asked about")


def _quoted(connection: psycopg.Connection[TupleRow], relation: Relation) -> str:
    names = [relation.schema, relation.name] if relation.schema else [relation.name]
    return sql.Identifier(*names).as_string(connection)


def _alone(connection: psycopg.Connection[TupleRow], query: str) -> psycopg.Cursor[TupleRow]:
    """By the extended protocol, in which the server itself refuses a second statement."""
    cursor: psycopg.Cursor[TupleRow] = connection.cursor()
    return cursor.execute(query.encode(), binary=True)


def _plan(connection: psycopg.Connection[TupleRow], query: str) -> str:
    row = _alone(connection, query).fetchone()
    assert row is not None
    return row[0] if isinstance(row[0], str) else json.dumps(row[0])
