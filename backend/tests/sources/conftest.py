"""A real PostgreSQL server for the tests of sources: the test cluster `ferry`, with a small database of its own."""

import os
from collections.abc import Iterator

import psycopg
import pytest
from faena.sources.postgres import Target

PORT = int(os.environ.get("FAENA_TEST_FERRY_PORT", "54731"))


def owner(database: str = "watched") -> psycopg.Connection:
    return psycopg.connect(
        host="127.0.0.1",
        port=PORT,
        dbname=database,
        user="keeper",
        password=os.environ["FAENA_TEST_FERRY_PASSWORD"],
        autocommit=True,
        application_name="tester",
    )


@pytest.fixture(scope="session")
def target() -> Iterator[Target]:
    """Reached as a role with pg_monitor and nothing more."""
    with owner("postgres") as connection:
        connection.execute("DROP DATABASE IF EXISTS watched WITH (FORCE)")
        connection.execute("CREATE DATABASE watched")
        for role, grant in (("watcher", "GRANT pg_monitor TO watcher"), ("stranger", None)):
            connection.execute(f"DROP ROLE IF EXISTS {role}")
            connection.execute(f"CREATE ROLE {role} LOGIN PASSWORD 'secret-{role}'")
            if grant:
                connection.execute(grant)
    with owner() as connection:
        connection.execute("CREATE EXTENSION pg_stat_statements")
        connection.execute("CREATE TABLE deck_slot (id int PRIMARY KEY, held int)")
        connection.execute("INSERT INTO deck_slot SELECT i, 0 FROM generate_series(1, 100) i")
    yield Target(host="127.0.0.1", port=PORT, database="watched", user="watcher", password="secret-watcher")
