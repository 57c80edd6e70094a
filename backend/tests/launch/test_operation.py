"""Running it for real: what dies is started again, an upgrade loses nothing, a backup brings everything back, secrets change."""

import os
import signal
import subprocess
import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import psycopg
import pytest
from faena.collector.kinds import INTAKE, Noted, Sampled
from faena.launch import supervised
from faena.launch.places import BACKEND, CHECKOUT, PYTHON
from faena.launch.supervised import Kept
from faena.testing.builders import START, reading, session
from patience import wait_for
from watched import PASSWORD, PORT

STORE_PORT = os.environ.get("FAENA_STORE_PORT", "24730")
OWNER = f"host=127.0.0.1 port={STORE_PORT} user=faena password={os.environ.get('FAENA_STORE_PASSWORD', 'test')}"
SECRET = "Zq7secretZq7"
FIRST_RELEASE = {
    "accounts": "0002", "servers": "0005", "samples": "0003", "statements": "0003", "plans": "0002", "locks": "0001",
    "hosts": "0001", "collecting": None,
}  # fmt: skip
BACK_TO_FIRST_RELEASE = (
    "import django; django.setup(); from django.db import connection; "
    "from django.db.migrations.executor import MigrationExecutor; "
    f"executor, back = MigrationExecutor(connection), {FIRST_RELEASE!r}; named = executor.loader.get_migration_by_prefix; "
    "executor.migrate([(app, name and named(app, name).name) for app, name in back.items()])"
)


def environment(state: Path, database: str) -> dict[str, str]:
    """Of an installation of its own."""
    return {
        **os.environ, "PYTHONPATH": str(BACKEND), "DJANGO_SETTINGS_MODULE": "faena.config.settings",
        "FAENA_STATE_DIR": str(state), "FAENA_STORE_DATABASE": database, "FAENA_LISTEN_PORT": "8739",
        "FAENA_WATCH_LOOPBACK": "1",
    }  # fmt: skip


@contextmanager
def store(name: str, like: str = "template1") -> Iterator[None]:
    with psycopg.connect(f"{OWNER} dbname=postgres", autocommit=True) as keeper:
        keeper.execute(f"DROP DATABASE IF EXISTS {name} WITH (FORCE)".encode())
        keeper.execute(f"CREATE DATABASE {name} TEMPLATE {like}".encode())
        try:
            yield
        finally:
            keeper.execute(f"DROP DATABASE IF EXISTS {name} WITH (FORCE)".encode())


@pytest.fixture(scope="module")
def upgraded(tmp_path_factory: pytest.TempPathFactory) -> Iterator[str]:
    """A store with its tables and nothing in them, of which others are copied: to make the tables takes a while."""
    with store("operation_upgraded"):
        manage(environment(tmp_path_factory.mktemp("upgraded"), "operation_upgraded"), "upgrade")
        yield "operation_upgraded"


@pytest.fixture
def installation(tmp_path: Path, upgraded: str) -> Iterator[dict[str, str]]:
    """Environment of an installation of its own, with tables in its store and nothing in them."""
    with store("operation", like=upgraded):
        yield environment(tmp_path / "state", "operation")


@pytest.fixture
def empty_installation(tmp_path: Path) -> Iterator[dict[str, str]]:
    """The same without tables."""
    with store("operation"):
        yield environment(tmp_path / "state", "operation")


def python(env: dict[str, str], script: str) -> str:
    return ran([str(PYTHON), "-c", script], env)


def manage(env: dict[str, str], *arguments: str, **more: str) -> str:
    return ran([str(PYTHON), "-m", "django", *arguments], {**env, **more})


def ran(command: list[str], env: dict[str, str]) -> str:
    ended = subprocess.run(command, env=env, cwd=BACKEND, capture_output=True, text=True)
    assert ended.returncode == 0, ended.stderr[-2000:]
    return ended.stdout


def connect_server(env: dict[str, str]) -> int:
    """The test cluster as a watched server; its number."""
    manage(
        env, "server", "watched", "--port", str(PORT), "--user", "keeper", "--database", "postgres",
        FAENA_SERVER_PASSWORD=PASSWORD,
    )  # fmt: skip
    ((found,),) = rows("SELECT id FROM servers_server")
    return int(str(found))


def faena(env: dict[str, str], *arguments: str) -> subprocess.CompletedProcess[str]:
    command = [sys.executable, "-m", "faena.launch", *arguments]
    return subprocess.run(command, env=env, cwd=CHECKOUT, capture_output=True, text=True)


def rows(query: str) -> list[tuple[object, ...]]:
    with psycopg.connect(f"{OWNER} dbname=operation", autocommit=True) as store:
        return store.execute(query.encode()).fetchall()


def wait_until(condition: str) -> None:
    def holds() -> bool:
        try:
            return bool(rows(condition))
        except psycopg.errors.UndefinedTable:
            return False

    wait_for(holds, condition, seconds=120)


def test_what_ends_is_started_again_ever_more_patiently(tmp_path: Path) -> None:
    told = tmp_path / "told"
    one = Kept("mayfly", [sys.executable, "-c", f"open({str(told)!r}, 'a').write('x')"], dict(os.environ), tmp_path)
    end = time.monotonic() + 20
    while one.restarts < 3 and time.monotonic() < end:
        one.look_after()
        time.sleep(0.05)
    assert told.read_text().startswith("xxx")
    assert one.again_at - time.monotonic() > 1, "the pause grows"
    assert supervised.PAUSES_S[0] < 5


def test_up_brings_back_a_collector_that_is_killed_within_seconds(empty_installation: dict[str, str]) -> None:
    command = [sys.executable, "-m", "faena.launch", "up"]
    with subprocess.Popen(
        command, env=empty_installation, cwd=CHECKOUT, stdout=subprocess.PIPE, start_new_session=True
    ) as up:
        try:
            wait_until("SELECT 1 FROM collecting_collectorstate")
            ((pid,),) = rows("SELECT (state->>'pid')::int FROM collecting_collectorstate")
            os.kill(int(str(pid)), signal.SIGKILL)
            begun = time.monotonic()
            wait_until(f"SELECT 1 FROM collecting_collectorstate WHERE (state->>'pid')::int <> {pid}")
            assert time.monotonic() - begun < 10, "back, and seen in the store, which takes its own start"
            ready = subprocess.run(["curl", "-s", "http://127.0.0.1:8739/health/ready"], capture_output=True, text=True)
            assert ready.stdout == "ready\n"
        finally:
            up.terminate()
            up.wait(40)


def make_first_release(env: dict[str, str]) -> None:
    """A store as the first release left it, with what that kept: a watched server, and texts with literals."""
    connect_server(env)
    python(env, BACK_TO_FIRST_RELEASE)
    with psycopg.connect(f"{OWNER} dbname=operation", autocommit=True) as store:
        store.execute(
            """INSERT INTO statements_logevent (server_id, at_ms, pid, place, kind, severity, sqlstate, message, detail, context,
                                                statement, database, "user", program, client)
               SELECT id, 1, 1, 1, 'error', 'ERROR', '23505', 'duplicate key value violates unique constraint "k"',
                      'Key (email)=(' || %s || ') already exists.', '', 'SELECT ' || quote_literal(%s), '', '', '', ''
                 FROM servers_server""",
            [SECRET, SECRET],
        )
        store.execute(
            """INSERT INTO statements_text (server_id, query_id, text, tables, tool, learned_at)
               SELECT id, 1, 'ALTER ROLE a PASSWORD ' || quote_literal(%s), '', false, now() FROM servers_server""",
            [SECRET],
        )


def test_a_store_of_the_first_release_is_upgraded_under_a_running_collector_and_loses_nothing(
    installation: dict[str, str], tmp_path: Path
) -> None:
    """The collector keeps away from tables that it does not know, and keeps what it sampled while an upgrade is announced."""
    make_first_release(installation)
    log = (tmp_path / "collector.log").open("wb")
    with subprocess.Popen(
        [str(PYTHON), "-m", "django", "collect"], env=installation, cwd=BACKEND, stdout=log, stderr=log
    ) as collector:
        try:
            time.sleep(6)
            assert collector.poll() is None, "it waits for the upgrade"
            assert rows("SELECT count(*) FROM samples_tick") == [(0,)], (
                "and writes nothing into tables of another version"
            )
            manage(installation, "upgrade")
            wait_until("SELECT 1 FROM samples_tick OFFSET 5")
            # Another upgrade is announced: the same collector stands by, keeps its samples, and delivers them after it.
            ahead = (
                """UPDATE collecting_upgrade SET since_ms = 1, migrations = '["collecting.9999_next"]' RETURNING 1"""
            )
            rows(ahead)
            wait_until("SELECT 1 FROM collecting_collectorstate WHERE standing_by")
            ((before,),) = rows("SELECT count(*) FROM samples_tick")
            time.sleep(5)
            assert rows("SELECT count(*) FROM samples_tick") == [(before,)]
            rows("UPDATE collecting_upgrade SET since_ms = NULL RETURNING 1")
            wait_until(f"SELECT 1 FROM samples_tick OFFSET {int(str(before)) + 7}")
            # A second that the collector missed on a busy machine is counted in `missed`; each one that it sampled must be there.
            newest = "SELECT at_ms - lag(at_ms) OVER (ORDER BY at_ms) - 1000 * missed FROM samples_tick ORDER BY at_ms DESC LIMIT 12"
            assert {int(str(one)) for (one,) in rows(newest) if one is not None} == {1000}, "no second is missing"
        finally:
            collector.terminate()
            collector.wait(30)
            log.close()
    ((message, detail, statement),) = rows("SELECT message, detail, statement FROM statements_logevent WHERE at_ms = 1")
    assert (detail, statement) == ("Key (email)=(?) already exists.", "")
    assert SECRET not in str(message)
    assert rows("SELECT text FROM statements_text WHERE query_id = 1") == [("ALTER ROLE a PASSWORD $1",)]


def test_what_was_put_aside_is_stored_by_a_replay(installation: dict[str, str]) -> None:
    server_id = connect_server(installation)
    folder = Path(installation["FAENA_STATE_DIR"]) / "collector"
    folder.mkdir(parents=True, exist_ok=True)
    good = INTAKE.pack(Sampled(server_id=server_id, reading=reading(1, session(4)), missed=0))
    old = INTAKE.pack(Noted(server_id=server_id, at=START, event="away", detail="x"))
    lines = [
        b'{"at":1,"server":1,"kind":"sampled","reason":"x","record":' + good + b"}", old, b'{"record":null}', b"not one",
    ]  # fmt: skip
    (folder / "refused.jsonl").write_bytes(b"\n".join(lines) + b"\n")
    assert "2 records stored; 2 still cannot be" in manage(installation, "replay")
    assert rows("SELECT count(*) FROM samples_tick") == [(1,)]
    assert (folder / "refused.jsonl").read_bytes().splitlines() == lines[2:]
    assert "0 records stored; 2 still cannot be" in manage(installation, "replay")
    assert rows("SELECT count(*) FROM accounts_auditentry WHERE act = 'refused.replayed'") == [(2,)]


UNSEALED = (
    "import django; django.setup(); from faena.apps.servers.sealing import unseal; "
    "from faena.apps.servers.models import Server; print(unseal(Server.objects.get().password_sealed))"
)


def test_a_backup_brings_everything_back_and_a_secret_can_change(installation: dict[str, str], tmp_path: Path) -> None:
    def password() -> str:
        return python(installation, UNSEALED).strip()

    manage(installation, "user", "ada", "--role", "admin", FAENA_PASSWORD="correct horse")
    connect_server(installation)
    known = PASSWORD
    assert password() == known
    file = tmp_path / "faena.backup"
    ended = faena(installation, "backup", str(file))
    assert ended.returncode == 0, ended.stderr
    assert file.stat().st_mode & 0o777 == 0o600
    secret = Path(installation["FAENA_STATE_DIR"]) / "secret.key"
    before = secret.read_text()
    assert "1 passwords are sealed" in manage(installation, "rotate_secret")
    assert secret.read_text() != before
    assert secret.stat().st_mode & 0o777 == 0o600
    assert password() == known, "sealed with the new secret"
    refused = faena(installation, "restore", str(file))
    assert (refused.returncode, "tables already" in refused.stderr) == (1, True)
    with psycopg.connect(f"{OWNER} dbname=postgres", autocommit=True) as keeper:
        keeper.execute("DROP DATABASE operation WITH (FORCE)")
        keeper.execute("CREATE DATABASE operation")
    assert "is another secret" in faena(installation, "restore", str(file)).stderr
    secret.unlink()
    restored = faena(installation, "restore", str(file))
    assert restored.returncode == 0, restored.stderr
    assert secret.read_text() == before
    assert password() == known
    assert rows("SELECT username FROM accounts_user") == [("ada",)]


def test_a_server_is_listed_paused_moved_and_removed_by_command(installation: dict[str, str]) -> None:
    connect_server(installation)
    assert manage(installation, "server", "--list").startswith("watched: new")
    assert "paused" in manage(installation, "server", "watched", "--pause")
    assert manage(installation, "server", "--list").startswith("watched: paused")
    assert "watched again" in manage(installation, "server", "watched", "--resume")
    login = ("--user", "keeper", "--database", "watched")
    elsewhere = ["server", "watched", "--moved", *login, "--port"]
    assert "watched from now on" in manage(installation, *elsewhere, str(PORT), FAENA_SERVER_PASSWORD=PASSWORD)
    moved = faena({**installation, "FAENA_SERVER_PASSWORD": PASSWORD}, *elsewhere, "1")
    assert (moved.returncode, "nothing was saved" in moved.stderr) == (1, True)
    assert rows("SELECT port, database FROM servers_server") == [(PORT, "watched")]
    nowhere = faena(
        {**installation, "FAENA_SERVER_PASSWORD": PASSWORD}, "server", "other", "--moved", *login, "--port", str(PORT)
    )
    assert (nowhere.returncode, "no server named other" in nowhere.stderr) == (1, True)
    assert "removed" in manage(installation, "server", "watched", "--remove")
    assert rows("SELECT count(*) FROM servers_server") == [(0,)]
    acts = [one for (one,) in rows("SELECT act FROM accounts_auditentry ORDER BY id")]
    assert acts == ["server.connected", "server.paused", "server.resumed", "server.changed", "server.removed"]


def test_the_role_script_gives_only_what_is_wanted(installation: dict[str, str]) -> None:
    more = ("pg_monitor", "pg_read_binary_file", "pg_read_all_data", "pg_signal_backend")
    plain = manage(installation, "server", "--role-script")
    assert "pg_read_all_stats" in plain
    assert not [right for right in more if right in plain]
    whole = manage(installation, "server", "--role-script", "--for-log", "--for-plans", "--for-ending")
    assert all(right in whole for right in more)


def test_what_is_deployed_names_what_is_there() -> None:
    """An image cannot be built where no engine runs; the step that builds it is run by hand, see docs/operating.md."""
    deploy = CHECKOUT / "deploy"
    for unit in (deploy / "systemd").glob("*.service"):
        text = unit.read_text()
        assert "Restart=always" in text
        assert "UMask=0077" in text
        command = text.split("ExecStart=/opt/faena/faena ")[1].split()[0]
        assert faena(dict(os.environ), command, "--help").returncode == 0
    assert os.access(deploy / "build.sh", os.X_OK)
    docker = (deploy / "Dockerfile").read_text()
    assert "deploy/build.sh" in docker
    assert "USER faena" in docker
