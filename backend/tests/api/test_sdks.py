"""Real SDKs with their instrumentation send to the receiver over HTTP: Python's and JavaScript's, protobuf and JSON."""

import os
import shutil
import socket
import subprocess
import sys
import threading
import time
from collections.abc import Iterator
from pathlib import Path

import pytest
import uvicorn
from faena.apps.requests import single, sources
from faena.apps.requests.judging import QUIET_MS, Judge
from faena.apps.requests.models import Arrival, KeptRequest, RequestStatement, TraceSource
from faena.apps.servers.models import Server
from faena.core.requests.layers import Layer
from faena.launch.places import FRONTEND
from faena.launch.setup import node_environment
from patience import wait_for
from watched import PASSWORD, PORT

pytestmark = pytest.mark.django_db(transaction=True)
SDKS = Path(__file__).parents[1] / "sdks"
SECRET = "ada@quay.example"
RECENT_MS = 3_600_000


@pytest.fixture
def token() -> str:
    _, token = sources.make(Server.objects.create(name="bookings"), "an application")
    return token


@pytest.fixture
def receiver() -> Iterator[str]:
    """The application as it is served: JavaScript's exporter sends its bodies in chunks, which not every server reads."""
    with socket.create_server(("127.0.0.1", 0)) as listening:
        served = uvicorn.Server(uvicorn.Config("faena.config.asgi:application", lifespan="off", log_config=None))
        thread = threading.Thread(target=served.run, kwargs={"sockets": [listening]})
        thread.start()
        try:
            yield f"http://127.0.0.1:{listening.getsockname()[1]}/v1/traces"
        finally:
            served.should_exit = True
            thread.join(10)


def judged() -> KeptRequest:
    """The one request that was sent, and nothing personal beside it."""
    now = int(time.time() * 1000)
    assert Arrival.objects.count() == 1
    judge = Judge()
    judge.settle(now)
    judge.settle(now + QUIET_MS)
    return KeptRequest.objects.select_related("origin__endpoint").get()


def run(*command: str, environment: dict[str, str] | None = None) -> None:
    ended = subprocess.run(command, capture_output=True, text=True, env=environment, timeout=60, check=False)
    assert ended.returncode == 0, ended.stderr
    assert "failed" not in ended.stderr.lower(), ended.stderr


def answers(port: int) -> bool:
    with socket.socket() as probe:
        return probe.connect_ex(("127.0.0.1", port)) == 0


@pytest.fixture
def redis_port(tmp_path: Path) -> Iterator[int]:
    program = shutil.which("redis-server") or "/usr/bin/redis-server"
    with socket.create_server(("127.0.0.1", 0)) as probe:
        port = probe.getsockname()[1]
    command = [program, "--port", str(port), "--bind", "127.0.0.1", "--save", "", "--dir", str(tmp_path)]
    server = subprocess.Popen(command, stdout=subprocess.DEVNULL)
    try:
        wait_for(lambda: server.poll() is not None or answers(port), "the cache answers")
        assert server.poll() is None, "the cache did not start"
        yield port
    finally:
        server.terminate()
        server.wait(10)


def test_python_with_django_psycopg_requests_and_redis(receiver: str, token: str, redis_port: int) -> None:
    dsn = f"host=127.0.0.1 port={PORT} dbname=watched user=keeper password={PASSWORD}"
    bare = {name: value for name, value in os.environ.items() if name != "DJANGO_SETTINGS_MODULE"}
    run(
        sys.executable, str(SDKS / "service.py"), receiver, token, dsn, str(redis_port),
        environment=bare,
    )  # fmt: skip
    kept = judged()
    assert (kept.origin.endpoint.service, kept.origin.version) == ("berth-web", "2")
    assert kept.origin.endpoint.name == "GET /berths/<int:number>"
    layers = dict(zip(Layer, kept.layers, strict=True))
    assert all(layers[layer] > 0 for layer in (Layer.OWN, Layer.DATABASE, Layer.CACHE, Layer.EXTERNAL)), layers
    assert sum(layers.values()) == pytest.approx(kept.duration_ms, abs=0.01)
    (repeated,) = kept.repeated
    assert repeated["count"] == 6
    assert RequestStatement.objects.get(pk=repeated["statement"]).text == "SELECT ?::int + ?"
    assert SECRET not in str(single.trace_of(kept.server_id, bytes(kept.trace)).requests)


@pytest.mark.parametrize("form", ["proto", "http"])
def test_javascript_by_protobuf_and_by_json(receiver: str, token: str, form: str) -> None:
    environment = {**node_environment(), "NODE_PATH": str(FRONTEND / "node_modules")}
    run("node", str(SDKS / "service.cjs"), receiver, token, form, environment=environment)
    kept = judged()
    assert (kept.origin.endpoint.service, kept.origin.endpoint.name) == ("gate-web", "GET /gates/:id")
    assert (kept.error, kept.why, kept.statements) == (True, "failed", 5)
    assert abs(kept.at_ms - time.time() * 1000) < RECENT_MS
    (repeated,) = kept.repeated
    assert repeated["count"] == 5
    (request,) = single.trace_of(kept.server_id, bytes(kept.trace)).requests
    assert [kind for kind, _ in request.top.exceptions] == ["TypeError"]
    assert SECRET not in str(request)


def test_a_wrong_token_is_told_to_the_sdk_and_nothing_is_taken(receiver: str) -> None:
    environment = {**node_environment(), "NODE_PATH": str(FRONTEND / "node_modules"), "OTEL_LOG_LEVEL": "none"}
    command = ["node", str(SDKS / "service.cjs"), receiver, "nonsense", "proto"]
    subprocess.run(command, capture_output=True, env=environment, timeout=60, check=False)
    assert (Arrival.objects.count(), TraceSource.objects.count()) == (0, 0)
