"""One request: its spans as a tree, its time by layer, and the sessions that samples saw working for it."""

from collections.abc import Mapping

import orjson
from django.http import HttpRequest, HttpResponse
from ninja import Router

from faena.api.out import Out
from faena.api.request_parts import ChangedOut, LayersOut, changed_out, layers_out
from faena.api.session_parts import WatchedSessionOut, session_fields
from faena.apps.answers.labels import lines
from faena.apps.answers.requests import query_id_of
from faena.apps.locks.blocking import root_behind
from faena.apps.requests import selectors, single
from faena.apps.samples import sightings
from faena.apps.servers import selectors as servers
from faena.apps.servers.engines import profile_of
from faena.core.errors import BadInput
from faena.core.requests.calls import callee
from faena.core.requests.comparing import calls_of, changes, statements_of
from faena.core.requests.layers import STATEMENT, Layer
from faena.core.requests.request import Request
from faena.core.requests.span import NANOSECONDS, Attributes, SpanKind
from faena.core.requests.sums import LAYERS, origin_of
from faena.core.requests.verdict import verdict

router = Router(tags=["requests"])
MOST_SPANS = 30_000
MOST_ROOTS = 5  # waits of a request whose root is looked for; further ones have mostly the same


class SpanOut(Out):
    """A span of a request. `above` is the place of its parent in the list, -1 for the topmost; times in ms since the
    request began; `self_ms` is what it took without the spans below it."""

    above: int
    depth: int
    name: str
    service: str
    kind: SpanKind
    layer: Layer
    start_ms: float
    duration_ms: float
    self_ms: float
    failed: bool
    statement: str
    query_id: str | None
    to: str
    attributes: dict[str, str | int | float | bool]
    exceptions: list[list[str]]


class RepeatOut(Out):
    """A statement that this request ran again and again."""

    statement: str
    query_id: str | None
    count: int
    time_ms: float
    code: str | None
    after: str | None


class SightedOut(Out):
    """A session that samples saw running a statement of this trace; `endpoint` as far as it is known. `place` of its span in the list, -1: it has none here.

    `blocker` is the session at the root of what it waited behind, null where it waited for none or the root was not seen.
    """

    server: int
    pid: int
    started_s: int
    first: int
    last: int
    blocked: bool
    endpoint: str
    place: int
    blocker: WatchedSessionOut | None


class SightingsOut(Out):
    """Sessions that samples saw working for a trace, whether or not the trace has come."""

    seen: list[SightedOut]
    came: bool


class RequestOut(Out):
    """One request of a trace, whole: `resource` says what made it. `more` spans are beyond what is shown."""

    trace: str
    top: str
    endpoint: str
    endpoint_id: int | None
    service: str
    kind: str
    at: int
    duration_ms: float
    target_ms: float
    error: bool
    layers: LayersOut
    verdict: str
    statements: int
    repeated: list[RepeatOut]
    spans: list[SpanOut]
    more: int
    rejected: int
    resource: dict[str, str | int | float | bool]
    others: list[str]
    seen: list[SightedOut]


@router.get("/servers/{server_id}/requests/traces/{trace}", response=RequestOut, operation_id="request_get")
def get_request(request: HttpRequest, server_id: int, trace: str, top: str = "") -> HttpResponse:
    """A request as a tree of spans with its time by layer. `top` names one of several requests of a trace."""
    server = servers.server(server_id)
    name = _named(trace)
    traced = single.trace_of(server.pk, name)
    found = next(
        (one for one in traced.requests if one.top.id.hex() == top), traced.requests[0] if traced.requests else None
    )
    if found is None:
        raise BadInput("no request begins in this trace", field="trace")
    known = selectors.endpoint_named(server.pk, found)
    texts = {run.text: found.spans[run.at].text(*STATEMENT) for run in reversed(found.ran)}
    told = RequestOut(
        trace=name.hex(),
        top=found.top.id.hex(),
        endpoint=found.endpoint,
        endpoint_id=known.pk if known else None,
        service=found.top.service,
        kind=found.kind,
        at=found.at,
        duration_ms=found.duration_ms,
        target_ms=(known.target_ms if known else None) or selectors.default_target(server.pk),
        error=found.error,
        layers=layers_out([found.layers[layer] for layer in LAYERS]),
        verdict=verdict(found.layers),
        statements=found.statements,
        repeated=[
            RepeatOut(
                statement=texts[one.statement], query_id=_number(server.pk, one.statement), count=one.count, time_ms=one.time_ms,
                code=one.code, after=one.after and texts[one.after],
            )
            for one in found.repeated
        ],
        spans=[],
        more=max(0, len(found.spans) - MOST_SPANS),
        rejected=traced.trace.rejected,
        resource=_shown(found.top.resource),
        others=[one.top.id.hex() for one in traced.requests if one is not found],
        seen=_seen(name, {one.id.hex(): i for i, one in enumerate(found.spans[:MOST_SPANS])}),
    )  # fmt: skip
    # Tens of thousands of spans are checked by tests to be as SpanOut says, and not one by one at each answer.
    whole = {**told.model_dump(), "spans": _spans(server.pk, found)}
    return HttpResponse(orjson.dumps(whole), content_type="application/json")


@router.get(
    "/servers/{server_id}/requests/traces/{trace}/sessions", response=SightingsOut, operation_id="request_sessions"
)
def get_sessions(request: HttpRequest, server_id: int, trace: str) -> SightingsOut:
    """Sessions that were seen working for a request, also while it has not ended and no trace tells of it."""
    server, name = servers.server(server_id), _named(trace)
    return SightingsOut(seen=_seen(name, {}), came=single.is_known(server.pk, name))


def _named(trace: str) -> bytes:
    """Raises BadInput."""
    try:
        name = bytes.fromhex(trace)
    except ValueError:
        name = b""
    if len(name) != 16:
        raise BadInput("a trace is named by 32 hexadecimal digits", field="trace")
    return name


def _seen(trace: bytes, places: Mapping[str, int]) -> list[SightedOut]:
    found = sightings.of_traces([trace])
    waited = [one for one in found if one.blocked]
    roots = {one: root_behind(one.server_id, one.pid, one.first, one.last) for one in waited[:MOST_ROOTS]}
    told = []
    for one in found:
        root, of = roots.get(one), profile_of(servers.server(one.server_id)).waits
        texts = lines(one.server_id, [root.query_id]) if root else {}
        told.append(
            SightedOut(
                server=one.server_id, pid=one.pid, started_s=one.started_s, first=one.first, last=one.last,
                blocked=one.blocked, endpoint=one.endpoint, place=places.get(one.span, -1),
                blocker=WatchedSessionOut(**session_fields(root, texts, of)) if root else None,
            )
        )  # fmt: skip
    return told


def _number(server_id: int, text: str) -> str | None:
    found = query_id_of(server_id, text)
    return None if found is None else str(found)


_SCALARS = frozenset((str, int, float, bool))


def _shown(attributes: Attributes) -> dict[str, str | int | float | bool]:
    return {key: value for key, value in attributes.items() if isinstance(value, str | int | float | bool)}


def _spans(server_id: int, found: Request) -> list[dict[str, object]]:
    """Each as SpanOut has it."""
    depth = [0] * len(found.spans)
    inside = [0.0] * len(found.spans)
    for i, above in enumerate(found.above):
        if above >= 0:
            depth[i] = depth[above] + 1
            inside[above] += found.spans[i].duration
    numbers: dict[str, str | None] = {}
    told = []
    for i, span in enumerate(found.spans[:MOST_SPANS]):
        text = span.text(*STATEMENT) if found.layer[i] is Layer.DATABASE else ""
        if text and text not in numbers:
            numbers[text] = _number(server_id, text)
        outside = found.layer[i] in (Layer.CACHE, Layer.EXTERNAL, Layer.QUEUE)
        told.append(
            {
                "above": found.above[i],
                "depth": depth[i],
                "name": span.name,
                "service": span.service,
                "kind": span.kind,
                "layer": found.layer[i],
                "start_ms": (span.start - found.top.start) / NANOSECONDS,
                "duration_ms": span.duration / NANOSECONDS,
                "self_ms": max(0.0, (span.duration - inside[i]) / NANOSECONDS),
                "failed": span.failed,
                "statement": text,
                "query_id": numbers.get(text),
                "to": callee(span, found.layer[i]) if outside else "",
                "attributes": {
                    k: v for k, v in span.attributes.items() if v.__class__ in _SCALARS and k not in STATEMENT
                },
                "exceptions": span.exceptions,
            }
        )
    return told


class RequestSideOut(Out):
    """One of two requests that stand beside each other."""

    trace: str
    top: str
    at: int
    duration_ms: float
    layers: LayersOut
    statements: int
    error: bool
    version: str


class BesideOut(Out):
    """A request beside another of its endpoint: time by layer, and what it runs and calls more or less of."""

    this: RequestSideOut
    other: RequestSideOut
    changes: list[ChangedOut]


@router.get("/servers/{server_id}/requests/traces/{trace}/beside", response=BesideOut, operation_id="request_beside")
def get_beside(
    request: HttpRequest, server_id: int, trace: str, top: str = "", other: str = "", other_top: str = ""
) -> BesideOut:
    """A request beside another one, by default a usual one: of middle duration among those of its endpoint near it."""
    server = servers.server(server_id)
    this = _request(server.pk, _named(trace), top)
    if other:
        beside = _request(server.pk, _named(other), other_top)
    else:
        usual = single.usual_like(server.pk, this)
        beside = _request(server.pk, bytes.fromhex(usual.trace), usual.top)
    texts = {run.text: one.spans[run.at].text(*STATEMENT) for one in (beside, this) for run in reversed(one.ran)}
    told = [
        changed_out(one, Layer.DATABASE, texts[one.what], query_id_of(server.pk, one.what))
        for one in changes(statements_of(this), statements_of(beside))
    ]
    told += [changed_out(one, one.what[0], one.what[1]) for one in changes(calls_of(this), calls_of(beside))]
    return BesideOut(
        this=_side(this), other=_side(beside), changes=sorted(told, key=lambda one: -abs(one.ms - one.ms_before))
    )


def _request(server_id: int, name: bytes, top: str) -> Request:
    """The request that begins at `top`, or the first of its trace. Raises NotFound, BadInput."""
    found = single.trace_of(server_id, name).requests
    if not found:
        raise BadInput("no request begins in this trace", field="trace")
    return next((one for one in found if one.top.id.hex() == top), found[0])


def _side(one: Request) -> RequestSideOut:
    return RequestSideOut(
        trace=one.trace.hex(), top=one.top.id.hex(), at=one.at, duration_ms=one.duration_ms,
        layers=layers_out([one.layers[layer] for layer in LAYERS]), statements=one.statements, error=one.error,
        version=origin_of(one).version,
    )  # fmt: skip
