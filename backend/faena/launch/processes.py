"""Children by id. A pid alone may be reused, so each is kept with the moment its process started."""

import json
import os
import signal
import subprocess
import time
from collections.abc import Sequence
from dataclasses import asdict, dataclass
from pathlib import Path

from faena.launch.words import Trouble, warn

STOP_WAIT_S = 20.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Running:
    """A process we started. `started` is in clock ticks since boot, as the kernel tells it."""

    name: str
    pid: int
    started: int
    stop_signal: int = signal.SIGTERM

    def alive(self) -> bool:
        """False too when the pid belongs to another process by now, or to one that only waits to be collected."""
        return start_of(self.pid) == self.started


def start_of(pid: int) -> int | None:
    """When a process started; None when there is none, or only its remains."""
    try:
        after_name = Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()
    except OSError:
        return None
    return None if after_name[0] in ("Z", "X") else int(after_name[19])


class Register:
    """The processes of one place, each in a file of its own, so that `stop` finds them whoever started them."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self._children: dict[str, subprocess.Popen[bytes]] = {}

    def start(
        self,
        name: str,
        command: Sequence[str],
        *,
        log: Path,
        env: dict[str, str] | None = None,
        cwd: Path | None = None,
        user: str | None = None,
        stop_signal: int = signal.SIGTERM,
    ) -> Running:
        """Start in a session of its own, so that Ctrl-C reaches only us and we stop it in order."""
        self._folder.mkdir(parents=True, exist_ok=True)
        log.parent.mkdir(parents=True, exist_ok=True)
        with log.open("ab") as out:
            child = subprocess.Popen(
                command,
                cwd=cwd,
                env=env,
                stdin=subprocess.DEVNULL,
                stdout=out,
                stderr=subprocess.STDOUT,
                start_new_session=True,
                user=user,
                group=user,
                extra_groups=[] if user else None,
            )
        running = Running(name=name, pid=child.pid, started=start_of(child.pid) or 0, stop_signal=stop_signal)
        self._children[name] = child
        self._write(name, json.dumps(asdict(running)))
        return running

    def _write(self, name: str, text: str) -> None:
        fresh = self._folder / f"{name}.new"
        fresh.write_text(text)
        fresh.replace(self._folder / f"{name}.json")

    def adopt_self(self, name: str) -> None:
        """Enter the calling process itself."""
        self._folder.mkdir(parents=True, exist_ok=True)
        running = Running(name=name, pid=os.getpid(), started=start_of(os.getpid()) or 0)
        self._write(name, json.dumps(asdict(running)))

    def known(self) -> list[Running]:
        """All entries, in the order in which they were started; damaged ones are dropped."""
        found = []
        for file in sorted(self._folder.glob("*.json"), key=lambda f: f.stat().st_mtime):
            try:
                found.append(Running(**json.loads(file.read_text())))
            except (ValueError, TypeError, OSError):
                file.unlink(missing_ok=True)
        return found

    def get(self, name: str) -> Running | None:
        """The entry, if that very process still runs."""
        return next((one for one in self.known() if one.name == name and one.alive()), None)

    def ended(self) -> list[str]:
        """Names of our children that have ended by themselves."""
        return [name for name, child in self._children.items() if child.poll() is not None]

    def stop(self, running: Running) -> None:
        """Ask, wait, and only then insist. Safe for one that has ended already."""
        if running.alive():
            os.kill(running.pid, running.stop_signal)
            if not self._gone(running, STOP_WAIT_S):
                warn(f"{running.name} (pid {running.pid}) did not end in {STOP_WAIT_S:.0f} s; ending it hard")
                os.kill(running.pid, signal.SIGQUIT if running.stop_signal == signal.SIGINT else signal.SIGKILL)
                if not self._gone(running, 5):
                    raise Trouble(f"{running.name} (pid {running.pid}) cannot be stopped; look at it by hand")
        self.forget(running.name)

    def _gone(self, running: Running, seconds: float) -> bool:
        end = time.monotonic() + seconds
        while time.monotonic() < end:
            if child := self._children.get(running.name):
                child.poll()
            if not running.alive():
                return True
            time.sleep(0.05)
        return False

    def forget(self, name: str) -> None:
        self._children.pop(name, None)
        (self._folder / f"{name}.json").unlink(missing_ok=True)

    def stop_all(self, *, but: str = "") -> list[str]:
        """Everything, the last started first. Returns the names of what was still alive."""
        stopped = []
        for running in reversed(self.known()):
            if running.name == but:
                continue
            if running.alive():
                stopped.append(running.name)
            self.stop(running)
        return stopped


CLOSED_LINGERS_S = 65.0  # a connection that was closed keeps its port for a minute


def port_is_free(port: int, patience_s: float = CLOSED_LINGERS_S) -> bool:
    """Whether the loopback port can be listened on.

    A port that somebody chose may be one that is given out for outgoing connections, too; such a one is waited for,
    somebody who listens is not.
    """
    give_up = time.monotonic() + patience_s
    while not _can_bind(port):
        if _listened_on(port) or time.monotonic() > give_up:
            return False
        time.sleep(0.5)
    return True


def _can_bind(port: int) -> bool:
    import socket

    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind(("127.0.0.1", port))
        except OSError:
            return False
    return True


def _listened_on(port: int) -> bool:
    import socket

    with socket.socket() as probe:
        probe.settimeout(1.0)
        return probe.connect_ex(("127.0.0.1", port)) == 0
