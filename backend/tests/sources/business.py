"""Programs of a ferry line at work on a real server, and what can go wrong with them: for finding out what is at fault.

Each program is some threads with a session each. They work until they are told to stop; what they were refused while
somebody stood in their way is no fault of the test.
"""

import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from itertools import count
from threading import Event, Thread

import psycopg
from watched import PASSWORD, PORT, owner

DATABASE = "ferries"
BOOKINGS, SAILINGS = 200_000, 200
Work = Callable[[psycopg.Connection, Event, int], None]


def build() -> None:
    """The database, once."""
    with owner("postgres") as keeper:
        keeper.execute(f"DROP DATABASE IF EXISTS {DATABASE} WITH (FORCE)".encode())
        keeper.execute(f"CREATE DATABASE {DATABASE}".encode())
    with owner(DATABASE) as keeper:
        keeper.execute("CREATE EXTENSION pg_stat_statements")
        keeper.execute("CREATE TABLE sailing (id int PRIMARY KEY, slots int NOT NULL, name text)")
        keeper.execute("INSERT INTO sailing SELECT i, 500, 'sailing ' || i FROM generate_series(1, %s) i", (SAILINGS,))
        keeper.execute(
            "CREATE TABLE booking (id int PRIMARY KEY, sailing_id int, reference text, email text, paid numeric, at timestamptz)"
        )
        keeper.execute(
            "INSERT INTO booking SELECT i, 1 + i %% %s, md5(i::text), 'guest' || i || '@example.org', i %% 300, "
            "timestamptz '2026-01-01' + i * interval '1 minute' FROM generate_series(1, %s) i",
            (SAILINGS, BOOKINGS),
        )
        keeper.execute("CREATE INDEX booking_email ON booking (email)")
        keeper.execute("CREATE INDEX booking_sailing ON booking (sailing_id)")
        keeper.execute(
            "CREATE TABLE scan (id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY, gate int, at timestamptz)"
        )
        keeper.execute("CREATE TABLE gate_count (gate int PRIMARY KEY, passed int NOT NULL)")
        keeper.execute("INSERT INTO gate_count SELECT i, 0 FROM generate_series(1, 20) i")
        keeper.execute(
            "CREATE FUNCTION slowly(i int) RETURNS int LANGUAGE plpgsql IMMUTABLE AS "
            "$$ BEGIN PERFORM pg_sleep(0.02); RETURN i; END $$"
        )
        keeper.execute("CREATE TABLE job (id int PRIMARY KEY, what text)")
        keeper.execute("VACUUM ANALYZE")


class Business:
    """Programs at work. `add` starts one, of so many sessions."""

    def __init__(self) -> None:
        self.over = Event()
        self._threads: list[Thread] = []

    def add(self, program: str, work: Work, sessions: int = 1) -> None:
        for place in range(sessions):
            thread = Thread(target=self._run, args=(program, work, place), daemon=True)
            self._threads.append(thread)
            thread.start()

    def _run(self, program: str, work: Work, place: int) -> None:
        with suppress(psycopg.Error), session(program) as connection:
            work(connection, self.over, place)

    def close(self) -> None:
        self.over.set()
        with owner("postgres") as keeper:
            time.sleep(0.2)
            keeper.execute(
                "SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE datname = %s AND pid <> pg_backend_pid()",
                (DATABASE,),
            )
        for thread in self._threads:
            thread.join(10)


@contextmanager
def session(program: str) -> Iterator[psycopg.Connection]:
    """By the name of its program."""
    connection = psycopg.connect(
        host="127.0.0.1", port=PORT, dbname=DATABASE, user="keeper", password=PASSWORD, autocommit=True,
        application_name=program,
    )  # fmt: skip
    try:
        yield connection
    finally:
        connection.close()


@contextmanager
def business() -> Iterator[Business]:
    """Healthy and light: lookups, a change of a row that is held for no time, a list."""
    made = Business()
    made.add("web", lookups, 3)
    made.add("desk", changes, 2)
    try:
        yield made
    finally:
        made.close()


def lookups(connection: psycopg.Connection, over: Event, place: int) -> None:
    for n in count(place):
        if over.wait(0.03):
            return
        connection.execute("SELECT paid, at FROM booking WHERE id = %s", (1 + n * 7919 % BOOKINGS,))


def changes(connection: psycopg.Connection, over: Event, place: int) -> None:
    for n in count(place):
        if over.wait(0.05):
            return
        connection.execute("UPDATE gate_count SET passed = passed + 1 WHERE gate = %s", (1 + n % 20,))


def repeat(statement: str, pause_s: float = 0.0) -> Work:
    """One statement again and again."""

    def work(connection: psycopg.Connection, over: Event, place: int) -> None:
        while not over.wait(pause_s):
            with suppress(psycopg.errors.LockNotAvailable):
                connection.execute(statement.encode())

    return work


def once(*statements: str) -> Work:
    """In order, then wait without a word, in whatever transaction was begun."""

    def work(connection: psycopg.Connection, over: Event, place: int) -> None:
        for statement in statements:
            connection.execute(statement.encode())
        over.wait()

    return work


def in_transactions(*statements: str, think_s: float, level: str = "READ COMMITTED") -> Work:
    """Transactions of these statements, each held for so long before it ends; failed ones are begun anew."""

    def work(connection: psycopg.Connection, over: Event, place: int) -> None:
        order = statements if place % 2 == 0 else statements[::-1]
        while not over.is_set():
            connection.execute(f"BEGIN ISOLATION LEVEL {level}".encode())
            try:
                for statement in order:
                    connection.execute(statement.encode())
                    over.wait(think_s)
                connection.execute("COMMIT")
            except (psycopg.errors.DeadlockDetected, psycopg.errors.SerializationFailure):
                connection.execute("ROLLBACK")

    return work


def sips(connection: psycopg.Connection, over: Event, place: int) -> None:
    """Takes its rows very slowly."""
    with (
        connection.cursor() as cursor,
        cursor.copy("COPY (SELECT b.*, repeat('x', 2000) FROM booking b) TO STDOUT") as copy,
    ):
        for _ in copy:
            if over.wait(0.05):
                return


def for_each_row(connection: psycopg.Connection, over: Event, place: int) -> None:
    """One statement for a list, then one more for each row of it."""
    for n in count(place):
        for (booking,) in connection.execute(
            "SELECT id FROM booking WHERE sailing_id = %s LIMIT 60", (1 + n % SAILINGS,)
        ).fetchall():
            connection.execute("SELECT reference, email FROM booking WHERE id = %s", (booking,))
        if over.is_set():
            return


def comes_and_goes(_: psycopg.Connection, over: Event, place: int) -> None:
    """A new session for each statement."""
    while not over.is_set():
        with suppress(psycopg.OperationalError), session("kiosk") as connection:
            connection.execute("SELECT count(*) FROM booking WHERE sailing_id = 3")
