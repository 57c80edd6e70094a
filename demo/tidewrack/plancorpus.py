"""Makes the corpus of plans: what a server with the demo's schema plans and measures for statements that go wrong, or do not.

    python -m tidewrack.plancorpus "host=127.0.0.1 port=… dbname=tidewrack user=…" backend/tests/golden/plans [NAME …]

Each statement runs in a transaction of its own that is rolled back. The name of a file up to its first dash is the
suspicion that the reader must have of the plan in it; of those that begin with `healthy` it must have none.
"""

import json
import sys
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

import psycopg

ALONE = ("max_parallel_workers_per_gather = 0", "jit = off")


@dataclass(frozen=True, slots=True)
class Case:
    """A statement, what is set for it, and what is prepared in the same transaction."""

    statement: str
    settings: tuple[str, ...] = ()
    before: tuple[str, ...] = ()


_SCANS = (
    "CREATE TABLE scan_archive (at timestamptz, gate int) PARTITION BY RANGE (at)",
    *(
        f"CREATE TABLE scan_archive_{m} PARTITION OF scan_archive FOR VALUES FROM ('2026-{m:02}-01') TO ('2026-{m + 1:02}-01')"
        for m in range(1, 7)
    ),
    "INSERT INTO scan_archive SELECT '2026-01-01'::timestamptz + i * interval '4 minutes', i % 9 FROM generate_series(1, 60000) i",
    "ANALYZE scan_archive",
)
_FRESH_ROSTER = (
    "CREATE TABLE roster_copy AS SELECT * FROM crew_roster",
    "CREATE INDEX roster_copy_id ON roster_copy (id)",
    "ANALYZE roster_copy",
)
_DISPATCH = (
    "CREATE TABLE dispatch AS SELECT i AS id, i % 50000 = 7 AS urgent, CASE WHEN i % 40000 = 3 THEN i END AS held_by, "
    "ARRAY[i % 90, i % 91] AS decks, jsonb_build_object('gate', 'G' || i % 30000) AS payload, md5(i::text) AS code, "
    "i % 1000 AS grp, '2026-01-01'::timestamptz + i * interval '1 minute' AS at FROM generate_series(1, 300000) i",
    "CREATE INDEX dispatch_grp ON dispatch (grp)",
    "ANALYZE dispatch",
)
_GATE_LOG = (
    "CREATE TABLE gate_log (day int, gate int) PARTITION BY LIST (day)",
    *(f"CREATE TABLE gate_log_{d} PARTITION OF gate_log FOR VALUES IN ({d})" for d in range(40)),
    "INSERT INTO gate_log SELECT i % 40, i % 7000 FROM generate_series(1, 400000) i",
    "ANALYZE gate_log",
)
_IN_PARALLEL = (
    "max_parallel_workers_per_gather = 2", "parallel_setup_cost = 0", "parallel_tuple_cost = 0",
    "min_parallel_table_scan_size = 0", "enable_mergejoin = off", "enable_nestloop = off",
)  # fmt: skip
SUSPICIOUS: dict[str, Case] = {
    "large_discard-boolean": Case("SELECT * FROM dispatch WHERE urgent", before=_DISPATCH),
    "large_discard-null": Case("SELECT * FROM dispatch WHERE held_by IS NOT NULL", before=_DISPATCH),
    "large_discard-containment": Case("SELECT * FROM dispatch WHERE decks @> ARRAY[3, 77]", before=_DISPATCH),
    "large_discard-json": Case("SELECT * FROM dispatch WHERE payload->>'gate' = 'G17'", before=_DISPATCH),
    "large_discard-expression": Case("SELECT * FROM dispatch WHERE id % 70000 = 5", before=_DISPATCH),
    "large_discard-pattern": Case("SELECT * FROM dispatch WHERE code ~ '^abcd.*9$'", before=_DISPATCH),
    "large_discard-having": Case(
        "SELECT id / 3 FROM dispatch GROUP BY 1 HAVING count(*) > 3", ("work_mem = '64MB'",), before=_DISPATCH
    ),
    "missing_index-partitions": Case("SELECT * FROM gate_log WHERE gate = 6999", before=_GATE_LOG),
    "missing_index-prefix": Case("SELECT * FROM dispatch WHERE code LIKE 'abcde%'", before=_DISPATCH),
    "index_discard": Case(
        "SELECT * FROM dispatch WHERE grp BETWEEN 5 AND 200 AND code = md5('77')",
        ("enable_seqscan = off", "enable_bitmapscan = off"),
        _DISPATCH,
    ),
    "index_discard-bitmap": Case(
        "SELECT * FROM dispatch WHERE grp BETWEEN 5 AND 200 AND payload->>'gate' = 'G17'",
        ("enable_seqscan = off", "enable_indexscan = off"),
        _DISPATCH,
    ),
    "join_discard": Case(
        "SELECT count(*) FROM dispatch a JOIN dispatch b ON a.grp = b.grp AND a.id < b.id - 19000 WHERE a.id < 20000 AND b.id < 20000",
        ("enable_mergejoin = off", "enable_nestloop = off", "work_mem = '64MB'"),
        _DISPATCH,
    ),
    "top_n": Case("SELECT * FROM dispatch ORDER BY at DESC LIMIT 10", before=_DISPATCH),
    "top_n-filtered": Case(
        "SELECT * FROM dispatch WHERE at > '2026-01-20' ORDER BY code LIMIT 10", ("enable_indexscan = off",), _DISPATCH
    ),
    "top_n-parallel": Case("SELECT * FROM dispatch ORDER BY at DESC LIMIT 10", _IN_PARALLEL, _DISPATCH),
    "hash_spill-parallel": Case(
        "SELECT count(*) FROM dispatch a JOIN dispatch b USING (code)", (*_IN_PARALLEL, "work_mem = '256kB'"), _DISPATCH
    ),
    "missing_index": Case("SELECT * FROM booking WHERE reference = '0E4DA3A5'"),
    "bad_estimate": Case("SELECT sum(amount) FROM booking WHERE id % 6 = 3 AND state = 'paid'"),
    "stale_stats": Case(
        "SELECT count(*) FROM roster_copy",
        before=(*_FRESH_ROSTER, "DELETE FROM roster_copy WHERE id > 900"),
    ),
    "sort_spill": Case("SELECT id, name FROM passenger ORDER BY name", ("work_mem = '1MB'",)),
    "hash_spill": Case(
        "SELECT count(*) FROM passenger p JOIN ticket t ON t.booking_id = p.booking_id",
        ("work_mem = '512kB'", "enable_mergejoin = off", "enable_nestloop = off"),
    ),
    "nested_loop_blowup": Case(
        "SELECT count(*) FROM crew_member c JOIN crew_roster r ON r.duty = 'watch ' || c.id WHERE c.rank = 'mate' AND c.id % 5 = 1",
        ("enable_hashjoin = off", "enable_mergejoin = off", "enable_material = off"),
    ),
    "function_on_column": Case("SELECT * FROM customer WHERE lower(email) = 'c77@example.invalid'"),
    "implicit_cast": Case("SELECT * FROM ticket WHERE booking_id = 5.0"),
    "leading_wildcard": Case("SELECT * FROM customer WHERE email LIKE '%7777@example.invalid'"),
    "or_predicate": Case("SELECT * FROM booking WHERE reference = '0E4DA3A5' OR note = 'nothing'"),
    "offset_paging": Case("SELECT * FROM passenger ORDER BY id OFFSET 400000 LIMIT 20"),
    "limit_bad_index_choice": Case(
        "SELECT * FROM booking WHERE state = 'held' AND amount > 190 AND reference > 'FFF' ORDER BY id LIMIT 5",
        ("enable_seqscan = off", "enable_sort = off", "enable_bitmapscan = off"),
    ),
    "cartesian_join": Case("SELECT count(*) FROM crew_member c, (SELECT * FROM fare LIMIT 800) f"),
    "cartesian_join-filtered": Case("SELECT count(*) FROM dispatch a, dispatch b WHERE a.id < 400 AND b.id > 299700", before=_DISPATCH),
    "cte_or_subplan_repeated": Case(
        "SELECT s.id, (SELECT count(*) FROM crew_roster r WHERE r.sailing_id = s.id AND r.duty <> '') FROM sailing s WHERE s.id < 3000",
        ("enable_indexscan = on",),
    ),
    "lossy_bitmap": Case(
        "SELECT count(note) FROM booking WHERE sailing_id BETWEEN 12000 AND 15000",
        ("work_mem = '64kB'", "enable_seqscan = off", "enable_indexscan = off"),
    ),
    "index_only_heap_fetches": Case(
        "SELECT count(id) FROM roster_copy WHERE id > 10",
        ("enable_seqscan = off", "enable_bitmapscan = off"),
        _FRESH_ROSTER,
    ),
    "partition_pruned_fail": Case(
        "SELECT * FROM scan_archive WHERE at + interval '0' < '2026-01-02'", before=_SCANS
    ),
    "parallel_not_started": Case(
        "SELECT count(*) FROM booking WHERE note > 'a'",
        ("max_parallel_workers_per_gather = 2", "max_parallel_workers = 0", "parallel_setup_cost = 0"),
    ),
    "jit_overhead": Case(
        "SELECT sum(amount * 2), avg(sailing_id) FROM booking WHERE sailing_id < 900 GROUP BY state",
        ("jit = on", "jit_above_cost = 0", "jit_inline_above_cost = 0", "jit_optimize_above_cost = 0"),
    ),
    "trigger_time": Case(
        "DELETE FROM sailing WHERE id IN (SELECT id FROM sailing ORDER BY id DESC LIMIT 40)",
        before=("ALTER TABLE crew_roster ADD FOREIGN KEY (sailing_id) REFERENCES sailing NOT VALID",
                "DELETE FROM crew_roster WHERE sailing_id > 19900", "DROP INDEX crew_roster_sailing_id_idx"),
    ),
}  # fmt: skip
HEALTHY: dict[str, Case] = {
    "joined_by_a_value": Case("SELECT count(*) FROM dispatch a JOIN dispatch b ON a.grp = b.grp WHERE a.grp = 3", before=_DISPATCH),
    "looked_up_by_key": Case(
        "SELECT b.code FROM dispatch a JOIN dispatch b ON b.id = a.id + 1 AND b.grp = a.grp + 1 WHERE a.id < 40",
        ("enable_hashjoin = off", "enable_mergejoin = off", "enable_memoize = off"),
        (*_DISPATCH, "CREATE INDEX dispatch_id ON dispatch (id)"),
    ),
    "first_by_index": Case("SELECT * FROM dispatch ORDER BY grp LIMIT 10", before=_DISPATCH),
    "first_of_few_groups": Case("SELECT urgent, count(*) FROM dispatch GROUP BY 1 ORDER BY 2 DESC LIMIT 1", before=_DISPATCH),
    "half_of_a_table": Case("SELECT count(*) FROM dispatch WHERE NOT urgent AND held_by IS NULL", before=_DISPATCH),
    "by_key": Case("SELECT * FROM booking WHERE id = 77"),
    "by_index": Case("SELECT * FROM passenger WHERE booking_id = 4711"),
    "range_by_index": Case("SELECT * FROM sailing WHERE departs_at > now() + interval '40 days'"),
    "whole_small_table": Case("SELECT * FROM port"),
    "small_table_filtered": Case("SELECT * FROM crew_member WHERE name = 'Crew 17'"),
    "all_rows_counted": Case("SELECT count(*) FROM customer"),
    "most_rows_wanted": Case("SELECT count(*) FROM crew_roster WHERE duty <> 'watch 1'"),
    "page_by_key": Case("SELECT * FROM passenger WHERE id > 500000 ORDER BY id LIMIT 20"),
    "join_by_keys": Case("SELECT * FROM booking b JOIN passenger p ON p.booking_id = b.id WHERE b.customer_id = 90000"),
    "hash_that_fits": Case("SELECT v.name, count(*) FROM sailing s JOIN vessel v ON v.id = s.vessel_id GROUP BY v.name"),
    "sort_that_fits": Case("SELECT * FROM fare ORDER BY amount"),
    "update_by_key": Case("UPDATE deck_slot SET booking_id = 5 WHERE sailing_id = 17281 AND slot_no = 3"),
    "insert_one": Case("INSERT INTO manifest (sailing_id, passengers) VALUES (17281, 40)"),
    "exists": Case("SELECT EXISTS (SELECT FROM ticket WHERE code = md5('t5'))"),
}  # fmt: skip


def plan_of(connection: psycopg.Connection, case: Case) -> object:
    """The plan in JSON as the server wrote it, measured; nothing stays of what was done for it."""
    with connection.transaction(force_rollback=True):
        for statement in case.before:
            connection.execute(statement.encode())
        for setting in (*ALONE, *case.settings):
            connection.execute(f"SET LOCAL {setting}".encode())
        row = connection.execute(f"EXPLAIN (ANALYZE, BUFFERS, FORMAT JSON) {case.statement}".encode()).fetchone()
    assert row is not None
    return [{"Query Text": case.statement, **row[0][0]}]


def main(arguments: Sequence[str]) -> int:
    dsn, folder, only = arguments[0], Path(arguments[1]), arguments[2:]
    cases = SUSPICIOUS | {f"healthy_{name}": case for name, case in HEALTHY.items()}
    with psycopg.connect(dsn, autocommit=True) as connection:
        for name, case in cases.items():
            if only and name not in only:
                continue
            plan = plan_of(connection, case)
            (folder / f"{name}.json").write_text(json.dumps(plan, indent=1) + "\n")
            print(name)
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
