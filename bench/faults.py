"""What each fault costs: how soon it is told, how soon all is well again, and what was lost or doubled on the way.

`./faena up` watches a real server whose sessions call one statement all the while. Each fault is made, kept for a while
and mended; then the store must hold a sample of every second in which the server could be sampled, and each call once.
"""

import json
import os
import resource
import signal
import subprocess
import sys
import threading
import time
import urllib.error
import urllib.request
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path

import psycopg
from faena.launch.installation import Installation
from faena.launch.places import CHECKOUT, bench_place
from faena.launch.words import Trouble

KEPT_S = 12.0  # how long a fault lasts
SOON_S = 5.0  # told and recovered within
PATIENCE_S = 90.0
COUNTERS_MS = 2000
MARKED = "SELECT count(*) FROM pg_namespace AS each_is_counted"
installation = Installation(bench_place())


def connection(name: str) -> psycopg.Connection:
    cluster, database = (installation.store, "faena") if name == "store" else (installation.ferry, "postgres")
    env = cluster.environment(database)
    return psycopg.connect(
        host=env["PGHOST"], port=env["PGPORT"], user=env["PGUSER"], password=env["PGPASSWORD"], dbname=database,
        autocommit=True, connect_timeout=3,
    )  # fmt: skip


def stored(query: str) -> list[tuple[object, ...]]:
    with connection("store") as store:
        return store.execute(query.encode()).fetchall()


def on_the_server(*statements: str) -> None:
    with connection("ferry") as server:
        for statement in statements:
            server.execute(statement.encode())


def within(condition: Callable[[], bool], seconds: float = PATIENCE_S) -> float:
    """Seconds until it is true. Raises TimeoutError."""
    begun = time.monotonic()
    while time.monotonic() - begun < seconds:
        try:
            if condition():
                return time.monotonic() - begun
        except (psycopg.Error, OSError, Trouble):
            pass
        time.sleep(0.1)
    raise TimeoutError(f"not within {seconds:.0f} s")


def ready() -> bool:
    """The web process says that it and the store are well."""
    try:
        with urllib.request.urlopen(f"{installation.url}/health/ready", timeout=10) as answer:
            return answer.status == 200
    except (urllib.error.URLError, ConnectionError):
        return False


def now_ms() -> int:
    return time.time_ns() // 1_000_000


def sampled_since(moment: int) -> bool:
    return bool(stored(f"SELECT 1 FROM samples_tick WHERE at_ms >= {moment} LIMIT 1"))


def away_since(moment: int) -> bool:
    return bool(stored(f"SELECT 1 FROM servers_servernote WHERE event = 'away' AND at_ms >= {moment} LIMIT 1"))


def collector() -> int:
    """Process id, as the collector tells of itself."""
    ((pid,),) = stored("SELECT (state->>'pid')::int FROM collecting_collectorstate ORDER BY seen_ms DESC LIMIT 1")
    return int(str(pid))


class Caller:
    """Calls the marked statement about ten times a second, and knows how often it was answered."""

    def __init__(self) -> None:
        self.made, self._stop = 0, threading.Event()
        self._thread: threading.Thread | None = None

    def _run(self) -> None:
        while not self._stop.is_set():
            try:
                with connection("ferry") as server:
                    while not self._stop.wait(0.1):
                        server.execute(MARKED.encode())
                        self.made += 1
            except psycopg.Error:
                self._stop.wait(0.5)

    def start(self) -> None:
        self._stop.clear()
        self._thread = threading.Thread(target=self._run)
        self._thread.start()

    def stop(self) -> None:
        self._stop.set()
        if self._thread:
            self._thread.join()


def calls_stored() -> int:
    ((calls,),) = stored(
        "SELECT coalesce(sum(calls), 0) FROM statements_work JOIN statements_text USING (server_id, query_id) "
        "WHERE text LIKE '%each_is_counted%'"
    )
    return round(float(str(calls)))


def counted() -> int:
    """Calls in the store, once two more readings of the counters came in."""
    moment = now_ms() + 2 * COUNTERS_MS
    within(lambda: bool(stored(f"SELECT 1 FROM servers_server WHERE {now_ms()} > {moment + COUNTERS_MS}")))
    return calls_stored()


@dataclass(frozen=True, slots=True, kw_only=True)
class Fault:
    """`told` is asked with the moment of the fault, None where nothing has to be told: it is mended by itself.

    `blind` says that the server cannot be sampled meanwhile: its seconds are a gap and not lost. `calls_kept`: a new
    watch begins to count anew, so what was called meanwhile is in no figure, and no figure covers that time.
    """

    name: str
    make: Callable[[], None]
    mend: Callable[[], None] = field(default=lambda: None)
    told: Callable[[int], bool] | None = None
    recovered: Callable[[int], bool] = field(default=lambda moment: sampled_since(moment) and ready())
    blind: bool = False
    calls_kept: bool = True
    kept_s: float = KEPT_S
    told_within: float = SOON_S


def prove(fault: Fault, caller: Caller) -> None:
    """Print one row of the table."""
    calls, made = counted(), caller.made
    caller.start()
    time.sleep(3)
    begun = now_ms()
    fault.make()
    told = within(lambda: fault.told(begun)) if fault.told else None  # type: ignore[misc]
    time.sleep(max(0.0, fault.kept_s - (told or 0.0)))
    mended = now_ms()
    fault.mend()
    moment = now_ms()
    back = within(lambda: fault.recovered(moment))
    time.sleep(3)
    caller.stop()
    end = now_ms() - 2000
    within(lambda: sampled_since(end))
    balance = counted() - calls - (caller.made - made)
    seconds = {
        int(str(at)) // 1000 for (at,) in stored(f"SELECT at_ms FROM samples_tick WHERE at_ms >= {begun - 3000}")
    }
    blind = range(begun // 1000, (moment + round(back * 1000)) // 1000 + 2) if fault.blind else range(0)
    lost = [one for one in range(begun // 1000 - 1, end // 1000) if one not in seconds and one not in blind]
    gap = f", a gap of {sum(one not in seconds for one in blind)} s" if fault.blind else ""
    calls_said = f"{max(0, -balance)} calls" if fault.calls_kept else "calls of the gap not counted"
    measured = (
        f"told after {told:.1f} s, " if told is not None else ""
    ) + f"well again after {back:.1f} s, lost {len(lost)} samples and {calls_said}, doubled {max(0, balance)}{gap}"
    well = (
        (told is None or told <= fault.told_within)
        and back <= SOON_S
        and not lost
        and balance <= 0
        and (balance == 0 or not fault.calls_kept)
    )
    budget = (f"told ≤ {fault.told_within:g} s, " if fault.told else "") + f"well ≤ {SOON_S:g} s, 0 lost, 0 doubled"
    row = {"what": fault.name, "measured": measured, "budget": budget, "verdict": "within" if well else "OVER"}
    print(json.dumps(row), flush=True)
    print(f"{fault.name}: {measured}; the calls differ by {balance} (mended at {mended})", file=sys.stderr)


def stop_cluster(name: str) -> None:
    running = installation.register.get(name)
    assert running
    installation.register.stop(running)


def start_cluster(name: str) -> None:
    (installation.store if name == "store" else installation.ferry).start(installation.register)


def freeze(pid: int) -> None:
    frozen.append(pid)
    os.kill(pid, signal.SIGSTOP)


def thaw() -> None:
    while frozen:
        os.kill(frozen.pop(), signal.SIGCONT)


frozen: list[int] = []


def freeze_session() -> None:
    """The watched server's process that answers the sampling."""
    with connection("ferry") as server:
        found = server.execute("SELECT pid FROM pg_stat_activity WHERE usename = 'fragile'").fetchall()
    for (pid,) in found:
        freeze(pid)


def fill_disk() -> None:
    """No file of the collector takes another byte."""
    resource.prlimit(collector(), resource.RLIMIT_FSIZE, (0, resource.RLIM_INFINITY))


def empty_disk(pid: int) -> None:
    resource.prlimit(pid, resource.RLIMIT_FSIZE, (resource.RLIM_INFINITY, resource.RLIM_INFINITY))


def fill_disk_and_stop_store() -> None:
    full.append(collector())
    fill_disk()
    stop_cluster("store")


def empty_disk_and_start_store() -> None:
    """The store first: what is in memory has to arrive from there."""
    start_cluster("store")


full: list[int] = []


def kill_web() -> None:
    for one in Path("/proc").glob("[0-9]*"):
        try:
            command, parent = (one / "cmdline").read_bytes(), (one / "stat").read_text().rpartition(")")[2].split()[1]
        except OSError:
            continue
        if int(parent) == up_pid and b"uvicorn" in command:
            os.kill(int(one.name), signal.SIGKILL)
            return
    raise RuntimeError("no web process found")


up_pid = 0
END_SESSIONS = "SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE usename = 'fragile'"


def enter_password() -> None:
    installation.manage("server", "faulty", "--new-password", more={"FAENA_SERVER_PASSWORD": "second"})


def back_with_another(pid: int) -> Callable[[int], bool]:
    return lambda moment: sampled_since(moment) and collector() != pid


def faults() -> Iterator[Fault]:
    def not_ready(_: int) -> bool:
        return not ready()

    yield Fault(
        name="the store is stopped",
        make=lambda: stop_cluster("store"),
        mend=lambda: start_cluster("store"),
        told=not_ready,
    )
    yield Fault(
        name="the store is stopped while the disk is full", make=fill_disk_and_stop_store, mend=empty_disk_and_start_store,
        told=not_ready,
    )  # fmt: skip
    empty_disk(full.pop())
    pid = collector()
    yield Fault(
        name="a collector is killed", make=lambda: os.kill(pid, signal.SIGKILL), recovered=back_with_another(pid),
        kept_s=0.0, blind=True, calls_kept=False,
    )  # fmt: skip
    yield Fault(name="the web process is killed", make=kill_web, kept_s=0.0)
    yield Fault(name="the watched server does not answer", make=freeze_session, mend=thaw, told=away_since, blind=True)
    yield Fault(
        name="the watched server is stopped", make=lambda: stop_cluster("ferry"), mend=lambda: start_cluster("ferry"),
        told=away_since, blind=True, calls_kept=False,
    )  # fmt: skip
    yield Fault(
        name="the role loses its rights", make=lambda: on_the_server("REVOKE pg_monitor FROM fragile"),
        mend=lambda: on_the_server("GRANT pg_monitor TO fragile"), told=away_since, blind=True, calls_kept=False,
        told_within=60,
    )  # fmt: skip
    yield Fault(
        name="the role may not connect any more",
        make=lambda: on_the_server("ALTER ROLE fragile CONNECTION LIMIT 0", END_SESSIONS),
        mend=lambda: on_the_server("ALTER ROLE fragile CONNECTION LIMIT -1"), told=away_since, blind=True,
    )  # fmt: skip
    yield Fault(
        name="the role's password is changed",
        make=lambda: on_the_server("ALTER ROLE fragile PASSWORD 'second'", END_SESSIONS),
        mend=enter_password, told=away_since, blind=True, calls_kept=False,
    )  # fmt: skip


@contextmanager
def watching() -> Iterator[None]:
    """`./faena up` with the bench's server under watch."""
    global up_pid
    on_the_server(
        "CREATE EXTENSION IF NOT EXISTS pg_stat_statements", "DROP ROLE IF EXISTS fragile",
        "CREATE ROLE fragile LOGIN PASSWORD 'first'", "GRANT pg_monitor TO fragile",
    )  # fmt: skip
    if stored("SELECT 1 FROM servers_server WHERE name = 'faulty'"):  # of a run that was broken off
        installation.manage("server", "faulty", "--remove")
    arguments = ("--port", str(installation.place.ferry_port), "--user", "fragile", "--database", "postgres")
    installation.manage("server", "faulty", *arguments, more={"FAENA_SERVER_PASSWORD": "first"})
    stored(f"UPDATE servers_server SET counters_every_ms = {COUNTERS_MS} RETURNING 1")
    log = (installation.place.logs / "up.log").open("wb")
    command = [sys.executable, "-m", "faena.launch", "up"]
    with log, subprocess.Popen(command, env=installation.environment(), cwd=CHECKOUT, stdout=log, stderr=log) as up:
        up_pid = up.pid
        try:
            within(lambda: ready() and sampled_since(now_ms() - 3000))
            yield
        finally:
            thaw()
            for name in ("store", "ferry"):
                start_cluster(name)
            up.terminate()
            up.wait(60)
            installation.manage("server", "faulty", "--remove")
            on_the_server(END_SESSIONS, "DROP ROLE IF EXISTS fragile")


def main() -> None:
    caller = Caller()
    with watching():
        caller.start()  # so that the statement is known before the first fault
        time.sleep(8)
        caller.stop()
        try:
            for fault in faults():
                prove(fault, caller)
        finally:
            caller.stop()


if __name__ == "__main__":
    main()
