"""A request: its endpoint, its time by layer, its statements."""

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from faena.core.requests.calls import Call, calls_of
from faena.core.requests.layers import Layer, layer_of
from faena.core.requests.span import NANOSECONDS, Span, SpanKind
from faena.core.requests.statements import Repeated, Run, repeated, runs
from faena.core.requests.timing import shares, times
from faena.core.requests.tree import Member, Tree, members, tree_of

_NUMBERED = re.compile(
    r"\d+|[0-9a-fA-F]{16,}|[0-9a-fA-F]{8}-[0-9a-fA-F]{4}-[0-9a-fA-F]{4}-[0-9a-fA-F]{4}-[0-9a-fA-F]{12}"
)
_METHOD = ("http.request.method", "http.method")
_FAILED = 500


@dataclass(frozen=True, slots=True, kw_only=True)
class Request:
    """`kind` is web or job, `at` milliseconds since 1970, `layers` milliseconds that add up to the duration."""

    trace: bytes
    top: Span
    kind: str
    endpoint: str
    at: int
    duration_ms: float
    layers: Mapping[Layer, float]
    ran: Sequence[Run]  # statements, each run once; `at` counts in `spans`
    calls: Sequence[Call]
    repeated: Sequence[Repeated]
    error: bool
    spans: Sequence[Span]  # the topmost first, parents before their children
    layer: Sequence[Layer]  # of each span
    above: Sequence[int]  # of each span the place of its parent in `spans`; -1 for the topmost

    @property
    def statements(self) -> int:
        """How many ran, in all."""
        return len(self.ran)

    @property
    def database_share(self) -> float:
        return self.layers[Layer.DATABASE] / self.duration_ms if self.duration_ms else 0.0


def requests_of(spans: Sequence[Span]) -> list[Request]:
    """The requests of one trace, from its spans in any order, each once."""
    tree = tree_of(spans)
    return [_told(tree, member) for member in members(tree)]


def _told(tree: Tree, member: Member) -> Request:
    top = tree.spans[member.top]
    layer = {i: layer_of(tree.spans[i], top) for i in member.spans}
    clock = times(tree, member)
    found = runs(tree, member, layer)
    place = {i: n for n, i in enumerate(member.spans)}
    kind = _kind(top)
    return Request(
        trace=top.trace,
        top=top,
        kind=kind,
        endpoint=_web(top) if kind == "web" else (top.name or top.text("messaging.destination.name")),
        at=top.start // NANOSECONDS,
        duration_ms=top.duration / NANOSECONDS,
        layers={name: ns / NANOSECONDS for name, ns in shares(tree, member, clock.active, layer).items()},
        ran=[Run(at=place[run.at], text=run.text, batch=run.batch) for run in found],
        calls=list(calls_of(tree, member, layer)),
        repeated=repeated(tree, member, found, clock.shift),
        error=_failed(top),
        spans=[tree.spans[i] for i in member.spans],
        layer=[layer[i] for i in member.spans],
        above=[-1, *(place[member.top if i in member.adopted else tree.parent[i]] for i in member.spans[1:])],
    )


def _kind(top: Span) -> str:
    if top.kind is SpanKind.SERVER:
        return "web"
    inner = top.kind in (SpanKind.UNSPECIFIED, SpanKind.INTERNAL)
    return "web" if inner and any(key in top.attributes for key in ("http.route", *_METHOD)) else "job"


def _web(top: Span) -> str:
    """The method and the route; without a route the path, with what counts something in it left out."""
    method = top.text(*_METHOD)
    if method and (route := top.text("http.route")):
        return f"{method} {route if route.startswith('/') else f'/{route}'}"
    path = top.text("url.path", "http.target").partition("?")[0]
    if not method or not path:
        return top.name
    return f"{method} {without_values(path)}"


def without_values(path: str) -> str:
    """A path with {id} for each part that counts something: numbers, UUIDs, long hexadecimal ones."""
    return "/".join("{id}" if _NUMBERED.fullmatch(part) else part for part in path.split("/"))


def _failed(top: Span) -> bool:
    if top.failed:
        return True
    for key in ("http.response.status_code", "http.status_code"):
        code = top.attributes.get(key)
        if isinstance(code, int | float) and not isinstance(code, bool) and code >= _FAILED:
            return True
    return False
