"""Index proposals and asked plans, on the real server: each proposed index is made, measured, and dropped again."""

import json
from collections.abc import Iterator
from dataclasses import replace

import psycopg
import pytest
from faena.core.engines.postgres.indexes.health import HealthKind, examine_schema
from faena.core.engines.postgres.indexes.proposals import propose
from faena.core.engines.postgres.naming import bare, identifier
from faena.core.engines.postgres.plans.guard import Unexplainable, explainable, parameter_values
from faena.core.engines.postgres.plans.reader import read_plan
from faena.core.errors import BadInput, SourceError, SourceRefused
from faena.core.plans.model import Plan, walk
from faena.core.plans.proposal import IndexProposal
from faena.core.plans.schema import SchemaFacts
from faena.sources.postgres import Target
from faena.sources.postgres.explain import estimate, measure
from faena.sources.postgres.schema import read_schema
from patience import wait_for
from watched import owner

SETUP = """
CREATE TABLE passage (id int PRIMARY KEY, reference text, sailing int, state text, price numeric, made timestamp, email text,
                      note text);
INSERT INTO passage SELECT i, 'P' || i, i % 4000, (ARRAY['paid','paid','paid','paid','held'])[i % 5 + 1], i % 977,
  '2026-01-01'::timestamp + i * interval '1 minute', 'm' || i % 50000 || '@tide', repeat(md5(i::text), 2)
  FROM generate_series(1, 200000) i;
CREATE TABLE trip (id int PRIMARY KEY, name text);
INSERT INTO trip SELECT i, md5(i::text) FROM generate_series(0, 3999) i;
CREATE TABLE heap (id int, a int, b int, c int);
INSERT INTO heap SELECT i, i % 10, i, i FROM generate_series(1, 5000) i;
CREATE INDEX heap_a ON heap (a);
CREATE INDEX heap_a_again ON heap (a);
CREATE INDEX heap_a_b ON heap (a, b);
CREATE UNIQUE INDEX heap_c ON heap (c);
"""
QUIET = "SET max_parallel_workers_per_gather = 0; SET jit = off"
PROPOSED = {
    "equality": ("SELECT * FROM passage WHERE reference = 'P777'", ["reference"]),
    "two equalities, the more telling first": (
        "SELECT * FROM passage WHERE price = 5 AND sailing = 17", ["sailing", "price"],
    ),
    "equality before range": (
        "SELECT * FROM passage WHERE made >= '2026-01-02' AND made < '2026-03-01' AND sailing = 7", ["sailing", "made"],
    ),
    "range": ("SELECT * FROM passage WHERE made < '2026-01-01 06:00'", ["made"]),
    "an expression": ("SELECT * FROM passage WHERE lower(email) = 'm77@tide'", ["lower(email)"]),
    "order behind equality": (
        "SELECT * FROM passage WHERE sailing = 9 ORDER BY made DESC LIMIT 5", ["sailing", "made DESC"],
    ),
    "a join": (
        "SELECT t.name, p.price FROM trip t JOIN passage p ON p.sailing = t.id WHERE t.id BETWEEN 5 AND 8", ["sailing"],
    ),
}  # fmt: skip
REFUSED = {
    "half the rows": "SELECT * FROM passage WHERE sailing < 2500",
    "a small table": "SELECT * FROM trip WHERE name = 'x'",
    "most rows have it": "SELECT * FROM passage WHERE state = 'paid'",
}


@pytest.fixture(scope="module")
def shop(target: Target) -> Iterator[Target]:
    """A database of its own, whose tables the watcher may read."""
    with owner("postgres") as keeper:
        keeper.execute("DROP DATABASE IF EXISTS shop WITH (FORCE)")
        keeper.execute("CREATE DATABASE shop")
        keeper.execute("GRANT pg_read_all_data TO watcher")
    with owner("shop") as keeper:
        keeper.execute(SETUP.encode())
        keeper.execute("VACUUM ANALYZE")
    yield replace(target, database="shop")
    with owner("postgres") as keeper:
        keeper.execute("REVOKE pg_read_all_data FROM watcher")


def plan_of(statement: str, *, quick: bool = False, options: str = "") -> tuple[Plan, float]:
    """The plan, and the planner's cost of it; measured unless `quick`."""
    with owner("shop") as keeper:
        keeper.execute(QUIET)
        row = keeper.execute(
            f"EXPLAIN ({'' if quick else 'ANALYZE, '}{options}FORMAT JSON) {statement}".encode()
        ).fetchone()
        assert row is not None
        plan = read_plan(json.dumps([{"Query Text": statement, **row[0][0]}]))
        assert plan.root.cost_total is not None
        return plan, plan.root.cost_total


def proposals(shop: Target, statement: str) -> list[IndexProposal]:
    return propose(plan_of(statement)[0], read_schema(shop))[0]


@pytest.mark.parametrize("options", ["", "VERBOSE, "])
@pytest.mark.parametrize(("statement", "columns"), PROPOSED.values(), ids=PROPOSED)
def test_a_proposal_is_used_and_costs_what_was_said(
    shop: Target, statement: str, columns: list[str], options: str
) -> None:
    before, cost_before = plan_of(statement, options=options)
    (proposal, *_), _ = propose(before, read_schema(shop))
    assert list(proposal.columns) == columns
    assert [name for name, _ in proposal.why] == [*columns, *proposal.included]
    made_and_measured(proposal, statement, before, cost_before)


COVERED = {
    "one more column": ("SELECT sum(price) FROM passage WHERE sailing BETWEEN 17 AND 60", ["sailing"], ["price"]),
    "a filter's column too": (
        "SELECT made, id FROM passage WHERE sailing < 50 AND email LIKE '%7@tide'", ["sailing"], ["email", "id", "made"],
    ),
    "what a partial index settles is not carried": (
        "SELECT sum(price) FROM passage WHERE state = 'held' AND sailing BETWEEN 17 AND 260", ["sailing"], ["price"],
    ),
    "all that is needed is searched by": (
        "SELECT sailing FROM passage WHERE sailing BETWEEN 17 AND 260", ["sailing"], [],
    ),
    "a join's": (
        "SELECT t.name, p.price FROM trip t JOIN passage p ON p.sailing = t.id WHERE t.id BETWEEN 5 AND 80",
        ["sailing"], ["price"],
    ),
}  # fmt: skip


@pytest.mark.parametrize(("statement", "columns", "included"), COVERED.values(), ids=COVERED)
def test_columns_are_carried_along_where_the_table_is_spared(
    shop: Target, statement: str, columns: list[str], included: list[str]
) -> None:
    make_visible("passage")
    before, cost_before = plan_of(statement, options="VERBOSE, ")
    (proposal, *_), _ = propose(before, read_schema(shop))
    assert (list(proposal.columns), list(proposal.included)) == (columns, included)
    after = made_and_measured(proposal, statement, before, cost_before)
    assert "Index Only Scan" in repr(after.root)


@pytest.mark.parametrize(
    "statement",
    [
        "SELECT * FROM passage WHERE sailing BETWEEN 17 AND 60",  # too much
        "SELECT price FROM passage WHERE reference = 'P777'",  # one row: nothing to spare
        "SELECT price FROM passage WHERE sailing BETWEEN 17 AND 60 FOR UPDATE",  # needs the rows themselves
        "UPDATE passage SET price = 1 WHERE sailing BETWEEN 17 AND 60",
    ],
)
def test_columns_are_not_carried_for_nothing(shop: Target, statement: str) -> None:
    make_visible("passage")
    (proposal, *_), _ = propose(plan_of(statement, quick=True, options="VERBOSE, ")[0], read_schema(shop))
    assert proposal.included == ()


def make_visible(table: str) -> None:
    """VACUUM notes pages as visible to all once nobody looks at an older state, which a worker of the server may do."""
    with owner("shop") as keeper:

        def visible() -> bool:
            keeper.execute(f"VACUUM {table}".encode())
            row = keeper.execute(
                "SELECT relallvisible::float8 / relpages FROM pg_class WHERE relname = %s", [table]
            ).fetchone()
            return bool(row) and row[0] >= 0.9

        wait_for(visible, "VACUUM notes the table as visible")


def made_and_measured(proposal: IndexProposal, statement: str, before: Plan, cost_before: float) -> Plan:
    """The plan with the proposed index, which is dropped again. What was foretold came true within a factor of two."""
    with owner("shop") as keeper:
        keeper.execute(proposal.ddl.encode())
        (name, index, table, size) = keeper.execute(
            "SELECT c.relname, indexrelid::regclass::text, indrelid::regclass::text, pg_relation_size(indexrelid) "
            "FROM pg_index i JOIN pg_class c ON c.oid = indexrelid ORDER BY i.indexrelid DESC LIMIT 1"
        ).fetchone() or ("", "", "", 0)
        try:
            keeper.execute(f"ANALYZE {table}".encode())  # statistics of an expression come with it
            after, cost_after = plan_of(statement)
        finally:
            keeper.execute(f"DROP INDEX {index}".encode())
    assert name in {step.index for _, step in walk(after.root)}, "the planner uses it"
    assert cost_after < cost_before
    predicted = proposal.cost_after + (cost_before - proposal.cost_before)
    assert 0.5 <= predicted / cost_after <= 2, f"{predicted:.1f} foretold, {cost_after:.1f} came"
    assert 0.5 <= proposal.size_bytes / size <= 2
    assert after.execution_ms is not None
    assert before.execution_ms is not None
    assert after.execution_ms < before.execution_ms
    return after


def test_a_constant_that_few_rows_have_makes_a_partial_index(shop: Target) -> None:
    (proposal,) = proposals(shop, "SELECT * FROM passage WHERE state = 'held' AND made < '2026-01-03'")
    assert proposal.predicate == "state = 'held'"
    assert proposal.columns == ("made",)


@pytest.mark.parametrize("statement", REFUSED.values(), ids=REFUSED)
def test_what_would_not_pay_is_refused_with_the_reason(shop: Target, statement: str) -> None:
    found, refused = propose(plan_of(statement)[0], read_schema(shop))
    assert found == []
    assert any(word in refused[0].sentence for word in ("not worth", "too little"))


def test_an_index_that_is_there_is_not_proposed_again(shop: Target) -> None:
    with owner("shop") as keeper:
        keeper.execute("CREATE INDEX passage_reference ON passage (reference)")
        try:
            with owner("shop") as session:
                session.execute("SET enable_indexscan = off; SET enable_bitmapscan = off; " + QUIET)
                row = session.execute("EXPLAIN (FORMAT JSON) SELECT * FROM passage WHERE reference = 'P1'").fetchone()
            assert row is not None
            found, refused = propose(read_plan(json.dumps(row[0])), read_schema(shop))
        finally:
            keeper.execute("DROP INDEX passage_reference")
    assert found == []
    assert "passage_reference" in refused[0].sentence


def test_health_names_what_is_dispensable_and_keeps_what_is_bound(shop: Target) -> None:
    facts = read_schema(shop)
    found = {(one.kind, one.named("index")) for one in examine_schema(facts) if one.named("table") == "heap"}
    assert (HealthKind.DUPLICATE, "heap_a_again") in found
    assert (HealthKind.OVERLAPPING, "heap_a") in found
    assert (HealthKind.UNUSED, "heap_a_b") in found
    assert not any(index == "heap_c" for _, index in found), "a unique index guards the data, read or not"
    with owner("shop") as keeper:
        keeper.execute("UPDATE heap SET b = b + 1")
        keeper.execute("SELECT pg_stat_force_next_flush()")
        keeper.execute("SELECT 1")
    stale = {one.named("table") for one in examine_schema(read_schema(shop)) if one.kind is HealthKind.STALE_STATISTICS}
    assert "heap" in stale
    assert facts.table("heap") is not None


# Pairs that have the same columns, and yet another use each.
LOOK_ALIKES = {
    "for patterns": ("(note)", "(note text_pattern_ops)"),
    "of another language": ("(note)", '(note COLLATE "C")'),
    "of mixed order": ("(b, c)", "(b, c DESC)"),
    "with nulls elsewhere": ("(b)", "(b NULLS FIRST)"),
    "of some rows": ("(b)", "(b) WHERE c > 3"),
}
ALIKE = {"backwards": ("(b, c)", "(b DESC, c DESC)"), "backwards, one": ("(b)", "(b DESC)")}


def dispensable(shop: Target, keys: tuple[str, str]) -> list[str]:
    """Which of two indexes on a table of their own could go."""
    with owner("shop") as keeper:
        keeper.execute("DROP TABLE IF EXISTS twins")
        keeper.execute("CREATE TABLE twins (b int, c int, note text)")
        for name, key in zip(("one", "other"), keys, strict=True):
            keeper.execute(f"CREATE INDEX {name} ON twins {key}".encode())
    (table,) = read_schema(shop, ["twins"]).tables
    told = {index.name: index.written for index in table.indexes}
    assert told == {"one": keys[0], "other": keys[1].replace("c > 3", "(c > 3)")}
    kinds = {HealthKind.DUPLICATE, HealthKind.OVERLAPPING}
    return [one.named("index") for one in examine_schema(read_schema(shop, ["twins"])) if one.kind in kinds]


@pytest.mark.parametrize("keys", LOOK_ALIKES.values(), ids=LOOK_ALIKES)
def test_indexes_that_only_look_alike_both_stay(shop: Target, keys: tuple[str, str]) -> None:
    assert dispensable(shop, keys) == []


@pytest.mark.parametrize("keys", ALIKE.values(), ids=ALIKE)
def test_an_index_read_backwards_is_the_same(shop: Target, keys: tuple[str, str]) -> None:
    assert len(dispensable(shop, keys)) == 1


@pytest.mark.parametrize(
    ("key", "serves"),
    [
        ("(sailing, made DESC)", True), ("(sailing DESC, made)", True), ("(sailing, made, id)", True),
        ("(sailing, made) WHERE id > 5", False), ("(sailing, made) WHERE note IS NOT NULL", False), ("(made, sailing)", False),
    ],
)  # fmt: skip
def test_an_order_is_served_from_either_end(shop: Target, key: str, serves: bool) -> None:
    before, _ = plan_of("SELECT * FROM passage WHERE sailing = 9 ORDER BY made DESC LIMIT 5")
    with owner("shop") as keeper:
        keeper.execute(f"CREATE INDEX there ON passage {key}".encode())
        try:
            found, refused = propose(before, read_schema(shop))
        finally:
            keeper.execute("DROP INDEX there")
    assert (not found) == serves
    if serves:
        assert "there on passage begins with" in refused[0].sentence


def test_an_estimate_is_asked_for_values_and_for_none(shop: Target) -> None:
    generic = read_plan(estimate(shop, "SELECT * FROM passage WHERE reference = $1 AND price > $2", None))
    assert not generic.analysed
    assert "$1" in repr(generic.root.conditions) or "$1" in repr(generic.root)
    custom = read_plan(estimate(shop, "SELECT * FROM passage WHERE state = $1", ["held"]))
    assert "'held'" in repr(custom.root)


def test_a_measured_plan_cannot_write(shop: Target) -> None:
    plan = read_plan(measure(shop, "SELECT * FROM passage WHERE id = $1", ["5"]))
    assert plan.analysed
    with pytest.raises(Unexplainable, match="changes data"):
        measure(shop, "UPDATE passage SET price = price + 1 WHERE id = $1", ["5"])
    with pytest.raises(SourceRefused) as refused:
        estimate(shop, "UPDATE passage SET price = price + 1 WHERE id = $1", None)
    assert "SELECT with the same FROM and WHERE" in refused.value.remedy


@pytest.mark.parametrize(
    "statement",
    [
        "", "SELECT 1; DROP TABLE passage", "DROP TABLE passage", "COPY passage TO '/tmp/x'", "VACUUM", "BEGIN",
        "SELECT * INTO other FROM passage", "DO $$ BEGIN END $$", "EXPLAIN ANALYZE SELECT 1", "SET work_mem = '1GB'",
        "not sql at all", "SELECT (((", "CREATE TABLE x AS SELECT 1",
    ],
)  # fmt: skip
def test_what_has_no_plan_never_reaches_the_server(statement: str) -> None:
    with pytest.raises(Unexplainable):
        explainable(statement)


def test_the_server_refuses_a_second_statement_even_if_we_let_it_through(shop: Target) -> None:
    with (
        psycopg.connect(shop.conninfo()) as connection,
        pytest.raises(psycopg.errors.SyntaxError, match="multiple commands"),
    ):
        connection.cursor().execute(b"EXPLAIN SELECT 1; DROP TABLE passage", binary=True)


def test_refusals_of_the_server_say_what_to_do(shop: Target, target: Target) -> None:
    with pytest.raises(BadInput, match="nowhere is not a table"):
        estimate(shop, "SELECT * FROM nowhere", None)
    with pytest.raises(BadInput, match="a column of the statement is not there"):
        estimate(shop, "SELECT nothing FROM passage", None)
    with pytest.raises(BadInput, match="parameters"):
        estimate(shop, "SELECT * FROM passage WHERE id = $1 AND price = $2", ["1"])
    with owner("shop") as keeper:
        keeper.execute("BEGIN; LOCK TABLE trip")
        with pytest.raises(SourceError, match="had to wait for a lock"):
            measure(shop, "SELECT * FROM trip", None)
    with owner("postgres") as keeper:
        keeper.execute("REVOKE pg_read_all_data FROM watcher")
    try:
        with pytest.raises(SourceRefused) as refused:
            estimate(shop, "SELECT * FROM passage", None)
        assert "pg_read_all_data" in refused.value.remedy
    finally:
        with owner("postgres") as keeper:
            keeper.execute("GRANT pg_read_all_data TO watcher")


def test_parameters_are_read_as_servers_log_them() -> None:
    assert parameter_values("$1 = 'it''s, $2 = ''x''', $2 = NULL, $3 = '5'") == ["it's, $2 = 'x'", None, "5"]
    assert parameter_values("") == []
    with pytest.raises(BadInput):
        parameter_values("$1 = 'cut o")


def test_statistics_are_there_for_what_may_be_read(shop: Target) -> None:
    facts: SchemaFacts = read_schema(shop)
    table = facts.table("passage")
    assert table is not None
    assert table.rows == pytest.approx(200_000, rel=0.01)
    assert set(table.columns["state"].common) == {"paid", "held"}
    assert facts.costs.random_page_cost > 0


ODD = """
CREATE SCHEMA "Yard";
CREATE TABLE "Yard"."Order" (id int PRIMARY KEY, "userId" int, "from" text, "odd ""name" int, kind text);
INSERT INTO "Yard"."Order" SELECT i, i % 5000, 'q' || i, i % 3001,
  CASE WHEN i % 50 = 0 THEN 'O''Brien' ELSE 'plain' END FROM generate_series(1, 100000) i;
"""
ODDLY_NAMED = {
    "capitals": ('"userId" = 17', ["userId"]),
    "a reserved word": ("\"from\" = 'q77'", ["from"]),
    "quotes and spaces": ('"odd ""name" = 5', ['odd "name']),
    "an expression": ("upper(\"from\") = 'Q12'", ["upper(from)"]),
    "an order": ('"userId" = 12 ORDER BY "odd ""name" DESC LIMIT 3', ["userId", 'odd "name DESC']),
    "a value with a quote": ("kind = 'O''Brien' AND \"userId\" BETWEEN 10 AND 400", ["userId"]),
}  # fmt: skip


@pytest.mark.parametrize(("condition", "columns"), ODDLY_NAMED.values(), ids=ODDLY_NAMED)
def test_names_that_need_quotes_get_them(shop: Target, condition: str, columns: list[str]) -> None:
    """The proposal runs as it stands, is used, and is not made a second time."""
    with owner("shop") as keeper:
        keeper.execute('DROP SCHEMA IF EXISTS "Yard" CASCADE')
        keeper.execute(ODD.encode())
        keeper.execute('ANALYZE "Yard"."Order"')
    statement = f'SELECT * FROM "Yard"."Order" WHERE {condition}'
    before, cost_before = plan_of(statement)
    (proposal, *_), _ = propose(before, read_schema(shop))
    assert list(proposal.columns) == columns
    made_and_measured(proposal, statement, before, cost_before)
    with owner("shop") as keeper:
        keeper.execute(proposal.ddl.replace(" CONCURRENTLY", "").encode())
    again, refused = propose(before, read_schema(shop))
    assert again == [], "it is there now"
    assert "begins with" in refused[0].sentence


@pytest.mark.parametrize("name", ["plain", "Capital", "order", "two words", 'quo"te', "übermut", "$1", "1st", "user"])
def test_identifiers_are_those_the_server_writes(shop: Target, name: str) -> None:
    with owner("shop") as keeper:
        keeper.execute(f"CREATE TEMPORARY TABLE t ({identifier(name)} int)".encode())
        made = keeper.execute(
            "SELECT attname FROM pg_attribute WHERE attrelid = 't'::regclass AND attnum = 1"
        ).fetchone()
        written = keeper.execute("SELECT quote_ident(%s)", [name]).fetchone()
    assert made == (name,)
    assert written is not None
    assert bare(written[0]) == bare(identifier(name)) == name
