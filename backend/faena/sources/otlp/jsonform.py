"""Traces in JSON: the form of OTLP/HTTP, of files that exporters write, one object or one a line."""

import base64
import binascii
import re
from collections.abc import Iterable, Mapping
from typing import Any, TypeVar

from faena.core.requests.span import Attributes, Span, SpanKind, Value, settled
from faena.sources.otlp.batch import BadPayload, BadSpan, Batch, checked_ids, exception_of

T = TypeVar("T")
MAX_DEPTH = 32  # of values within values; deeper ones are cut off there
_HEX = re.compile(r"(?:[0-9a-fA-F]{2})*\Z")
_WHOLE = re.compile(r"[+-]?\d{1,20}\Z")
_OTHERS = {"resourceMetrics": "metrics", "resourceLogs": "logs", "resourceProfiles": "profiles"}
_ORDER = (
    SpanKind.UNSPECIFIED, SpanKind.INTERNAL, SpanKind.SERVER, SpanKind.CLIENT, SpanKind.PRODUCER, SpanKind.CONSUMER,
)  # fmt: skip
_KINDS: dict[int | str, SpanKind] = dict(enumerate(_ORDER)) | {f"SPAN_KIND_{kind.name}": kind for kind in _ORDER}
_STATUS: dict[int | str, bool] = {
    0: False, 1: False, 2: True, "STATUS_CODE_UNSET": False, "STATUS_CODE_OK": False, "STATUS_CODE_ERROR": True,
}  # fmt: skip


def read_object(payload: Any, batch: Batch) -> None:
    """Add the spans of one payload. Raises BadPayload when it is none of traces."""
    if not isinstance(payload, dict):
        raise BadPayload("this is JSON, but not an object as traces come in")
    for key, signal in _OTHERS.items():
        if key in payload:
            raise BadPayload(f"these are {signal}; traces are needed (resourceSpans)")
    if payload and "resourceSpans" not in payload:
        raise BadPayload("this is JSON without resourceSpans, so no payload of traces")
    for group in _objects(payload.get("resourceSpans"), "resourceSpans"):
        resource = _lenient(_member(group, "resource"))
        service = resource.get("service.name")
        for part in _objects(group.get("scopeSpans"), "scopeSpans"):
            scope = _member(part, "scope").get("name")
            for one in _list(part.get("spans"), "spans"):
                try:
                    span = _span(one, resource, _text(service), _text(scope))
                except BadSpan as bad:
                    batch.reject(bad)
                else:
                    batch.spans.append(span)


def _list(value: Any, name: str) -> list[Any]:
    if value is None:
        return []
    if not isinstance(value, list):
        raise BadPayload(f"{name} is not a list")
    return value


def _objects(value: Any, name: str) -> Iterable[dict[str, Any]]:
    for one in _list(value, name):
        if not isinstance(one, dict):
            raise BadPayload(f"an entry of {name} is not an object")
        yield one


def _member(group: Mapping[str, Any], name: str) -> dict[str, Any]:
    found = group.get(name)
    return found if isinstance(found, dict) else {}


def _text(value: Any) -> str:
    return value if isinstance(value, str) else ""


def _span(one: Any, resource: Attributes, service: str, scope: str) -> Span:
    """Raises BadSpan."""
    if not isinstance(one, dict):
        raise BadSpan("a span is not an object")
    trace, own, parent = checked_ids(_id(one, "traceId"), _id(one, "spanId"), _id(one, "parentSpanId"))
    try:
        name = one.get("name")
        if name is not None and not isinstance(name, str):
            raise BadSpan("its name is not a text")
        start, end = _moment(one, "startTimeUnixNano"), _moment(one, "endTimeUnixNano")
        for key in ("events", "links"):
            if not all(isinstance(item, dict) for item in _entries(one, key)):
                raise BadSpan(f"its {key} are not objects")
        return settled(
            Span(
                trace=trace,
                id=own,
                parent=parent,
                name=name or "",
                kind=_among(one.get("kind"), _KINDS, "kind"),
                start=start,
                end=end,
                service=service,
                scope=scope,
                attributes=_attributes(_entries(one, "attributes")),
                resource=resource,
                failed=_failed(one.get("status")),
                exceptions=_exceptions(_entries(one, "events")),
            )
        )
    except BadSpan as bad:
        raise BadSpan(str(bad), trace) from None


def _id(one: Mapping[str, Any], name: str) -> bytes:
    """Empty where it is missing or no hex digits: whoever checks it says so."""
    value = one.get(name)
    if value is None:
        return b""
    return bytes.fromhex(value) if isinstance(value, str) and _HEX.match(value) else b"?"


def _whole(value: Any) -> int | None:
    """A 64-bit number, as JSON has it: as a text or as a number."""
    if isinstance(value, str) and _WHOLE.match(value):
        return int(value)
    if isinstance(value, float) and value.is_integer():
        return int(value)
    return value if isinstance(value, int) and not isinstance(value, bool) else None


def _moment(one: Mapping[str, Any], name: str) -> int:
    found = _whole(one.get(name))
    if found is None or not 0 < found < 1 << 64:
        raise BadSpan(f"its {name} is missing or no moment")
    return found


def _entries(one: Mapping[str, Any], name: str) -> list[Any]:
    value = one.get(name)
    if value is None:
        return []
    if not isinstance(value, list):
        raise BadSpan(f"its {name} are not a list")
    return value


def _among(value: Any, known: Mapping[int | str, T], name: str) -> T:
    if value is None:
        value = 0
    if isinstance(value, bool) or not isinstance(value, int | str):
        raise BadSpan(f"its {name} is neither a number nor a name")
    if value in known:
        return known[value]
    if isinstance(value, str):
        raise BadSpan(f"its {name} is not known")
    return known[0]  # of a later version of the protocol


def _failed(status: Any) -> bool:
    if status is None:
        return False
    if not isinstance(status, dict):
        raise BadSpan("its status is not an object")
    return _among(status.get("code"), _STATUS, "status")


def _attributes(entries: Iterable[Any]) -> dict[str, Value]:
    """Of one key twice the first counts. Raises BadSpan."""
    found: dict[str, Value] = {}
    for entry in entries:
        if not isinstance(entry, dict):
            raise BadSpan("an attribute is not an object")
        key = entry.get("key")
        if key is not None and not isinstance(key, str):
            raise BadSpan("the key of an attribute is not a text")
        value = _value(entry.get("value"), 0)
        found.setdefault(key or "", value)
    return found


def _exceptions(events: Iterable[Mapping[str, Any]]) -> tuple[tuple[str, str], ...]:
    return tuple(exception_of(_lenient(event)) for event in events if event.get("name") == "exception")


def _lenient(resource: Mapping[str, Any]) -> Attributes:
    """What can be read of a resource: a bad attribute of it is no fault of its spans."""
    entries = resource.get("attributes")
    found: dict[str, Value] = {}
    for entry in entries if isinstance(entries, list) else []:
        try:
            for key, value in _attributes([entry]).items():
                found.setdefault(key, value)
        except BadSpan:
            continue
    return found


def _value(value: Any, depth: int) -> Value:
    """An AnyValue. Raises BadSpan."""
    if value is None or depth > MAX_DEPTH:
        return None
    if not isinstance(value, dict):
        raise BadSpan("the value of an attribute is not an object")
    for key, inner in value.items():
        if inner is not None and key in _READ:
            return _READ[key](inner, depth)
    return None


def _string(inner: Any, depth: int) -> Value:
    if not isinstance(inner, str):
        raise BadSpan("a stringValue is not a text")
    return inner


def _bool(inner: Any, depth: int) -> Value:
    if not isinstance(inner, bool):
        raise BadSpan("a boolValue is neither true nor false")
    return inner


def _int(inner: Any, depth: int) -> Value:
    found = _whole(inner)
    if found is None:
        raise BadSpan("an intValue is no whole number")
    return found


def _double(inner: Any, depth: int) -> Value:
    if isinstance(inner, str) and inner in ("NaN", "Infinity", "-Infinity"):
        return float(inner.replace("Infinity", "inf"))
    if isinstance(inner, bool) or not isinstance(inner, int | float):
        raise BadSpan("a doubleValue is no number")
    return float(inner)


def _bytes(inner: Any, depth: int) -> Value:
    try:
        return base64.b64decode(inner, validate=True)
    except (binascii.Error, TypeError, ValueError):
        raise BadSpan("a bytesValue is no base64") from None


def _array(inner: Any, depth: int) -> Value:
    return [_value(one, depth + 1) for one in _inside(inner)]


def _pairs(inner: Any, depth: int) -> Value:
    found: dict[str, Value] = {}
    for entry in _inside(inner):
        if not isinstance(entry, dict) or not isinstance(entry.get("key", ""), str | None):
            raise BadSpan("an entry of a kvlistValue is not an object with a key")
        found.setdefault(entry.get("key") or "", _value(entry.get("value"), depth + 1))
    return found


def _inside(inner: Any) -> list[Any]:
    values = inner.get("values") if isinstance(inner, dict) else inner
    if values is None:
        return []
    if not isinstance(values, list):
        raise BadSpan("the values of an attribute are not a list")
    return values


_READ = {
    "stringValue": _string, "boolValue": _bool, "intValue": _int, "doubleValue": _double, "bytesValue": _bytes,
    "arrayValue": _array, "kvlistValue": _pairs,
}  # fmt: skip
