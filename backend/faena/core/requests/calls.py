"""Calls of a request to the outside: other services, caches, queues."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from urllib.parse import urlsplit

from faena.core.requests.layers import Layer
from faena.core.requests.span import NANOSECONDS, Span
from faena.core.requests.tree import Member, Tree

_OUTSIDE = (Layer.EXTERNAL, Layer.CACHE, Layer.QUEUE)


@dataclass(frozen=True, slots=True, kw_only=True)
class Call:
    """One call: of which layer, to whom, how long it took, whether it failed."""

    layer: Layer
    to: str
    ms: float
    failed: bool


def calls_of(tree: Tree, member: Member, layer: Mapping[int, Layer]) -> Iterator[Call]:
    """The outermost spans of each layer: what lies within a call is part of it."""
    for i in member.spans:
        if layer[i] not in _OUTSIDE or i == member.top or layer.get(tree.parent[i]) is layer[i]:
            continue
        span = tree.spans[i]
        yield Call(layer=layer[i], to=callee(span, layer[i]), ms=span.duration / NANOSECONDS, failed=_failed(span))


def callee(span: Span, layer: Layer) -> str:
    """Whom a span calls, as its attributes name it; else its own name."""
    if layer is Layer.QUEUE:
        return span.text("db.client.connection.pool.name", "messaging.destination.name") or span.name
    if layer is Layer.CACHE or span.text("db.system.name", "db.system"):
        return span.text("db.system.name", "db.system")
    if named := span.text("peer.service", "rpc.service", "messaging.destination.name"):
        return named
    host = span.text("server.address", "net.peer.name") or _host(span.text("url.full", "http.url"))
    port = span.attributes.get("server.port", span.attributes.get("net.peer.port"))
    if host:
        return f"{host}:{port}" if isinstance(port, int) and port not in (80, 443) else host
    return span.name


def _host(address: str) -> str:
    try:
        return urlsplit(address).netloc.rpartition("@")[2]
    except ValueError:
        return ""


def _failed(span: Span) -> bool:
    code = span.attributes.get("http.response.status_code", span.attributes.get("http.status_code"))
    return span.failed or (isinstance(code, int) and code >= 500)
