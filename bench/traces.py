"""Traces: received against merely parsed, put together and judged, endpoints over a day, a request of 20,000 spans."""

import os
import socket
import subprocess
import sys
import threading
import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager, suppress
from http.client import HTTPConnection
from pathlib import Path
from typing import Any

import django
import numpy as np
import uvicorn

django.setup()

from django.conf import settings  # noqa: E402
from django.db import connection  # noqa: E402
from django.test import Client  # noqa: E402
from faena.apps.accounts.actions import save_user  # noqa: E402
from faena.apps.accounts.models import Role  # noqa: E402
from faena.apps.requests import arrivals, sources  # noqa: E402
from faena.apps.requests.judging import QUIET_MS, Judge, take_in  # noqa: E402
from faena.apps.requests.models import (  # noqa: E402
    Arrival,
    Endpoint,
    KeptRequest,
    OpenTrace,
    Origin,
    RequestSum,
    Trace,
    TraceSource,
)  # fmt: skip
from faena.apps.requests.rows import rungs_bytes  # noqa: E402
from faena.apps.requests.writing import LENGTHS_MS  # noqa: E402
from faena.apps.servers.models import Server  # noqa: E402
from faena.core.requests.sums import REQUEST_FIGURES  # noqa: E402
from opentelemetry.proto.collector.trace.v1.trace_service_pb2 import ExportTraceServiceRequest  # noqa: E402
from reporting import report, timed  # noqa: E402

SPANS_EACH, TRACES_A_PAYLOAD, PAYLOADS, SENDERS = 10, 200, 80, 4
ORIGINS, DAY_MS = 60, 86_400_000
TEXTS = [f"SELECT id, berth FROM berth_{n} WHERE sailing = %s AND deck = '{n}'" for n in range(30)]

settings.ALLOWED_HOSTS.append("testserver")
Server.objects.filter(name="traced").delete()
server = Server.objects.create(name="traced")
source, token = sources.make(server, f"bench-{os.getpid()}")
now = int(time.time() * 1000)


def payload(first: int, spans: int = SPANS_EACH, traces: int = TRACES_A_PAYLOAD) -> bytes:
    """Web requests with statements below them, as an SDK sends them."""
    made = ExportTraceServiceRequest()
    group = made.resource_spans.add()
    for key, value in (("service.name", "booking-web"), ("service.version", "7.2"), ("host.name", "quay-a")):
        group.resource.attributes.add(key=key).value.string_value = value
    part = group.scope_spans.add()
    for n in range(first, first + traces):
        begins = (now - 60_000 + n % 30_000) * 1_000_000
        for i in range(spans):
            span = part.spans.add(
                trace_id=(n * 2**40 + 1).to_bytes(16), span_id=(i + 1).to_bytes(8), parent_span_id=(1).to_bytes(8) if i else b"",
                name="SELECT berth" if i else "GET /berths/{id}", kind=3 if i else 2,
                start_time_unix_nano=begins + i * 1_000_000, end_time_unix_nano=begins + (i * 1_000_000 + 900_000 if i else 90_000_000),
            )  # fmt: skip
            told: dict[str, Any] = {
                "http.request.method": "GET",
                "http.route": f"/berths/{n % 20}",
                "server.port": 8000,
            }
            if i:
                told = {
                    "db.system.name": "postgresql", "db.namespace": "bookings", "db.query.text": TEXTS[(n + i) % len(TEXTS)],
                    "server.address": "127.0.0.1", "server.port": 5432, "db.operation.name": "SELECT",
                    "code.file.path": "/srv/booking/web.py", "code.line.number": 120 + i,
                }  # fmt: skip
            for key, value in told.items():
                held = span.attributes.add(key=key).value
                if isinstance(value, int):
                    held.int_value = value
                else:
                    held.string_value = value
    return made.SerializeToString()


@contextmanager
def served() -> Iterator[int]:
    """The application as it is served; the test client keeps what it sent."""
    with socket.create_server(("127.0.0.1", 0)) as listening:
        server = uvicorn.Server(uvicorn.Config("faena.config.asgi:application", lifespan="off", log_config=None))
        thread = threading.Thread(target=server.run, kwargs={"sockets": [listening]})
        thread.start()
        try:
            yield listening.getsockname()[1]
        finally:
            server.should_exit = True
            thread.join(10)


def resident_mb() -> float:
    return int(Path("/proc/self/statm").read_text().split()[1]) * 4096 / 1e6


def watch(ended: threading.Event, most: list[float]) -> None:
    """The highest memory in use until it ended."""
    while not ended.wait(0.005):
        most[0] = max(most[0], resident_mb())


def post(port: int, body: bytes) -> int:
    connection = HTTPConnection("127.0.0.1", port)
    connection.request("POST", "/v1/traces", body, headers)
    status = connection.getresponse().status
    connection.close()
    return status


def per_second(spans: int, act: Any) -> float:
    begun = time.perf_counter()
    act()
    return spans / (time.perf_counter() - begun)


bodies = [payload(i * TRACES_A_PAYLOAD) for i in range(PAYLOADS)]
spans = SPANS_EACH * TRACES_A_PAYLOAD * PAYLOADS
arrivals.MOST_WAITING = 10 * spans
client, headers = Client(), {"Authorization": f"Bearer {token}", "Content-Type": "application/x-protobuf"}


def send(body: bytes) -> int:
    return client.generic(
        "POST", "/v1/traces", body, content_type="application/x-protobuf", headers=headers
    ).status_code


@contextmanager
def served_apart() -> Iterator[int]:
    """The application in a process of its own, as the start command serves it, so that sending takes none of its time."""
    with socket.create_server(("127.0.0.1", 0)) as free:
        port = int(free.getsockname()[1])
    command = [sys.executable, "-m", "uvicorn", "faena.config.asgi:application", "--port", str(port)]
    server = subprocess.Popen([*command, "--lifespan", "off", "--no-access-log", "--log-level", "warning"])
    try:
        while True:
            with suppress(OSError), socket.create_connection(("127.0.0.1", port)):
                break
            time.sleep(0.1)
        yield port
    finally:
        server.terminate()
        server.wait(20)


def send_all(port: int, some: list[bytes]) -> None:
    """From several applications at once, as they do: one's wait for the disk is another's time."""
    with ThreadPoolExecutor(SENDERS) as senders:
        assert set(senders.map(lambda body: post(port, body), some)) == {200}


rounds = []
with served_apart() as port:
    send_all(port, [payload(90_000_000 + n * TRACES_A_PAYLOAD) for n in range(SENDERS)])  # reads all of the application
    for first in range(0, PAYLOADS, PAYLOADS // 5):
        some = bodies[first : first + PAYLOADS // 5]
        parsed = per_second(spans // 5, lambda some=some: [ExportTraceServiceRequest.FromString(body) for body in some])
        received = per_second(spans // 5, lambda some=some: send_all(port, some))
        rounds.append((parsed / received, parsed, received))
times, parsed, received = sorted(rounds)[len(rounds) // 2]
report(
    f"parsing spans alone is so much quicker than receiving them from {SENDERS} at once, median of five", times, "x", at_most=3,
    note=f"{received / 1000:.0f} k against {parsed / 1000:.0f} k, {len(bodies[0]) / SPANS_EACH / TRACES_A_PAYLOAD:.0f} bytes each; {min(rounds)[0]:.1f} to {max(rounds)[0]:.1f} x",
)  # fmt: skip


def put_together() -> None:
    while take_in(now):
        pass


together = per_second(spans, put_together)
judge = Judge()
judged = per_second(spans, lambda: judge.settle(now + QUIET_MS, at_most=1000))
assert not OpenTrace.objects.exists()
report("spans put to their traces a second", together / 1000, "k", note="in the collector, one core")
report(
    "spans judged a second",
    judged / 1000,
    "k",
    note=f"{KeptRequest.objects.filter(source=source).count()} requests kept",
)
with connection.cursor() as cursor:
    cursor.execute("SELECT sum(length(packed)) / sum(spans) FROM requests_trace WHERE source_id = %s", [source.pk])
    report("bytes of a stored span", float(cursor.fetchone()[0]), "bytes", note="of a trace of ten spans")

arrivals.MOST_WAITING = 400_000
flood, refused = payload(10_000_000, traces=1500), 0
with served() as port:
    post(port, bodies[0])
    before, most = resident_mb(), [0.0]
    watching = threading.Event()
    watcher = threading.Thread(target=lambda: watch(watching, most))
    watcher.start()
    for _ in range(60):
        refused += post(port, flood) == 429
    watching.set()
    watcher.join()
report(
    "memory that a flood of 900,000 spans takes more", most[0] - before, "MB",
    at_most=150, note=f"{refused} of 60 payloads told to wait",
)  # fmt: skip
Arrival.objects.filter(source=source).delete()

client.force_login(
    save_user("bench", "correct horse", Role.VIEWER), backend="django.contrib.auth.backends.ModelBackend"
)
one_trace = payload(77_000_000, spans=20_000, traces=1)
send(one_trace)
judge.settle(now)
judge.settle(now + QUIET_MS)
name = (77_000_000 * 2**40 + 1).to_bytes(16).hex()
path = f"/api/v1/servers/{server.pk}/requests/traces/{name}"
assert len(client.get(path).json()["spans"]) == 20_000
median, p95, clock = timed(lambda: client.get(path), runs=10)
report("a request of 20,000 spans, p95 at the API", p95, "ms", note=f"median {median:.0f}", clock=clock)

RequestSum.objects.filter(server=server).delete()
origins = []
for n in range(ORIGINS):
    endpoint = Endpoint.objects.create(server=server, service="web", kind="web", name=f"GET /bench/{n}")
    origins.append(Origin.objects.create(endpoint=endpoint, version="7", host="a").pk)
end = now // 60_000 * 60_000
for length in LENGTHS_MS:
    first = (end - DAY_MS) // length * length
    RequestSum.objects.bulk_create(
        (
            RequestSum(
                server=server, length_ms=length, at_ms=at, origin_id=origin,
                figures=[float(1 + (origin + i) % 7) for i in range(len(REQUEST_FIGURES))], rungs=rungs_bytes(np.repeat([0.0, 1.0, 0.0], [30, 12, 55])),
            )
            for at in range(first, end, length)
            for origin in origins
        ),
        batch_size=5000,
    )  # fmt: skip
with connection.cursor() as cursor:
    cursor.execute("ANALYZE requests_requestsum")  # as a store in use has it; a day's rows came at once
path = f"/api/v1/servers/{server.pk}/requests/endpoints?from={end - DAY_MS + 1_800_000}&to={end - 600_000}"
assert len(client.get(path).json()["endpoints"]) == ORIGINS
median, p95, clock = timed(lambda: client.get(path), runs=30)
report(
    f"{ORIGINS} endpoints over a day, p95 at the API", p95, "ms", at_most=60, note=f"median {median:.0f}", clock=clock
)
Trace.objects.filter(source=source).delete()
TraceSource.objects.filter(pk=source.pk).delete()
server.delete()
