"""Reading single requests: those that are kept, and a trace with all its spans."""

from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import zstandard

from faena.apps.requests.models import Endpoint, KeptRequest, Trace
from faena.apps.requests.selectors import Only
from faena.core.errors import NotFound
from faena.core.requests.choosing import Why
from faena.core.requests.findings import written
from faena.core.requests.packing import unpack
from faena.core.requests.request import Request, requests_of
from faena.core.series.window import Window


@dataclass(frozen=True, slots=True, kw_only=True)
class Kept:
    """A request that is kept singly; it stands for `weight` requests. `layers` are ms in the order of LAYERS."""

    trace: str  # hexadecimal, as `top`, its topmost span
    top: str
    at: int
    endpoint: Endpoint
    version: str
    host: str
    duration_ms: float
    layers: Sequence[float]
    error: bool
    statements: int
    spans: int
    repeated_ms: float
    why: str
    weight: float
    attributes: Mapping[str, Any]


def singles(server_id: int, window: Window, only: Only, *, at_most: int) -> list[Kept]:
    """Requests that are kept, the slowest first."""
    rows = only.kept(server_id, window)
    return [kept_of(one) for one in rows.select_related("origin__endpoint").order_by("-duration_ms")[:at_most]]


def kept_of(one: KeptRequest) -> Kept:
    """A kept request, from its row read together with its endpoint."""
    return Kept(
        trace=bytes(one.trace).hex(), top=bytes(one.top).hex(), at=one.at_ms, endpoint=one.origin.endpoint,
        version=one.origin.version, host=one.origin.host, duration_ms=one.duration_ms, layers=one.layers,
        error=one.error, statements=one.statements, spans=one.spans, why=one.why, weight=one.weight,
        repeated_ms=sum(told["ms"] for told in one.repeated), attributes=one.attributes,
    )  # fmt: skip


ATTRIBUTES_OF = 2_000  # requests, the newest
MOST_VALUES = 25  # of an attribute; one with more tells requests apart, not kinds of them


def attributes(server_id: int, window: Window, only: Only) -> tuple[list[tuple[str, float]], int]:
    """Attributes of kept requests as key=value, with the requests those stand for; and how many kept ones were asked."""
    rows = list(only.kept(server_id, window).order_by("-at_ms").values_list("attributes", "weight")[:ATTRIBUTES_OF])
    sums = defaultdict[str, dict[str, float]](lambda: defaultdict(float))
    for told, weight in rows:
        for key, value in told.items():
            if isinstance(value, str | int | float | bool):
                sums[key][written(value)] += weight
    found = [
        (f"{key}={value}", many)
        for key, values in sorted(sums.items())
        if len(values) <= MOST_VALUES
        for value, many in sorted(values.items(), key=lambda one: -one[1])
    ]
    return found, len(rows)


USUAL_AMONG = 200  # requests before it, of which the one of middle duration is the usual one


def usual_like(server_id: int, request: Request) -> Kept:
    """A usual request of the same endpoint, kept by chance and not for what happened to it; from before it if there is any.

    Raises NotFound.
    """
    rows = KeptRequest.objects.filter(
        server_id=server_id, origin__endpoint__name=request.endpoint, origin__endpoint__kind=request.kind,
        origin__endpoint__service=request.top.service, error=False, why=Why.CHOSEN,
    ).exclude(trace=request.trace).select_related("origin__endpoint")  # fmt: skip
    near = list(rows.filter(at_ms__lte=request.at).order_by("-at_ms")[:USUAL_AMONG])
    found = sorted(near or rows.order_by("at_ms")[:USUAL_AMONG], key=lambda one: one.duration_ms)
    if not found:
        raise NotFound("no ordinary request of this endpoint is kept that this one could stand beside")
    return kept_of(found[len(found) // 2])


@dataclass(frozen=True, slots=True, kw_only=True)
class Traced:
    """A trace that is kept (or was judged lately), with its requests."""

    trace: Trace
    requests: Sequence[Request]


def trace_of(server_id: int, trace: bytes) -> Traced:
    """Raises NotFound."""
    found = Trace.objects.filter(server_id=server_id, trace=trace).select_related("source").first()
    if found is None:
        raise NotFound(
            "this trace is not kept; of ordinary requests some are, chosen by chance, and all that failed or were slow"
        )
    spans = unpack(zstandard.decompress(bytes(found.packed)), trace)
    return Traced(trace=found, requests=requests_of(spans))


def is_known(server_id: int, trace: bytes) -> bool:
    """Whether a trace is kept, or was judged lately."""
    return Trace.objects.filter(server_id=server_id, trace=trace).exists()
