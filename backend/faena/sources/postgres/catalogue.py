"""What a server is made of, read without waiting for any lock: only catalogs are looked into, no definition is asked for."""

from collections.abc import Awaitable, Callable, Sequence
from dataclasses import replace
from typing import LiteralString

from psycopg.rows import TupleRow

from faena.core.errors import SourceError
from faena.core.readings import Catalogue
from faena.core.units import EpochMs

Ask = Callable[[LiteralString, Sequence[object] | None], Awaitable[list[TupleRow]]]
STALE_SHARE = 0.5  # of the rows changed since they were looked at: statistics say nothing about them any more
LEAST_ROWS = 10_000  # of a table, for its statistics to matter

SERVER: LiteralString = """
    SELECT current_setting('server_version'), (extract(epoch FROM pg_postmaster_start_time()) * 1000)::bigint::text,
           CASE WHEN pg_is_in_recovery() THEN 'replica' ELSE 'primary' END"""
# Those of our own session are of no interest, and values that may hold a secret are nobody's business.
SETTINGS: LiteralString = """
    SELECT name, setting || coalesce(' ' || unit, '') FROM pg_settings
     WHERE context <> 'internal' AND source NOT IN ('client', 'session', 'user', 'database', 'database user', 'interactive', 'test')
       AND name !~ '(conninfo|_command|passphrase|password|secret)'"""
ROLE_SETTINGS: LiteralString = """
    SELECT coalesce(r.rolname, 'all roles') || coalesce(' in ' || d.datname, '') || ': ' || split_part(one, '=', 1),
           substr(one, strpos(one, '=') + 1)
      FROM pg_db_role_setting s CROSS JOIN unnest(s.setconfig) one
      LEFT JOIN pg_roles r ON r.oid = s.setrole LEFT JOIN pg_database d ON d.oid = s.setdatabase
     WHERE one !~ '(conninfo|_command|passphrase|password|secret)[^=]*='"""
EXTENSIONS: LiteralString = "SELECT extname, extversion FROM pg_extension"
REPLICAS: LiteralString = """
    SELECT coalesce(nullif(application_name, ''), 'replica') || coalesce(' on ' || host(client_addr), ''), max(state)
      FROM pg_stat_replication WHERE state <> 'backup' GROUP BY 1"""
TABLES: LiteralString = """
    SELECT CASE WHEN n.nspname = 'public' THEN c.relname ELSE n.nspname || '.' || c.relname END, c.relfilenode::text,
           (SELECT coalesce(string_agg(a.attname || ' ' || format_type(a.atttypid, a.atttypmod)
                                       || CASE WHEN a.attnotnull THEN ' not null' ELSE '' END, ', ' ORDER BY a.attnum), '')
              FROM pg_attribute a WHERE a.attrelid = c.oid AND a.attnum > 0 AND NOT a.attisdropped),
           coalesce((extract(epoch FROM s.last_analyze) * 1000)::bigint::text, ''),
           coalesce((extract(epoch FROM s.last_autoanalyze) * 1000)::bigint::text, ''),
           c.reltuples::float8, s.n_live_tup::float8, s.n_mod_since_analyze::float8
      FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace
      LEFT JOIN pg_stat_all_tables s ON s.relid = c.oid
     WHERE c.relkind IN ('r', 'p', 'm') AND c.relpersistence <> 't'
       AND n.nspname NOT IN ('pg_catalog', 'information_schema') AND n.nspname NOT LIKE 'pg_toast%'
     ORDER BY c.reltuples DESC LIMIT 5000"""
# Names that REINDEX CONCURRENTLY gives for a while are left out: it ends in another file under the old name.
INDEXES: LiteralString = """
    SELECT CASE WHEN n.nspname = 'public' THEN i.relname ELSE n.nspname || '.' || i.relname END, i.relfilenode::text,
           CASE WHEN n.nspname = 'public' THEN t.relname ELSE n.nspname || '.' || t.relname END,
           x.indisvalid,
           CASE WHEN x.indisunique THEN 'unique ' ELSE '' END || m.amname || ' ('
           || (SELECT string_agg(coalesce(a.attname, 'expression'), ', ' ORDER BY k.at)
                 FROM unnest(x.indkey::int2[]) WITH ORDINALITY k(attnum, at)
                 LEFT JOIN pg_attribute a ON a.attrelid = x.indrelid AND a.attnum = k.attnum AND k.attnum > 0)
           || ')' || CASE WHEN x.indpred IS NULL THEN '' ELSE ' where …' END
      FROM pg_index x JOIN pg_class i ON i.oid = x.indexrelid JOIN pg_class t ON t.oid = x.indrelid
      JOIN pg_namespace n ON n.oid = i.relnamespace JOIN pg_am m ON m.oid = i.relam
     WHERE i.relpersistence <> 't' AND n.nspname NOT IN ('pg_catalog', 'information_schema')
       AND n.nspname NOT LIKE 'pg_toast%' AND i.relname !~ '_cc(new|old)[0-9]*$'
     ORDER BY t.reltuples DESC LIMIT 20000"""


async def read_catalogue(ask: Ask, at: EpochMs) -> Catalogue:
    """Of the database that is connected, and of the server. A part that may not be read is left out. Raises SourceAway."""
    objects: dict[str, dict[str, dict[str, str]]] = {}
    ((version, started, role),) = await ask(SERVER, None)
    objects["server"] = {"": {"version": version, "started": started, "role": role}}
    objects["setting"] = _values(await ask(SETTINGS, None))
    objects["role_setting"] = _values(await ask(ROLE_SETTINGS, None))
    objects["extension"] = _values(await ask(EXTENSIONS, None))
    objects["replica"] = _values(await ask(REPLICAS, None))
    objects["table"] = {name: _table(*rest) for name, *rest in await ask(TABLES, None)}
    objects["index"] = {
        name: {"file": file, "table": table, "valid": "yes" if valid else "", "written": written}
        for name, file, table, valid, written in await ask(INDEXES, None)
    }
    return Catalogue(at=at, objects=objects)


def _values(rows: Sequence[TupleRow]) -> dict[str, dict[str, str]]:
    return {name: {"value": value} for name, value in rows}


def _table(
    file: str, columns: str, analyzed: str, by_itself: str, counted: float, rows: float | None, changed: float | None
) -> dict[str, str]:
    told = "kept"
    if (rows or 0.0) >= LEAST_ROWS:
        if not analyzed and not by_itself and counted <= 0:
            told = "never gathered"
        elif (changed or 0.0) > STALE_SHARE * (rows or 0.0):
            told = "most rows changed since they were gathered"
    return {"file": file, "columns": columns, "analyzed": analyzed, "analyzed_by_itself": by_itself, "statistics": told}


class CatalogueReader:
    """Reads at each survey, and tells of all only where something differs from what it told last."""

    def __init__(self, ask: Ask) -> None:
        self._ask = ask
        self._told: Catalogue | None = None

    async def read(self, at: EpochMs) -> Catalogue | None:
        """No class where nothing changed; None where the server gave no answer in time. Raises SourceAway when it is gone."""
        try:
            found = await read_catalogue(self._ask, at)
        except SourceError as error:
            state = getattr(error.__cause__, "sqlstate", None) or ""
            if state[:2] in ("", "08", "57") and state != "57014":
                raise
            return None
        if self._told is not None and self._told.objects == found.objects:
            return replace(found, objects={})
        self._told = found
        return found
