"""Makes backend/tests/golden/versions: the same few plans and one log as each version of the server writes them.

    PYTHONPATH=demo python -m tidewrack.versioncorpus DSN FOLDER

For a fresh server that may be a superuser's; it leaves a database of its own behind.
"""

import json
import sys
from collections.abc import Iterator, Sequence
from pathlib import Path

import psycopg

SETUP = """
CREATE TABLE berth (id int PRIMARY KEY, name text) WITH (autovacuum_enabled = off);
CREATE TABLE passage (id int PRIMARY KEY, berth int REFERENCES berth, note text) WITH (autovacuum_enabled = off);
INSERT INTO berth SELECT i, md5(i::text) FROM generate_series(1, 300) i;
INSERT INTO passage SELECT i, i % 290 + 1, md5(i::text) FROM generate_series(1, 20000) i;
CREATE INDEX passage_berth ON passage (berth);
CREATE TABLE scan (at date, gate int) PARTITION BY RANGE (at);
CREATE TABLE scan_1 PARTITION OF scan FOR VALUES FROM ('2026-01-01') TO ('2026-02-01');
CREATE TABLE scan_2 PARTITION OF scan FOR VALUES FROM ('2026-02-01') TO ('2026-03-01');
INSERT INTO scan SELECT '2026-01-01'::date + i % 59, i % 5 FROM generate_series(1, 2000) i;
"""
# A plan that a version would not choose by itself.
CHOICE = {"repeated lookup": "SET LOCAL enable_hashjoin = off; SET LOCAL enable_mergejoin = off"}
STATEMENTS = {
    "scan": "SELECT * FROM passage WHERE note LIKE '%zz%'",
    "join": "SELECT p.note, b.name FROM passage p JOIN berth b ON b.id = p.berth WHERE b.name > 'm'",
    "repeated lookup": "SELECT p.id, b.name FROM passage p JOIN berth b ON b.id = p.berth WHERE p.id < 400",
    "bitmap": "SELECT * FROM passage WHERE berth = 5 OR berth = 9",
    "sort on disk": "SELECT * FROM passage ORDER BY note DESC, berth",
    "sort in steps": "SELECT * FROM passage ORDER BY berth, note LIMIT 50",
    "group": "SELECT berth, count(*) FROM passage GROUP BY berth HAVING count(*) > 1 ORDER BY 2",
    "init and sub plan": "SELECT b.name, (SELECT count(*) FROM passage p WHERE p.berth = b.id) FROM berth b "
    "WHERE b.id > (SELECT max(id) - 9 FROM berth)",
    "cte": "WITH late AS MATERIALIZED (SELECT * FROM passage WHERE berth > 100) SELECT a.id FROM late a JOIN late b ON a.id = b.id + 1",
    "pruned": "SELECT count(*) FROM scan WHERE at >= '2026-02-01' AND at < '2026-03-01'",
    "never": "SELECT * FROM berth b JOIN passage p ON p.berth = b.id WHERE b.id < 0",
    "window": "SELECT id, row_number() OVER (PARTITION BY berth ORDER BY id) FROM passage WHERE berth < 10",
    "update": "UPDATE passage SET note = 'y' WHERE id < 20",
    "insert with a trigger": "INSERT INTO passage SELECT 900000 + i, 1, 'n' FROM generate_series(1, 3) i",
    "quoted": """SELECT id AS "First -> Name" FROM passage WHERE note = $$a: b  (cost=1..2 rows=3 width=4)$$""",
}
FORMS = ("text", "json", "yaml", "xml")
SAME = "ANALYZE, TIMING OFF, BUFFERS OFF, SUMMARY OFF"  # nothing in it differs from one run to the next


def everything(version: int) -> str:
    """All that this version can tell at once."""
    options = ["ANALYZE", "BUFFERS", "VERBOSE", "SETTINGS"]
    return ", ".join(
        [*options, *(["WAL"] if version >= 130000 else []), *(["MEMORY", "SERIALIZE"] if version >= 170000 else [])]
    )


def main(arguments: Sequence[str]) -> int:
    dsn, folder = arguments[0], Path(arguments[1])
    with psycopg.connect(dsn, autocommit=True) as keeper:
        keeper.execute("DROP DATABASE IF EXISTS versions")
        keeper.execute("CREATE DATABASE versions")
    with psycopg.connect(dsn, autocommit=True, dbname="versions", application_name="corpus") as connection:
        connection.execute(SETUP.encode())
        connection.execute("VACUUM ANALYZE")
        connection.execute("SET max_parallel_workers_per_gather = 0; SET work_mem = '256kB'; SET jit = off")
        version = connection.info.server_version
        plans = {
            title: {
                "statement": statement,
                **{
                    form: explained(connection, statement, f"{SAME}, FORMAT {form}", CHOICE.get(title))
                    for form in FORMS
                },
                "everything": {
                    form: explained(connection, statement, f"{everything(version)}, FORMAT {form}", CHOICE.get(title))
                    for form in ("text", "json")
                },
            }
            for title, statement in STATEMENTS.items()
        }
        connection.execute(
            "SET max_parallel_workers_per_gather = 2; SET min_parallel_table_scan_size = 0; SET parallel_setup_cost = 0"
        )
        parallel = explained(
            connection, "SELECT count(*) FROM passage WHERE note > 'a'", f"{everything(version)}, FORMAT json"
        )
        log = dict(logs(connection))
    whole = {"version": version, "plans": plans, "parallel": parallel, "logs": log}
    (folder / f"{version // 10000}.json").write_text(json.dumps(whole, indent=1, ensure_ascii=False) + "\n")
    return 0


def explained(connection: psycopg.Connection, statement: str, options: str, choice: str | None = None) -> str:
    """What EXPLAIN prints; nothing stays of what the statement did."""
    with connection.transaction(force_rollback=True):
        connection.execute((choice or "SELECT 1").encode())
        rows = connection.execute(f"EXPLAIN ({options}) {statement}".encode()).fetchall()
    return "\n".join(row[0] if isinstance(row[0], str) else json.dumps(row[0], indent=1) for row in rows)


def logs(connection: psycopg.Connection) -> Iterator[tuple[str, str]]:
    """What the server logs of four statements, in each form it knows, where it logs every execution."""
    forms = ["stderr", "csvlog", *(["jsonlog"] if connection.info.server_version >= 150000 else [])]
    before = {form: written(connection, form) for form in forms}
    connection.execute("SET log_min_duration_statement = 0; SET auto_explain.log_min_duration = -1")
    connection.execute("SELECT 'O''Brien', E'two\\nlines'")
    connection.execute("SELECT %s::text || 'x'", ["it's\nso"])
    connection.execute("SELECT count(*) FROM passage", prepare=True)
    try:
        connection.execute("SELECT * FROM nowhere")
    except psycopg.errors.UndefinedTable:
        connection.execute("SET log_min_duration_statement = -1")
    connection.execute("SELECT pg_sleep(0.5)")  # until its writer has written
    for form in forms:
        yield form, written(connection, form).removeprefix(before[form])


def written(connection: psycopg.Connection, form: str) -> str:
    row = connection.execute("SELECT pg_read_file(pg_current_logfile(%s))", [form]).fetchone()
    return str(row[0]) if row and row[0] else ""


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
