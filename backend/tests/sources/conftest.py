"""A real PostgreSQL server for the tests of sources: the test cluster `ferry`, with a small database of its own."""

import pytest
from faena.sources.postgres import Target
from watched import PORT, owner


@pytest.fixture(scope="session")
def target() -> Target:
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
    return Target(host="127.0.0.1", port=PORT, database="watched", user="watcher", password="secret-watcher")
