"""Fifty servers at 1 Hz in one collector: late samples, CPU and memory of its process. Twelve active sessions each."""

import asyncio
import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import django

django.setup()

from django.conf import settings  # noqa: E402
from faena.apps.collecting.store import DjangoStore  # noqa: E402
from faena.apps.samples.models import OpenSample, Tick  # noqa: E402
from faena.apps.servers.models import Server  # noqa: E402
from faena.collector.supervise import Supervisor, SystemClock  # noqa: E402
from faena.testing.steady import SteadySource  # noqa: E402
from reporting import report  # noqa: E402

SERVERS, WARM_UP_S, MEASURED_S = 50, 20, 60


def collect() -> None:
    """The collector itself, as ./faena collect runs it, with sources that need no server."""
    state = Path(settings.ENVIRONMENT.state_dir) / "ingest"
    state.mkdir(exist_ok=True)
    supervisor = Supervisor(DjangoStore(state), lambda o: SteadySource(seed=o.server_id), state, SystemClock())
    asyncio.run(supervisor.run())


def cpu_s(pid: int) -> float:
    fields = Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()
    return (int(fields[11]) + int(fields[12])) / os.sysconf("SC_CLK_TCK")


def memory_mb(pid: int) -> float:
    status = Path(f"/proc/{pid}/status").read_text()
    return int(next(line for line in status.splitlines() if line.startswith("VmHWM")).split()[1]) / 1000


def main() -> None:
    Server.objects.filter(name__startswith="ingest-").delete()
    Server.objects.update(enabled=False)
    servers = [Server.objects.create(name=f"ingest-{i}", engine="simulated") for i in range(SERVERS)]
    ids = [server.id for server in servers]
    child = subprocess.Popen(
        [sys.executable, __file__, "collect"], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
    )
    try:
        time.sleep(WARM_UP_S)
        begun, used = time.time(), cpu_s(child.pid)
        time.sleep(MEASURED_S)
        elapsed, used = time.time() - begun, cpu_s(child.pid) - used
        memory = memory_mb(child.pid)
        time.sleep(3)  # what is on its way arrives
    finally:
        child.send_signal(signal.SIGKILL)
        child.wait()
    start = (int(begun) + 1) * 1000
    end = (int(begun + elapsed) - 1) * 1000
    ticks = Tick.objects.filter(server_id__in=ids, at_ms__gte=start, at_ms__lt=end).count()
    due = SERVERS * (end - start) // 1000
    samples = OpenSample.objects.filter(server_id__in=ids, at_ms__gte=start, at_ms__lt=end).count()
    note = f"{samples / (end - start) * 1000:.0f} samples a second"
    report(f"late samples of {SERVERS} servers at 1 Hz", due - ticks, "", at_most=0, note=note)
    report("CPU of that collector", used / elapsed, "cores", at_most=0.5)
    report("memory of that collector, at most", memory, "MB", at_most=300)
    Server.objects.filter(id__in=ids).delete()
    Server.objects.update(enabled=True)


if __name__ == "__main__":
    collect() if sys.argv[1:] == ["collect"] else main()
