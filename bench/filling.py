"""Servers with a past of samples, for benches that ask the API. Import after django.setup()."""

import time

from faena.apps.samples.actions import store_ticks
from faena.apps.samples.closing import close_hours
from faena.apps.samples.codebook import Codebook
from faena.apps.servers.models import Server
from faena.core.readings import SampleReading
from faena.core.units import MS_PER_HOUR, EpochMs, Millis
from faena.testing.steady import SteadySource


def filled(name: str, hours: int) -> tuple[Server, int]:
    """A server with so many hours of samples up to now; the last one open, all others closed."""
    Server.objects.filter(name=name).delete()
    server = Server.objects.create(name=name, enabled=False, cores=4)
    source, codebook = SteadySource(seed=1, mean_sessions=12, combinations=800), Codebook(server.id)
    end = int(time.time() * 1000) // 1000 * 1000
    begun = time.perf_counter()
    for start in range(end - hours * MS_PER_HOUR, end, 300_000):
        dues = [EpochMs(at) for at in range(start, start + 300_000, 1000)]
        readings = [SampleReading(due=due, took=Millis(0.5), sessions=source.sessions_at(due)) for due in dues]
        store_ticks(server.id, [(reading, 0) for reading in readings], codebook)
    print(f"filled {hours} h in {time.perf_counter() - begun:.0f} s", flush=True)
    begun = time.perf_counter()
    closed = close_hours(server.id, end)
    print(f"closed {closed} hours in {time.perf_counter() - begun:.1f} s", flush=True)
    return server, end
