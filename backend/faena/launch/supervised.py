"""Keeps processes running: whichever ends is started again, at once the first time and then ever more patiently."""

import os
import signal
import subprocess
import sys
import time
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from types import FrameType

from faena.launch import setup
from faena.launch.installation import web_command
from faena.launch.places import BACKEND, PYTHON
from faena.launch.words import Trouble, say, warn

PAUSES_S = (0.2, 1.0, 2.0, 4.0)  # the last one repeats; a first restart is back well within five seconds
STEADY_S = 60.0  # one that ran for so long begins with the shortest pause again
STOP_WAIT_S = 20.0


@dataclass(slots=True)
class Kept:
    """One process that shall run. `pauses` counts how often it ended soon after its start."""

    name: str
    command: Sequence[str]
    env: Mapping[str, str]
    cwd: Path
    child: subprocess.Popen[bytes] | None = None
    started: float = 0.0
    pauses: int = 0
    again_at: float = 0.0
    restarts: int = field(default=0)

    def start(self) -> None:
        self.child = subprocess.Popen(self.command, env=dict(self.env), cwd=self.cwd, stdin=subprocess.DEVNULL)
        self.started = time.monotonic()

    def look_after(self) -> None:
        """Start it where it is due; note where it ended."""
        now = time.monotonic()
        if self.child is None:
            if now >= self.again_at:
                self.start()
            return
        ended = self.child.poll()
        if ended is None:
            return
        self.pauses = 0 if now - self.started > STEADY_S else self.pauses + 1
        pause = PAUSES_S[min(self.pauses, len(PAUSES_S)) - 1] if self.pauses else PAUSES_S[0]
        warn(f"{self.name} ended ({_how(ended)}); it is started again in {pause:g} s")
        self.child, self.again_at, self.restarts = None, now + pause, self.restarts + 1


def _how(status: int) -> str:
    return f"status {status}" if status >= 0 else signal.Signals(-status).name


class _Stop(BaseException):
    """Ctrl-C or SIGTERM."""


def _stop(number: int, frame: FrameType | None) -> None:
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    signal.signal(signal.SIGTERM, signal.SIG_IGN)
    raise _Stop


def run(kept: Sequence[Kept]) -> None:
    """Until Ctrl-C or SIGTERM; then stops all in reverse order."""
    signal.signal(signal.SIGINT, _stop)
    signal.signal(signal.SIGTERM, _stop)
    try:
        while True:
            for one in kept:
                one.look_after()
            time.sleep(0.1)
    except _Stop:
        say("stopping")
    finally:
        for one in reversed(kept):
            _end(one)


def _end(one: Kept) -> None:
    if one.child is None or one.child.poll() is not None:
        return
    one.child.terminate()
    try:
        one.child.wait(STOP_WAIT_S)
    except subprocess.TimeoutExpired:
        warn(f"{one.name} did not end in {STOP_WAIT_S:.0f} s; ending it hard")
        one.child.kill()
        one.child.wait()


def environment() -> dict[str, str]:
    """For the processes of an installation that is configured by environment or file."""
    return {**os.environ, "PYTHONPATH": str(BACKEND), "DJANGO_SETTINGS_MODULE": "faena.config.settings"}


def upgrade_store() -> None:
    """Bring the store's tables to this version. Raises Trouble with what to look at."""
    command = [str(PYTHON), "-m", "django", "upgrade"]
    ended = subprocess.run(command, env=environment(), cwd=BACKEND, capture_output=True, text=True)
    if ended.returncode != 0:
        last = (ended.stderr.strip() or ended.stdout.strip()).splitlines()[-1:]
        raise Trouble(
            f"the store cannot be prepared: {' '.join(last)}\n  Check FAENA_STORE_HOST, _PORT, _DATABASE, _USER and "
            "_PASSWORD; the user must own the database."
        )
    if told := ended.stdout.strip():
        print(told, flush=True)


def listening() -> tuple[str, int]:
    """Where the web server listens, from the configuration. Raises Trouble."""
    script = "from faena.config.environment import read_environment as r; e = r(); print(e.listen_host, e.listen_port)"
    where = subprocess.run([str(PYTHON), "-c", script], env=environment(), capture_output=True, text=True)
    if where.returncode != 0:
        raise Trouble(f"the configuration cannot be read: {(where.stderr.strip().splitlines() or ['?'])[-1]}")
    host, port = where.stdout.split()
    return host, int(port)


def up() -> None:
    """./faena up: web server and collector in one foreground group, each started again when it ends."""
    setup.for_serving()
    upgrade_store()
    host, port = listening()
    say(f"Faena serves http://{host}:{port}")
    sys.stdout.flush()
    env = environment()
    run(
        [
            Kept("web", web_command(host, port), env, BACKEND),
            Kept("collector", [str(PYTHON), "-m", "django", "collect"], env, BACKEND),
        ]
    )
