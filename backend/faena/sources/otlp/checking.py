"""What of a payload can be taken, without making spans of it: whoever sent it waits for that answer."""

from collections.abc import Collection
from operator import attrgetter

from google.protobuf.message import DecodeError
from opentelemetry.proto.collector.trace.v1.trace_service_pb2 import ExportTraceServiceRequest
from opentelemetry.proto.trace.v1.trace_pb2 import Span

from faena.sources.otlp.batch import SPAN_BYTES, TRACE_BYTES, BadPayload, BadSpan, Batch, checked_ids
from faena.sources.otlp.forms import json_objects
from faena.sources.otlp.jsonform import read_object
from faena.sources.otlp.protoform import read_protobuf

TAKEN_PROTOBUF, TAKEN_JSON = b"p", b"j"  # before a payload that is kept, since an empty form tells nothing

_NO_TRACE, _NO_SPAN = bytes(TRACE_BYTES), bytes(SPAN_BYTES)
_PARENT_BYTES = {0, SPAN_BYTES}


def check_protobuf(payload: bytes) -> tuple[int, int, str]:
    """How many spans it holds that can be taken, how many that cannot, and why not the first. Raises BadPayload."""
    try:
        message = ExportTraceServiceRequest.FromString(payload)
    except DecodeError:
        return _read(payload)
    if payload and not message.resource_spans:
        raise BadPayload("these bytes are no protobuf of traces")
    taken, rejected, why = 0, 0, ""
    for group in message.resource_spans:
        for part in group.scope_spans:
            spans = list(part.spans)  # made once; each walk through the message would make them again
            bad = [] if _all_good(spans) else [span for span in spans if not _all_good((span,))]
            taken += len(spans) - len(bad)
            rejected += len(bad)
            why = why or (_fault(bad[0]) if bad else "")
    if rejected and not taken:
        return _read(payload)  # which knows whether this is another signal
    return taken, rejected, why


_TRACES, _OWN, _PARENTS = attrgetter("trace_id"), attrgetter("span_id"), attrgetter("parent_span_id")
_STARTS, _ENDS = attrgetter("start_time_unix_nano"), attrgetter("end_time_unix_nano")


def _all_good(spans: Collection[Span]) -> bool:
    """As `checked_ids` says, a whole list at a step: whoever sends thousands of spans waits for this."""
    traces, own = set(map(_TRACES, spans)), set(map(_OWN, spans))
    return (
        set(map(len, traces)) <= {TRACE_BYTES} and _NO_TRACE not in traces
        and set(map(len, own)) <= {SPAN_BYTES} and _NO_SPAN not in own
        and set(map(len, map(_PARENTS, spans))) <= _PARENT_BYTES
        and all(map(_STARTS, spans)) and all(map(_ENDS, spans))
    )  # fmt: skip


def _fault(span: Span) -> str:
    try:
        checked_ids(span.trace_id, span.span_id, span.parent_span_id)
    except BadSpan as bad:
        return str(bad)
    return "its start or its end is missing"


def _read(payload: bytes) -> tuple[int, int, str]:
    batch = Batch()
    read_protobuf(payload, batch)
    return len(batch.spans), batch.rejected.total(), batch.why


def check_json(payload: bytes) -> tuple[int, int, str]:
    """As `check_protobuf`, for one object of JSON."""
    batch = Batch()
    for one in json_objects(payload):
        read_object(one, batch)
    return len(batch.spans), batch.rejected.total(), batch.why


def read_taken(kept: bytes) -> Batch:
    """The spans of a payload that was checked and kept."""
    batch = Batch()
    if kept.startswith(TAKEN_PROTOBUF):
        read_protobuf(kept[1:], batch)
    else:
        for one in json_objects(kept[1:]):
            read_object(one, batch)
    return batch
