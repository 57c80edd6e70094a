"""Connections to the test cluster `ferry` as its owner. Each worker of a parallel run has a cluster of its own, since
tests set parameters, read logs and count waits of the whole server."""

import os

import psycopg

_WORKER = int(os.environ.get("PYTEST_XDIST_WORKER", "gw0").removeprefix("gw"))
_FERRIES = os.environ["FAENA_TEST_FERRIES"].split()  # port:password of each
_PORT, PASSWORD = _FERRIES[_WORKER].split(":", 1)
PORT = int(_PORT)


def owner(database: str = "watched", user: str = "keeper", password: str = "") -> psycopg.Connection:
    """Or another account, by its password."""
    return psycopg.connect(
        host="127.0.0.1",
        port=PORT,
        dbname=database,
        user=user,
        password=password or PASSWORD,
        autocommit=True,
        application_name="tester",
    )
