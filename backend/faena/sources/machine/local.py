"""CPU, memory, disk, network and the busiest processes of this machine, as differences between two looks."""

import socket
from collections.abc import Mapping
from dataclasses import dataclass
from time import monotonic

import psutil

from faena.core.readings import HostFigures
from faena.core.units import EpochMs

TOP_PROCESSES = 8
_LOOPS = ("loop", "ram", "zram", "dm-", "md")  # devices that only stand for others, which are counted themselves


def machine_name() -> str:
    return socket.gethostname()


@dataclass(frozen=True, slots=True)
class _Counters:
    """Cumulative counts at one moment."""

    at_s: float
    cpu: tuple[float, ...]  # user, system, iowait, steal, all
    disk: tuple[float, ...]  # reads, writes, read bytes, write bytes, busy seconds of all requests
    net: tuple[float, ...]  # bytes in, bytes out
    processes: dict[tuple[int, float], tuple[str, float, int]]  # (pid, start): name, CPU seconds, resident bytes


class LocalMachine:
    """Each `read` covers the time since the one before; the first one returns None."""

    def __init__(self) -> None:
        self._before: _Counters | None = None

    def read(self, at: EpochMs) -> HostFigures | None:
        """Figures since the last read."""
        before, self._before = self._before, _look()
        now = self._before
        if before is None or now.at_s <= before.at_s:
            return None
        seconds = now.at_s - before.at_s
        user, system, iowait, steal, total = (max(0.0, a - b) for a, b in zip(now.cpu, before.cpu, strict=True))
        share = 1 / total if total > 0 else 0.0
        reads, writes, read_bytes, write_bytes, busy = (
            max(0.0, a - b) for a, b in zip(now.disk, before.disk, strict=True)
        )
        requests = reads + writes
        memory = psutil.virtual_memory()
        return HostFigures(
            at=at,
            covers_ms=round(seconds * 1000),
            cores=psutil.cpu_count() or 1,
            cpu_user=user * share,
            cpu_system=system * share,
            cpu_iowait=iowait * share,
            cpu_steal=steal * share,
            memory_used=memory.total - memory.available,
            memory_total=memory.total,
            disk_reads=reads / seconds,
            disk_writes=writes / seconds,
            disk_read_bytes=read_bytes / seconds,
            disk_write_bytes=write_bytes / seconds,
            disk_latency_ms=1000 * busy / requests if requests else None,
            disk_queue=busy / seconds,
            net_in_bytes=max(0.0, now.net[0] - before.net[0]) / seconds,
            net_out_bytes=max(0.0, now.net[1] - before.net[1]) / seconds,
            processes=tuple(_busiest(before, now, seconds)),
        )


def _look() -> _Counters:
    cpu = psutil.cpu_times()
    disks = psutil.disk_io_counters(perdisk=True, nowrap=True) or {}
    whole = [d for name, d in disks.items() if not name.startswith(_LOOPS) and not _is_partition(name, disks)]
    net = psutil.net_io_counters(nowrap=True)
    return _Counters(
        at_s=monotonic(),
        cpu=(cpu.user, cpu.system, getattr(cpu, "iowait", 0.0), getattr(cpu, "steal", 0.0), sum(cpu)),
        disk=(
            float(sum(d.read_count for d in whole)),
            float(sum(d.write_count for d in whole)),
            float(sum(d.read_bytes for d in whole)),
            float(sum(d.write_bytes for d in whole)),
            sum(d.read_time + d.write_time for d in whole) / 1000,
        ),
        net=(float(net.bytes_recv), float(net.bytes_sent)) if net else (0.0, 0.0),
        processes=dict(_processes()),
    )


def _is_partition(name: str, disks: Mapping[str, object]) -> bool:
    """sda1 beside sda, nvme0n1p1 beside nvme0n1: counted already in the whole disk."""
    return any(other != name and name.startswith(other) for other in disks)


def _processes() -> list[tuple[tuple[int, float], tuple[str, float, int]]]:
    found = []
    for one in psutil.process_iter(["pid", "create_time", "name", "cpu_times", "memory_info"], ad_value=None):
        info = one.info
        if info["cpu_times"] is not None and info["memory_info"] is not None:
            used = info["cpu_times"].user + info["cpu_times"].system
            found.append(((info["pid"], info["create_time"]), (info["name"], used, info["memory_info"].rss)))
    return found


def _busiest(before: _Counters, now: _Counters, seconds: float) -> list[dict[str, object]]:
    """Processes by the cores they used; one that began meanwhile counts from its beginning."""
    used = {
        key: (cpu - before.processes.get(key, ("", 0.0, 0))[1]) / seconds for key, (_, cpu, _) in now.processes.items()
    }
    top = sorted(used, key=lambda key: -used[key])[:TOP_PROCESSES]
    return [
        {"pid": key[0], "name": now.processes[key][0], "cpu": round(used[key], 3), "memory": now.processes[key][2]}
        for key in top
        if used[key] > 0
    ]
