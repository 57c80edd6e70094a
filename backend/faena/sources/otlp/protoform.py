"""Traces in protobuf: the form that exporters send unless they are told otherwise."""

from collections.abc import Iterable
from typing import Any

from google.protobuf.message import DecodeError
from opentelemetry.proto.collector.trace.v1.trace_service_pb2 import ExportTraceServiceRequest
from opentelemetry.proto.common.v1.common_pb2 import AnyValue, InstrumentationScope, KeyValue
from opentelemetry.proto.trace.v1 import trace_pb2

from faena.core.requests.span import Attributes, Span, SpanKind, Value, settled
from faena.sources.otlp.batch import BadPayload, BadSpan, Batch, checked_ids, exception_of
from faena.sources.otlp.wire import BYTES, FIXED64, BadWire, fields, in_field, inside

MAX_DEPTH = 64  # of values within values; the library reads no deeper than 100 messages
_KINDS = (
    SpanKind.UNSPECIFIED, SpanKind.INTERNAL, SpanKind.SERVER, SpanKind.CLIENT, SpanKind.PRODUCER, SpanKind.CONSUMER,
)  # fmt: skip
_ERROR = trace_pb2.Status.STATUS_CODE_ERROR


def read_protobuf(payload: bytes, batch: Batch) -> None:
    """Add the spans of one payload. Raises BadPayload when it is none of traces."""
    try:
        message = ExportTraceServiceRequest.FromString(payload)
    except DecodeError:
        _piece_by_piece(payload, batch)
        return
    if payload and not message.resource_spans:
        raise BadPayload("these bytes are neither JSON nor a protobuf of traces")
    before = len(batch.spans)
    rejected = batch.rejected.total()
    for group in message.resource_spans:
        resource = _attributes(group.resource.attributes)
        for part in group.scope_spans:
            for one in part.spans:
                _take(one, resource, part.scope.name, batch)
    if len(batch.spans) == before and batch.rejected.total() > rejected and (other := _other_signal(payload)):
        raise BadPayload(f"these are {other}; traces are needed")


def _take(one: trace_pb2.Span, resource: Attributes, scope: str, batch: Batch) -> None:
    try:
        span = _span(one, resource, scope)
    except BadSpan as bad:
        batch.reject(bad)
    else:
        batch.spans.append(span)


def _span(one: trace_pb2.Span, resource: Attributes, scope: str) -> Span:
    """Raises BadSpan."""
    trace, own, parent = checked_ids(one.trace_id, one.span_id, one.parent_span_id)
    start, end = one.start_time_unix_nano, one.end_time_unix_nano
    if not start or not end:
        raise BadSpan(f"its {'end' if start else 'start'} is missing", trace)
    service = resource.get("service.name")
    return settled(
        Span(
            trace,
            own,
            parent,
            one.name,
            _KINDS[one.kind] if 0 <= one.kind < len(_KINDS) else SpanKind.UNSPECIFIED,
            start,
            end,
            service if isinstance(service, str) else "",
            scope,
            _attributes(one.attributes),
            resource,
            one.status.code == _ERROR,
            tuple(_exception(event) for event in one.events if event.name == "exception") if one.events else (),
        )
    )


def _exception(event: trace_pb2.Span.Event) -> tuple[str, str]:
    return exception_of(_attributes(event.attributes))


def _attributes(entries: Iterable[KeyValue]) -> dict[str, Value]:
    """Of one key twice the first counts."""
    found: dict[str, Value] = {}
    for entry in entries:
        if (key := entry.key) not in found:
            found[key] = _value(entry.value)
    return found


def _value(value: AnyValue) -> Value:
    match value.WhichOneof("value"):
        case "string_value":
            return value.string_value
        case "int_value":
            return value.int_value
        case "bool_value":
            return value.bool_value
        case "double_value":
            return value.double_value
        case "bytes_value":
            return value.bytes_value
        case "array_value":
            return [_value(one) for one in value.array_value.values]
        case "kvlist_value":
            return dict(_attributes(value.kvlist_value.values))
    return None


def _piece_by_piece(payload: bytes, batch: Batch) -> None:
    """What the library refuses as a whole: each span by itself, so that a bad one costs no other. Raises BadPayload."""
    try:
        for number, kind, group in fields(payload):
            if number != 1 or kind != BYTES:
                raise BadWire("no group of spans")
            resource = _resource(group)
            for part in inside(group, 2):
                scope = _scope(part)
                for one in inside(part, 2):
                    _take_raw(one, resource, scope, batch)
    except BadWire as bad:
        raise BadPayload(f"neither JSON nor a whole protobuf of traces: {bad}") from None


def _take_raw(one: bytes, resource: Attributes, scope: str, batch: Batch) -> None:
    try:
        span = trace_pb2.Span.FromString(one)
    except DecodeError:
        batch.reject(BadSpan("one of its fields cannot be read", _trace_of(one)))
        return
    _take(span, resource, scope, batch)


def _trace_of(span: bytes) -> bytes:
    """Of a span that cannot be read. Raises BadPayload where that is because it goes too deep."""
    try:
        if any(_depth(entry) > MAX_DEPTH for entry in inside(span, 9)):
            raise BadPayload(f"a value lies more than {MAX_DEPTH} deep in others")
        return next((value for value in inside(span, 1) if len(value) == 16 and any(value)), b"")
    except BadWire:
        return b""


def _depth(entry: bytes) -> int:
    """How many lists and maps lie within each other in an attribute."""
    deepest, waiting = 0, [(entry, 0)]
    while waiting:
        pair, depth = waiting.pop()
        deepest = max(deepest, depth)
        if depth > MAX_DEPTH:
            break
        for value in inside(pair, 2):
            for number, kind, held in fields(value):
                if number == 5 and kind == BYTES:  # a list: its values have no key, which is field 1
                    waiting += [(in_field(2, one), depth + 1) for one in inside(held, 1)]
                elif number == 6 and kind == BYTES:
                    waiting += [(one, depth + 1) for one in inside(held, 1)]
    return deepest


def _resource(group: bytes) -> Attributes:
    """What can be read of a resource: a bad attribute of it is no fault of its spans."""
    entries = [entry for resource in inside(group, 1) for entry in inside(resource, 1)]
    read = (_read(KeyValue, entry) for entry in entries)
    return _attributes(entry for entry in read if entry is not None)


def _scope(part: bytes) -> str:
    for one in inside(part, 1):
        scope = _read(InstrumentationScope, one)
        return scope.name if scope else ""
    return ""


def _read(kind: type[Any], message: bytes) -> Any:
    try:
        return kind.FromString(message)
    except DecodeError:
        return None


def _other_signal(payload: bytes) -> str:
    """Which signal these bytes are of, told by fields that a span has of another type; empty for traces."""
    try:
        items = [one for group in inside(payload, 1) for part in inside(group, 2) for one in inside(part, 2)]
        types = [{(number, kind) for number, kind, _ in fields(one)} for one in items]
    except BadWire:
        return ""
    if any((1, FIXED64) in told or (11, FIXED64) in told for told in types):
        return "logs"
    # A metric's name stands where a span has its trace, and its points are messages in one of these.
    data = {(5, BYTES), (7, BYTES), (9, BYTES), (10, BYTES), (11, BYTES)}
    return "metrics" if types and all(told & data and not told & {(7, FIXED64), (8, FIXED64)} for told in types) else ""
