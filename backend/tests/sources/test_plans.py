"""Plans as the real server writes them: the same plan in every form reads the same, and no time is counted twice."""

import json
from collections.abc import Iterator

import psycopg
import pytest
from faena.core.engines.postgres.plans.reader import read_plan
from faena.core.plans.model import Step, walk
from faena.core.plans.times import step_times
from watched import owner

QUERIES = {
    "scan": "SELECT * FROM plan_booking WHERE note LIKE '%x%'",
    "index": "SELECT * FROM plan_booking WHERE id = 77",
    "index only": "SELECT id FROM plan_booking WHERE id BETWEEN 5 AND 900",
    "bitmap": "SELECT * FROM plan_booking WHERE sailing = 5 OR sailing = 9",
    "hash join": "SELECT b.note, s.name FROM plan_booking b JOIN plan_sailing s ON s.id = b.sailing WHERE s.name > 'm'",
    "left join": "SELECT s.name, b.id FROM plan_sailing s LEFT JOIN plan_booking b ON b.sailing = s.id AND b.id < 50",
    "anti join": "SELECT name FROM plan_sailing s WHERE NOT EXISTS (SELECT FROM plan_booking b WHERE b.sailing = s.id)",
    "sort": "SELECT * FROM plan_booking ORDER BY note DESC, sailing",
    "top": "SELECT * FROM plan_booking ORDER BY note LIMIT 5",
    "group": "SELECT sailing, count(*) FROM plan_booking GROUP BY sailing HAVING count(*) > 1 ORDER BY 2",
    "cte": "WITH late AS MATERIALIZED (SELECT * FROM plan_booking WHERE sailing > 100) "
    "SELECT a.id FROM late a JOIN late b ON a.id = b.id + 1",
    "init plan": "SELECT * FROM plan_booking WHERE sailing = (SELECT max(id) FROM plan_sailing)",
    "sub plan": "SELECT s.name, (SELECT count(*) FROM plan_booking b WHERE b.sailing = s.id) FROM plan_sailing s LIMIT 9",
    "parallel": "SELECT count(*) FROM plan_booking WHERE note > 'a'",
    "append": "SELECT id FROM plan_booking WHERE id < 5 UNION ALL SELECT id FROM plan_sailing WHERE id < 5",
    "partitions": "SELECT count(*) FROM plan_scan WHERE at >= '2026-02-01' AND at < '2026-03-01'",
    "memoize": "SELECT b.id, s.name FROM plan_booking b JOIN plan_sailing s ON s.id = b.sailing WHERE b.id < 400",
    "window": "SELECT id, row_number() OVER (PARTITION BY sailing ORDER BY id) FROM plan_booking WHERE sailing < 10",
    "values": "SELECT * FROM (VALUES (1, 'a'), (2, 'b')) v (n, t) WHERE n > 1",
    "function": "SELECT g FROM generate_series(1, 10) g WHERE g % 2 = 0",
    "never": "SELECT * FROM plan_sailing s JOIN plan_booking b ON b.sailing = s.id WHERE s.id < 0",
    "quoted": 'SELECT "Crew"."First Name" FROM "Crew" WHERE "First Name" = $$a: b -> c$$',
    "update": "UPDATE plan_booking SET note = 'y' WHERE id < 20",
    "delete": "DELETE FROM plan_booking WHERE id = 3",
    "insert": "INSERT INTO plan_booking (id, sailing, note) SELECT 900000 + i, 1, 'n' FROM generate_series(1, 3) i",
    "distinct": "SELECT DISTINCT sailing FROM plan_booking",
    "except": "SELECT id FROM plan_sailing EXCEPT SELECT sailing FROM plan_booking",
    "recursive": "WITH RECURSIVE n (i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 20) SELECT sum(i) FROM n",
}
FORMS = ("text", "json", "yaml", "xml")


@pytest.fixture(scope="module")
def server() -> Iterator[psycopg.Connection]:
    with owner("postgres") as connection:
        connection.execute("DROP DATABASE IF EXISTS plans WITH (FORCE)")
        connection.execute("CREATE DATABASE plans")
    with owner("plans") as connection:
        connection.execute(
            "CREATE TABLE plan_sailing (id int PRIMARY KEY, name text) WITH (autovacuum_enabled = off);"
            "CREATE TABLE plan_booking (id int PRIMARY KEY, sailing int, note text) WITH (autovacuum_enabled = off);"
            "INSERT INTO plan_sailing SELECT i, md5(i::text) FROM generate_series(1, 500) i;"
            "INSERT INTO plan_booking SELECT i, i % 450, md5(i::text) FROM generate_series(1, 40000) i;"
            "CREATE INDEX ON plan_booking (sailing);"
            'CREATE TABLE "Crew" ("First Name" text);'
            "CREATE TABLE plan_scan (at date, gate int) PARTITION BY RANGE (at);"
            "CREATE TABLE plan_scan_1 PARTITION OF plan_scan FOR VALUES FROM ('2026-01-01') TO ('2026-02-01');"
            "CREATE TABLE plan_scan_2 PARTITION OF plan_scan FOR VALUES FROM ('2026-02-01') TO ('2026-03-01');"
            "ANALYZE"
        )
        connection.execute("SET min_parallel_table_scan_size = 0; SET parallel_setup_cost = 0; SET work_mem = '256kB'")
        yield connection


def explained(server: psycopg.Connection, statement: str, options: str) -> str:
    """What EXPLAIN prints; nothing stays of what the statement did."""
    with server.transaction(force_rollback=True):
        rows = server.execute(f"EXPLAIN ({options}) {statement}").fetchall()
    return "\n".join(row[0] if isinstance(row[0], str) else json.dumps(row[0]) for row in rows)


def essence(step: Step, *, run: bool = False) -> Step:
    """Without what one form tells and another does not: the text names joins and aggregates by their whole kind.

    Of a plan that was run without its estimates too: what it wrote, though rolled back, has made the table larger.
    """
    if run:
        step = step._replace(cost_start=None, cost_total=None, rows_planned=None)
    return step._replace(
        details={},
        strategy="",
        join="",
        schema="",
        relation=step.relation if step.label else "",
        parallel=False,
        sort_method=step.sort_method.strip(),
        children=tuple(essence(child, run=run) for child in step.children),
    )


@pytest.mark.parametrize("name", QUERIES)
@pytest.mark.parametrize(
    "options", ["VERBOSE OFF", "ANALYZE, TIMING OFF, BUFFERS OFF, SUMMARY OFF"], ids=["planned", "run"]
)
def test_every_form_reads_the_same(server: psycopg.Connection, name: str, options: str) -> None:
    if "ANALYZE" in options:
        server.execute("SET max_parallel_workers_per_gather = 0")  # what each worker does differs from run to run
    plans = [read_plan(explained(server, QUERIES[name], f"{options}, FORMAT {form}")) for form in FORMS]
    server.execute("RESET max_parallel_workers_per_gather")
    assert [plan.form for plan in plans] == list(FORMS)
    run = "ANALYZE" in options
    first = essence(plans[1].root, run=run)
    for plan in plans:
        assert essence(plan.root, run=run) == first, plan.form
    assert plans[0].analysed == ("ANALYZE" in options)


@pytest.mark.parametrize("name", QUERIES)
def test_own_times_add_up_to_the_whole(server: psycopg.Connection, name: str) -> None:
    plan = read_plan(explained(server, QUERIES[name], "ANALYZE, BUFFERS, FORMAT JSON"))
    times = step_times(plan)
    own = [times[id(step)].own_ms for _, step in walk(plan.root)]
    assert all(one is not None and one >= 0 for one in own)
    total = times[id(plan.root)].whole_ms
    assert total is not None
    assert sum(one or 0.0 for one in own) == pytest.approx(total, rel=0.1, abs=0.6)
    assert plan.execution_ms is not None
    assert total <= plan.execution_ms * 1.05 + 0.2


def frame(text: str) -> str:
    width = max(map(len, text.split("\n")))
    return "\n".join(
        [
            "QUERY PLAN".center(width),
            "-" * (width + 2),
            *(f" {line}" for line in text.split("\n")),
            f"({text.count(chr(10)) + 1} rows)",
        ]
    )


def boxed(text: str) -> str:
    width = max(map(len, text.split("\n")))
    edge = "+" + "-" * (width + 2) + "+"
    lines = [f"| {line.ljust(width)} |" for line in text.split("\n")]
    return "\n".join([edge, f"| {'QUERY PLAN'.center(width)} |", edge, *lines, edge, "(3 rows)"])


def continued(text: str) -> str:
    width = max(map(len, text.split("\n")))
    lines = text.split("\n")
    return (
        "QUERY PLAN\n----\n" + "\n".join(f" {line.ljust(width)}+" for line in lines[:-1]) + f"\n {lines[-1]}\n(1 row)\n"
    )


WRAPPED = {
    "psql": frame,
    "psql with borders": boxed,
    "continuation marks": continued,
    "a mail": lambda text: "\n".join(f"> > {line}" for line in frame(text).split("\n")),
    "quotes": lambda text: "\n".join('"' + line.replace('"', '""') + '"' for line in text.split("\n")),
    "carriage returns": lambda text: text.replace("\n", "\r\n"),
    "a log entry": lambda text: (
        "2026-11-23 09:20:00 UTC [77] LOG:  duration: 12.345 ms  plan:\n\t" + text.replace("\n", "\n\t")
    ),
}


# psql marks continuation only inside one cell, and a plan in text has a row a line.
PLACES = [(form, how) for form in FORMS for how in WRAPPED if (form, how) != ("text", "continuation marks")]


@pytest.mark.parametrize(("form", "how"), PLACES)
def test_what_a_plan_was_put_into_is_taken_off(server: psycopg.Connection, form: str, how: str) -> None:
    written = explained(server, QUERIES["hash join"], f"VERBOSE, FORMAT {form}")
    assert read_plan(WRAPPED[how](written)) == read_plan(written)


def test_buffers_sorts_and_settings_are_read_from_the_text(server: psycopg.Connection) -> None:
    plan = read_plan(explained(server, QUERIES["sort"], "ANALYZE, BUFFERS, SETTINGS, WAL, VERBOSE"))
    steps = [step for _, step in walk(plan.root)]
    sort = next(step for step in steps if step.kind == "Sort")
    assert sort.sort_on_disk
    assert (sort.sort_kb or 0) > 100
    assert sort.keys["Sort Key"] == ("plan_booking.note DESC", "plan_booking.sailing")
    assert sort.blocks is not None
    assert sort.blocks.temp_written > 0
    scan = steps[-1]
    assert (scan.table, scan.schema) == ("plan_booking", "public")
    assert scan.blocks is not None
    assert scan.blocks.hit + scan.blocks.read > 100
    assert plan.settings["work_mem"] == "256kB"
    assert plan.planning_ms is not None
