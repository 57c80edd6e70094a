"""Traces in JSON: what is taken, what is put aside, and what is no payload at all."""

from typing import Any

import pytest
from faena.core.requests.span import SpanKind
from faena.sources.otlp.batch import BadPayload, Batch
from faena.sources.otlp.jsonform import read_object
from hypothesis import given
from hypothesis import strategies as st

SPAN: dict[str, Any] = {
    "traceId": "0AF7651916CD43DD8448EB211C80319C", "spanId": "b7ad6b7169203331", "name": "GET /beds", "kind": 2,
    "startTimeUnixNano": "1700000000000000000", "endTimeUnixNano": 1700000000005000000,
}  # fmt: skip
TRACE = bytes.fromhex(SPAN["traceId"])


def payload(*spans: Any, resource: Any = None) -> dict[str, Any]:
    part = {"scope": {"name": "flask"}, "spans": list(spans)}
    return {"resourceSpans": [{"resource": resource or {"attributes": []}, "scopeSpans": [part]}]}


def read(given: Any) -> Batch:
    batch = Batch()
    read_object(given, batch)
    return batch


def attribute(key: str, **value: Any) -> dict[str, Any]:
    return {"key": key, "value": value}


def test_a_span_is_read_whole() -> None:
    given = SPAN | {
        "parentSpanId": "00f067aa0ba902b7", "status": {"code": 2}, "flags": 1, "later": {"unknown": True},
        "attributes": [
            attribute("a", stringValue="x"), attribute("n", intValue="42"), attribute("b", boolValue=False),
            attribute("d", doubleValue=1.5), attribute("l", arrayValue={"values": [{"intValue": 1}, {}]}),
            attribute("m", kvlistValue={"values": [attribute("k", stringValue="v")]}), attribute("y", bytesValue="aGk="),
            attribute("a", stringValue="the second of one key"), {"value": {"stringValue": "without a key"}},
        ],
    }  # fmt: skip
    (span,) = read(payload(given, resource={"attributes": [attribute("service.name", stringValue="web")]})).spans
    assert (span.trace, span.id.hex(), span.parent.hex()) == (TRACE, "b7ad6b7169203331", "00f067aa0ba902b7")
    assert (span.kind, span.service, span.scope, span.failed) == (SpanKind.SERVER, "web", "flask", True)
    assert (span.start, span.duration) == (1_700_000_000_000_000_000, 5_000_000)
    assert span.attributes == {
        "a": "x", "n": 42, "b": False, "d": 1.5, "l": [1, None], "m": {"k": "v"}, "y": b"hi", "": "without a key",
    }  # fmt: skip


@pytest.mark.parametrize(
    ("change", "expected"),
    [
        ({"kind": "SPAN_KIND_CONSUMER"}, {"kind": SpanKind.CONSUMER}),
        ({"kind": None}, {"kind": SpanKind.UNSPECIFIED}),
        ({"kind": 77}, {"kind": SpanKind.UNSPECIFIED}),
        ({"parentSpanId": "0000000000000000"}, {"parent": b""}),
        ({"parentSpanId": ""}, {"parent": b""}),
        ({"name": None}, {"name": ""}),
        ({"status": {"code": "STATUS_CODE_ERROR"}}, {"failed": True}),
        ({"endTimeUnixNano": 1}, {"end": 1_700_000_000_000_000_000}),
    ],
)
def test_what_may_be_written_in_other_ways(change: dict[str, Any], expected: dict[str, Any]) -> None:
    (span,) = read(payload(SPAN | change)).spans
    assert {name: getattr(span, name) for name in expected} == expected


@pytest.mark.parametrize(
    ("change", "trace"),
    [
        ({"traceId": "00" * 16}, b""),
        ({"traceId": "0af765"}, b""),
        ({"traceId": "zz" * 16}, b""),
        ({"traceId": None}, b""),
        ({"spanId": "00" * 8}, TRACE),
        ({"spanId": "b7"}, TRACE),
        ({"parentSpanId": "b7ad"}, TRACE),
        ({"startTimeUnixNano": None}, TRACE),
        ({"startTimeUnixNano": 0}, TRACE),
        ({"endTimeUnixNano": "soon"}, TRACE),
        ({"endTimeUnixNano": 1.5}, TRACE),
        ({"endTimeUnixNano": True}, TRACE),
        ({"endTimeUnixNano": 1 << 64}, TRACE),
        ({"name": 5}, TRACE),
        ({"kind": "SPAN_KIND_STRANGE"}, TRACE),
        ({"kind": [2]}, TRACE),
        ({"attributes": {"a": 1}}, TRACE),
        ({"attributes": ["a"]}, TRACE),
        ({"attributes": [{"key": 1}]}, TRACE),
        ({"attributes": [attribute("a", stringValue=1)]}, TRACE),
        ({"attributes": [attribute("a", intValue="x")]}, TRACE),
        ({"attributes": [attribute("a", bytesValue="!")]}, TRACE),
        ({"events": ["x"]}, TRACE),
        ({"links": {}}, TRACE),
        ({"status": "bad"}, TRACE),
    ],
)
def test_a_bad_span_is_put_aside_with_why_and_the_rest_is_read(change: dict[str, Any], trace: bytes) -> None:
    batch = read(payload(SPAN | change, SPAN, "no span"))
    assert len(batch.spans) == 1
    assert batch.rejected == ({trace: 1, b"": 1} if trace else {b"": 2})
    assert batch.why


@pytest.mark.parametrize(
    ("given", "word"),
    [
        ([], "not an object"),
        ("x", "not an object"),
        ({"resourceMetrics": []}, "metrics"),
        ({"resourceLogs": []}, "logs"),
        ({"a": 1}, "no payload"),
        ({"resourceSpans": {}}, "not a list"),
        ({"resourceSpans": [1]}, "not an object"),
        ({"resourceSpans": [{"scopeSpans": 1}]}, "not a list"),
    ],
)
def test_what_is_no_payload_of_traces_is_refused_and_says_what_it_is(given: Any, word: str) -> None:
    with pytest.raises(BadPayload, match=word):
        read(given)


@pytest.mark.parametrize("given", [{}, {"resourceSpans": []}, {"resourceSpans": None}, payload()])
def test_a_payload_without_spans_is_one(given: Any) -> None:
    assert read(given).spans == []


def test_a_bad_attribute_of_a_resource_is_no_fault_of_its_spans() -> None:
    resource = {"attributes": [attribute("bad", intValue="x"), attribute("service.version", stringValue="7"), 5]}
    batch = read(payload(SPAN, resource=resource))
    assert batch.spans[0].resource == {"service.version": "7"}
    assert not batch.rejected


def test_values_within_values_are_cut_where_they_go_too_deep() -> None:
    deep: dict[str, Any] = {"stringValue": "x"}
    for _ in range(2000):
        deep = {"arrayValue": {"values": [deep]}}
    (span,) = read(payload(SPAN | {"attributes": [{"key": "a", "value": deep}]})).spans
    assert "x" not in str(span.attributes["a"])


json_values = st.recursive(
    st.none() | st.booleans() | st.integers() | st.floats(allow_nan=False) | st.text(max_size=5),
    lambda inner: (
        st.lists(inner, max_size=3)
        | st.dictionaries(st.sampled_from([*SPAN, "attributes", "key", "value"]), inner, max_size=4)
    ),
    max_leaves=12,
)


@given(json_values)
def test_hostile_spans_are_put_aside_and_break_nothing(value: Any) -> None:
    batch = read(payload(value, SPAN))
    assert len(batch.spans) + batch.rejected.total() == 2
