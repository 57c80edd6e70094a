"""A PostgreSQL cluster of our own: made, started and stopped by id, on loopback only."""

import os
import secrets
import shutil
import signal
import subprocess
import time
from dataclasses import dataclass
from pathlib import Path

from faena.launch.places import CLUSTER_USER, Place, cluster_account, cluster_folder
from faena.launch.processes import Register, Running, port_is_free
from faena.launch.setup import POSTGRES_BIN
from faena.launch.words import Trouble

START_WAIT_S = 60.0
OWNER = "keeper"  # the superuser inside our clusters
_INCLUDE = "include 'faena.conf'"


@dataclass(frozen=True, slots=True, kw_only=True)
class Cluster:
    """`settings` are written anew at each start; what ALTER SYSTEM sets goes before them."""

    name: str
    port: int
    place: Place
    settings: dict[str, str]

    @property
    def data(self) -> Path:
        return cluster_folder(self.place) / self.name

    @property
    def _user(self) -> str | None:
        return CLUSTER_USER if cluster_account() else None

    def make(self) -> None:
        """Run initdb unless it is done. One broken off half-way (no stamp) is thrown away and made anew."""
        done = self.data / "faena-made"
        if done.exists():
            return
        if self.data.exists():
            shutil.rmtree(self.data)
        password_file = cluster_folder(self.place) / f".{self.name}-password"
        password_file.write_text(self._password(new=True))
        account = cluster_account()
        if account:
            os.chown(password_file, account.pw_uid, account.pw_gid)
        command = [
            str(POSTGRES_BIN / "initdb"), "-D", str(self.data), "-U", OWNER, "--pwfile", str(password_file),
            "-A", "scram-sha-256", "-E", "UTF8", "--locale=C.UTF-8",
        ]  # fmt: skip
        made = subprocess.run(command, capture_output=True, text=True, cwd="/", **self._as_user())  # type: ignore[call-overload]
        password_file.unlink()
        if made.returncode != 0:
            shutil.rmtree(self.data, ignore_errors=True)
            raise Trouble(f"the cluster {self.name} cannot be made: {made.stderr.strip()[-400:]}")
        (self.data / "pg_hba.conf").write_text(
            "host all all 127.0.0.0/8 scram-sha-256\nhost replication all 127.0.0.0/8 scram-sha-256\n"
        )
        done.touch()

    def _configure(self) -> None:
        """At each start, so that a cluster made by an earlier version has the settings of this one."""
        settings = {**self._common(), **self.settings}
        (self.data / "faena.conf").write_text("".join(f"{name} = '{value}'\n" for name, value in settings.items()))
        conf = self.data / "postgresql.conf"
        if _INCLUDE not in conf.read_text():
            with conf.open("a") as out:
                out.write(f"\n{_INCLUDE}\n")

    def _common(self) -> dict[str, str]:
        return {
            "port": str(self.port),
            "listen_addresses": "127.0.0.1",
            "unix_socket_directories": "",
            "cluster_name": f"faena-{self.name}",
        }

    def _as_user(self) -> dict[str, object]:
        return {"user": self._user, "group": self._user, "extra_groups": []} if self._user else {}

    def _password(self, *, new: bool = False) -> str:
        file = self.place.root / f"{self.name}.password"
        if new or not file.exists():
            descriptor = os.open(file, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
            with os.fdopen(descriptor, "w") as out:
                out.write(secrets.token_urlsafe(24))
        return file.read_text()

    def start(self, register: Register) -> Running:
        """Start and wait until it answers. Raises Trouble when the port is taken or it does not come up."""
        if running := register.get(self.name):
            return running
        if not port_is_free(self.port):
            raise Trouble(
                f"port {self.port} is taken by another program, and the cluster {self.name} needs it. "
                f"Stop that program, or set FAENA_{self.name.upper()}_PORT to a free port."
            )
        self._configure()
        log = self.place.logs / f"{self.name}.log"
        command = [str(POSTGRES_BIN / "postgres"), "-D", str(self.data), "-p", str(self.port)]
        running = register.start(self.name, command, log=log, cwd=Path("/"), user=self._user, stop_signal=signal.SIGINT)
        end = time.monotonic() + START_WAIT_S
        while not self.answers():
            if not running.alive() or time.monotonic() > end:
                tail = log.read_text(errors="replace").strip().splitlines()[-3:]
                register.stop(running)
                raise Trouble(f"the cluster {self.name} does not start: {' / '.join(tail)} (all of it: {log})")
            time.sleep(0.1)
        return running

    def answers(self) -> bool:
        return (
            subprocess.run(
                [str(POSTGRES_BIN / "pg_isready"), "-q", "-h", "127.0.0.1", "-p", str(self.port)], check=False
            ).returncode
            == 0
        )

    def environment(self, database: str = "postgres") -> dict[str, str]:
        """For libpq programs that act as the cluster's owner."""
        return {
            **os.environ,
            "PGHOST": "127.0.0.1",
            "PGPORT": str(self.port),
            "PGUSER": OWNER,
            "PGPASSWORD": self._password(),
            "PGDATABASE": database,
            "PGAPPNAME": "faena launch",
        }

    def run_sql(self, sql: str, database: str = "postgres") -> str:
        """Run statements as the owner; each is its own transaction. Raises Trouble with the server's words."""
        command = [str(POSTGRES_BIN / "psql"), "-XAtq", "-v", "ON_ERROR_STOP=1", "-f", "-"]
        ended = subprocess.run(command, input=sql, capture_output=True, text=True, env=self.environment(database))
        if ended.returncode != 0:
            raise Trouble(f"{self.name}: {ended.stderr.strip()[-500:]}")
        return ended.stdout.strip()

    def ensure_database(self, database: str, owner: str, password: str) -> None:
        """The role and its database, made if they are not there."""
        self.run_sql(
            f"DO $$ BEGIN IF NOT EXISTS (SELECT FROM pg_roles WHERE rolname = '{owner}') THEN "
            f"CREATE ROLE {owner} LOGIN CREATEDB PASSWORD '{password}'; "
            f"ELSE ALTER ROLE {owner} PASSWORD '{password}'; END IF; END $$;"
        )
        if not self.run_sql(f"SELECT 1 FROM pg_database WHERE datname = '{database}'"):
            self.run_sql(f"CREATE DATABASE {database} OWNER {owner}")


STORE_SETTINGS = {
    "shared_buffers": "128MB",
    "max_connections": "60",
    "max_wal_size": "1GB",
}

FERRY_SETTINGS = {
    "shared_buffers": "384MB",
    "max_connections": "400",
    "work_mem": "4MB",
    "max_wal_size": "2GB",
    "shared_preload_libraries": "pg_stat_statements,auto_explain",
    "max_prepared_transactions": "10",
    "pg_stat_statements.max": "5000",
    "pg_stat_statements.track_planning": "on",
    "auto_explain.log_min_duration": "250ms",
    "auto_explain.log_format": "json",
    "compute_query_id": "on",
    "track_io_timing": "on",
    "logging_collector": "on",
    "log_destination": "jsonlog",
    "log_directory": "log",
    "log_filename": "ferry-%a.log",
    "log_truncate_on_rotation": "on",
    "log_rotation_age": "1d",
    "log_min_duration_statement": "250ms",
    "log_min_duration_sample": "0",
    "log_statement_sample_rate": "0.01",
    "log_lock_waits": "on",
    "log_temp_files": "10MB",
    "deadlock_timeout": "1s",
    "random_page_cost": "1.1",
}
