"""The list of a thousand servers at the API, each with 15 minutes of samples."""

import time

import django

django.setup()

from django.conf import settings  # noqa: E402
from django.test import Client  # noqa: E402
from faena.apps.accounts.actions import save_user  # noqa: E402
from faena.apps.accounts.models import Role  # noqa: E402
from faena.apps.samples.actions import store_ticks  # noqa: E402
from faena.apps.samples.codebook import Codebook  # noqa: E402
from faena.apps.servers.models import Server  # noqa: E402
from faena.core.readings import SampleReading  # noqa: E402
from faena.core.units import EpochMs, Millis  # noqa: E402
from faena.testing.steady import SteadySource  # noqa: E402
from reporting import report, timed  # noqa: E402

SERVERS, PERIOD_MS, LENGTH_MS = 1000, 10_000, 15 * 60_000

settings.ALLOWED_HOSTS.append("testserver")
Server.objects.filter(name__startswith="one-of-").delete()
begun, end = time.perf_counter(), int(time.time() * 1000) // 1000 * 1000
ids = []
for i in range(SERVERS):
    server = Server.objects.create(name=f"one-of-{i:04}", cores=4, period_ms=PERIOD_MS, state="watching")
    source, codebook = SteadySource(seed=i, mean_sessions=3, combinations=10), Codebook(server.pk)
    dues = [EpochMs(at) for at in range(end - LENGTH_MS, end, PERIOD_MS)]
    readings = [SampleReading(due=due, took=Millis(0.5), sessions=source.sessions_at(due)) for due in dues]
    store_ticks(server.pk, [(reading, 0) for reading in readings], codebook)
    ids.append(server.pk)
print(f"filled {SERVERS} servers in {time.perf_counter() - begun:.0f} s", flush=True)

client = Client()
client.force_login(
    save_user("bench", "correct horse", Role.VIEWER), backend="django.contrib.auth.backends.ModelBackend"
)
answer = client.get("/api/v1/servers")
assert len(answer.json()["servers"]) >= SERVERS
assert sum(one["load_now"] is not None for one in answer.json()["servers"]) >= SERVERS, "each has been sampled just now"
median, p95, clock = timed(lambda: client.get("/api/v1/servers"))
size = f"{len(answer.content) / 1e6:.1f} MB"
report(
    f"list of {SERVERS} servers, p95 at the API",
    p95,
    "ms",
    at_most=150,
    note=f"median {median:.0f}; {size}",
    clock=clock,
)
path = f"/api/v1/indicators?last=900&{'&'.join(f'server={one}' for one in ids[:60])}"
assert client.get(path).status_code == 200
median, p95, clock = timed(lambda: client.get(path), runs=10)
report("load and indicators of 60 of them, p95 at the API", p95, "ms", note=f"median {median:.0f}", clock=clock)
