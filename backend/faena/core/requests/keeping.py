"""What of a span may be kept: no literals of statements, and of attributes only those that are allowed."""

import re
from collections.abc import Collection, Mapping
from dataclasses import dataclass
from urllib.parse import urlsplit

from faena.core.requests.layers import CALLS, STATEMENT
from faena.core.requests.request import without_values
from faena.core.requests.span import Span, Value
from faena.core.requests.texts import is_batch, with_question_marks
from faena.core.sql.texts import normalise

# What says where, by what and how something was done, and nothing of whom it was done for.
ALWAYS = frozenset([
    "http.route", "http.request.method", "http.method", "http.response.status_code", "http.status_code", "url.scheme",
    "db.system.name", "db.system", "db.namespace", "db.name", "db.operation.name", "db.operation", "db.collection.name",
    "db.query.summary", "db.operation.batch.size", "db.client.connection.pool.name", "server.address", "server.port",
    "net.peer.name", "net.peer.port", "network.peer.address", "network.peer.port", "network.protocol.version",
    "code.file.path", "code.filepath", "code.line.number", "code.lineno", "code.function.name", "code.function",
    "code.namespace", "messaging.system", "messaging.destination.name", "messaging.operation",
    "messaging.operation.type", "messaging.operation.name", "rpc.system", "rpc.service", "rpc.method", "peer.service",
    "service.name", "service.version", "service.namespace", "service.instance.id", "host.name", "error.type",
    "deployment.environment.name", "deployment.environment", "telemetry.sdk.language", "telemetry.sdk.name",
    "process.runtime.name", "process.runtime.version", "process.pid",
])  # fmt: skip
_PATHS = ("url.path", "http.target")  # kept without what counts something in them
_ADDRESSES = ("url.full", "http.url")  # kept up to the host
PERSONAL = re.compile(
    r"(?:enduser|user|client|session|customer|person|account)\.|user_agent|http\.(?:request|response)\.header\.|url\.query"
    r"|http\.(?:client_ip|user_agent)|net\.sock\.peer|.*(?:e-?mail|phone|name\.(?:first|last)|address\.street|passw|token|secret)",
    re.IGNORECASE,
)
MOST_CHARACTERS = 300  # of a value
MOST_ATTRIBUTES = 64


@dataclass(frozen=True, slots=True, kw_only=True)
class Allowed:
    """Attributes kept beyond those of ALWAYS; those that may tell of a person only where `personal` is on."""

    keys: Collection[str] = ()
    personal: bool = False

    def key(self, name: str) -> bool:
        """Whether an attribute may be kept as it is."""
        return name in ALWAYS or (name in self.keys and (self.personal or not PERSONAL.match(name)))


def keepable(span: Span, allowed: Allowed) -> Span:
    """The span as it may be stored. Judging it gives what judging the span itself would give."""
    attributes = _kept(span.attributes, allowed)
    text = span.text(*STATEMENT)
    if text:
        attributes["db.query.text"] = normalise(with_question_marks(text))
        if is_batch(text):  # rows that one text inserts are folded away with their values
            attributes["db.operation.batch.size"] = 2
    if not any(key.startswith(CALLS) for key in attributes) and any(key.startswith(CALLS) for key in span.attributes):
        attributes["url.scheme"] = ""
    exceptions = tuple(
        (kind[:MOST_CHARACTERS], said[:2000] if allowed.personal else "") for kind, said in span.exceptions
    )
    return span._replace(
        name=_short(span.name), attributes=attributes, resource=_kept(span.resource, allowed), exceptions=exceptions
    )


def _kept(attributes: Mapping[str, Value], allowed: Allowed) -> dict[str, Value]:
    found: dict[str, Value] = {}
    for key, value in attributes.items():
        if key in _PATHS and isinstance(value, str):
            found["url.path"] = _short(without_values(value.partition("?")[0]))
        elif key in _ADDRESSES and isinstance(value, str):
            found["url.full"] = _short(_host(value))
        elif allowed.key(key) and isinstance(value, str | int | float | bool):
            found[key] = _short(value) if isinstance(value, str) else _storable(value)
        if len(found) == MOST_ATTRIBUTES:
            break
    return found


def _short(value: str) -> str:
    return value if len(value) <= MOST_CHARACTERS else value[: MOST_CHARACTERS - 1] + "…"


def _storable(value: int | float) -> int | float | str:
    """Whole numbers beyond 64 bits, which no source of spans can mean, become texts."""
    return str(value) if isinstance(value, int) and abs(value) >> 63 else value


def _host(address: str) -> str:
    try:
        parts = urlsplit(address)
        return f"{parts.scheme}://{parts.hostname or ''}{f':{parts.port}' if parts.port else ''}"
    except ValueError:
        return ""
