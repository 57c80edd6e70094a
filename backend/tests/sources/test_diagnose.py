"""What is at fault on a real server with an ordinary business beside it, found by watching it for some seconds."""

import asyncio
import json
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from pathlib import Path

import pytest
from business import (
    DATABASE,
    Business,
    build,
    business,
    comes_and_goes,
    for_each_row,
    in_transactions,
    once,
    repeat,
    sips,
)
from faena.core.answers.leads.kinds import LeadKind
from faena.headless.diagnose import diagnosed
from faena.sources.postgres import Target
from watched import PASSWORD, PORT, owner

WATCHED_S = 7.0
HOLD = "UPDATE sailing SET slots = slots - 1 WHERE id = 7"
OTHER_ORDER = (
    "UPDATE sailing SET slots = slots - 1 WHERE id = 11",
    "UPDATE sailing SET slots = slots + 1 WHERE id = 12",
)
LONG_HOLD = "UPDATE sailing SET slots = slots WHERE id <= 60 AND pg_sleep(0.4) IS NOT NULL"
SORT = "SELECT sailing_id, count(*) FROM (SELECT * FROM booking ORDER BY reference || email) x GROUP BY 1"
POSTS = ("SELECT sum(slots) FROM sailing", "UPDATE sailing SET slots = slots + 1 WHERE id = 5")


@dataclass(frozen=True)
class Fault:
    """What is started beside the business, and what must be found as the first lead: kind and names of its root."""

    name: str
    kind: LeadKind
    start: Callable[[Business], object]
    root: dict[str, str] = field(default_factory=dict)
    setup: tuple[str, ...] = ()


def left_open(b: Business) -> None:
    b.add("ops-console", once("BEGIN", HOLD))
    time.sleep(0.5)
    b.add("booking-web", repeat(HOLD), 3)


def held_at_work(b: Business) -> None:
    b.add("manifest-export", once("BEGIN", LONG_HOLD))
    time.sleep(3.2)  # until it has come to the row
    b.add("booking-web", repeat(HOLD), 3)


def behind_advice(b: Business) -> None:
    b.add("fare-engine", once("SELECT pg_advisory_lock(42)"))
    time.sleep(0.5)
    b.add("booking-web", repeat("SELECT pg_advisory_lock(42)"), 3)


def built_in_the_way(b: Business) -> None:
    b.add("maintenance", once("CREATE INDEX slow_build ON sailing (slowly(id + slowly(slots)))"))
    time.sleep(0.5)
    b.add("booking-web", repeat(HOLD), 3)


def behind_a_queue(b: Business) -> None:
    """An index build waits for a report, and the bookings wait behind the build: at fault is the report."""
    b.add("month-report", once("BEGIN", "SELECT count(*) FROM sailing", "SELECT pg_sleep(60)"))
    time.sleep(0.5)
    b.add("maintenance", once("ALTER TABLE sailing ALTER COLUMN name SET DEFAULT 'new'"))
    time.sleep(0.5)
    b.add("booking-web", repeat(HOLD), 3)


def behind_a_snapshot(b: Business) -> None:
    """A queue whose done jobs cannot be removed, since somebody reads from a snapshot of long ago."""
    b.add("analyst", once("BEGIN ISOLATION LEVEL REPEATABLE READ", "SELECT count(*) FROM sailing"))
    time.sleep(0.5)
    with owner(DATABASE) as keeper:
        keeper.execute(
            "INSERT INTO job SELECT i, repeat('x', 80) FROM generate_series(1, 120000) i ON CONFLICT DO NOTHING"
        )
        keeper.execute("DELETE FROM job WHERE id < 119990")
        keeper.execute("ANALYZE job")
    b.add("worker", repeat("SELECT id, what FROM job ORDER BY id LIMIT 1"), 2)
    time.sleep(6)  # the snapshot grows old


FAULTS = (
    Fault("row by row", LeadKind.REPEATED_STATEMENT, lambda b: b.add("manifest-export", for_each_row, 2),
          {"program": "manifest-export", "table": "booking"}),
    Fault("behind a snapshot", LeadKind.HELD_BACK_VACUUM, behind_a_snapshot, {"program": "analyst", "table": "job"}),
    Fault("one row, each briefly", LeadKind.HOT_ROW, lambda b: b.add("booking-web", in_transactions(HOLD, think_s=0.02), 14),
          {"program": "booking-web", "table": "sailing"}),
    Fault("left open", LeadKind.IDLE_TRANSACTION, left_open, {"program": "ops-console", "table": "sailing"}),
    Fault("held at work", LeadKind.LOCK_CHAIN, held_at_work, {"program": "manifest-export", "table": "sailing"}),
    Fault("behind a queue", LeadKind.LOCK_CHAIN, behind_a_queue, {"program": "month-report"}),
    Fault("one row", LeadKind.HOT_ROW, lambda b: b.add("booking-web", in_transactions(HOLD, think_s=0.25), 8),
          {"program": "booking-web", "table": "sailing"}),
    Fault("advisory", LeadKind.ADVISORY_LOCK, behind_advice, {"program": "fare-engine"}),
    Fault("index built", LeadKind.MAINTENANCE, built_in_the_way, {"program": "maintenance", "table": "sailing"}),
    Fault("opposite order", LeadKind.DEADLOCK_PATTERN,
          lambda b: b.add("rebooking", in_transactions(*OTHER_ORDER, think_s=0.1), 2),
          {"program": "rebooking", "table": "sailing"}),
    Fault("no index", LeadKind.MISSING_INDEX,
          lambda b: b.add("gate-scan", repeat("SELECT id FROM booking WHERE reference = 'abc'"), 2),
          {"program": "gate-scan", "table": "booking", "column": "reference"}),
    Fault("function on the column", LeadKind.DEFEATED_INDEX,
          lambda b: b.add("desk-search", repeat("SELECT id FROM booking WHERE lower(email) = 'guest5@example.org'"), 2),
          {"program": "desk-search", "table": "booking", "column": "email", "index": "booking_email"}),
    Fault("paging", LeadKind.DEEP_PAGING,
          lambda b: b.add("crawler", repeat("SELECT * FROM booking ORDER BY id OFFSET 190000 LIMIT 20"), 2),
          {"program": "crawler", "table": "booking"}),
    Fault("runaway", LeadKind.RUNAWAY_STATEMENT,
          lambda b: b.add("fare-engine", once("SELECT count(*) FROM booking a, booking b"), 3),
          {"program": "fare-engine", "table": "booking"}),
    Fault("too few cores", LeadKind.CPU_SATURATION,
          lambda b: b.add("pricing", repeat("SELECT sum(sqrt(i)) FROM generate_series(1, 200000) i"), 8),
          {"program": "pricing"}),
    Fault("spilling", LeadKind.SPILL, lambda b: b.add("nightly-report", once("SET work_mem = '64kB'", *[SORT] * 200), 2),
          {"program": "nightly-report", "table": "booking"}),
    Fault("slow client", LeadKind.SLOW_CLIENT, lambda b: b.add("exporter", sips, 2), {"program": "exporter"}),
    Fault("storm", LeadKind.CONNECTION_STORM, lambda b: b.add("kiosk", comes_and_goes, 3), {"program": "kiosk"}),
    Fault("conflicts", LeadKind.CONFLICT_RETRIES,
          lambda b: b.add("ledger-post", in_transactions(*POSTS, think_s=0.01, level="SERIALIZABLE"), 5),
          {"program": "ledger-post", "table": "sailing"}),
    Fault("tiny commits", LeadKind.COMMIT_RATE,
          lambda b: b.add("telemetry", repeat("INSERT INTO scan (gate, at) VALUES (3, now())"), 8),
          {"program": "telemetry", "table": "scan"}, ("fsync = on", "synchronous_commit = on", "wal_sync_method = fsync")),
)  # fmt: skip

HEALTHY: dict[str, Callable[[Business], object]] = {
    "the business alone": lambda _: None,
    "a report": lambda b: b.add("month-report", repeat("SELECT sailing_id, count(*), sum(paid) FROM booking GROUP BY 1", 0.2)),
    "short waits for locks": lambda b: b.add("booking-web", in_transactions(HOLD, think_s=0.02), 3),
    "a transaction left open that blocks nobody": lambda b: b.add("ops-console", once("BEGIN", "SELECT count(*) FROM sailing")),
    "rows loaded in large transactions": lambda b: b.add(
        "loader", repeat("INSERT INTO scan (gate, at) SELECT i % 20, now() FROM generate_series(1, 2000) i", 0.1)
    ),
    "vacuum": lambda b: b.add("maintenance", repeat("VACUUM ANALYZE booking", 1)),
    "one long statement": lambda b: b.add("analyst", once("SELECT count(*) FROM generate_series(1, 1000000000) i")),
    "serializable without a conflict": lambda b: b.add(
        "ledger-post", in_transactions("SELECT sum(slots) FROM sailing", think_s=0.05, level="SERIALIZABLE"), 2
    ),
    "many lookups that follow nothing": lambda b: b.add("booking-web", repeat("SELECT paid FROM booking WHERE id = 77", 0.002), 3),
    "an old snapshot that nobody reads through": lambda b: b.add(
        "analyst", once("BEGIN ISOLATION LEVEL REPEATABLE READ", "SELECT count(*) FROM sailing")
    ),
    "paging through the first pages": lambda b: b.add("crawler", repeat("SELECT * FROM booking ORDER BY id OFFSET 40 LIMIT 20", 0.01)),
}  # fmt: skip


@pytest.fixture(scope="module", autouse=True)
def _ferries() -> None:
    build()


@pytest.fixture
def ferries() -> Target:
    return Target(host="127.0.0.1", port=PORT, database=DATABASE, user="keeper", password=PASSWORD)


@pytest.fixture
def settings(request: pytest.FixtureRequest) -> Iterator[None]:
    """Settings of the whole server, as long as the test lasts."""
    wanted = request.param
    with owner("postgres") as keeper:
        for one in wanted:
            keeper.execute(f"ALTER SYSTEM SET {one}".encode())
        keeper.execute("SELECT pg_reload_conf()")
        yield
        for one in wanted:
            keeper.execute(f"ALTER SYSTEM RESET {one.split()[0]}".encode())
        keeper.execute("SELECT pg_reload_conf()")


@pytest.mark.parametrize(
    ("fault", "settings"), [(one, one.setup) for one in FAULTS], ids=[one.name for one in FAULTS], indirect=["settings"]
)
def test_the_first_lead_names_what_is_at_fault(fault: Fault, settings: None, ferries: Target) -> None:
    with business() as b:
        fault.start(b)
        time.sleep(0.7)
        found = asyncio.run(diagnosed(ferries, WATCHED_S))
    assert found.leads, found.ground
    first = found.leads[0].claim
    told = [(one.claim.kind.value, one.claim.title, round(one.share, 2)) for one in found.leads]
    assert first.kind is fault.kind, told
    assert {name: getattr(first.root, name) for name in fault.root} == fault.root
    assert len(first.chain) >= 2
    assert first.next_step
    assert sum(one.share for one in found.leads) <= 1.0001


@pytest.mark.parametrize("healthy", HEALTHY)
def test_a_busy_server_that_harms_nobody_is_quiet(healthy: str, ferries: Target) -> None:
    with business() as b:
        HEALTHY[healthy](b)
        time.sleep(0.7)
        found = asyncio.run(diagnosed(ferries, WATCHED_S))
    assert found.quiet, [(one.claim.kind.value, one.claim.title, one.share) for one in found.leads]
    assert "sessions were active on average" in found.ground


def command(*arguments: str) -> subprocess.CompletedProcess[str]:
    return subprocess.run(
        [sys.executable, "-m", "faena.headless", "diagnose", *arguments],
        capture_output=True, text=True, timeout=60, check=False, cwd=Path(__file__).parents[2],
    )  # fmt: skip


def test_the_command_prints_one_object(ferries: Target) -> None:
    with business() as b:
        left_open(b)
        told = command("--dsn", ferries.conninfo(), "--seconds", "4")
    assert told.returncode == 0, told.stderr
    found = json.loads(told.stdout)
    assert found["quiet"] is False
    (lead,) = found["leads"]
    assert set(lead) == {"kind", "title", "explains_share", "root", "chain", "ruled_out", "next_step"}
    assert set(lead["root"]) == {"statement", "program", "table", "index", "column", "pid", "object"}
    assert (lead["kind"], lead["root"]["program"], lead["root"]["index"]) == ("idle_transaction", "ops-console", None)
    assert f"pg_terminate_backend({lead['root']['pid']})" in lead["next_step"]
    assert all(step["sentence"] for step in lead["chain"])


@pytest.mark.parametrize(
    ("arguments", "words"),
    [
        (("--dsn", "host=127.0.0.1 port=1"), "faena: "),
        (("--dsn", "this is none"), "connection string cannot be read"),
        (("--dsn", "host=127.0.0.1", "--seconds", "0"), "--seconds is a number above 0"),
    ],
)
def test_what_cannot_be_watched_is_said_in_a_line(arguments: tuple[str, ...], words: str) -> None:
    told = command(*arguments)
    assert (told.returncode, told.stdout) == (2, "")
    assert words in told.stderr
    assert told.stderr.count("\n") == 1
