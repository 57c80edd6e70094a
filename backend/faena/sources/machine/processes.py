"""What the processes of a database server on this machine read from the disks and wrote to them, from /proc.

Linux counts for each process the bytes that it made the disks read (what came from the page cache is not in it) and that
it caused to be written. A process that has ended is counted with the one that started it, so nothing is lost: what
children did since they were last looked at, and those that came and went in between, is told without a process.
"""

import os
from dataclasses import dataclass
from pathlib import Path
from time import perf_counter

from faena.core.readings import ENDED, DiskBytes, ProcessBytes
from faena.core.units import Millis, Pid

PROC = Path("/proc")
CLIENT = "client backend"
BACKGROUND = (
    "checkpointer", "background writer", "walwriter", "walsummarizer", "autovacuum launcher", "autovacuum worker",
    "archiver", "startup", "walreceiver", "walsender", "logger", "stats collector", "io worker", "slotsync worker",
    "logical replication launcher", "logical replication worker", "parallel worker",
)  # fmt: skip
STARTED_WITHIN_S = 3  # the server notes the start of a session a moment after its process began
_TICKS = os.sysconf("SC_CLK_TCK")

Count = tuple[int, int]  # bytes read and written since the process began


class NotReadable(Exception):
    """The process is on this machine, but its account of bytes may not be read by us."""


@dataclass(frozen=True, slots=True)
class _Counters:
    at_s: float
    whole: Count  # of the first process of the server, with all children that have ended
    children: dict[int, Count]


class ServerProcesses:
    """The processes of one server. Each `read` covers the time since the one before; the first one returns None."""

    def __init__(self, postmaster: int, cluster: str = "") -> None:
        """`cluster` is the server's setting cluster_name, which stands in the titles of its processes."""
        self._postmaster, self._prefix = postmaster, f"postgres: {cluster}: " if cluster else "postgres: "
        self._kinds: dict[int, str] = {}
        self._before: _Counters | None = None

    @classmethod
    def around(cls, pid: int, started_s: float, cluster: str = "") -> "ServerProcesses | None":
        """The server that a session belongs to; None where its process is not on this machine. Raises NotReadable."""
        try:
            status = (PROC / str(pid) / "stat").read_text().rpartition(")")[2].split()
            title = (PROC / str(pid) / "cmdline").read_bytes()
            began_s = _booted_s() + int(status[19]) / _TICKS
        except (OSError, IndexError, ValueError):
            return None
        if not title.startswith(b"postgres: ") or abs(began_s - started_s) > STARTED_WITHIN_S:
            return None  # a process of another machine has that number
        found = cls(int(status[1]), cluster)
        try:
            _count(found._postmaster)
            _count(pid)
        except OSError as error:
            raise NotReadable from error
        return found

    def read(self) -> DiskBytes | None:
        """Bytes since the last read, of every process that moved any. None: the first read, or the server is gone."""
        try:
            children = self._children()
            counts = {pid: count for pid in children if (count := _count_of(pid)) is not None}
            # After the children: what one of them did is then never told twice, though it ends just now.
            now = _Counters(perf_counter(), _count(self._postmaster), counts)
        except OSError:
            self._before = None
            return None
        before, self._before = self._before, now
        for gone in self._kinds.keys() - counts.keys():
            del self._kinds[gone]
        if before is None:
            return None
        told = [
            ProcessBytes(Pid(pid), self._kind(pid), *moved)
            for pid, count in counts.items()
            if any(moved := _since(before.children.get(pid), count))
        ]
        if any(ended := _ended(before, now)):
            told.append(ProcessBytes(ENDED, CLIENT, *ended))
        return DiskBytes(covers=Millis(1000 * (now.at_s - before.at_s)), processes=tuple(told))

    def _children(self) -> list[int]:
        listed = PROC / str(self._postmaster) / "task" / str(self._postmaster) / "children"
        return [int(pid) for pid in listed.read_bytes().split()]

    def _kind(self, pid: int) -> str:
        """What kind of process it is, in the server's own words, from the title it gave itself."""
        if pid not in self._kinds:
            try:
                title = (PROC / str(pid) / "cmdline").read_bytes().rstrip(b"\0 ").decode(errors="replace")
            except OSError:
                return CLIENT
            rest = title.removeprefix(self._prefix)
            self._kinds[pid] = next(
                (kind for kind in BACKGROUND if rest == kind or rest.startswith(kind + " ")), CLIENT
            )
        return self._kinds[pid]


def _since(before: Count | None, now: Count) -> Count:
    """What came to a process's count. One that went back is another process that got the same number."""
    if before is None or now[0] < before[0] or now[1] < before[1]:
        return now
    return now[0] - before[0], now[1] - before[1]


def _ended(before: _Counters, now: _Counters) -> Count:
    """What processes that are gone did since they were last looked at, and what the first process did itself."""
    gone = [count for pid, count in before.children.items() if pid not in now.children]
    read, written = (now.whole[i] - before.whole[i] - sum(count[i] for count in gone) for i in (0, 1))
    return max(0, read), max(0, written)


def _count_of(pid: int) -> Count | None:
    try:
        return _count(pid)
    except (FileNotFoundError, ProcessLookupError):  # it ended meanwhile
        return None


def _count(pid: int) -> Count:
    """Raises OSError, among others where the process has another owner."""
    with open(f"/proc/{pid}/io", "rb", buffering=0) as file:
        told = dict(line.split(b": ") for line in file.read(1024).splitlines())
    return int(told[b"read_bytes"]), int(told[b"write_bytes"])


def _booted_s() -> float:
    for line in (PROC / "stat").read_text().splitlines():
        if line.startswith("btime "):
            return float(line.split()[1])
    raise ValueError("the machine does not say when it started")
