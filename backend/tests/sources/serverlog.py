"""The test cluster's own logs, read through the server, so that tests need no right on its files."""

import time
from collections.abc import Iterator
from contextlib import contextmanager

import psycopg
from patience import PATIENCE_S, wait_for
from watched import owner

FORMS = ("stderr", "csvlog", "jsonlog")


@contextmanager
def logging(**settings: str) -> Iterator[None]:
    """All three forms at once with these settings, into fresh files."""
    wanted = {
        "log_destination": ",".join(FORMS),
        "log_filename": "test-%Y%m%d-%H%M%S.log",
        **settings,
    }
    with owner("postgres") as keeper:
        for name, value in wanted.items():
            keeper.execute(f"ALTER SYSTEM SET {name} = '{value}'".encode())
        _take_up(keeper, "log_destination", wanted["log_destination"])
        time.sleep(1.1)  # the name of the next file differs by the second
        rotate(keeper)
        try:
            yield
        finally:
            for name in wanted:
                keeper.execute(f"ALTER SYSTEM RESET {name}".encode())
            keeper.execute("SELECT pg_reload_conf()")


def _take_up(keeper: psycopg.Connection, setting: str, value: str) -> None:
    keeper.execute("SELECT pg_reload_conf()")
    shown = f"SHOW {setting}".encode()
    wait_for(lambda: keeper.execute(shown).fetchone() == (value,), "the server takes up its settings")


def rotate(keeper: psycopg.Connection) -> None:
    """Returns once the server writes into new files."""
    row = keeper.execute("SHOW log_destination").fetchone()
    form = str(row[0]).split(",")[-1] if row else "jsonlog"
    before = current(keeper, form)
    keeper.execute("SELECT pg_rotate_logfile()")
    wait_for(lambda: current(keeper, form) not in (before, None), "the server begins a new log")


def current(keeper: psycopg.Connection, form: str) -> str | None:
    row = keeper.execute("SELECT pg_current_logfile(%s)", [form]).fetchone()
    return row[0] if row else None


def written(form: str, until: str) -> bytes:
    """The current log in one form, once `until` stands in it."""
    end = time.monotonic() + PATIENCE_S
    with owner("postgres") as keeper:
        while True:
            name = current(keeper, form)
            row = keeper.execute("SELECT pg_read_binary_file(%s)", [name]).fetchone() if name else None
            data = bytes(row[0]) if row else b""
            if until.encode() in data or time.monotonic() > end:
                return data
            time.sleep(0.05)
