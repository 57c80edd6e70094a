"""The forms traces come in: told by content, unpacked within limits, read around what is bad."""

import gzip
import io
import json
from base64 import b64decode
from contextlib import suppress
from typing import Any

import orjson
import pytest
import zstandard
from faena.core.requests.span import SpanKind
from faena.sources.otlp import forms
from faena.sources.otlp.batch import BadPayload, Batch
from faena.sources.otlp.forms import MAX_BYTES, TooLarge, gunzipped, read_file, unzstd
from google.protobuf.json_format import MessageToDict
from hypothesis import given, settings
from hypothesis import strategies as st
from opentelemetry.proto.collector.logs.v1.logs_service_pb2 import ExportLogsServiceRequest
from opentelemetry.proto.collector.metrics.v1.metrics_service_pb2 import ExportMetricsServiceRequest
from opentelemetry.proto.collector.trace.v1.trace_service_pb2 import ExportTraceServiceRequest
from opentelemetry.proto.trace.v1.trace_pb2 import Span as Wire

TRACE = bytes(range(1, 17))


def payload(*names: str, service: str = "booking-web") -> ExportTraceServiceRequest:
    """One group with a span of each name."""
    made = ExportTraceServiceRequest()
    group = made.resource_spans.add()
    group.resource.attributes.add(key="service.name").value.string_value = service
    part = group.scope_spans.add()
    part.scope.name = "tests"
    for i, name in enumerate(names, start=1):
        span = part.spans.add(
            trace_id=TRACE, span_id=i.to_bytes(8, "big"), name=name, kind=Wire.SPAN_KIND_CLIENT,
            start_time_unix_nano=10_000 * i, end_time_unix_nano=10_000 * i + 500,
        )  # fmt: skip
        span.attributes.add(key="cars").value.int_value = i
        span.attributes.add(key="cars").value.int_value = 99
        held = span.attributes.add(key="ports").value.array_value
        held.values.add().string_value = "Quay"
        held.values.add().double_value = 2.5
    return made


def as_json(message: ExportTraceServiceRequest) -> bytes:
    """As OTLP writes JSON: identifiers in hex, not in base64."""
    told: dict[str, Any] = MessageToDict(message)
    for group in told["resourceSpans"]:
        for part in group["scopeSpans"]:
            for span in part["spans"]:
                span["traceId"] = TRACE.hex()
                span["spanId"] = int.from_bytes(b64decode(span["spanId"])).to_bytes(8).hex()
    return json.dumps(told, indent=1).encode()


def read(content: bytes) -> Batch:
    batch = Batch()
    read_file(content, batch)
    return batch


def test_every_form_gives_the_same_spans() -> None:
    message = payload("SELECT berth", "Überfahrt")
    told = as_json(message)
    line = orjson.dumps(orjson.loads(told))
    wire = message.SerializeToString()
    found = [
        read(content).spans
        for content in (
            wire, gzip.compress(wire), told, b"\xef\xbb\xbf\n " + told, line, line + b"\n\n", gzip.compress(told),
            gzip.compress(line[:40]) + gzip.compress(line[40:]),
        )
    ]  # fmt: skip
    assert all(one == found[0] for one in found)
    first = found[0][0]
    assert (first.name, first.kind, first.service, first.scope) == (
        "SELECT berth",
        SpanKind.CLIENT,
        "booking-web",
        "tests",
    )
    assert dict(first.attributes) == {"cars": 1, "ports": ["Quay", 2.5]}
    assert len(read(line + b"\n" + line).spans) == 4  # twice: whoever gathers them counts duplicates


def test_a_protobuf_may_begin_as_json_does() -> None:
    message = ExportTraceServiceRequest()
    span = (
        message.resource_spans.add()
        .scope_spans.add()
        .spans.add(trace_id=TRACE, span_id=b"12345678", start_time_unix_nano=1, end_time_unix_nano=2)
    )
    while not (content := message.SerializeToString()).startswith(b"\n{"):
        span.name += "b"
    assert [one.name for one in read(content).spans] == [span.name]


def test_a_bad_span_of_a_protobuf_costs_no_other() -> None:
    wire = payload("first", "secxnd", "third").SerializeToString().replace(b"secxnd", b"sec\xffnd")
    batch = read(wire)
    assert [one.name for one in batch.spans] == ["first", "third"]
    assert batch.rejected == {TRACE: 1}
    no_service = payload("first", service="bxd").SerializeToString().replace(b"bxd", b"b\xffd")
    assert [(one.name, one.service) for one in read(no_service).spans] == [("first", "")]


def deep(levels: int) -> bytes:
    message = payload("deep")
    value = message.resource_spans[0].scope_spans[0].spans[0].attributes.add(key="deep").value
    for _ in range(levels):
        value = value.array_value.values.add()
    value.int_value = 1
    return message.SerializeToString()


def test_values_may_lie_in_others_but_not_without_end() -> None:
    assert read(deep(20)).spans[0].attributes["deep"]
    with pytest.raises(BadPayload, match="deep in others"):
        read(deep(400))


def logs() -> bytes:
    made = ExportLogsServiceRequest()
    made.resource_logs.add().scope_logs.add().log_records.add(
        time_unix_nano=5, severity_text="ERROR"
    ).body.string_value = "x"
    return made.SerializeToString()


def metrics() -> bytes:
    made = ExportMetricsServiceRequest()
    scope = made.resource_metrics.add().scope_metrics.add()
    point = scope.metrics.add(name="http.client.time", unit="s").gauge.data_points.add(time_unix_nano=5)
    point.as_int = 3
    scope.metrics.add(name="cars").sum.data_points.add(time_unix_nano=5).as_int = 3
    return made.SerializeToString()


WHOLE = payload("berth", "cars").SerializeToString()
TOLD = orjson.dumps(orjson.loads(as_json(payload("berth", "cars"))))


# Named by what is said of them: compressed bytes hold the moment they were made at, and so differ from worker to worker.
UNREADABLE: list[Any] = [
    (b"", "empty"),
    (b" \r\n\t\n", "empty"),
    (gzip.compress(b""), "empty"),
    (b"hello, ferry", "neither JSON nor"),
    (b"[]", "neither JSON nor"),
    (b"hi", "neither JSON nor"),
    (WHOLE[:-3], "goes on beyond the end"),
    (TOLD[:-3], "cannot be read"),
    (TOLD + b"\n" + TOLD[:50], "line 2"),
    (gzip.compress(WHOLE)[:-9], "cut off"),
    (gzip.compress(WHOLE)[:40] + b"x" * 40, "cannot be unpacked"),
    (b'{"resourceMetrics":[]}', "metrics"),
    (b'{"resourceLogs":[]}', "logs"),
    (b'{"cars":3}', "without resourceSpans"),
    (b'{"resourceSpans":3}', "not a list"),
    (logs(), "these are logs"),
    (metrics(), "these are metrics"),
    (b'{"resourceSpans":' + b"[" * 100_000, "cannot be read"),
]


@pytest.mark.parametrize(("content", "why"), UNREADABLE, ids=[str(case[-1]) for case in UNREADABLE])
def test_what_is_no_payload_is_told_with_what_it_is(content: bytes, why: str) -> None:
    with pytest.raises(BadPayload, match=why):
        read(content)


@pytest.mark.parametrize("content", [b"{}", b'{"resourceSpans":[]}', b'{"resourceSpans":null}'])
def test_a_payload_may_hold_no_span(content: bytes) -> None:
    batch = read(content)
    assert (batch.spans, batch.rejected.total()) == ([], 0)


def test_what_unpacks_beyond_the_limit_is_refused_before_it_is_unpacked(monkeypatch: pytest.MonkeyPatch) -> None:
    bomb = gzip.compress(b"\n" * (MAX_BYTES + 5_000_000), compresslevel=1)
    with pytest.raises(TooLarge, match="100 MB"):
        read(bomb)
    monkeypatch.setattr(forms, "MAX_BYTES", 1000)
    with pytest.raises(TooLarge):
        read(payload(*["berth"] * 40).SerializeToString())
    assert len(gunzipped(gzip.compress(b"x" * 1000), 1000)) == 1000
    squeezed = zstandard.compress(b"\0" * 50_000_000)
    assert len(squeezed) < 10_000
    with pytest.raises(TooLarge):
        unzstd(squeezed, 1_000_000)
    assert unzstd(zstandard.compress(WHOLE)) == WHOLE
    for bad in (zstandard.compress(WHOLE)[:-2], b"nothing", b""):
        with pytest.raises(BadPayload):
            unzstd(bad)


def test_very_many_empty_members_of_a_gzip_are_read_in_time() -> None:
    member = io.BytesIO()
    with gzip.GzipFile(fileobj=member, mode="wb", mtime=0):
        pass
    with pytest.raises(BadPayload, match="empty"):
        read(member.getvalue() * 50_000)


@settings(max_examples=300, deadline=None)
@given(at=st.integers(0, len(WHOLE) - 1), byte=st.integers(0, 255), cut=st.integers(0, 40))
def test_whatever_bytes_come_they_are_read_or_refused(at: int, byte: int, cut: int) -> None:
    hostile = bytearray(WHOLE)
    hostile[at] = byte
    with suppress(BadPayload):
        batch = read(bytes(hostile[: len(hostile) - cut]))
        assert len(batch.spans) + batch.rejected.total() <= 3


@settings(max_examples=300, deadline=None)
@given(st.binary(max_size=200))
def test_bytes_by_chance_are_read_or_refused(content: bytes) -> None:
    with suppress(BadPayload):
        read(content)
