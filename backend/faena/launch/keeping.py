"""./faena backup and restore: the store and the secret in one file, since neither is of use without the other."""

import io
import os
import shutil
import subprocess
import tarfile
import tempfile
from pathlib import Path

from faena.launch import setup
from faena.launch.places import PYTHON
from faena.launch.supervised import environment, upgrade_store
from faena.launch.words import Trouble, say, step

_ASK = (
    "from faena.config.environment import read_environment as r; e = r(); "
    "print(e.store_host, e.store_port, e.store_database, e.store_user, e.secret_file, e.store_password, sep='\\n')"
)


def run(command: str, arguments: list[str]) -> None:
    """Raises Trouble."""
    if len(arguments) != 1 or arguments[0].startswith("-"):
        raise Trouble(f"name one file: ./faena {command} FILE")
    setup.for_serving()
    file = Path(arguments[0]).resolve()
    if command == "backup":
        backup(file)
    else:
        restore(file)


def _configured() -> tuple[dict[str, str], Path]:
    """Environment for the server's own tools, and where the secret is."""
    asked = subprocess.run([str(PYTHON), "-c", _ASK], env=environment(), capture_output=True, text=True)
    if asked.returncode != 0:
        raise Trouble(f"the configuration cannot be read: {(asked.stderr.strip().splitlines() or ['?'])[-1]}")
    host, port, database, user, secret, password = (asked.stdout + "\n").split("\n")[:6]
    env = {**os.environ, "PGHOST": host, "PGPORT": port, "PGDATABASE": database, "PGUSER": user, "PGPASSWORD": password}
    return env, Path(secret)


def _tool(name: str) -> str:
    """The newest that is installed: a dump is read by servers as new as its tool, and newer."""
    found = sorted(Path("/usr/lib/postgresql").glob(f"*/bin/{name}"), key=lambda p: int(p.parts[-3]))
    path = str(found[-1]) if found else shutil.which(name)
    if not path:
        raise Trouble(f"{name} is missing; install Debian's postgresql-client")
    return path


def backup(file: Path) -> None:
    """A consistent copy while everything runs. The file is for our own account alone: it opens everything."""
    env, secret = _configured()
    if file.exists():
        raise Trouble(f"{file} is there already; name another")
    with tempfile.TemporaryDirectory() as folder, step("Copying the store"):
        dump = Path(folder) / "store.dump"
        _run([_tool("pg_dump"), "--format=custom", "--no-owner", f"--file={dump}"], env, "the store cannot be copied")
        fresh = file.with_suffix(file.suffix + ".part")
        with os.fdopen(os.open(fresh, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "wb") as out:
            with tarfile.open(fileobj=out, mode="w") as tar:
                tar.add(dump, "store.dump")
                key = secret.read_bytes() if secret.exists() else b""
                entry = tarfile.TarInfo("secret.key")
                entry.size, entry.mode = len(key), 0o600
                tar.addfile(entry, io.BytesIO(key))
            out.flush()
            os.fsync(out.fileno())
        fresh.replace(file)
    say(f"{file}: {file.stat().st_size // 1024} kB. It holds the secret, too: keep it where only you can read it.")


def restore(file: Path) -> None:
    """Into a store without tables, and a secret that is not there yet or the same; then brought to this version."""
    env, secret = _configured()
    try:
        with tarfile.open(file) as tar, tempfile.TemporaryDirectory() as folder:
            names = tar.getnames()
            if sorted(names) != ["secret.key", "store.dump"]:
                raise Trouble(f"{file} is no backup of Faena")
            tar.extractall(folder, filter="data")
            _restore(Path(folder), env, secret)
    except (OSError, tarfile.TarError) as error:
        raise Trouble(f"{file} cannot be read: {error}") from error
    upgrade_store()
    say("restored; start ./faena up, or serve and collect")


def _restore(folder: Path, env: dict[str, str], secret: Path) -> None:
    query = "SELECT count(*) FROM pg_tables WHERE schemaname = 'public'"
    there = _run([_tool("psql"), "-XAtc", query], env, "the store cannot be reached").strip()
    if there != "0":
        raise Trouble(f"the store has {there} tables already; restore into an empty database")
    key = (folder / "secret.key").read_bytes()
    if secret.exists() and secret.read_bytes().strip() != key.strip():
        raise Trouble(f"{secret} is another secret; move it away first, or name another by FAENA_SECRET_FILE")
    with step("Restoring the store"):
        command = [_tool("pg_restore"), "--no-owner", "--exit-on-error", f"--dbname={env['PGDATABASE']}"]
        _run([*command, str(folder / "store.dump")], env, "the store cannot be restored")
    secret.parent.mkdir(parents=True, exist_ok=True)
    with os.fdopen(os.open(secret, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "wb") as out:
        out.write(key)


def _run(command: list[str], env: dict[str, str], why: str) -> str:
    ended = subprocess.run(command, env=env, capture_output=True, text=True)
    if ended.returncode != 0:
        raise Trouble(f"{why}: {(ended.stderr.strip().splitlines() or ['?'])[-1]}")
    return ended.stdout
