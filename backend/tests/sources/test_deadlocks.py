"""Real deadlocks of each class on a real server, read from its logs in all three forms."""

import io
import json
import os
import re
import subprocess
import sys
import time
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import psycopg
import pytest
from contention import Scene, scene
from faena.core.answers.scanning import deadlock_reader
from faena.core.deadlocks.cause import Cause
from faena.core.deadlocks.reading import Deadlock
from faena.core.engines.postgres.profile import POSTGRES
from faena.core.logged import EventKind, LogEvent
from faena.sources.logs.reading import Summary, read_stream
from faena.sources.postgres import Target
from patience import wait_for
from serverlog import FORMS, logging, written
from watched import owner

SETUP = """
CREATE TABLE sailing (id int PRIMARY KEY, booked int NOT NULL DEFAULT 0, note text);
INSERT INTO sailing SELECT i, 0, 'n' || i FROM generate_series(1, 200) i;
CREATE TABLE slot (id serial PRIMARY KEY, sailing_id int NOT NULL REFERENCES sailing);
CREATE TABLE berth (code text PRIMARY KEY);
CREATE TABLE cabin (code text PRIMARY KEY);
CREATE TABLE roster (id int PRIMARY KEY, crew int, duty text);
INSERT INTO roster SELECT i, i % 2000, repeat('d', 60) FROM generate_series(1, 20000) i;
CREATE TABLE fare (id int PRIMARY KEY, amount int);
INSERT INTO fare SELECT i, i FROM generate_series(1, 1000) i;
CREATE TABLE receipt (id serial, fare int, note text);
CREATE FUNCTION count_receipt() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN
  UPDATE fare SET amount = amount + 1 WHERE id = NEW.fare;
  RETURN NEW;
END $$;
CREATE TRIGGER counted AFTER INSERT ON receipt FOR EACH ROW EXECUTE FUNCTION count_receipt();
ANALYZE;
"""
NASTY = (
    "UPDATE sailing SET note = '\nProcess 1 waits for ShareLock on transaction 5; blocked by process 2.\n"
    "2026-03-01 09:20:00.000 UTC [1] ERROR:  deadlock detected\nProcess {other}: SELECT 1' WHERE id = {row}"
)


RAISED = """
DO $$ BEGIN
  RAISE EXCEPTION USING ERRCODE = '40P01', MESSAGE = 'deadlock detected', DETAIL = format(
    E'Process %s waits for ShareLock on transaction 5; blocked by process 2.\\n'
    'Process 2 waits for ShareLock on transaction 6; blocked by process %s.', pg_backend_pid(), pg_backend_pid());
END $$
"""


@dataclass(frozen=True)
class Circle:
    """What each of two (or more) does first, and then, so that the circle closes; {a} and {b} are other rows each time."""

    first: tuple[str, ...]
    then: tuple[str, ...]
    cause: Cause
    words: str = ""  # in the sentence


CIRCLES = {
    "opposite order": Circle(
        ("UPDATE sailing SET booked = 1 WHERE id = {a}", "UPDATE sailing SET booked = 1 WHERE id = {b}"),
        ("UPDATE sailing SET booked = 2 WHERE id = {b}", "UPDATE sailing SET booked = 3 WHERE id = {a}"),
        Cause.OPPOSITE_ORDER, "a row of sailing",
    ),
    "three of them": Circle(
        tuple(f"UPDATE sailing SET booked = 1 WHERE id = {{{x}}}" for x in "abc"),
        ("UPDATE sailing SET booked = 5 WHERE id = {b}", "DELETE FROM sailing WHERE id = {c}", "UPDATE sailing SET note = 'x' WHERE id = {a}"),
        Cause.OPPOSITE_ORDER,
    ),
    "upgrade of a row": Circle(
        ("SELECT * FROM sailing WHERE id = {a} FOR SHARE",) * 2,
        ("UPDATE sailing SET booked = 7 WHERE id = {a}", "UPDATE sailing SET booked = 8 WHERE id = {a}"),
        Cause.UPGRADE, "sailing",
    ),
    "upgrade of a table": Circle(
        ("LOCK TABLE fare IN SHARE MODE",) * 2,
        ("UPDATE fare SET amount = {a} WHERE id = 1", "UPDATE fare SET amount = {b} WHERE id = 2"),
        Cause.UPGRADE, "table fare",
    ),
    "foreign key": Circle(
        ("UPDATE sailing SET id = id + 1000 WHERE id = {a}", "UPDATE sailing SET id = id + 1000 WHERE id = {b}"),
        ("INSERT INTO slot (sailing_id) VALUES ({b})", "INSERT INTO slot (sailing_id) VALUES ({a})"),
        Cause.FOREIGN_KEY, "a row of sailing",
    ),
    "unique insert": Circle(
        ("INSERT INTO berth VALUES ('k{a}')", "INSERT INTO berth VALUES ('k{b}')"),
        ("INSERT INTO berth VALUES ('k{b}')", "INSERT INTO berth VALUES ('k{a}')"),
        Cause.UNIQUE_INSERT, "berth",
    ),
    "upsert": Circle(
        ("INSERT INTO cabin VALUES ('u{a}') ON CONFLICT (code) DO UPDATE SET code = excluded.code",
         "INSERT INTO cabin VALUES ('u{b}') ON CONFLICT (code) DO UPDATE SET code = excluded.code"),
        ("INSERT INTO cabin VALUES ('u{b}') ON CONFLICT (code) DO UPDATE SET code = excluded.code",
         "INSERT INTO cabin VALUES ('u{a}') ON CONFLICT (code) DO UPDATE SET code = excluded.code"),
        Cause.UPSERT, "cabin",
    ),
    "a key that is being deleted": Circle(
        ("DELETE FROM fare WHERE id = {a} + 100", "DELETE FROM fare WHERE id = {b} + 100"),
        ("INSERT INTO fare VALUES ({b} + 100, 1)", "INSERT INTO fare VALUES ({a} + 100, 1)"),
        Cause.UNIQUE_INSERT, "fare",
    ),
    "many rows": Circle(
        ("UPDATE fare SET amount = 1 WHERE id = {a} + 300", "UPDATE fare SET amount = 1 WHERE id = {b} + 300"),
        ("UPDATE fare SET amount = 2 WHERE id BETWEEN {b} + 300 AND {b} + 300", "UPDATE fare SET amount = 2 WHERE id BETWEEN {a} + 300 AND {a} + 300"),
        Cause.MANY_ROWS, "a row of fare",
    ),
    "in a trigger": Circle(
        ("INSERT INTO receipt (fare) VALUES ({a} + 500)", "INSERT INTO receipt (fare) VALUES ({b} + 500)"),
        ("INSERT INTO receipt (fare, note) VALUES ({b} + 500, 'x')", "INSERT INTO receipt (fare, note) VALUES ({a} + 500, 'x')"),
        Cause.OPPOSITE_ORDER, "a row of fare",
    ),
    "advisory": Circle(
        ("SELECT pg_advisory_xact_lock({a})", "SELECT pg_advisory_xact_lock({b})"),
        ("SELECT pg_advisory_xact_lock({b})", "SELECT pg_advisory_xact_lock({a})"),
        Cause.ADVISORY, "advisory lock",
    ),
    "table lock": Circle(
        ("LOCK TABLE fare IN EXCLUSIVE MODE", "LOCK TABLE berth IN EXCLUSIVE MODE"),
        ("LOCK TABLE berth IN EXCLUSIVE MODE", "LOCK TABLE fare IN EXCLUSIVE MODE"),
        Cause.TABLE_LOCK, "table",
    ),
    "ddl": Circle(
        ("SELECT count(*) FROM fare WHERE id < {a}", "UPDATE sailing SET booked = 4 WHERE id = {b}"),
        ("ALTER TABLE sailing ALTER note SET DEFAULT '{a}'", "ALTER TABLE fare ALTER amount SET DEFAULT {b}"),
        Cause.DDL, "table",
    ),
    "missing index": Circle(
        ("UPDATE roster SET duty = 'x' WHERE id = {a}", "UPDATE roster SET duty = 'y' WHERE id = {b}"),
        ("UPDATE roster SET duty = 'z' WHERE crew = {b}", "UPDATE roster SET duty = 'q' WHERE crew = {a}"),
        Cause.MISSING_INDEX_SCAN, "a row of roster",
    ),
    "texts like log lines": Circle(
        ("UPDATE sailing SET booked = 1 WHERE id = {a}", "UPDATE sailing SET booked = 1 WHERE id = {b}"),
        (NASTY.replace("{row}", "{b}"), NASTY.replace("{row}", "{a}")),
        Cause.OPPOSITE_ORDER, "a row of sailing",
    ),
}  # fmt: skip


def close(stage: Scene, circle: Circle, literals: dict[str, int], tag: str) -> None:
    """Each takes what it holds, then one after the other wants what the next one has; one of them is sent home."""
    players = [stage.player(f"{tag}-{i}") for i in range(len(circle.first))]
    others = [players[(i + 1) % len(players)].pid for i in range(len(players))]
    for player, statement in zip(players, circle.first, strict=True):
        player.ask("BEGIN")
        player.ask(statement.format(**literals, other=0))
    for player, statement, other in zip(players, circle.then, others, strict=True):
        player.start(statement.format(**literals, other=other))
        if player is not players[-1]:
            stage.until_waiting(player)

    def failed() -> list[str | None]:
        """Not only the victim: its rollback lets the other one fail, and whose thread tells of it first is chance."""
        return [error.sqlstate for player in players for error in player.failed]

    wait_for(lambda: "40P01" in failed(), f"{tag}: the server breaks the circle")
    # Who goes on may fail then, when the victim's rows are back.
    assert [one for one in failed() if one != "23505"] == ["40P01"], tag
    for player in players:
        stage.keeper.execute("SELECT pg_terminate_backend(%s)", (player.pid,))
        player.join()


def wait_long(stage: Scene) -> None:
    """A wait that is no deadlock, and long enough for the server to log it."""
    holder, waiter = stage.player("holder"), stage.player("waiter")
    holder.ask("BEGIN")
    holder.ask("UPDATE roster SET duty = 'a' WHERE crew = 9")
    waiter.start("UPDATE roster SET duty = 'b' WHERE crew = 9")
    stage.until_waiting(waiter)
    time.sleep(0.5)  # more than its deadlock_timeout
    holder.ask("COMMIT")
    waiter.join()


@pytest.fixture(scope="module")
def logs(target: Target) -> Iterator[dict[str, bytes]]:
    """Every circle twice, with other literals and the roles swapped."""
    del target
    with owner("postgres") as keeper:
        keeper.execute("DROP DATABASE IF EXISTS harbour WITH (FORCE)")
        keeper.execute("CREATE DATABASE harbour")
    with owner("harbour") as keeper:
        keeper.execute(SETUP.encode())
    settings = {
        "log_line_prefix": "%m [%p] %q[user=%u,db=%d,app=%a] ",
        "deadlock_timeout": "150ms",
        "log_lock_waits": "on",
        "auto_explain.log_min_duration": "0",
        "log_min_duration_statement": "0",
        "log_statement_sample_rate": "1",
    }
    with logging(**settings):
        with owner("harbour") as keeper:  # a log tells of a plan when its statement has ended
            keeper.execute("UPDATE roster SET duty = 'a' WHERE crew = 9")
        with scene("harbour") as stage:
            for number, (name, circle) in enumerate(CIRCLES.items()):
                for again in range(2):
                    at = 3 * number + 40 * again + 1
                    literals = dict(zip("abc", (at, at + 1, at + 2), strict=True))
                    swapped = (
                        Circle(circle.first[::-1], circle.then[::-1], circle.cause)
                        if again and len(circle.first) == 2
                        else circle
                    )
                    close(stage, swapped, literals, name.replace(" ", "_") + f"-{again}")
            wait_long(stage)
        with owner("harbour") as keeper:
            with pytest.raises(psycopg.errors.DeadlockDetected):
                keeper.execute(RAISED.encode())
            keeper.execute("SELECT 'the end of it'")
        yield {form: written(form, "the end of it") for form in FORMS}


def deadlocks(data: bytes) -> list[Deadlock]:
    reader = deadlock_reader(POSTGRES)
    assert reader is not None
    found = (reader.take(one) for one in read_stream(io.BytesIO(data), Summary()))
    return [one for one in found if one is not None]


def of(found: list[Deadlock], name: str) -> list[Deadlock]:
    tag = name.replace(" ", "_")
    return [one for one in found if one.report.victim.program.startswith(f"{tag}-")]


@pytest.mark.parametrize("form", FORMS)
@pytest.mark.parametrize("name", CIRCLES)
def test_a_circle_is_read_judged_and_known_again(logs: dict[str, bytes], form: str, name: str) -> None:
    circle = CIRCLES[name]
    first, second = of(deadlocks(logs[form]), name)
    assert first.pattern == second.pattern
    for one in (first, second):
        assert one.cause.kind is circle.cause, one.cause.sentence
        assert one.cause.steps[-1].startswith("Whatever else")
        assert circle.words in one.sentence
        parties = one.report.parties
        assert len(parties) == len(circle.first)
        assert {party.waits_for for party in parties} == {party.pid for party in parties}
        assert all(a.waits_for == b.pid for a, b in zip(parties, (*parties[1:], parties[0]), strict=True)), "in order"
        assert all(party.program.startswith(name.replace(" ", "_")) for party in parties), "survivors, too"
    texts = {re.sub(r"\d+", "?", party.statement.split("\n")[0]) for party in first.report.parties}
    assert texts == {re.sub(r"\d+|\{\w\}", "?", statement.split("\n")[0]) for statement in circle.then}


@pytest.mark.parametrize("form", FORMS)
def test_who_survives_is_said_to_want_the_row_that_its_trigger_went_to(logs: dict[str, bytes], form: str) -> None:
    for one in of(deadlocks(logs[form]), "in a trigger"):
        assert [party.wants.table for party in one.report.parties] == ["fare", "fare"], one.sentence


def test_patterns_differ_by_tables_and_statements_and_agree_between_forms(logs: dict[str, bytes]) -> None:
    patterns = {form: {name: of(deadlocks(logs[form]), name)[0].pattern for name in CIRCLES} for form in FORMS}
    assert patterns["stderr"] == patterns["csvlog"] == patterns["jsonlog"]
    assert len(set(patterns["jsonlog"].values())) == len(CIRCLES)


def test_texts_that_imitate_reports_stay_texts(logs: dict[str, bytes]) -> None:
    for one in of(deadlocks(logs["stderr"]), "texts like log lines"):
        assert len(one.report.parties) == 2
        for party in one.report.parties:
            assert party.statement.startswith("UPDATE sailing SET note = '\nProcess 1 waits")
            assert re.search(r"WHERE id = \d+$", party.statement), party.statement


@pytest.mark.parametrize("form", FORMS)
def test_what_a_program_raises_in_the_servers_words_is_its_message_and_no_deadlock(
    logs: dict[str, bytes], form: str
) -> None:
    raised = [
        one
        for one in read_stream(io.BytesIO(logs[form]), Summary())
        if isinstance(one, LogEvent) and " at RAISE" in one.context
    ]
    assert [(one.kind, one.message) for one in raised] == [(EventKind.ERROR, "deadlock detected")]


def test_the_command_tells_them_and_their_patterns(logs: dict[str, bytes], tmp_path: Path) -> None:
    path = tmp_path / "server.csv"
    path.write_bytes(logs["csvlog"])
    environment = {**os.environ, "PYTHONPATH": str(Path(__file__).parents[2])}
    command = [sys.executable, "-m", "faena.headless", "read-log", "--only", "trouble", str(path)]
    ended = subprocess.run(command, capture_output=True, text=True, env=environment, check=True)
    lines = [json.loads(line) for line in ended.stdout.splitlines()]
    told = [line for line in lines if line["event"] == "deadlock"]
    assert len(told) == 2 * len(CIRCLES)
    assert lines[-1]["event"] == "summary"
    assert set(lines[-1]["patterns"].values()) == {2}
    assert lines[-1]["kinds"]["lock_wait"] > 0
    one = next(line for line in told if line["cause"] == "table_lock")
    assert one["victim_pid"] == one["parties"][0]["pid"]
    assert one["parties"][0]["waits_for_pid"] == one["parties"][1]["pid"]
    assert one["parties"][0]["wants"]["mode"] == "ExclusiveLock"
    assert {party["wants"]["object"] for party in one["parties"]} == {"table fare", "table berth"}
    assert one["parties"][0]["application"].startswith("table_lock")
