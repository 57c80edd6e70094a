"""Attacks on the asking for plans, on a real server: nothing of them runs, nothing of a table or a file comes back.

Each was tried against the guard as it was, and most passed it: planning evaluates what it can, and an error cites it.
"""

from collections.abc import Iterator

import psycopg
import pytest
from faena.core.engines.postgres.plans.guard import Unexplainable
from faena.core.engines.postgres.plans.reader import read_plan
from faena.core.errors import BadInput, SourceError
from faena.sources.postgres import Target
from faena.sources.postgres.explain import estimate, measure
from watched import owner

SECRET = "Zq7secretZq7"
SET_UP = f"""
CREATE TABLE vault (id int PRIMARY KEY, note text);
INSERT INTO vault SELECT i, '{SECRET}' FROM generate_series(1, 100) i;
CREATE TABLE touched (n int);
CREATE SCHEMA trap;
CREATE FUNCTION trap.bump(int) RETURNS int LANGUAGE plpgsql IMMUTABLE SECURITY DEFINER AS
  $$ BEGIN PERFORM dblink_none(); EXCEPTION WHEN OTHERS THEN RAISE EXCEPTION '{SECRET} ran'; END $$;
CREATE FUNCTION trap.peek(vault) RETURNS text LANGUAGE plpgsql STABLE SECURITY DEFINER AS
  $$ BEGIN RAISE EXCEPTION '{SECRET} ran'; END $$;
CREATE OPERATOR trap.= (LEFTARG = int, RIGHTARG = text, FUNCTION = trap.same);
"""
SET_UP = (
    SET_UP.replace(
        "CREATE OPERATOR",
        f"CREATE FUNCTION trap.same(int, text) RETURNS boolean LANGUAGE plpgsql IMMUTABLE AS $$ BEGIN RAISE EXCEPTION '{SECRET} ran'; END $$;\n"
        "CREATE OPERATOR",
    )
    + """
CREATE VIEW trap_view AS SELECT id, trap.bump(id) AS bumped FROM vault;
CREATE VIEW fine_view AS SELECT id, upper(note) AS loud FROM vault WHERE id > 5;
CREATE VIEW over_view AS SELECT * FROM trap_view;
CREATE TABLE guarded (id int); ALTER TABLE guarded ENABLE ROW LEVEL SECURITY;
CREATE POLICY p ON guarded USING (trap.bump(id) > 0);
GRANT USAGE ON SCHEMA trap TO PUBLIC; GRANT SELECT, INSERT, UPDATE, DELETE ON ALL TABLES IN SCHEMA public TO watcher;
ALTER DATABASE vaults SET search_path = trap, public, pg_catalog;
"""
)


@pytest.fixture(scope="module")
def vaults(target: Target) -> Iterator[Target]:
    with owner("postgres") as keeper:
        keeper.execute("DROP DATABASE IF EXISTS vaults WITH (FORCE)")
        keeper.execute("CREATE DATABASE vaults")
    with owner("vaults") as keeper:
        keeper.execute(SET_UP.encode())
    yield Target(host=target.host, port=target.port, database="vaults", user=target.user, password=target.password)
    with owner("postgres") as keeper:
        keeper.execute("DROP DATABASE IF EXISTS vaults WITH (FORCE)")


FILE = "SELECT pg_read_file('PG_VERSION')"
ATTACKS = {
    "a statement inside ts_stat": "SELECT * FROM ts_stat($x$SELECT to_tsvector(note) FROM vault$x$)",
    "a statement inside query_to_xml": "SELECT 1 FROM vault WHERE id < length(query_to_xml('SELECT note FROM vault', true, true, '')::text)",
    "its text cast to a number": "SELECT 1 FROM vault WHERE id = query_to_xml('SELECT note FROM vault', true, true, '')::text::int",
    "a name with U&": "SELECT U&\"\\0070g_sleep\"(5)",
    "a quoted name": 'SELECT "pg_terminate_backend"(1)',
    "a name with its schema": "SELECT pg_catalog.pg_sleep(5)",
    "a text in dollars": "SELECT set_config($a$work_mem$a$, '1', false)",
    "rows locked, with a function": "SELECT trap.bump(id) FROM vault FOR UPDATE",
    "rows locked": "SELECT * FROM vault FOR NO KEY UPDATE",
    "a function of somebody's": "SELECT bump(1)",
    "a function by field notation": "SELECT vault.peek FROM vault",
    "a function by field notation of the whole row": "SELECT (vault).peek FROM vault",
    "a function of the server by field notation": "SELECT (id::float8).pg_sleep FROM vault",
    "a file": FILE,
    "a file cast to a number": f"SELECT 1 FROM vault WHERE id = ({FILE})::int",
    "a large object": "SELECT lo_import('/etc/passwd')",
    "an operator by its schema": "SELECT 1 OPERATOR(trap.=) 'x'",
    "a view that calls a function": "SELECT * FROM trap_view",
    "a view over such a view": "SELECT * FROM over_view",
    "a policy that calls a function": "SELECT * FROM guarded",
    "much memory at once": "SELECT repeat('x', 1000000000)",
    "a second statement": "SELECT 1; SELECT pg_sleep(5)",
    "a second statement behind a comment": "SELECT 1 /* ; */ ; DROP TABLE vault --",
    "a function in FROM": "SELECT * FROM pg_ls_dir('.')",
    "rows from functions": "SELECT * FROM ROWS FROM (pg_ls_dir('.')) AS x",
    "a sequence": "SELECT nextval('x')",
    "a setting": "SELECT current_setting('data_directory')",
    "a copy": "COPY vault TO PROGRAM 'touch /tmp/x'",
    "a block": "DO $$ BEGIN PERFORM pg_sleep(5); END $$",
    "a table made": "SELECT * INTO other FROM vault",
    "a write within WITH, run": "WITH x AS (DELETE FROM vault RETURNING *) SELECT * FROM x",
    "a catalogue of tables read by id": "SELECT * FROM pg_catalog.pg_read_binary_file('PG_VERSION')",
    "XML": "SELECT xmlparse(document note) FROM vault",
}  # fmt: skip


@pytest.mark.parametrize("statement", ATTACKS.values(), ids=ATTACKS)
def test_an_attack_is_refused_and_nothing_of_the_table_comes_back(vaults: Target, statement: str) -> None:
    with pytest.raises((BadInput, SourceError)) as refused:
        measure(vaults, statement, None)
    assert SECRET not in str(refused.value)
    if "RETURNING" not in statement:  # an estimate of a write is allowed, and writes nothing
        with pytest.raises((BadInput, SourceError)) as estimated:
            estimate(vaults, statement, None)
        assert SECRET not in str(estimated.value)


def test_a_value_that_cannot_be_cast_is_told_by_its_code_alone(vaults: Target) -> None:
    """The server cites the value that it cannot cast; that is not passed on."""
    for statement in (
        f"SELECT 1 FROM vault WHERE id = '{SECRET}'",
        "SELECT note::int FROM vault WHERE (note)::int = 5",
    ):
        with pytest.raises(BadInput, match="22P02") as refused:
            measure(vaults, statement, None)
        assert SECRET not in str(refused.value)


def test_an_operator_on_the_path_is_not_found(vaults: Target) -> None:
    with pytest.raises(BadInput, match="42883"):
        estimate(vaults, "SELECT 1 FROM vault WHERE id = note", None)


def test_a_function_planted_in_the_catalogue_is_not_trusted(vaults: Target) -> None:
    with owner("vaults") as keeper:
        keeper.execute("SET allow_system_table_mods = on")
        keeper.execute(
            f"CREATE FUNCTION pg_catalog.upper(int) RETURNS text LANGUAGE plpgsql IMMUTABLE AS "
            f"$$ BEGIN RAISE EXCEPTION '{SECRET} ran'; END $$".encode()
        )
    try:
        with pytest.raises(Unexplainable, match="upper"):
            estimate(vaults, "SELECT upper(5)", None)
    finally:
        with owner("vaults") as keeper:
            keeper.execute("SET allow_system_table_mods = on")
            keeper.execute("DROP FUNCTION pg_catalog.upper(int)")


def test_a_table_of_another_server_is_asked_about_only_where_that_is_allowed(vaults: Target) -> None:
    with owner("vaults") as keeper:
        try:
            keeper.execute("CREATE EXTENSION IF NOT EXISTS postgres_fdw")
        except psycopg.errors.FeatureNotSupported:
            pytest.skip("no foreign tables on this server")
        keeper.execute(
            "CREATE SERVER IF NOT EXISTS far FOREIGN DATA WRAPPER postgres_fdw OPTIONS (host '127.0.0.1', port '1')"
        )
        keeper.execute("CREATE FOREIGN TABLE IF NOT EXISTS distant (id int) SERVER far")
    with pytest.raises(Unexplainable, match="another server"):
        estimate(vaults, "SELECT * FROM distant", None)


HONEST = {
    "SELECT id FROM vault WHERE id = $1": None,
    "SELECT count(*), max(note) FROM vault v WHERE v.id BETWEEN $1 AND $2 AND lower(note) = $3 GROUP BY note ORDER BY 1 DESC LIMIT 5": None,
    "WITH few AS MATERIALIZED (SELECT * FROM vault WHERE id < 10) SELECT few.id, now() FROM few JOIN vault USING (id)": None,
    "SELECT * FROM fine_view WHERE id = $1": None,
    "UPDATE vault SET note = upper(note) WHERE id = $1": None,
    "INSERT INTO public.vault (id, note) VALUES ($1, $2) ON CONFLICT (id) DO UPDATE SET note = excluded.note": None,
    "DELETE FROM vault USING touched WHERE vault.id = touched.n": None,
    "SELECT v.note FROM public.vault AS v WHERE v.id = ANY($1) AND v.note LIKE 'a%' OFFSET 3": None,
    "SELECT jsonb_build_object('a', id) ->> 'a' FROM vault, generate_series(1, 3) g (n) WHERE date_trunc('day', now()) > '2026-01-01'": None,
}  # fmt: skip


@pytest.mark.parametrize("statement", HONEST)
def test_honest_statements_have_their_plan(vaults: Target, statement: str) -> None:
    assert read_plan(estimate(vaults, statement, None)).root.kind


def test_nothing_was_done_by_any_of_it(vaults: Target) -> None:
    with owner("vaults") as keeper:
        assert keeper.execute("SELECT count(*) FROM vault").fetchone() == (100,)
        assert keeper.execute("SELECT to_regclass('public.other')").fetchone() == (None,)
