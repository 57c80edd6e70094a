"""/v1/traces: what applications send is answered as the specification says, whatever they send."""

import gzip
import json
import os
from typing import Any

import pytest
import zstandard
from django.test import Client
from faena.apps.collecting import traces
from faena.apps.requests import arrivals, sources
from faena.apps.requests.models import Arrival, TraceSource
from faena.apps.servers.models import Server
from hypothesis import given
from hypothesis import strategies as st
from opentelemetry.proto.collector.trace.v1.trace_service_pb2 import (
    ExportTraceServiceRequest,
    ExportTraceServiceResponse,
)

pytestmark = pytest.mark.django_db
PROTOBUF, JSON = "application/x-protobuf", "application/json"


def payload(*, bad: bool = False) -> ExportTraceServiceRequest:
    made = ExportTraceServiceRequest()
    part = made.resource_spans.add().scope_spans.add()
    part.spans.add(
        trace_id=bytes(15) + b"\1", span_id=b"12345678", name="GET", start_time_unix_nano=1, end_time_unix_nano=2
    )
    if bad:
        part.spans.add(trace_id=b"short", span_id=b"12345678", start_time_unix_nano=1, end_time_unix_nano=2)
    return made


WHOLE = payload().SerializeToString()
TOLD = {"resourceSpans": [{"scopeSpans": [{"spans": [{
    "traceId": "5b8efff798038103d269b633813fc60c", "spanId": "eee19b7ec3c1b174", "name": "GET", "kind": 2,
    "startTimeUnixNano": "1", "endTimeUnixNano": "2",
}]}]}]}  # fmt: skip


@pytest.fixture
def token() -> str:
    _, made = sources.make(Server.objects.create(name="bookings"), "booking-web")
    return made


def send(token: str, body: bytes, form: str = PROTOBUF, **headers: str) -> Any:
    return Client().generic(
        "POST",
        "/v1/traces",
        body,
        content_type=form,
        headers={"Authorization": f"Bearer {token}", "Content-Type": form, **headers},
    )


def test_protobuf_and_json_are_taken_packed_or_not(token: str) -> None:
    for body, form, encoding in (
        (WHOLE, PROTOBUF, ""),
        (gzip.compress(WHOLE), PROTOBUF, "gzip"),
        (zstandard.compress(WHOLE), PROTOBUF, "zstd"),
        (json.dumps(TOLD).encode(), JSON, ""),
        (gzip.compress(json.dumps(TOLD).encode()), JSON, "gzip"),
        (b"", PROTOBUF, ""),
    ):
        answer = send(token, body, form, **({"Content-Encoding": encoding} if encoding else {}))
        assert (answer.status_code, answer["Content-Type"]) == (200, form), answer.content
        if form == PROTOBUF:
            assert ExportTraceServiceResponse.FromString(answer.content) == ExportTraceServiceResponse()
        else:
            assert answer.json() == {}
    assert Arrival.objects.count() == 5
    assert TraceSource.objects.get().last_used_at is not None


def test_what_of_a_payload_was_rejected_is_said(token: str) -> None:
    answer = send(token, payload(bad=True).SerializeToString())
    told = ExportTraceServiceResponse.FromString(answer.content).partial_success
    assert (answer.status_code, told.rejected_spans) == (200, 1)
    assert "not 16 bytes" in told.error_message
    broken = json.loads(json.dumps(TOLD))
    broken["resourceSpans"][0]["scopeSpans"][0]["spans"].append({"traceId": "x"})
    assert send(token, json.dumps(broken).encode(), JSON).json()["partialSuccess"]["rejectedSpans"] == "1"


# Named by what is said of them: compressed bytes hold the moment they were made at, and so differ from worker to worker.
UNREADABLE: list[Any] = [
    (b"\xff\xff\xff", PROTOBUF, "", 400, "protobuf"),
    (WHOLE[:-4], PROTOBUF, "", 400, "protobuf"),
    (b"{", JSON, "", 400, "cannot be read"),
    (b'{"resourceMetrics": []}', JSON, "", 400, "metrics"),
    (WHOLE, PROTOBUF, "gzip", 400, "gzip"),
    (gzip.compress(WHOLE)[:-9], PROTOBUF, "gzip", 400, "cut off"),
    (WHOLE, PROTOBUF, "br", 415, "not as br"),
    (WHOLE, "text/plain", "", 415, "text/plain"),
    (gzip.compress(b"\0" * 40_000_000, 1), PROTOBUF, "gzip", 413, "more than 32 MB"),
    (zstandard.compress(b"\0" * 60_000_000), PROTOBUF, "zstd", 413, "more than 32 MB"),
    (b'{"resourceSpans":' + b"[" * 50_000, JSON, "", 400, "cannot be read"),
]


@pytest.mark.parametrize(
    ("body", "form", "encoding", "status", "why"), UNREADABLE, ids=[str(case[-1]) for case in UNREADABLE]
)
def test_what_cannot_be_taken_gets_a_clear_status(
    token: str, body: bytes, form: str, encoding: str, status: int, why: str
) -> None:
    answer = send(token, body, form, **({"Content-Encoding": encoding} if encoding else {}))
    assert answer.status_code == status, answer.content
    assert why in (answer.json()["message"] if form == JSON else answer.content.decode(errors="replace"))
    assert Arrival.objects.count() == 0


@pytest.mark.parametrize("given_token", ["", "another", "ü" * 40])
def test_without_the_token_of_a_source_nothing_is_taken(token: str, given_token: str) -> None:
    answer = send(given_token, WHOLE)
    assert (answer.status_code, Arrival.objects.count()) == (401, 0)
    assert send(token, WHOLE).status_code == 200
    fresh = sources.renew(TraceSource.objects.get())
    assert (send(token, WHOLE).status_code, send(fresh, WHOLE).status_code) == (401, 200)


def test_whoever_sends_too_much_is_told_when_to_come_back(token: str, monkeypatch: pytest.MonkeyPatch) -> None:
    send(token, WHOLE)
    monkeypatch.setattr(arrivals, "MOST_WAITING", 1)
    answer = send(token, WHOLE)
    assert (answer.status_code, answer["Retry-After"]) == (429, "5")
    monkeypatch.undo()
    monkeypatch.setattr(traces, "_room", traces.BoundedSemaphore(1))
    with traces._room:
        assert send(token, WHOLE).status_code == 429
    assert send(token, WHOLE).status_code == 200


def test_only_post_is_answered_and_no_session_is_needed(token: str) -> None:
    answer = Client().get("/v1/traces")
    assert (answer.status_code, answer["Allow"]) == (405, "POST")
    assert Client(enforce_csrf_checks=True).generic(
        "POST", "/v1/traces", WHOLE, content_type=PROTOBUF, headers={"Authorization": f"Bearer {token}"}
    ).status_code == 200  # fmt: skip


@given(
    body=st.binary(max_size=300), form=st.sampled_from([PROTOBUF, JSON]), encoding=st.sampled_from(["", "gzip", "zstd"])
)
def test_no_bytes_break_it(body: bytes, form: str, encoding: str) -> None:
    source = TraceSource.objects.filter(name="fuzz").first()
    if source is None:
        server = Server.objects.create(name=f"fuzz-{os.urandom(4).hex()}")
        source, _ = sources.make(server, "fuzz")
    token = sources.renew(source)
    answer = send(token, body, form, **({"Content-Encoding": encoding} if encoding else {}))
    assert answer.status_code in (200, 400, 413)
