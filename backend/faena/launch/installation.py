"""Store, watched ferry server, programs, collector and web server of one place, started in order and stopped in reverse."""

import json
import os
import secrets
import subprocess
import time
import urllib.request
from dataclasses import dataclass, field
from pathlib import Path
from typing import NoReturn

from faena.launch.cluster import FERRY_SETTINGS, STORE_SETTINGS, Cluster
from faena.launch.places import BACKEND, DEMO, PYTHON, Place
from faena.launch.processes import Register, port_is_free
from faena.launch.setup import REDIS, fingerprint
from faena.launch.words import Trouble, step, warn

LOGINS = (("viewer", "viewer"), ("operator", "operator"), ("admin", "admin"))
DEMO_PASSWORD = "tidewrack-demo"
PROGRAMS = (
    "booking-web", "gate-scan", "fare-engine", "manifest-export",
    "crew-planner", "nightly-report", "ops-console", "maintenance", "customers",
)  # fmt: skip
SAMPLES_WAIT_S = 45.0
MOST_RESTARTS = 50  # of a process that ends again and again


@dataclass(slots=True)
class Installation:
    """Everything that belongs to one place. Each method may be called again after a set-up broken off half-way."""

    place: Place
    register: Register = field(init=False)
    store: Cluster = field(init=False)
    ferry: Cluster = field(init=False)
    _restarts: dict[str, int] = field(default_factory=dict)

    def __post_init__(self) -> None:
        self.place.root.mkdir(parents=True, exist_ok=True)
        self.register = Register(self.place.run)
        self.store = Cluster(name="store", port=self.place.store_port, place=self.place, settings=STORE_SETTINGS)
        self.ferry = Cluster(name="ferry", port=self.place.ferry_port, place=self.place, settings=FERRY_SETTINGS)

    def environment(self) -> dict[str, str]:
        """For the processes of this place. Secrets go by environment, never by command line."""
        return {
            **os.environ,
            "PYTHONPATH": f"{BACKEND}:{DEMO}",
            "DJANGO_SETTINGS_MODULE": "faena.config.settings",
            "FAENA_STATE_DIR": str(self.place.root),
            "FAENA_STORE_PORT": str(self.place.store_port),
            "FAENA_STORE_PASSWORD": self._store_password(),
            "FAENA_LISTEN_PORT": str(self.place.web_port),
            "FAENA_DEMO": "1",
            "FAENA_WATCH_LOOPBACK": "1",
            "FAENA_TELL_LOOPBACK": "1",
            "FAENA_ACCESS_LOG": "0",
            "FERRY_PORT": str(self.place.ferry_port),
            "FERRY_SWITCHES": str(self.place.switches),
            "TIDEWRACK_WEB_PORT": str(self.place.services_port),
            "TIDEWRACK_TRACES_URL": f"{self.url}/v1/traces",
            "TIDEWRACK_TRACE_TOKEN": self._trace_token(),
            "TIDEWRACK_INBOX": str(self.inbox),
        }

    def _trace_token(self) -> str:
        file = self.place.root / "trace.token"
        return file.read_text() if file.exists() else ""

    def _store_password(self) -> str:
        file = self.place.root / "faena.password"
        if not file.exists():
            descriptor = os.open(file, os.O_WRONLY | os.O_CREAT, 0o600)
            with os.fdopen(descriptor, "w") as out:
                out.write(secrets.token_urlsafe(24))
        return file.read_text()

    def clear_leftovers(self) -> None:
        """Stop what an earlier start left running when it was killed."""
        if leftovers := self.register.stop_all():
            with step(f"Stopped leftovers of an earlier start: {', '.join(leftovers)}"):
                pass

    def check_ports(self) -> None:
        """Raises Trouble before anything is started."""
        wanted = {"web server": self.place.web_port, "store": self.place.store_port, "ferry": self.place.ferry_port}
        names = {"web server": "FAENA_LISTEN_PORT", "store": "FAENA_STORE_PORT", "ferry": "FAENA_FERRY_PORT"}
        for i, name in enumerate(
            ("booking-web", "manifest-export", "port authority", "cache", "inbox", "page of the inbox")
        ):
            wanted[name], names[name] = self.place.services_port + i, "FAENA_FERRY_PORT"  # theirs lie 1,000 above it
        for name, port in wanted.items():
            if not port_is_free(port):
                raise Trouble(f"port {port} is taken, and the {name} needs it. Set {names[name]} to a free port.")

    def start_clusters(self) -> None:
        for cluster in (self.store, self.ferry):
            with step(f"PostgreSQL cluster {cluster.name} on port {cluster.port}"):
                cluster.make()
                cluster.start(self.register)

    def prepare_store(self) -> None:
        with step("Store: tables and demo users"):
            self.store.ensure_database("faena", "faena", self._store_password())
            self.manage("upgrade")
            for name, role in LOGINS:
                if not self._done(f"user-{name}"):
                    self.manage(
                        "user",
                        name,
                        "--role",
                        role,
                        *(["--may-run"] if role != "viewer" else []),
                        more={"FAENA_PASSWORD": DEMO_PASSWORD},
                    )
                    self._mark(f"user-{name}")

    def load_ferry(self) -> None:
        """Schema and data, once; again when their files have changed."""
        files = [DEMO / "tidewrack" / "schema.sql", DEMO / "tidewrack" / "roles.sql"]
        mark = fingerprint(files)
        if self._done("ferry-data", mark):
            return
        with step("Tidewrack Ferries: a million bookings"):
            self.ferry.run_sql("DROP DATABASE IF EXISTS ferry WITH (FORCE)")
            self.ferry.run_sql("CREATE DATABASE ferry")
            for file in files:
                self.ferry.run_sql(file.read_text(), "ferry")
            self.ferry.run_sql("VACUUM ANALYZE", "ferry")
        self._mark("ferry-data", mark)

    def watch_ferry(self) -> None:
        """Connect the demo's server to Faena, as a DBA would."""
        port = str(self.place.ferry_port)
        if self._done("ferry-watched", port):
            return
        moved = ["--moved"] if self._marked("ferry-watched") else []
        with step("Faena connects to bookings-primary"):
            self.manage(
                "server", "bookings-primary", "--port", port, "--database", "ferry",
                "--user", "watch", "--cores", str(os.cpu_count() or 1), "--keep-parameters", "--slow-ms", "250", *moved,
                more={"FAENA_SERVER_PASSWORD": "watch"},
            )  # fmt: skip
        self._mark("ferry-watched", port)

    def take_traces(self) -> None:
        """Let Tidewrack's two web services send their traces, as an admin would."""
        file = self.place.root / "trace.token"
        if file.exists():
            return
        token = self.manage("trace_source", "tidewrack", "--server", "bookings-primary").strip()
        with os.fdopen(os.open(file, os.O_WRONLY | os.O_CREAT, 0o600), "w") as out:
            out.write(token)

    def open_inbox(self) -> None:
        """Alerts go to the demo's own inbox, as mails and as signed calls."""
        self.inbox.mkdir(exist_ok=True)
        secret, port = self.inbox / "hook.secret", self.place.services_port + 4
        self._start("inbox", [str(PYTHON), "-m", "tidewrack.inbox"])
        if secret.exists() and self._done("inbox-ways", str(port)):
            return
        for name in self.manage("way", "--list").splitlines():  # of other ports, or of a set-up that was broken off
            self.manage("way", name.partition(":")[0], "--remove")
        self.manage(
            "way", "Tidewrack inbox", "--host", "127.0.0.1", "--port", str(port), "--security", "none",
            "--sender", "faena@tidewrack.example", "--to", "dba@tidewrack.example",
        )  # fmt: skip
        made = self.manage("way", "Tidewrack webhook", "--url", f"http://127.0.0.1:{port + 1}/alerts")
        with os.fdopen(os.open(secret, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "w") as out:
            out.write(made.strip())
        self._mark("inbox-ways", str(port))

    @property
    def inbox(self) -> Path:
        """Where the demo's mails are kept."""
        return self.place.root / "inbox"

    def start_cache(self) -> None:
        """Of booking-web; it keeps nothing on disk."""
        port = self.place.services_port + 3
        command = [
            str(REDIS), "--port", str(port), "--bind", "127.0.0.1", "--save", "", "--appendonly", "no",
            "--maxmemory", "64mb", "--maxmemory-policy", "allkeys-lru",
        ]  # fmt: skip
        self.register.start("cache", command, log=self.place.logs / "cache.log", cwd=self.place.root)

    def fill_past(self) -> None:
        """The made-up estate with its last days, once. PAST_DAYS of the environment says how many."""
        days = os.environ.get("FAENA_PAST_DAYS", "14")
        if self._done("past"):
            return
        with step(f"Tidewrack's estate: five made-up servers, {days} days") as tell:
            command = [str(PYTHON), "-m", "django", "past", "--days", days]
            log = self.place.logs / "past.log"
            log.parent.mkdir(parents=True, exist_ok=True)
            with log.open("w") as errors:
                filling = subprocess.Popen(
                    command, env=self.environment(), cwd=BACKEND, stdout=subprocess.PIPE, stderr=errors, text=True
                )
                assert filling.stdout
                told = 0
                for line in filling.stdout:
                    share = int(line.strip().rstrip("%"))
                    if share >= told + 20 and share < 100:
                        told = share
                        tell(line.strip())
            if filling.wait() != 0:
                raise Trouble(f"the past could not be made: {log.read_text()[-600:].strip()} (all of it: {log})")
        self._mark("past")

    def past_made_at(self) -> str:
        """The moment from which the past counts back, in milliseconds since 1970: a trial may be older than today."""
        query = "SELECT simulation->>'anchor' FROM servers_server WHERE simulation IS NOT NULL ORDER BY id LIMIT 1"
        return self.store.run_sql(query, "faena").strip()

    def start_programs(self, *, rota: bool) -> None:
        self.place.switches.mkdir(parents=True, exist_ok=True)
        for switch in self.place.switches.iterdir():
            switch.unlink()
        with step(f"{len(PROGRAMS)} programs" + (" and the rota of troubles" if rota else ", no rota")):
            self.start_cache()
            for name in PROGRAMS:
                self._start(name, [str(PYTHON), "-m", "tidewrack.programs", name])
            if rota:
                self._start("rota", [str(PYTHON), "-m", "tidewrack.rota"])

    def start_collector(self) -> None:
        self._start("collector", [str(PYTHON), "-m", "django", "collect"])

    def start_web(self) -> None:
        self._start("web", web_command("127.0.0.1", self.place.web_port))

    def start_again(self, name: str) -> None:
        """Collector and web server, as a service manager would; a program of the demo or a cluster that ends is a fault."""
        again = {"collector": self.start_collector, "web": self.start_web}.get(name)
        if again is None:
            self.explain_end(name)
        if self._restarts.get(name, 0) >= MOST_RESTARTS:
            self.explain_end(name)
        self._restarts[name] = self._restarts.get(name, 0) + 1
        warn(f"{name} ended; it is started again")
        self.register.forget(name)
        again()

    def start_faena(self) -> None:
        with step("Collector and web server"):
            self.start_collector()
            self.start_web()
        with step("First samples on screen"):
            self._wait_for_samples()

    def _start(self, name: str, command: list[str]) -> None:
        log = self.place.logs / f"{name}.log"
        self.register.start(name, command, log=log, env=self.environment(), cwd=BACKEND)

    def _wait_for_samples(self) -> None:
        """Until the web server answers and the store holds samples of the last seconds."""
        end = time.monotonic() + SAMPLES_WAIT_S
        query = "SELECT count(*) FROM samples_tick WHERE at_ms > (extract(epoch FROM now()) * 1000)::bigint - 5000"
        while time.monotonic() < end:
            if ended := self.register.ended():
                self.explain_end(ended[0])
            if self._web_answers() and int(self.store.run_sql(query, "faena") or 0) >= 2:
                return
            time.sleep(0.2)
        raise Trouble(f"no samples after {SAMPLES_WAIT_S:.0f} s; see {self.place.logs / 'collector.log'}")

    def explain_end(self, name: str) -> NoReturn:
        """Raises Trouble with the last words of a process that ended by itself."""
        log = self.place.logs / f"{name}.log"
        tail = log.read_text(errors="replace").strip().splitlines()[-3:] if log.exists() else []
        raise Trouble(f"{name} ended by itself: {' / '.join(tail) or 'it said nothing'} (all of it: {log})")

    def _web_answers(self) -> bool:
        try:
            with urllib.request.urlopen(f"{self.url}/api/v1/session", timeout=2) as answer:
                return "csrf" in json.load(answer)
        except OSError:
            return False

    @property
    def url(self) -> str:
        return f"http://127.0.0.1:{self.place.web_port}"

    def manage(self, *arguments: str, more: dict[str, str] | None = None) -> str:
        """Run a Django command of this place to its end; what it printed. Raises Trouble with its words."""
        command = [str(PYTHON), "-m", "django", *arguments]
        environment = {**self.environment(), **(more or {})}
        ended = subprocess.run(command, env=environment, cwd=BACKEND, capture_output=True, text=True)
        if ended.returncode != 0:
            raise Trouble(f"{arguments[0]} failed: {(ended.stderr or ended.stdout).strip()[-600:]}")
        return ended.stdout

    def _marked(self, name: str) -> str:
        """Empty where it was never done."""
        file = self.place.root / "stamps" / name
        return file.read_text() if file.exists() else ""

    def _done(self, name: str, mark: str = "done") -> bool:
        return self._marked(name) == mark

    def _mark(self, name: str, mark: str = "done") -> None:
        file = self.place.root / "stamps" / name
        file.parent.mkdir(exist_ok=True)
        file.write_text(mark)


def web_command(host: str, port: int) -> list[str]:
    """The ASGI server. One process: its caches of unpacked hours are worth more than a second one."""
    return [
        str(PYTHON), "-m", "uvicorn", "faena.config.asgi:application", "--host", host, "--port", str(port),
        # Whom to believe about a client's address is said by FAENA_TRUSTED_PROXIES, and to nobody by default.
        "--no-access-log", "--no-proxy-headers", "--no-server-header", "--lifespan", "off", "--log-level", "warning",
    ]  # fmt: skip


def remove(place: Place) -> None:
    """Delete a place's clusters and state, wherever they lie. Nothing of it may be running."""
    import shutil

    if place.clusters.is_symlink():
        target = Path(os.readlink(place.clusters))
        if target.name.startswith("faena-"):
            shutil.rmtree(target, ignore_errors=True)
    shutil.rmtree(place.root, ignore_errors=True)
