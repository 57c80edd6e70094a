"""Each suspicion on a plan of the real server that has its cause, and none on plans that are right."""

import json
from collections.abc import Iterator
from dataclasses import dataclass, field

import psycopg
import pytest
from faena.core.engines.postgres.plans.ledger import ledger
from faena.core.engines.postgres.plans.reader import read_plan
from faena.core.engines.postgres.plans.suspicion import Suspicion
from faena.core.engines.postgres.plans.suspicions import examine
from faena.core.plans.compare import compare
from faena.core.plans.model import Plan, walk
from faena.core.plans.shape import shape
from faena.core.plans.times import step_times
from watched import owner

SETUP = """
CREATE TABLE booking (id int PRIMARY KEY, reference text, email text, code int, a int, b int, note text);
INSERT INTO booking SELECT i, 'R' || i, 'p' || i || '@tide', i, i % 100, i % 100, md5(i::text) || md5((i + 1)::text)
  FROM generate_series(1, 120000) i;
CREATE TABLE sailing (id int PRIMARY KEY, name text);
INSERT INTO sailing SELECT i, md5(i::text) FROM generate_series(1, 2000) i;
CREATE TABLE slot (id int PRIMARY KEY, sailing int REFERENCES sailing, held int);
INSERT INTO slot SELECT i, i % 2000 + 1, i % 7 FROM generate_series(1, 60000) i;
CREATE TABLE hollow (id int, filler text) WITH (autovacuum_enabled = off);
INSERT INTO hollow SELECT i, repeat('x', 50) FROM generate_series(1, 50000) i;
CREATE TABLE touched (id int PRIMARY KEY, n int) WITH (autovacuum_enabled = off);
INSERT INTO touched SELECT i, 0 FROM generate_series(1, 40000) i;
CREATE TABLE scan (at timestamp, gate int) PARTITION BY RANGE (at);
DO $$ BEGIN FOR m IN 1..8 LOOP EXECUTE format(
  'CREATE TABLE scan_%s PARTITION OF scan FOR VALUES FROM (%L) TO (%L)', m, make_date(2026, m, 1), make_date(2026, m + 1, 1));
END LOOP; END $$;
INSERT INTO scan SELECT '2026-01-01'::timestamp + i * interval '3 minutes', i % 9 FROM generate_series(1, 100000) i;
ANALYZE;
DELETE FROM hollow WHERE id > 900;
UPDATE touched SET n = 1;
"""
ALONE = ("max_parallel_workers_per_gather = 0", "jit = off")


@dataclass(frozen=True)
class Case:
    statement: str
    settings: tuple[str, ...] = ()
    words: str = ""  # in the sentence or the next step
    alone: tuple[str, ...] = field(default=ALONE)


CASES: dict[Suspicion, Case] = {
    Suspicion.MISSING_INDEX: Case("SELECT * FROM booking WHERE reference = 'R777'", words="ON booking (reference)"),
    Suspicion.LARGE_DISCARD: Case("SELECT * FROM booking WHERE id % 9000 = 5", words="by ((id % 9000) = 5)"),
    Suspicion.INDEX_DISCARD: Case(
        "SELECT * FROM booking WHERE a < 40 AND reference = 'R35'",
        ("enable_seqscan = off", "enable_bitmapscan = off"), "ON booking (reference, a)",
    ),
    Suspicion.JOIN_DISCARD: Case(
        "SELECT count(*) FROM booking x JOIN booking y ON x.a = y.a AND x.code > y.code + 4800 WHERE x.id < 5000 AND y.id < 5000",
        ("enable_mergejoin = off", "enable_nestloop = off"), "pairs of rows",
    ),
    Suspicion.TOP_N: Case("SELECT * FROM booking ORDER BY email DESC LIMIT 5", words="ON booking (email DESC)"),
    Suspicion.FUNCTION_ON_COLUMN: Case("SELECT * FROM booking WHERE lower(email) = 'p5@tide'", words="lower"),
    Suspicion.IMPLICIT_CAST: Case("SELECT * FROM booking WHERE code = 5.0", words="numeric"),
    Suspicion.LEADING_WILDCARD: Case("SELECT * FROM booking WHERE email LIKE '%777@tide'", words="pg_trgm"),
    Suspicion.OR_PREDICATE: Case("SELECT * FROM booking WHERE reference = 'R5' OR email = 'p9@tide'", words="email, reference"),
    Suspicion.SORT_SPILL: Case("SELECT * FROM booking ORDER BY note", ("work_mem = '256kB'",), "work_mem"),
    Suspicion.HASH_SPILL: Case(
        "SELECT count(*) FROM booking x JOIN booking y ON x.reference = y.reference",
        ("work_mem = '256kB'", "enable_mergejoin = off"), "batches",
    ),
    Suspicion.OFFSET_PAGING: Case("SELECT * FROM booking ORDER BY id OFFSET 50000 LIMIT 10", words="last"),
    Suspicion.LIMIT_BAD_INDEX_CHOICE: Case(
        "SELECT * FROM booking WHERE reference > 'R9999' AND b = 77 AND note > 'f' AND email > 'p99998' ORDER BY id LIMIT 5",
        ("enable_seqscan = off", "enable_sort = off", "enable_bitmapscan = off"), "booking_pkey",
    ),
    Suspicion.CARTESIAN_JOIN: Case("SELECT count(*) FROM sailing x, (SELECT * FROM slot LIMIT 300) y", words="no condition"),
    Suspicion.REPEATED_SUBPLAN: Case(
        "SELECT name, (SELECT count(*) FROM slot WHERE slot.sailing = sailing.id) FROM sailing WHERE id < 300", words="once for each row"
    ),
    Suspicion.LOSSY_BITMAP: Case(
        "SELECT count(note) FROM booking WHERE a < 60",
        ("work_mem = '64kB'", "enable_seqscan = off", "enable_indexscan = off"), "pages",
    ),
    Suspicion.INDEX_ONLY_HEAP_FETCHES: Case(
        "SELECT count(id) FROM touched WHERE id > 10", ("enable_seqscan = off", "enable_bitmapscan = off"), "VACUUM touched"
    ),
    Suspicion.PARTITION_PRUNED_FAIL: Case("SELECT * FROM scan WHERE at + interval '0' < '2026-01-02'", words="partitions"),
    Suspicion.STALE_STATS: Case("SELECT count(*) FROM hollow", words="ANALYZE hollow"),
    Suspicion.BAD_ESTIMATE: Case("SELECT * FROM booking WHERE a = 7 AND b = 7", words="CREATE STATISTICS"),
    Suspicion.NESTED_LOOP_BLOWUP: Case(
        "SELECT count(*) FROM booking x JOIN sailing s ON s.name = x.note WHERE x.a < 2 AND x.b < 2",
        ("enable_hashjoin = off", "enable_mergejoin = off"), "inner side",
    ),
    Suspicion.PARALLEL_NOT_STARTED: Case(
        "SELECT count(*) FROM booking WHERE note > 'a'",
        ("max_parallel_workers_per_gather = 2", "max_parallel_workers = 0", "parallel_setup_cost = 0", "parallel_tuple_cost = 0"),
        " workers were there when it began",
    ),
    Suspicion.JIT_OVERHEAD: Case(
        "SELECT sum(a + b * 2), avg(code) FROM booking WHERE a < 50 GROUP BY b",
        ("jit = on", "jit_above_cost = 0", "jit_inline_above_cost = 0", "jit_optimize_above_cost = 0"), "compiled",
    ),
    Suspicion.TRIGGER_TIME: Case("DELETE FROM sailing WHERE id > 1980 AND id NOT IN (SELECT sailing FROM slot)", words="trigger"),
}  # fmt: skip

PARALLEL = (
    "max_parallel_workers_per_gather = 3", "parallel_setup_cost = 0", "parallel_tuple_cost = 0", "min_parallel_table_scan_size = 0",
    "jit = off",
)  # fmt: skip
SIDE_BY_SIDE = {
    "partitions side by side": "SELECT count(*) FROM scan WHERE gate % 3 = 1",
    "kinds of tables side by side": "SELECT count(*) FROM (SELECT a FROM booking UNION ALL SELECT held FROM slot UNION ALL SELECT id FROM sailing) q",
    "in order": "SELECT * FROM booking ORDER BY note LIMIT 5",
    "with a value asked for once": "SELECT count(*) FROM booking WHERE code > (SELECT avg(held) FROM slot)",
    "a hash that all share": "SELECT count(*) FROM booking x JOIN booking y ON x.note = y.note",
}
RIGHT = {
    "by key": "SELECT * FROM booking WHERE id = 77",
    "all of it": "SELECT count(*) FROM booking WHERE id > 0",
    "a small table": "SELECT * FROM sailing WHERE name = 'nobody'",
    "a join that fits": "SELECT count(*) FROM slot JOIN sailing ON sailing.id = slot.sailing",
    "a page by an index in that order": "SELECT * FROM booking ORDER BY a LIMIT 10",
    "the best of a few groups": "SELECT held, count(*) FROM slot GROUP BY held ORDER BY 2 DESC LIMIT 1",
    "a page by key": "SELECT * FROM booking WHERE id > 5000 ORDER BY id LIMIT 10",
    "one aggregate": "SELECT held, count(*) FROM slot GROUP BY held",
}


@pytest.fixture(scope="module")
def server() -> Iterator[psycopg.Connection]:
    with owner("postgres") as connection:
        connection.execute("DROP DATABASE IF EXISTS suspects WITH (FORCE)")
        connection.execute("CREATE DATABASE suspects")
    with owner("suspects") as connection:
        connection.execute(SETUP)
        connection.execute("CREATE INDEX booking_a ON booking (a)")
        yield connection


def plan_of(server: psycopg.Connection, statement: str, settings: tuple[str, ...]) -> Plan:
    with server.transaction(force_rollback=True):
        for setting in settings:
            server.execute(f"SET LOCAL {setting}")
        row = server.execute(f"EXPLAIN (ANALYZE, BUFFERS, FORMAT JSON) {statement}").fetchone()
    assert row
    return read_plan(json.dumps(row[0]))


def took(plan: Plan) -> float:
    """Time of this execution, in ms."""
    assert plan.execution_ms is not None
    return plan.execution_ms


@pytest.mark.parametrize("code", [c for c in Suspicion if c is not Suspicion.HEALTHY])
def test_the_cause_is_suspected_with_figures_and_a_next_step(server: psycopg.Connection, code: Suspicion) -> None:
    case = CASES[code]
    if code is Suspicion.TRIGGER_TIME:
        statement = "DELETE FROM sailing WHERE id IN (SELECT id FROM sailing ORDER BY id DESC LIMIT 60)"
        with server.transaction(force_rollback=True):
            server.execute("SET LOCAL jit = off")
            server.execute("DELETE FROM slot WHERE sailing > 1900")
            row = server.execute(f"EXPLAIN (ANALYZE, FORMAT JSON) {statement}").fetchone()
        assert row
        plan = read_plan(json.dumps(row[0]))
    else:
        plan = plan_of(server, case.statement, (*case.alone, *case.settings))
    found = {one.kind: one for one in examine(plan)}
    assert code in found, sorted(found)
    one = found[code]
    assert one.at_stake_ms is not None
    assert one.at_stake_ms >= 0
    assert one.share is None or 0 <= one.share <= 1
    assert one.next_step
    assert case.words in one.sentence + one.next_step


@pytest.mark.parametrize("name", RIGHT)
def test_a_plan_that_is_right_gets_no_suspicion(server: psycopg.Connection, name: str) -> None:
    # The quickest of five runs: on a busy machine, a single one may take many times as long.
    found = examine(min((plan_of(server, RIGHT[name], ALONE) for _ in range(5)), key=took))
    assert [one.kind for one in found] == [Suspicion.HEALTHY], found


@pytest.mark.parametrize("leader", ["on", "off"])
@pytest.mark.parametrize("name", SIDE_BY_SIDE)
def test_own_times_of_processes_side_by_side_add_up_to_the_whole(
    server: psycopg.Connection, name: str, leader: str
) -> None:
    settings = (*PARALLEL, f"parallel_leader_participation = {leader}", "work_mem = '64MB'")
    plan = plan_of(server, SIDE_BY_SIDE[name], settings)
    assert any(step.kind.startswith("Gather") for _, step in walk(plan.root))
    times = step_times(plan)
    own = sum(one.own_ms or 0.0 for one in times.values())
    whole = times[id(plan.root)].whole_ms
    assert whole is not None
    assert own == pytest.approx(whole, rel=0.12, abs=1.0)


NOT_ASKED_FOR = {
    "whether there is one": "SELECT name FROM sailing WHERE EXISTS (SELECT FROM booking WHERE booking.code > sailing.id) AND id < 50",
    "beside an empty hash": "SELECT count(*) FROM booking x JOIN (SELECT * FROM sailing WHERE name = 'nobody') y ON x.code = y.id",
    "a change without rows to give": "UPDATE slot SET held = held WHERE id < 5000",
}


@pytest.mark.parametrize("name", NOT_ASKED_FOR)
def test_rows_that_nobody_asked_for_are_no_wrong_estimate(server: psycopg.Connection, name: str) -> None:
    plan = plan_of(
        server, NOT_ASKED_FOR[name], (*ALONE, "enable_hashjoin = on", "enable_nestloop = off", "enable_mergejoin = off")
    )
    assert Suspicion.BAD_ESTIMATE not in [one.kind for one in examine(plan)]


def test_another_months_partition_is_no_other_plan(server: psycopg.Connection) -> None:
    def of(first: str, last: str) -> int:
        return shape(plan_of(server, f"SELECT * FROM scan WHERE at >= '{first}' AND at < '{last}' AND gate = 3", ALONE))

    march, april = of("2026-03-01", "2026-04-01"), of("2026-04-01", "2026-05-01")
    assert march == april
    assert of("2026-02-05", "2026-04-05") == of("2026-03-05", "2026-06-05"), "three partitions and four"


def test_suspicions_come_by_time_at_stake_and_the_ledger_in_the_flow_of_rows(server: psycopg.Connection) -> None:
    statement = "SELECT * FROM booking x JOIN booking y ON y.id = x.code WHERE x.reference = 'R5' ORDER BY y.note"
    found = ledger(plan_of(server, statement, ALONE))
    stakes = [one.at_stake_ms or 0.0 for one in found.findings]
    assert stakes == sorted(stakes, reverse=True)
    for at, row in enumerate(found.rows):
        assert row.feeds is None or row.feeds > at, "what feeds stands above"
    assert [row.feeds for row in found.rows].count(None) == 1
    assert sorted(row.step for row in found.rows) == list(range(len(found.rows)))


def test_a_plan_with_and_without_its_index_side_by_side(server: psycopg.Connection) -> None:
    statement = "SELECT * FROM booking WHERE reference = 'R4711'"
    before = plan_of(server, statement, ALONE)
    server.execute("CREATE INDEX booking_reference ON booking (reference)")
    try:
        after = plan_of(server, statement, ALONE)
    finally:
        server.execute("DROP INDEX booking_reference")
    found = compare(before, after)
    assert "Seq Scan became Index Scan" in found.sentence
    assert "booking_reference" in found.sentence
    assert "times less" in found.sentence
    assert [(p.before, p.after) for p in found.pairs] == [(0, 0)]
    same = compare(before, before)
    assert all(not pair.words for pair in same.pairs)
    assert "same steps" in same.sentence


def test_an_estimate_alone_says_that_it_is_one(server: psycopg.Connection) -> None:
    rows = server.execute("EXPLAIN SELECT * FROM booking WHERE id = 1").fetchall()
    (only,) = examine(read_plan("\n".join(row[0] for row in rows)))
    assert only.kind is Suspicion.HEALTHY
    assert "estimate" in only.sentence
