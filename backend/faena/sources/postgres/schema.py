"""Reads tables, indexes, statistics and cost settings of the database that is connected to."""

from collections.abc import Sequence
from typing import Any, LiteralString

import psycopg
from psycopg.rows import DictRow, dict_row

from faena.core.plans.schema import (
    ColumnFacts,
    CostSettings,
    ForeignKey,
    IndexFacts,
    SchemaFacts,
    TableFacts,
)
from faena.core.units import EpochMs
from faena.sources.postgres.refusals import as_source_error
from faena.sources.postgres.source import Target

TIMEOUT_MS = 15_000
MAX_COMMON = 50  # most common values kept of a column; selectivities of rarer ones are alike anyway

_NOW: LiteralString = """
    SELECT current_database() AS database, (extract(epoch FROM clock_timestamp()) * 1000)::bigint AS at,
           (SELECT (extract(epoch FROM stats_reset) * 1000)::bigint FROM pg_stat_database
             WHERE datname = current_database()) AS counted_since"""
_COSTS: LiteralString = """
    SELECT name, setting FROM pg_settings
     WHERE name IN ('seq_page_cost', 'random_page_cost', 'cpu_tuple_cost', 'cpu_index_tuple_cost', 'cpu_operator_cost',
                    'effective_cache_size', 'block_size', 'server_version_num')"""
# Of a partitioned table its partitions, which have the rows.
_WANTED: LiteralString = """
    SELECT c.oid FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace
     WHERE c.relkind IN ('r', 'm') AND n.nspname !~ '^pg_' AND n.nspname <> 'information_schema'
       AND (%(names)s::text[] IS NULL OR c.relname = ANY(%(names)s) OR c.relispartition
            AND (SELECT r.relname FROM pg_class r WHERE r.oid = pg_partition_root(c.oid)) = ANY(%(names)s))"""
_TABLES: LiteralString = """
    SELECT c.oid, n.nspname, c.relname, greatest(c.reltuples, 0)::float8 AS rows, c.relpages::float8 AS pages, c.relallvisible::float8 AS visible,
           pg_table_size(c.oid) AS size, coalesce(s.n_tup_ins, 0) AS ins, coalesce(s.n_tup_upd, 0) AS upd,
           coalesce(s.n_tup_hot_upd, 0) AS hot, coalesce(s.n_tup_del, 0) AS del, coalesce(s.n_dead_tup, 0) AS dead,
           coalesce(s.n_mod_since_analyze, 0) AS changed,
           (extract(epoch FROM greatest(s.last_analyze, s.last_autoanalyze)) * 1000)::bigint AS analyzed,
           (extract(epoch FROM greatest(s.last_vacuum, s.last_autovacuum)) * 1000)::bigint AS vacuumed,
           CASE WHEN c.relispartition THEN (SELECT r.relname FROM pg_class r WHERE r.oid = pg_partition_root(c.oid)) END AS root
      FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace LEFT JOIN pg_stat_user_tables s ON s.relid = c.oid
     WHERE c.oid = ANY(%(tables)s::oid[])"""
_COLUMNS: LiteralString = """
    SELECT a.attrelid, a.attname, format_type(a.atttypid, a.atttypmod) AS type, coalesce(s.avg_width, 8) AS width,
           coalesce(s.null_frac, 0)::float8 AS nulls, coalesce(s.n_distinct, -1)::float8 AS distinct,
           s.most_common_vals::text::text[] AS common, s.most_common_freqs::float8[] AS freqs,
           s.histogram_bounds::text::text[] AS bounds, coalesce(s.correlation, 0)::float8 AS correlation
      FROM pg_attribute a JOIN pg_class c ON c.oid = a.attrelid JOIN pg_namespace n ON n.oid = c.relnamespace
      LEFT JOIN pg_stats s ON s.schemaname = n.nspname AND s.tablename = c.relname AND s.attname = a.attname
     WHERE a.attnum > 0 AND NOT a.attisdropped AND c.oid = ANY(%(tables)s::oid[])"""
_INDEXES: LiteralString = """
    SELECT i.indrelid, c.relname, am.amname, i.indisunique, i.indisprimary, i.indisvalid,
           EXISTS (SELECT FROM pg_constraint k WHERE k.conindid = i.indexrelid) AS bound,
           EXISTS (SELECT FROM pg_inherits h WHERE h.inhrelid = i.indexrelid) AS attached,
           coalesce(pg_get_expr(i.indpred, i.indrelid), '') AS predicate, i.indnkeyatts,
           ARRAY(SELECT pg_get_indexdef(i.indexrelid, k, true) FROM generate_series(1, i.indnatts) k) AS columns,
           ARRAY(SELECT i.indoption[k - 1] & 1 = 1 FROM generate_series(1, i.indnkeyatts) k) AS descending,
           ARRAY(SELECT concat_ws(' ',
                   CASE WHEN l.oid <> coalesce(a.attcollation, l.oid) THEN 'COLLATE ' || quote_ident(l.collname) END,
                   CASE WHEN NOT o.opcdefault THEN o.opcname END,
                   CASE i.indoption[k - 1] & 3 WHEN 2 THEN 'NULLS FIRST' WHEN 1 THEN 'NULLS LAST' END)
                   FROM generate_series(1, i.indnkeyatts) k JOIN pg_opclass o ON o.oid = i.indclass[k - 1]
                   LEFT JOIN pg_collation l ON l.oid = i.indcollation[k - 1]
                   LEFT JOIN pg_attribute a ON a.attrelid = i.indrelid AND a.attnum = i.indkey[k - 1]
                  ORDER BY k) AS traits,
           pg_relation_size(i.indexrelid) AS size, coalesce(s.idx_scan, 0) AS scans, pg_get_indexdef(i.indexrelid) AS ddl
      FROM pg_index i JOIN pg_class c ON c.oid = i.indexrelid JOIN pg_am am ON am.oid = c.relam
      LEFT JOIN pg_stat_user_indexes s ON s.indexrelid = i.indexrelid
     WHERE i.indrelid = ANY(%(tables)s::oid[])"""
_FOREIGN_KEYS: LiteralString = """
    SELECT k.conname, n.nspname, c.relname, f.relname AS target,
           ARRAY(SELECT a.attname::text FROM unnest(k.conkey) WITH ORDINALITY u(number, place)
                   JOIN pg_attribute a ON a.attrelid = k.conrelid AND a.attnum = u.number ORDER BY u.place) AS columns
      FROM pg_constraint k JOIN pg_class c ON c.oid = k.conrelid JOIN pg_namespace n ON n.oid = c.relnamespace
      JOIN pg_class f ON f.oid = k.confrelid
     WHERE k.contype = 'f' AND k.conrelid = ANY(%(tables)s::oid[])"""


def read_schema(target: Target, names: Sequence[str] | None = None) -> SchemaFacts:
    """Of all tables, or of those with these names in any schema. Statistics are there for tables one may read.

    One connection, a few seconds at most. Raises SourceError.
    """
    try:
        with psycopg.connect(target.conninfo(), row_factory=dict_row, autocommit=True) as connection:
            connection.execute(f"SET statement_timeout = {TIMEOUT_MS}")
            (now,) = connection.execute(_NOW).fetchall()
            costs = {row["name"]: row["setting"] for row in connection.execute(_COSTS).fetchall()}
            found = connection.execute(_WANTED, {"names": None if names is None else list(names)}).fetchall()
            wanted = {"tables": [row["oid"] for row in found]}
            tables = connection.execute(_TABLES, wanted).fetchall()
            columns = _grouped(connection.execute(_COLUMNS, wanted).fetchall(), "attrelid")
            indexes = _grouped(connection.execute(_INDEXES, wanted).fetchall(), "indrelid")
            keys = connection.execute(_FOREIGN_KEYS, wanted).fetchall()
    except psycopg.Error as error:
        raise as_source_error(error, target.where) from error
    since = None if now["counted_since"] is None else EpochMs(now["counted_since"])
    return SchemaFacts(
        at=EpochMs(now["at"]),
        database=now["database"],
        tables=[_table(row, columns.get(row["oid"], ()), indexes.get(row["oid"], ()), since) for row in tables],
        costs=_costs(costs),
        foreign_keys=[
            ForeignKey(
                name=one["conname"], schema=one["nspname"], table=one["relname"], columns=tuple(one["columns"]),
                references=one["target"],
            )
            for one in keys
        ],
    )  # fmt: skip


def _grouped(rows: Sequence[DictRow], by: str) -> dict[int, list[DictRow]]:
    found: dict[int, list[DictRow]] = {}
    for row in rows:
        found.setdefault(row[by], []).append(row)
    return found


def _costs(settings: dict[str, Any]) -> CostSettings:
    names = ("seq_page_cost", "random_page_cost", "cpu_tuple_cost", "cpu_index_tuple_cost", "cpu_operator_cost")
    return CostSettings(
        **{name: float(settings[name]) for name in names},
        effective_cache_pages=float(settings["effective_cache_size"]),  # the server counts it in pages
        block_size=int(settings["block_size"]),
        keeps_lists=int(settings["server_version_num"]) >= 130000,
    )


def _table(row: DictRow, columns: Sequence[DictRow], indexes: Sequence[DictRow], since: EpochMs | None) -> TableFacts:
    return TableFacts(
        schema=row["nspname"],
        name=row["relname"],
        rows=row["rows"],
        pages=row["pages"],
        visible_pages=row["visible"],
        size_bytes=row["size"],
        columns={one["attname"]: _column(one) for one in columns},
        indexes=[_index(one) for one in indexes],
        inserted=row["ins"],
        updated=row["upd"],
        updated_in_place=row["hot"],
        deleted=row["del"],
        dead=row["dead"],
        changed_since_analyze=row["changed"],
        analyzed_at=None if row["analyzed"] is None else EpochMs(row["analyzed"]),
        vacuumed_at=None if row["vacuumed"] is None else EpochMs(row["vacuumed"]),
        counted_since=since,
        partition_of=row["root"] or "",
    )


def _column(row: DictRow) -> ColumnFacts:
    common = dict(zip((row["common"] or [])[:MAX_COMMON], row["freqs"] or [], strict=False))
    return ColumnFacts(
        name=row["attname"],
        type=row["type"],
        width=row["width"],
        null_share=row["nulls"],
        distinct=row["distinct"],
        common=common,
        bounds=row["bounds"] or (),
        correlation=row["correlation"],
    )


def _index(row: DictRow) -> IndexFacts:
    keys = row["indnkeyatts"]
    return IndexFacts(
        name=row["relname"],
        columns=tuple(row["columns"][:keys]),
        descending=tuple(row["descending"]),
        traits=tuple(row["traits"]),
        included=tuple(row["columns"][keys:]),
        predicate=row["predicate"],
        method=row["amname"],
        unique=row["indisunique"],
        primary=row["indisprimary"],
        constraint=row["bound"],
        attached=row["attached"],
        valid=row["indisvalid"],
        size_bytes=row["size"],
        scans=row["scans"],
        definition=row["ddl"],
    )
