"""Wrong estimates on a real server, told apart by the counters of their tables."""

import time
from dataclasses import replace

import orjson
import pytest
from faena.core.engines.postgres.indexes.fromplan import facts_of
from faena.core.engines.postgres.plans.freshness import sentences, told_apart
from faena.core.engines.postgres.plans.ledger import ledger
from faena.core.engines.postgres.plans.reader import read_plan
from faena.core.engines.postgres.plans.suspicion import Suspicion
from faena.core.plans.schema import SchemaFacts
from faena.core.units import EpochMs
from faena.sources.postgres import Target
from faena.sources.postgres.schema import read_schema
from watched import owner

SETUP = """
CREATE TABLE grown (id int, kind int) WITH (autovacuum_enabled = off);
INSERT INTO grown SELECT i, i % 100 FROM generate_series(1, 2000) i;
ANALYZE grown;
INSERT INTO grown SELECT i, 7 FROM generate_series(1, 120000) i;
CREATE TABLE tied (berth int, deck int) WITH (autovacuum_enabled = off);
INSERT INTO tied SELECT i % 100, i % 100 FROM generate_series(1, 200000) i;
ANALYZE tied;
CREATE TABLE unseen (id int, kind int) WITH (autovacuum_enabled = off);
INSERT INTO unseen SELECT i, 3 FROM generate_series(1, 120000) i;
"""


@pytest.fixture(scope="module")
def schema(target: Target) -> SchemaFacts:
    with owner("postgres") as keeper:
        keeper.execute("DROP DATABASE IF EXISTS estimates WITH (FORCE)")
        keeper.execute("CREATE DATABASE estimates")
    with owner("estimates") as keeper:
        # Each by itself: rows that come in the transaction of an ANALYZE count as changed since.
        for statement in filter(None, map(str.strip, SETUP.split(";"))):
            keeper.execute(statement.encode())
            keeper.execute("SELECT pg_stat_force_next_flush()")
    return read_schema(replace(target, database="estimates"))


def explained(statement: str) -> str:
    with owner("estimates") as keeper:
        row = keeper.execute(f"EXPLAIN (ANALYZE, BUFFERS, VERBOSE, FORMAT JSON) {statement}".encode()).fetchone()
    assert row
    return orjson.dumps(row[0]).decode()


@pytest.mark.parametrize(
    ("statement", "code", "says", "advises"),
    [
        ("SELECT id FROM grown WHERE kind = 7", Suspicion.STALE_STATS, "are stale", "ANALYZE grown;"),
        ("SELECT * FROM tied WHERE berth = 5 AND deck = 5", Suspicion.BAD_ESTIMATE, "not for stale statistics", "CREATE STATISTICS"),
        ("SELECT id FROM unseen WHERE kind = 3", Suspicion.STALE_STATS, "was never analyzed", "ANALYZE unseen;"),
    ],
)  # fmt: skip
def test_stale_statistics_are_told_from_those_that_cannot_tell(
    schema: SchemaFacts, statement: str, code: Suspicion, says: str, advises: str
) -> None:
    plan = read_plan(explained(statement))
    found = ledger(plan).findings
    (told,) = [
        one for one in told_apart(found, plan, schema) if one.kind in (Suspicion.BAD_ESTIMATE, Suspicion.STALE_STATS)
    ]
    assert told.kind is code
    assert says in told.sentence
    assert told.next_step.startswith(advises)
    assert [sentence for _, sentence, _ in sentences(found, plan, schema)] == [told.sentence]
    assert told_apart(found, plan, facts_of(plan)) == list(found), "a plan alone knows no counters"


def test_after_the_remedy_an_old_plan_is_not_held_against_fresh_statistics(schema: SchemaFacts, target: Target) -> None:
    statement = "SELECT id FROM unseen WHERE kind = 3"
    made, old = EpochMs(int(time.time() * 1000)), read_plan(explained(statement))
    assert schema.table("unseen")
    with owner("estimates") as keeper:
        keeper.execute("ANALYZE unseen")
    fresh = read_schema(replace(target, database="estimates"))
    found = ledger(old).findings
    (told,) = [one for one in told_apart(found, old, fresh, made) if one.kind is Suspicion.BAD_ESTIMATE]
    assert "was analyzed since this plan was made" in told.sentence
    (told,) = [one for one in told_apart(found, old, fresh) if one.kind is Suspicion.BAD_ESTIMATE]
    assert "unless the plan is older" in told.sentence
    assert not [one for one in ledger(read_plan(explained(statement))).findings if one.kind is Suspicion.BAD_ESTIMATE]
