"""The programs of Tidewrack Ferries. Each runs as its own process: python -m tidewrack.programs NAME.

Every loop is bounded: it sleeps between its pieces of work, so that in quiet times all programs together leave most of
the machine free. Trouble comes from the same loops, or from further ones that wait for their switch.
"""

import json
import random
import sys
import threading
import time
from collections.abc import Callable

from pg8000.exceptions import DatabaseError, InterfaceError
from pg8000.native import Connection

from tidewrack.client import POPULAR_SAILING, Host, is_on, wait_while

Work = Callable[[Connection, random.Random], None]
NEAR_SAILINGS = (17281, 17680)


def keep_on(host: Host, number: int, work: Work) -> None:
    """One connection that works forever; after an error it reconnects, as a pool would."""
    chance = random.Random(f"{host.program}:{number}")
    while True:
        try:
            connection = host.connect(number)
            try:
                while True:
                    work(connection, chance)
            finally:
                connection.close()
        except (DatabaseError, InterfaceError, OSError):
            time.sleep(0.5 + chance.random())


def pool(host: Host, size: int, work: Work, first: int = 0) -> None:
    for number in range(first, first + size):
        threading.Thread(target=keep_on, args=(host, number, work), daemon=True).start()


def pause(chance: random.Random, seconds: float) -> None:
    """Exponential, as the time between two customers is."""
    time.sleep(min(chance.expovariate(1 / seconds), 10 * seconds))


# --- booking-web ---------------------------------------------------------------------------------------------------

BOOKING_WEB = Host(program="booking-web", user="booking_web", subnet=1, addresses=3)


def rebook(connection: Connection, chance: random.Random) -> None:
    """Moves a booking between two sailings, and locks them in whatever order the customer named them."""
    wait_while("deadlocks", on=False)
    first, second = random.Random(int(time.time() / 4)).sample(range(17400, 17406), 2)
    if chance.random() < 0.5:
        first, second = second, first
    connection.run("BEGIN")
    try:
        for sailing in (first, second):
            connection.run("UPDATE sailing SET booked = booked + 1 WHERE id = :s", s=sailing)
            time.sleep(0.15)
        connection.run("COMMIT")
    except DatabaseError:
        connection.run("ROLLBACK")
    pause(chance, 0.1)


def booking_web() -> None:
    from tidewrack.web import booking

    booking.start()
    pool(BOOKING_WEB, 6, rebook)


# --- gate-scan -----------------------------------------------------------------------------------------------------

GATE_SCAN = Host(program="gate-scan", user="gate_scan", subnet=2, addresses=6)
GATE_TELEMETRY = Host(program="gate-scan", user="gate_telemetry", subnet=2, addresses=6)


def scan(connection: Connection, chance: random.Random) -> None:
    """A ticket is held to the gate."""
    pause(chance, 0.4)
    ticket = chance.randint(1, 300000)
    connection.run("SELECT id, booking_id, used_at FROM ticket WHERE id = :t", t=ticket)
    connection.run("INSERT INTO gate_scan (ticket_id, gate) VALUES (:t, :g)", t=ticket, g=chance.randint(1, 12))


def look_up(connection: Connection, chance: random.Random) -> None:
    """A customer without a ticket names the reference of the booking."""
    wait_while("missing-index", on=False)
    reference = f"{chance.randrange(16**8):08X}"
    connection.run("SELECT id, sailing_id, state FROM booking WHERE reference = :r", r=reference)
    time.sleep(0.1)


def report_reading(connection: Connection, chance: random.Random) -> None:
    wait_while("tiny-commits", on=False)
    reading = json.dumps({"battery": chance.randint(20, 100), "temperature": chance.randint(-4, 31)})
    connection.run(
        "INSERT INTO gate_telemetry (gate, reading) VALUES (:g, CAST(:r AS jsonb))", g=chance.randint(1, 12), r=reading
    )


def gate_scan() -> None:
    pool(GATE_SCAN, 4, scan)
    pool(GATE_SCAN, 2, look_up, first=4)
    pool(GATE_TELEMETRY, 12, report_reading, first=6)


# --- fare-engine ---------------------------------------------------------------------------------------------------

FARE_ENGINE = Host(program="fare-engine", user="fare_engine", subnet=3)


def quote(connection: Connection, chance: random.Random) -> None:
    pause(chance, 0.2)
    connection.run(
        "SELECT amount FROM fare WHERE route_id = :r AND kind = :k AND valid_from <= current_date ORDER BY valid_from DESC LIMIT 1",
        r=chance.randint(1, 22),
        k=chance.choice(["adult", "child", "car", "van"]),
    )


def compare_all(connection: Connection, chance: random.Random) -> None:
    """Meant to compare each route's fares; the condition that ties sailings to routes was lost in a change."""
    wait_while("cross-join", on=False)
    run_until_off(
        connection,
        "cross-join",
        "SELECT count(*) FROM fare f, sailing s, route r WHERE f.amount > r.minutes * 0.1 AND s.booked >= 0",
    )


def run_until_off(connection: Connection, trouble: str, statement: str) -> None:
    """Run a statement that does not end by itself, and cancel it once the trouble is switched off."""
    pid = connection.run("SELECT pg_backend_pid()")[0][0]

    def cancel() -> None:
        wait_while(trouble, on=True)
        canceller = FARE_ENGINE.connect()
        try:
            canceller.run("SELECT pg_cancel_backend(CAST(:p AS int))", p=pid)
        finally:
            canceller.close()

    threading.Thread(target=cancel, daemon=True).start()
    try:
        connection.run(statement)
    except DatabaseError:
        wait_while(trouble, on=True)


def fare_engine() -> None:
    pool(FARE_ENGINE, 3, quote)
    pool(FARE_ENGINE, 1, compare_all, first=3)


# --- manifest-export, and those who use the web services ------------------------------------------------------------


def manifest_export() -> None:
    from tidewrack.web import manifests

    manifests.start()


def customers() -> None:
    from tidewrack.web import authority
    from tidewrack.web import customers as visitors

    authority.start()
    visitors.start()


# --- crew-planner --------------------------------------------------------------------------------------------------

CREW_PLANNER = Host(program="crew-planner", user="crew_planner", subnet=5)


def show_roster(connection: Connection, chance: random.Random) -> None:
    pause(chance, 0.6)
    connection.run("SELECT sailing_id, duty FROM crew_roster WHERE crew_id = :c", c=chance.randint(1, 600))
    if chance.random() < 0.3:
        connection.run("UPDATE crew_roster SET duty = duty WHERE id = :i", i=chance.randint(1, 160000))


def long_insert(connection: Connection, chance: random.Random) -> None:
    """Plans a season row by row in one transaction, which stays open until it is done."""
    wait_while("index-rebuild", on=False)
    connection.run("BEGIN")
    try:
        while is_on("index-rebuild"):
            connection.run(
                "INSERT INTO crew_roster (sailing_id, crew_id, duty) SELECT :s, c, 'season' FROM generate_series(1, 20) c",
                s=chance.randint(1, 20000),
            )
            time.sleep(0.5)
    finally:
        connection.run("ROLLBACK")


def rebuild_index(connection: Connection, chance: random.Random) -> None:
    wait_while("index-rebuild", on=False)
    time.sleep(1.5)
    connection.run("REINDEX INDEX crew_roster_crew_id_idx")
    wait_while("index-rebuild", on=True)


def crew_planner() -> None:
    pool(CREW_PLANNER, 5, show_roster)
    pool(CREW_PLANNER, 1, long_insert, first=5)
    pool(CREW_PLANNER, 1, rebuild_index, first=6)


# --- nightly-report ------------------------------------------------------------------------------------------------

NIGHTLY_REPORT = Host(program="nightly-report", user="nightly_report", subnet=6)


def small_report(connection: Connection, chance: random.Random) -> None:
    pause(chance, 15.0)
    connection.run(
        "SELECT route_id, count(*) FROM sailing WHERE departs_at > now() - interval '30 days' GROUP BY route_id"
    )


def large_report(connection: Connection, chance: random.Random) -> None:
    wait_while("report-spill", on=False)
    connection.run(
        "SELECT count(*) FROM (SELECT b.id, b.note, p.name, row_number() OVER (ORDER BY p.name, b.note, b.booked_at) AS place "
        "FROM booking b JOIN passenger p ON p.booking_id = b.id) ranked WHERE place % 1000 = 0"
    )


def nightly_report() -> None:
    pool(NIGHTLY_REPORT, 1, small_report)
    pool(NIGHTLY_REPORT, 2, large_report, first=1)


# --- ops-console and maintenance -----------------------------------------------------------------------------------

OPS_CONSOLE = Host(program="ops-console", user="ops_console", subnet=7)
MAINTENANCE = Host(program="maintenance", user="maintenance", subnet=8)


def look_around(connection: Connection, chance: random.Random) -> None:
    pause(chance, 8.0)
    connection.run(
        "SELECT state, count(*) FROM sailing WHERE departs_at BETWEEN now() AND now() + interval '1 day' GROUP BY state"
    )


def forget_transaction(connection: Connection, chance: random.Random) -> None:
    """BEGIN, change every slot of the popular sailing, and nothing more until the trouble is over."""
    wait_while("idle-console", on=False)
    connection.run("BEGIN")
    try:
        connection.run("UPDATE deck_slot SET held_until = NULL WHERE sailing_id = :s", s=POPULAR_SAILING)
        wait_while("idle-console", on=True)
    finally:
        connection.run("ROLLBACK")


def ops_console() -> None:
    pool(OPS_CONSOLE, 1, look_around)
    pool(OPS_CONSOLE, 1, forget_transaction, first=1)


def tidy(connection: Connection, chance: random.Random) -> None:
    """Keeps the small, busy tables small, so that the demo can run for days."""
    pause(chance, 120.0)
    for table in ("gate_telemetry", "gate_scan", "manifest"):
        connection.run(f"DELETE FROM {table} WHERE id < (SELECT max(id) - 50000 FROM {table})")


def maintenance() -> None:
    pool(MAINTENANCE, 1, tidy)


PROGRAMS: dict[str, Callable[[], None]] = {
    "booking-web": booking_web,
    "gate-scan": gate_scan,
    "fare-engine": fare_engine,
    "manifest-export": manifest_export,
    "crew-planner": crew_planner,
    "nightly-report": nightly_report,
    "ops-console": ops_console,
    "maintenance": maintenance,
    "customers": customers,
}


def main() -> None:
    if len(sys.argv) != 2 or sys.argv[1] not in PROGRAMS:
        sys.exit(f"which program? One of: {', '.join(PROGRAMS)}")
    PROGRAMS[sys.argv[1]]()
    threading.Event().wait()


if __name__ == "__main__":
    main()
