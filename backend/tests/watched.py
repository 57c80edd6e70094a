"""Connections to the test cluster `ferry` as its owner."""

import os

import psycopg

PORT = int(os.environ.get("FAENA_TEST_FERRY_PORT", "54731"))


def owner(database: str = "watched", user: str = "keeper", password: str = "") -> psycopg.Connection:
    """Or another account, by its password."""
    return psycopg.connect(
        host="127.0.0.1",
        port=PORT,
        dbname=database,
        user=user,
        password=password or os.environ["FAENA_TEST_FERRY_PASSWORD"],
        autocommit=True,
        application_name="tester",
    )
