"""Makes backend/tests/golden/languages: the same trouble as a server logs it in each language of its package.

    PYTHONPATH=demo python -m tidewrack.languagecorpus PROGRAMS SCRATCH FOLDER

PROGRAMS is the server's bin folder, SCRATCH a folder for its data that the user postgres may write. The server speaks
the language that LANGUAGE names, whatever locales the system has.
"""

import os
import subprocess
import sys
import time
from collections.abc import Sequence
from pathlib import Path
from threading import Thread

import psycopg

LANGUAGES = ("en", "de", "es", "fr", "it", "ja", "ka", "ko", "ru", "sv", "uk", "zh_CN")
PORT = 24771
SETTINGS = f"""
port = {PORT}
listen_addresses = '127.0.0.1'
unix_socket_directories = ''
fsync = off
lc_messages = 'C.UTF-8'
log_timezone = 'UTC'
log_destination = 'stderr,csvlog,jsonlog'
logging_collector = on
log_directory = 'log'
log_filename = 'server.log'
log_line_prefix = '%m [%p] %u@%d '
log_lock_waits = on
log_temp_files = 0
log_min_messages = error
log_checkpoints = off
deadlock_timeout = 300ms
autovacuum = off
"""
SETUP = """
CREATE TABLE berth (id int PRIMARY KEY, name text);
INSERT INTO berth SELECT i, md5(i::text) FROM generate_series(1, 60000) i;
CREATE TABLE passage (id int PRIMARY KEY, berth int REFERENCES berth);
"""


def main(arguments: Sequence[str]) -> int:
    programs, scratch, folder = Path(arguments[0]), Path(arguments[1]), Path(arguments[2])
    data = scratch / "data"
    _run(programs / "initdb", "-D", data, "-U", "postgres", "--auth=trust", "-E", "UTF8", "--locale=C.UTF-8")
    with (data / "postgresql.conf").open("a") as settings:
        settings.write(SETTINGS)
    folder.mkdir(parents=True, exist_ok=True)
    for language in LANGUAGES:
        for old in (data / "log").glob("*"):
            old.unlink()
        _run(programs / "pg_ctl", "-D", data, "-w", "-s", "start", language=language)
        try:
            _trouble()
        finally:
            _run(programs / "pg_ctl", "-D", data, "-w", "-s", "-m", "fast", "stop")
        for ending in ("log", "csv", "json"):
            kept = [
                line
                for line in (data / "log" / f"server.{ending}").read_text().splitlines(keepends=True)
                if line.strip()
            ]
            (folder / f"{language}.{ending}").write_text("".join(kept))
    return 0


def _run(program: Path, *arguments: object, language: str = "en") -> None:
    environment = {**os.environ, "LANGUAGE": language}
    subprocess.run(
        [program, *map(str, arguments)], check=True, user="postgres", env=environment, stdout=subprocess.DEVNULL
    )


def _connect(program: str) -> psycopg.Connection:
    return psycopg.connect(
        host="127.0.0.1", port=PORT, user="postgres", dbname="postgres", autocommit=True, application_name=program
    )


def _trouble() -> None:
    with _connect("keeper") as keeper, _connect("first") as first, _connect("second") as second:
        keeper.execute("DROP TABLE IF EXISTS passage, berth")
        keeper.execute(SETUP)
        first.execute("BEGIN")
        second.execute("BEGIN")
        first.execute("UPDATE berth SET name = 'a' WHERE id = 1")
        second.execute("UPDATE berth SET name = 'b' WHERE id = 2")
        waits = _beside(first, "UPDATE berth SET name = 'c' WHERE id = 2")
        _until(keeper, "SELECT count(*) = 1 FROM pg_stat_activity WHERE wait_event_type = 'Lock'")
        time.sleep(0.5)  # so that the first has looked for a deadlock, and found none
        closes = _beside(second, "UPDATE berth SET name = 'd' WHERE id = 1")
        closes.join()
        waits.join()
        second.execute("ROLLBACK")
        first.execute("ROLLBACK")
        _refused(keeper, "SET statement_timeout = 50", "SELECT pg_sleep(5)", "RESET statement_timeout")
        _refused(keeper, "SELECT 1 / 0")
        _refused(keeper, "DO $$ BEGIN PERFORM count(*) FROM nowhere; END $$")
        first.execute("BEGIN ISOLATION LEVEL REPEATABLE READ")
        first.execute("SELECT count(*) FROM berth")
        second.execute("UPDATE berth SET name = 'e' WHERE id = 3")
        _refused(first, "UPDATE berth SET name = 'f' WHERE id = 3")
        first.execute("ROLLBACK")
        first.execute("BEGIN")
        first.execute("DELETE FROM berth WHERE id = 9")
        inserts = _beside(second, "INSERT INTO passage VALUES (1, 9)")
        _until(keeper, "SELECT count(*) = 1 FROM pg_stat_activity WHERE wait_event_type = 'Lock'")
        time.sleep(0.5)
        first.execute("ROLLBACK")
        inserts.join()
        keeper.execute("SET work_mem = '64kB'")
        keeper.execute("SET log_min_messages = log")
        keeper.execute("SET log_min_duration_statement = 0")
        keeper.execute("SELECT count(*) FROM (SELECT name FROM berth ORDER BY name OFFSET 1) ordered")
        keeper.execute("SELECT count(*) FROM berth WHERE id < %s", (17,), prepare=True)
        keeper.execute("SET log_min_duration_statement = -1")


def _beside(connection: psycopg.Connection, statement: str) -> Thread:
    thread = Thread(target=_refused, args=(connection, statement))
    thread.start()
    return thread


def _refused(connection: psycopg.Connection, *statements: str) -> None:
    for statement in statements:
        try:
            connection.execute(statement)
        except psycopg.Error:
            continue


def _until(keeper: psycopg.Connection, question: str) -> None:
    for _ in range(200):
        row = keeper.execute(question).fetchone()
        if row and row[0]:
            return
        time.sleep(0.02)
    raise TimeoutError(question)


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
