"""Figures of the machine that the tests run on."""

import time

from faena.core.units import EpochMs
from faena.sources.machine import LocalMachine


def test_work_shows_as_cpu_and_as_a_process() -> None:
    machine = LocalMachine()
    assert machine.read(EpochMs(1)) is None, "nothing to count from yet"
    end = time.monotonic() + 0.6
    while time.monotonic() < end:
        sum(i * i for i in range(1000))
    figures = machine.read(EpochMs(1000))
    assert figures is not None
    assert 500 <= figures.covers_ms <= 5000
    shares = (figures.cpu_user, figures.cpu_system, figures.cpu_iowait, figures.cpu_steal)
    assert all(0 <= share <= 1 for share in shares)
    assert sum(shares) <= 1.01
    assert figures.cpu_user * figures.cores > 0.3, "this process alone kept most of a core busy"
    assert 0 < figures.memory_used < figures.memory_total
    busiest = [one for one in figures.processes if one["cpu"] > 0.3]  # type: ignore[operator]
    assert any("py" in str(one["name"]) for one in busiest)
    assert all(
        value >= 0 for value in (figures.disk_reads, figures.disk_writes, figures.disk_queue, figures.net_in_bytes)
    )
