"""Where things are. Everything that is made lies in one git-ignored folder of the checkout."""

import hashlib
import os
import pwd
from dataclasses import dataclass
from pathlib import Path

CHECKOUT = Path(__file__).resolve().parents[3]
BACKEND = CHECKOUT / "backend"
FRONTEND = CHECKOUT / "frontend"
DEMO = CHECKOUT / "demo"
REQUIREMENTS = BACKEND / "requirements"
STATE = CHECKOUT / ".faena"
VENV = STATE / "venv"
PYTHON = VENV / "bin" / "python"
STAMPS = STATE / "stamps"
CLUSTER_USER = "postgres"  # made by Debian's package; PostgreSQL refuses to run as root


@dataclass(frozen=True, slots=True, kw_only=True)
class Place:
    """One running installation: its folder and ports. Tests have one of their own beside the demo's.

    All ports lie below 32768, from where on a system gives them out for outgoing connections: whoever had got one of ours
    kept us from listening on it, the more so while we were away and our own clients asked for us again and again.
    """

    root: Path
    web_port: int
    store_port: int
    ferry_port: int

    @property
    def services_port(self) -> int:
        """The first of six: booking-web, manifest-export, the port authority, the cache, the inbox and its page."""
        return self.ferry_port + 1000

    @property
    def run(self) -> Path:
        return self.root / "run"

    @property
    def logs(self) -> Path:
        return self.root / "log"

    @property
    def switches(self) -> Path:
        return self.root / "troubles"

    @property
    def clusters(self) -> Path:
        """Data directories. Elsewhere, by a link, when the cluster's user may not enter the checkout."""
        return self.root / "clusters"


def demo_place() -> Place:
    """The demo's; ports can be moved by environment variables."""
    return Place(
        root=STATE / "demo",
        web_port=int(os.environ.get("FAENA_LISTEN_PORT", "8710")),
        store_port=int(os.environ.get("FAENA_STORE_PORT", "24710")),
        ferry_port=int(os.environ.get("FAENA_FERRY_PORT", "24711")),
    )


def trial_place() -> Place:
    """For the browser tests: the same demo on other ports, so that it does not disturb a running one."""
    return Place(root=STATE / "trial", web_port=8720, store_port=24720, ferry_port=24721)


def bench_place() -> Place:
    """For benchmarks, which want nothing else on their clusters."""
    return Place(root=STATE / "bench", web_port=8750, store_port=24750, ferry_port=24751)


def cluster_account() -> pwd.struct_passwd | None:
    """The unprivileged account that clusters run as; None when we are unprivileged ourselves."""
    return pwd.getpwnam(CLUSTER_USER) if os.geteuid() == 0 else None


def cluster_folder(place: Place) -> Path:
    """A folder for data directories that the cluster's user can reach, made on demand."""
    account = cluster_account()
    folder = place.clusters
    if folder.is_symlink() or folder.exists():
        return folder.resolve()
    folder.parent.mkdir(parents=True, exist_ok=True)
    if account is None or _may_enter(folder.parent, account):
        folder.mkdir(mode=0o711)
    else:
        key = hashlib.sha256(str(folder).encode()).hexdigest()[:12]
        elsewhere = Path("/var/tmp") / f"faena-{key}"
        elsewhere.mkdir(mode=0o711, exist_ok=True)
        folder.symlink_to(elsewhere)
        folder = elsewhere
    if account is not None:
        os.chown(folder, account.pw_uid, account.pw_gid)
    return folder.resolve()


def _may_enter(folder: Path, account: pwd.struct_passwd) -> bool:
    """Whether the account may pass through every folder on the way."""
    for part in (folder, *folder.parents):
        status = part.stat()
        bit = 0o100 if status.st_uid == account.pw_uid else 0o010 if status.st_gid == account.pw_gid else 0o001
        if not status.st_mode & bit:
            return False
    return True
