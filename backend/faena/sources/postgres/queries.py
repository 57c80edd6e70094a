"""Named SQL, one place, with what differs between server versions."""

from typing import LiteralString, NamedTuple

from faena.core.readings import UNKNOWN_AGE
from faena.core.requests.context import TRACEPARENT

OLDEST = 120000


class SessionRow(NamedTuple):
    """What `sample` asks of a session. `statement_at`, `transaction_at` and `now` are the server's clock, in seconds."""

    pid: int
    started_s: int | None
    state: str | None
    wait_type: str | None
    wait_event: str | None
    database: int
    user: int
    program: str | None
    client: str | None
    backend: str | None
    blocked_by: list[int] | None
    transaction_at: float | None
    statement_at: float | None
    leader: int | None
    query_id: int | None
    text: str | None
    context: str | None
    now: float
    allowed: bool  # whether our role may see what other sessions do; without it all but our own look idle

    def age_ms(self, since: float | None, late: float) -> int:
        """Milliseconds since a moment of the server's clock, so many before now; 0 for what began after that."""
        return UNKNOWN_AGE if since is None else max(0, int((self.now - since) * 1000 - late))


# Marks our own connections, so that they can be left out of what they measure.
OWN_NAME = "faena"


_CONTEXT: LiteralString = f"CASE WHEN strpos(query, 'traceparent') > 0 THEN substring(query FROM '{TRACEPARENT}') END"


def sample(version: int, *, only: bool = False) -> LiteralString:
    """Sessions that are active or hold a transaction, as `SessionRow` has them; blockers only of those that wait on a lock.

    From the function under pg_stat_activity: the view joins the names of databases and roles to every session, which
    costs a fifth more (bench/sampling.py), and those names hardly ever change.

    pg_blocking_pids takes all lock partitions for a moment, hence the CASE: a server without lock waits never pays.
    Background processes that sleep in their main loop (Activity) or pause to spread their work (Timeout) are left out:
    they are no load.
    Rights that are taken away while we watch would make the server look idle: then every session comes, and says so.
    The trace context that an application wrote into a comment is cut out by the server, so that texts need not come.
    Where there is no statement identifier the text comes along and is fingerprinted here: always before 14, and later
    for a session that waits before its statement is even analysed, as behind a table lock.
    """
    text: LiteralString = "left(query, 2000)"
    identity: LiteralString = (
        f"query_id, CASE WHEN query_id IS NULL AND state = 'active' THEN {text} END"
        if version >= 140000
        else f"NULL::bigint, {text}"
    )
    leader: LiteralString = "leader_pid" if version >= 130000 else "NULL::int"
    # Where only some are asked for, they are sessions that block: idle ones can, by a lock they took for good.
    which: LiteralString = (
        "pid = ANY(%s)"
        if only
        else """state IS DISTINCT FROM 'idle'  -- first, because it spares most rows the rest
           AND wait_event_type IS DISTINCT FROM 'Activity'
           AND application_name IS DISTINCT FROM 'faena'
           AND (state IS NOT NULL OR wait_event_type <> 'Timeout' OR NOT (SELECT may.see FROM may))"""
    )
    return f"""
        WITH may (see) AS (SELECT pg_has_role(current_user, 'pg_read_all_stats', 'USAGE'))
        SELECT pid, date_part('epoch', backend_start)::bigint, state, wait_event_type, wait_event, datid, usesysid,
               application_name, CASE WHEN client_addr IS NULL AND client_port = -1 THEN 'local'
                                      ELSE host(client_addr) END, backend_type,
               CASE WHEN wait_event_type = 'Lock' THEN pg_blocking_pids(pid)
                    WHEN wait_event = 'SafeSnapshot' THEN pg_safe_snapshot_blocking_pids(pid) END,
               date_part('epoch', xact_start), date_part('epoch', query_start),
               {leader},
               {identity}, {_CONTEXT},
               date_part('epoch', clock_timestamp()), (SELECT may.see FROM may)
          FROM pg_stat_get_activity(NULL)
         WHERE {which}"""


def locks(version: int) -> LiteralString:
    """The lock table, as far as it concerns those who wait and those in their way. Touches no catalogue."""
    since: LiteralString = (
        "(date_part('epoch', clock_timestamp() - waitstart) * 1000)::bigint" if version >= 140000 else "NULL::bigint"
    )
    return f"""
        SELECT pid, locktype, database, relation, page, tuple, virtualxid, transactionid::text::bigint, classid, objid,
               objsubid, virtualtransaction, mode, granted, {since}
          FROM pg_lock_status()
         WHERE NOT granted OR pid IS NULL OR pid = ANY(%s)"""


PREPARED: LiteralString = "SELECT transaction::text::bigint, gid FROM pg_prepared_xacts"
# Names of relations of the database that is connected to; of an index also its table's.
RELATIONS: LiteralString = """
    SELECT c.oid, CASE WHEN n.nspname = 'public' THEN c.relname ELSE n.nspname || '.' || c.relname END, coalesce(t.relname, '')
      FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace
      LEFT JOIN pg_index i ON i.indexrelid = c.oid LEFT JOIN pg_class t ON t.oid = i.indrelid
     WHERE c.oid = ANY(%s)"""
DATABASE: LiteralString = "SELECT oid FROM pg_database WHERE datname = current_database()"


# Names of databases and roles, learned when a number turns up that is not known yet.
DATABASES: LiteralString = "SELECT oid, datname FROM pg_database"
ROLES: LiteralString = "SELECT oid, rolname FROM pg_roles"


def counters(version: int) -> LiteralString:
    """Counters without texts: reading the texts would read the whole text file on the server each time."""
    planned = version >= 130000
    plan: LiteralString = "s.total_plan_time, s.wal_bytes" if planned else "0, 0"
    execution: LiteralString = "exec_time" if planned else "time"
    reads: LiteralString = (
        "s.shared_blk_read_time, s.shared_blk_write_time" if version >= 170000 else "s.blk_read_time, s.blk_write_time"
    )
    toplevel: LiteralString = "s.toplevel" if version >= 140000 else "true"
    since: LiteralString = "date_part('epoch', s.stats_since)" if version >= 170000 else "NULL::float8"
    return f"""
        SELECT s.queryid, d.datname, pg_get_userbyid(s.userid), {toplevel}, s.calls, s.total_{execution},
               s.mean_{execution}, s.stddev_{execution}, s.rows, {plan}, s.shared_blks_hit, s.shared_blks_read,
               s.shared_blks_dirtied, s.shared_blks_written, {reads}, s.temp_blks_read, s.temp_blks_written, {since}
          FROM pg_stat_statements(false) s LEFT JOIN pg_database d ON d.oid = s.dbid
         WHERE s.queryid IS NOT NULL AND s.calls > 0"""


def counters_state(version: int) -> LiteralString:
    """When the counters were reset, how many entries were evicted, when the server started; whether all can be seen."""
    if version >= 140000:
        return """
            SELECT (extract(epoch FROM pg_postmaster_start_time()) * 1000)::bigint,
                   (extract(epoch FROM stats_reset) * 1000)::bigint, dealloc,
                   pg_has_role(current_user, 'pg_read_all_stats', 'USAGE') FROM pg_stat_statements_info()"""
    return """
        SELECT (extract(epoch FROM pg_postmaster_start_time()) * 1000)::bigint, NULL::bigint, NULL::bigint,
               pg_has_role(current_user, 'pg_read_all_stats', 'USAGE')"""


TEXTS: LiteralString = """
    SELECT DISTINCT ON (queryid) queryid, left(query, 100000) FROM pg_stat_statements(true)
     WHERE queryid = ANY(%s) AND query IS NOT NULL"""

# Statements under way that the counters do not know yet: their text stands with literals, which the caller removes.
TEXTS_RUNNING: LiteralString = """
    SELECT DISTINCT ON (query_id) query_id, query FROM pg_stat_activity WHERE query_id = ANY(%s)"""

FACTS: LiteralString = """
    SELECT current_setting('server_version_num')::int, current_setting('server_version'),
           (extract(epoch FROM pg_postmaster_start_time()) * 1000)::bigint,
           current_setting('max_connections')::int, pg_is_in_recovery(),
           EXISTS (SELECT FROM pg_extension WHERE extname = 'pg_stat_statements'),
           pg_has_role(current_user, 'pg_read_all_stats', 'USAGE')"""

OWN_PROCESS: LiteralString = """
    SELECT pid, date_part('epoch', backend_start), current_setting('cluster_name')
      FROM pg_stat_get_activity(pg_backend_pid())"""
SETTINGS: LiteralString = """
    SELECT name, setting FROM pg_settings
     WHERE name IN ('compute_query_id', 'track_io_timing', 'shared_preload_libraries', 'track_activity_query_size',
                    'work_mem', 'hash_mem_multiplier', 'shared_buffers', 'log_destination', 'log_min_duration_statement',
                    'log_min_duration_sample', 'log_statement_sample_rate', 'log_line_prefix', 'log_directory',
                    'logging_collector', 'log_lock_waits', 'log_temp_files', 'log_timezone', 'auto_explain.log_min_duration',
                    'log_transaction_sample_rate')
       AND source NOT IN ('user', 'database', 'database user')  -- else it is our own role's, and no other's
    UNION ALL
    SELECT 'of_some', coalesce(json_agg(json_build_array(r.rolname, d.datname, split_part(one, '=', 1),
                                                         substr(one, strpos(one, '=') + 1)))::text, '[]')
      FROM pg_db_role_setting s CROSS JOIN unnest(s.setconfig) one
      LEFT JOIN pg_roles r ON r.oid = s.setrole LEFT JOIN pg_database d ON d.oid = s.setdatabase
     WHERE split_part(one, '=', 1) IN ('log_min_duration_statement', 'log_min_duration_sample',
                                       'log_statement_sample_rate', 'log_transaction_sample_rate')
    UNION ALL
    SELECT 'pending_restart', coalesce(string_agg(name, ', ' ORDER BY name), '') FROM pg_settings WHERE pending_restart"""


# Logs through the server: the names in its log directory, and a piece of one.
LOG_FILES: LiteralString = "SELECT name, size, extract(epoch FROM modification)::float8 FROM pg_ls_logdir()"
LOG_PIECE: LiteralString = "SELECT pg_read_binary_file(current_setting('log_directory') || '/' || %s, %s, %s, true)"

# Counts of all databases together, and how far a replica's replay is behind. A replica that has replayed all it
# received is not behind, however long ago the primary last wrote.
VITALS: LiteralString = """
    SELECT sum(numbackends)::int, sum(xact_commit)::float8, sum(xact_rollback)::float8, sum(deadlocks)::float8,
           sum(conflicts)::float8, sum(temp_bytes)::float8, sum(blks_read)::float8, sum(blks_hit)::float8,
           (SELECT sum(pg_database_size(oid))::bigint FROM pg_database),
           CASE WHEN NOT pg_is_in_recovery() THEN NULL
                WHEN pg_last_wal_receive_lsn() = pg_last_wal_replay_lsn() THEN 0
                ELSE (extract(epoch FROM now() - pg_last_xact_replay_timestamp()) * 1000)::float8 END,
           (SELECT max(age(datfrozenxid))::float8 FROM pg_database)
      FROM pg_stat_database"""


# Tables and indexes of the database that is connected to, without those of the system. Cumulative.
def size_of(function: LiteralString, relation: LiteralString) -> LiteralString:
    """The size of a relation without standing in line for it: to be measured it is locked, if only for reading.

    Of one that somebody wants for himself alone the pages are told that the server last counted.
    """
    return f"""CASE WHEN {relation} <> ALL (ARRAY(SELECT relation FROM pg_locks WHERE locktype = 'relation'
                                                     AND mode = 'AccessExclusiveLock' AND relation IS NOT NULL))
                THEN {function}({relation})
                ELSE (SELECT sized.relpages FROM pg_class sized WHERE sized.oid = {relation}) * current_setting('block_size')::bigint END"""


TABLES: LiteralString = f"""
    SELECT s.schemaname, s.relname, '', io.heap_blks_read::float8, io.heap_blks_hit::float8, s.seq_scan::float8,
           (s.seq_tup_read + coalesce(s.idx_tup_fetch, 0))::float8,
           (s.n_tup_ins + s.n_tup_upd + s.n_tup_del)::float8, {size_of("pg_table_size", "s.relid")}
      FROM pg_stat_user_tables s JOIN pg_statio_user_tables io USING (relid)
    UNION ALL
    SELECT i.schemaname, i.relname, i.indexrelname, io.idx_blks_read::float8, io.idx_blks_hit::float8,
           i.idx_scan::float8, i.idx_tup_read::float8, 0, {size_of("pg_relation_size", "i.indexrelid")}
      FROM pg_stat_user_indexes i JOIN pg_statio_user_indexes io USING (indexrelid)"""
