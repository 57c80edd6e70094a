"""Requests at the API, from spans of a real SDK with its instrumentation to the answers that screens are made of."""

import asyncio
import json
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any
from urllib.parse import quote

import numpy as np
import pytest
from django.db import transaction
from django.test import Client
from faena.api.request_page import RequestOut
from faena.apps.accounts.actions import save_user
from faena.apps.accounts.models import Role
from faena.apps.collecting.traces import take
from faena.apps.requests import sources
from faena.apps.requests.dictionaries import Dictionaries
from faena.apps.requests.judging import QUIET_MS, Judge
from faena.apps.requests.models import TraceSource
from faena.apps.requests.writing import add_sums
from faena.apps.samples.actions import store_ticks
from faena.apps.samples.codebook import Codebook
from faena.apps.samples.usual import mark
from faena.apps.servers import holdings
from faena.apps.servers.models import Server
from faena.apps.statements.models import Text
from faena.core.privacy import Normalised
from faena.core.readings import SampleReading
from faena.core.requests.sums import REQUEST_FIGURES, RUNGS, Origin, Sums
from faena.core.series.window import Window
from faena.core.units import EpochMs
from faena.sources.postgres import PostgresSource, Target
from opentelemetry.exporter.otlp.proto.common.trace_encoder import encode_spans
from opentelemetry.instrumentation.psycopg import PsycopgInstrumentor
from opentelemetry.sdk.resources import Resource
from opentelemetry.sdk.trace import TracerProvider
from opentelemetry.sdk.trace.export import SimpleSpanProcessor
from opentelemetry.sdk.trace.export.in_memory_span_exporter import InMemorySpanExporter
from opentelemetry.trace import SpanKind
from patience import PATIENCE_S
from watched import PASSWORD, PORT, owner

pytestmark = pytest.mark.django_db


TRAILS = {  # and how many endpoints are inside each
    "endpoint:manifest-export GET /manifests/{id}": 1, "endpoint:manifest-export GET /manifests/{id}, likely": 1,
    "endpoint:other GET /manifests/{id}": 0, "!endpoint:manifest-export GET /manifests/{id}": 0,
    "program:manifest-export": 1, "!program:manifest-export": 0, "kind:lock": 1,
}  # fmt: skip


@pytest.fixture
def source() -> TraceSource:
    with owner("postgres") as connection:
        connection.execute("CREATE TABLE IF NOT EXISTS traced_slot (id int PRIMARY KEY, held int)")
    found, _ = sources.make(Server.objects.create(name="bookings"), "manifest-export")
    return found


@contextmanager
def traced(source: TraceSource, version: str = "3.1") -> Iterator[Any]:
    """What is done inside is traced by the SDK and its instrumentation of psycopg, sent, put together and judged."""
    kept = InMemorySpanExporter()
    provider = TracerProvider(resource=Resource.create({"service.name": "manifest-export", "service.version": version}))
    provider.add_span_processor(SimpleSpanProcessor(kept))
    instrumentor = PsycopgInstrumentor()
    instrumentor.instrument(tracer_provider=provider, enable_commenter=True, skip_dep_check=True)
    try:
        yield provider.get_tracer("tests")
    finally:
        instrumentor.uninstrument()
    spans = kept.get_finished_spans()
    now = max(span.end_time or 0 for span in spans) // 1_000_000
    take(source, encode_spans(spans).SerializeToString(), json=False, now=EpochMs(now))
    judge = Judge()
    judge.settle(now)
    judge.settle(now + QUIET_MS)


def ask(path: str, role: Role = Role.VIEWER) -> Any:
    client = Client()
    client.force_login(
        save_user(role.value, "correct horse", role), backend="django.contrib.auth.backends.ModelBackend"
    )
    answer = client.get(path)
    assert answer.status_code == 200, answer.content
    return answer.json()


def export(tracer: Any, many: int) -> None:
    attributes = {"http.request.method": "GET", "http.route": "/manifests/{id}", "tidewrack.port": "Quay"}
    with (
        owner("postgres") as connection,  # before the request, as from a pool: else connecting is most of its time
        tracer.start_as_current_span("GET /manifests/{id}", kind=SpanKind.SERVER, attributes=attributes),
    ):
        connection.execute("SELECT id FROM traced_slot WHERE id < %s", [many])
        for slot in range(many):
            connection.execute("SELECT held FROM traced_slot WHERE id = %s", [slot])


def test_a_statement_run_once_for_each_row_is_found_from_the_endpoint_to_its_spans(source: TraceSource) -> None:
    server = source.server_id
    Text.objects.create(server_id=server, query_id=77, text=Normalised("SELECT held FROM traced_slot WHERE id = $1"))
    holdings.learned(server)
    with traced(source) as tracer:
        for _ in range(3):
            export(tracer, 12)
    found = ask(f"/api/v1/servers/{server}/requests/endpoints?last=900")
    (row,) = found["endpoints"]
    assert (row["endpoint"], row["service"], row["requests"], row["statements"]) == (
        "GET /manifests/{id}", "manifest-export", 3, 13,
    )  # fmt: skip
    (noted,) = ask(f"/api/v1/servers/{server}/requests/noted?last=900")["endpoints"]
    assert noted["endpoint_id"] == row["id"]
    assert "repeated_statement" in [one["kind"] for one in noted["found"]]
    assert (noted["usual_mean_ms"], noted["usual_per_second"]) == (None, None), "there is no earlier day"
    assert sum(row["layers"].values()) == pytest.approx(row["time_ms"], abs=0.01)
    assert (found["choices"]["version"], found["sources"]) == (["3.1"], 1)

    listed = f"/api/v1/servers/{server}/requests/endpoints?last=900&pick="
    (hit,) = [one for one in ask(f"/api/v1/search?server={server}&words=manif")["hits"] if one["kind"] == "endpoint"]
    assert (hit["value"], hit["label"]) == (str(row["id"]), "manifest-export GET /manifests/{id}")
    (traced_hit,) = ask(f"/api/v1/search?server={server}&words={'AB' * 16}")["hits"]
    assert (traced_hit["kind"], traced_hit["value"]) == ("trace", "ab" * 16)
    inside = {pick: len(ask(listed + quote(pick))["endpoints"]) for pick in TRAILS}
    assert inside == TRAILS

    page = ask(f"/api/v1/servers/{server}/requests/endpoints/{row['id']}?last=900")
    repeated, parent = sorted(page["statements"], key=lambda one: -one["runs"])
    assert (repeated["text"], repeated["query_id"], repeated["runs"]) == (
        "SELECT held FROM traced_slot WHERE id = ?",
        "77",
        12,
    )
    assert parent["query_id"] is None
    assert sum(n * page["series"]["bucket_ms"] / 1000 for n in page["series"]["per_second"]) == pytest.approx(
        3, abs=0.01
    )

    listed = ask(f"/api/v1/servers/{server}/requests/repeated?last=900")
    (again,), (times,) = listed["statements"], listed["over_time"]
    assert {one for one in times if one is not None} == {12}
    assert (again["repeated_runs"], again["after"]) == (12, "SELECT id FROM traced_slot WHERE id < ?")
    (caller,) = ask(f"/api/v1/servers/{server}/statements/77/endpoints?last=900")["statements"]
    assert caller["endpoint"] == "GET /manifests/{id}"

    single = page["singles"][0]
    request = ask(f"/api/v1/servers/{server}/requests/traces/{single['trace']}?top={single['top']}")
    RequestOut.model_validate_json(json.dumps(request), strict=True)  # what is written past the schema is as it says
    assert [one["count"] for one in request["repeated"]] == [12]
    assert request["spans"][0]["above"] == -1
    assert all(one["above"] == 0 and one["layer"] == "database" for one in request["spans"][1:])
    assert {one["query_id"] for one in request["spans"]} == {None, "77"}
    assert "tidewrack.port" not in request["spans"][0]["attributes"]


def test_what_is_kept_is_changed_by_admins_and_a_token_told_once(source: TraceSource) -> None:
    path = f"/api/v1/servers/{source.server_id}/trace-sources"
    client = Client()
    client.force_login(
        save_user("ada", "correct horse", Role.ADMIN), backend="django.contrib.auth.backends.ModelBackend"
    )
    body = {"attributes": ["tidewrack.port"], "personal": False, "target_ms": 200, "retention_days": 3}
    changed = client.put(f"{path}/{source.pk}", body, content_type="application/json")
    assert changed.json()["attributes"] == ["tidewrack.port"]
    with traced(TraceSource.objects.get()) as tracer:
        export(tracer, 2)
    (row,) = ask(f"/api/v1/servers/{source.server_id}/requests/endpoints?last=900")["endpoints"]
    assert (row["target_ms"], row["own_target"]) == (200, False)
    single = ask(f"/api/v1/servers/{source.server_id}/requests/endpoints/{row['id']}?last=900")["singles"][0]
    request = ask(f"/api/v1/servers/{source.server_id}/requests/traces/{single['trace']}")
    assert request["spans"][0]["attributes"]["tidewrack.port"] == "Quay"
    made = client.post(path, {"name": "another"}, content_type="application/json").json()
    assert made["token"] not in str(client.get(path).json())
    refused = client.put(f"{path}/{source.pk}", {**body, "target_ms": 0}, content_type="application/json")
    assert (refused.status_code, refused.json()["field"]) == (400, "target_ms")
    assert client.delete(f"{path}/{made['id']}").json() == {"removed": True}
    viewer = Client()
    viewer.force_login(
        save_user("vera", "correct horse", Role.VIEWER), backend="django.contrib.auth.backends.ModelBackend"
    )
    assert viewer.post(path, {"name": "mine"}, content_type="application/json").status_code == 403


def test_requests_with_an_attribute_are_ranked_from_those_that_are_kept(source: TraceSource) -> None:
    TraceSource.objects.filter(pk=source.pk).update(attributes=["tidewrack.port"])
    with traced(TraceSource.objects.get()) as tracer:
        for many in (2, 2, 12):
            export(tracer, many)
        with tracer.start_as_current_span("nightly", attributes={"tidewrack.port": "Weir = 2"}):
            pass
    base = f"/api/v1/servers/{source.server_id}/requests"
    known = {one["text"]: one["requests"] for one in ask(f"{base}/attributes?last=900")["attributes"]}
    assert {"tidewrack.port=Quay": 3, "tidewrack.port=Weir = 2": 1}.items() <= known.items()
    whole = ask(f"{base}/endpoints?last=900")
    for port, names in (
        ("Quay", ["GET /manifests/{id}"]),
        ("Weir = 2", ["nightly"]),
        ("", []),
        ("Quay' OR 'a'='a", []),
    ):
        path = f"{base}/endpoints?last=900&attribute={quote(f'tidewrack.port={port}')}"
        assert [one["endpoint"] for one in ask(path)["endpoints"]] == names, port
    estimated = ask(f"{base}/endpoints?last=900&attribute={quote('tidewrack.port=Quay')}")
    row, same = estimated["endpoints"][0], next(one for one in whole["endpoints"] if one["endpoint"] != "nightly")
    for name in ("requests", "time_ms", "layers", "p95_ms", "errors", "satisfaction", "statements", "repeated_share"):
        assert row[name] == pytest.approx(same[name], rel=1e-6), name
    assert sum(estimated["series"]["per_second"]) == pytest.approx(3 / 60, rel=0.01)
    page = ask(f"{base}/endpoints/{row['id']}?last=900&attribute={quote('tidewrack.port=Weir = 2')}")
    assert (page["now"], page["statements"], page["singles"], page["noted"]) == (None, [], [], None)
    page = ask(
        f"{base}/endpoints/{row['id']}?last=900&attribute={quote('tidewrack.port=Quay')}&attribute=server.port=1"
    )
    assert page["now"] is None, "both must fit"
    page = ask(f"{base}/endpoints/{row['id']}?last=900&attribute={quote('tidewrack.port=Quay')}")
    assert (page["now"]["requests"], len(page["singles"]), page["statements"]) == (3, 3, [])
    assert refused(f"{base}/endpoints?last=900&attribute=nothing") == 400


def test_what_is_usual_of_an_endpoint_is_learned_from_the_same_hours_of_earlier_days(source: TraceSource) -> None:
    server, now = source.server_id, int(time.time() * 1000)
    origin = Origin("web", "web", "GET /beds", "7", "quay-a")
    sums = Sums()
    for back in range(15):
        start = now // 3_600_000 * 3_600_000 - back * 86_400_000
        slower = 3.0 if back == 0 else 1.0 + back % 3 / 20
        figures = dict.fromkeys(REQUEST_FIGURES, 0.0) | {"requests": 3600.0, "time_ms": 3600 * 40 * slower}
        sums.requests[start, origin] = np.array(list(figures.values()))
        sums.rungs[start, origin] = np.eye(RUNGS + 1)[30] * 3600
    with transaction.atomic():
        add_sums(server, sums, Dictionaries(server))
    start = now // 3_600_000 * 3_600_000
    base = f"/api/v1/servers/{server}"
    asked = f"{base}/requests/noted?from={start}&to={start + 3_600_000}"
    (noted,) = ask(asked)["endpoints"]
    mean = noted["usual_mean_ms"]
    assert (mean["days"], 40 < mean["middle"] < 45, mean["high"] < 80) == (14, True, True)
    assert noted["usual_per_second"]["middle"] == pytest.approx(1.0)
    page = ask(f"{base}/requests/endpoints/{noted['endpoint_id']}?from={start}&to={start + 3_600_000}")
    assert page["now"]["mean_ms"] > page["noted"]["usual_mean_ms"]["high"]
    outage = Window(start=EpochMs(start - 3 * 86_400_000), end=EpochMs(start - 86_400_000))
    mark(server, outage, "outage", by=save_user("ada", "correct horse", Role.ADMIN))
    assert ask(asked)["endpoints"][0]["usual_mean_ms"]["days"] == 12, "not from a span that is marked"
    long = f"{base}/requests/noted?from={start - 2 * 86_400_000}&to={start + 3_600_000}"
    assert ask(long)["endpoints"][0]["usual_mean_ms"] is None


def test_a_trace_that_is_not_kept_says_so(source: TraceSource) -> None:
    client = Client()
    client.force_login(
        save_user("vera", "correct horse", Role.VIEWER), backend="django.contrib.auth.backends.ModelBackend"
    )
    path = f"/api/v1/servers/{source.server_id}/requests/traces"
    missing = client.get(f"{path}/{'ab' * 16}")
    assert (missing.status_code, "chosen by chance" in missing.json()["detail"]) == (404, True)
    assert client.get(f"{path}/nonsense").status_code == 400


def refused(path: str) -> int:
    client = Client()
    client.force_login(
        save_user("vera", "correct horse", Role.VIEWER), backend="django.contrib.auth.backends.ModelBackend"
    )
    return client.get(path).status_code


def test_a_mended_version_stands_beside_the_one_before_with_its_statements_per_request(source: TraceSource) -> None:
    for version, many in (("3.0", 12), ("3.1", 0)):
        with traced(source, version) as tracer:
            for _ in range(3):
                export(tracer, many)
    base = f"/api/v1/servers/{source.server_id}/requests"
    (row,) = ask(f"{base}/endpoints?last=900")["endpoints"]
    path = f"{base}/endpoints/{row['id']}?last=900"
    page = ask(f"{path}&version=3.1&beside=version:3.0")
    assert (page["now"]["statements"], page["before"]["statements"], page["beside_version"]) == (1, 13, "3.0")
    told = {one["label"]: (one["change"], one["runs"], one["runs_before"]) for one in page["changes"]}
    assert told == {
        "SELECT held FROM traced_slot WHERE id = ?": ("gone", 0, 12),
        "SELECT id FROM traced_slot WHERE id < ?": ("same", 1, 1),
    }
    assert ask(f"{path}&beside=version:9")["before"] is None
    assert ask(f"{path}&beside=day")["changes"] == []
    (compared,) = ask(f"{base}/endpoints?last=60&beside=before")["endpoints"]
    assert (compared["mean_before_ms"], compared["per_second_before"]) == (None, None), "there was none then"
    assert (row["mean_before_ms"], refused(f"{base}/endpoints?last=60&beside=month")) == (None, 400)
    assert refused(f"{path}&beside=month") == 400

    slow = next(one for one in ask(f"{path}&version=3.0")["singles"])
    found = ask(f"{base}/traces/{slow['trace']}/beside")
    assert (found["this"]["statements"], found["this"]["version"]) == (13, "3.0")
    assert found["other"]["trace"] != slow["trace"]
    mended = ask(f"{path}&version=3.1")["singles"][0]
    found = ask(f"{base}/traces/{slow['trace']}/beside?other={mended['trace']}&other_top={mended['top']}")
    assert [one["change"] for one in found["changes"] if one["runs"] == 12] == ["added"]
    assert refused(f"{base}/traces/{'ab' * 16}/beside") == 404


def test_a_session_of_the_server_and_the_request_it_works_for_lead_to_each_other(source: TraceSource) -> None:
    """A real statement of the instrumented driver, sampled from the server while it waits for another session."""

    async def sampled() -> SampleReading:
        watching = PostgresSource(
            Target(host="127.0.0.1", port=PORT, database="postgres", user="keeper", password=PASSWORD)
        )
        await watching.connect()
        try:
            end = time.monotonic() + PATIENCE_S
            while time.monotonic() < end:
                reading = await watching.sample(EpochMs(int(time.time()) * 1000))
                if any(one.blocked_by and one.context for one in reading.sessions):
                    return reading
                await asyncio.sleep(0.05)
            raise AssertionError("the waiting session was not seen")
        finally:
            await watching.close()

    server = source.server_id
    with owner("postgres") as holder:
        holder.execute("SET application_name = 'ops-console'")
        holder.execute("INSERT INTO traced_slot VALUES (1, 0) ON CONFLICT DO NOTHING")
        holder.execute("COMMIT")
        holder.execute("BEGIN")
        holder.execute("LOCK TABLE traced_slot IN ACCESS EXCLUSIVE MODE")
        with traced(source) as tracer:
            waiting = threading.Thread(target=export, args=(tracer, 1))
            waiting.start()
            reading = asyncio.run(sampled())
            store_ticks(server, [(reading, 0)], Codebook(server))
            holder.execute("COMMIT")
            waiting.join(PATIENCE_S)
    (pid,) = {one.pid for one in reading.sessions if one.context}
    base = f"/api/v1/servers/{server}"
    at = f"from={reading.due - 5000}&to={reading.due + 5000}"
    (served,) = ask(f"{base}/sessions/{pid}/tape?{at}")["served"]
    assert (served["endpoint"], served["blocked"]) == ("manifest-export GET /manifests/{id}", True)
    sieve = ask(f"{base}/sieve?{at}&dimension=endpoint")["columns"][0]["rows"]
    (row,) = [one for one in sieve if one["value"] != "unknown"]
    assert row["label"] == "GET /manifests/{id}"
    assert ask(f"{base}/requests/endpoints/{row['opens']}?last=900")["now"]["endpoint"] == "GET /manifests/{id}"

    request = ask(f"{base}/requests/traces/{served['trace']}")
    (seen,) = request["seen"]
    assert (seen["pid"], seen["blocked"], seen["blocker"]["program"]) == (pid, True, "ops-console")
    assert request["spans"][seen["place"]]["statement"] == "SELECT id FROM traced_slot WHERE id < ?"
    (single,) = ask(f"{base}/requests/endpoints/{row['opens']}?last=900")["singles"]
    assert single["why"] == "blocked"
    sessions = ask(f"{base}/requests/traces/{served['trace']}/sessions")
    assert (sessions["came"], len(sessions["seen"])) == (True, 1)
    assert ask(f"{base}/requests/traces/{'ab' * 16}/sessions") == {"seen": [], "came": False}
    chains = ask(f"{base}/blocking/chains?at={reading.due}")["chains"]
    assert chains[0]["links"][1]["session"]["trace"] == served["trace"]
