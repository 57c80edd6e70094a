"""An endpoint over a window, as lists and its own page have it."""

from collections.abc import Mapping, Sequence

from faena.api.figures import number
from faena.api.out import Out
from faena.api.request_parts import LayersOut, layers_out
from faena.apps.requests.selectors import Summed
from faena.core.requests.findings import EndpointFinding, Found
from faena.core.requests.layers import Layer
from faena.core.requests.sums import LAYERS
from faena.core.requests.usual import UsualRequests
from faena.core.requests.verdict import verdict
from faena.core.series.usual import UsualFigure


class EndpointFindingOut(Out):
    """What was found of an endpoint; `attribute` is key=value where requests with it stand out."""

    kind: Found
    label: str
    detail: str
    attribute: str | None


class UsualFigureOut(Out):
    """Where a figure is expected to lie, from what it was on `days` earlier days."""

    low: float
    middle: float
    high: float
    days: int


class NotedOut(Out):
    """Findings of an endpoint over a window, and its usual figures in these hours; null: too few earlier days are known."""

    endpoint_id: int
    found: list[EndpointFindingOut]
    usual_mean_ms: UsualFigureOut | None
    usual_per_second: UsualFigureOut | None


def noted_out(
    endpoint_id: int, found: Mapping[int, Sequence[EndpointFinding]], usual: Mapping[int, UsualRequests]
) -> NotedOut:
    expected = usual.get(endpoint_id)
    return NotedOut(
        endpoint_id=endpoint_id,
        found=[
            EndpointFindingOut(kind=f.kind, label=f.kind.label, detail=f.detail, attribute=f.attribute)
            for f in found.get(endpoint_id, ())
        ],
        usual_mean_ms=_figure_out(expected.mean_ms) if expected else None,
        usual_per_second=_figure_out(expected.per_second) if expected else None,
    )


def _figure_out(one: UsualFigure | None) -> UsualFigureOut | None:
    return UsualFigureOut(low=one.low, middle=one.middle, high=one.high, days=one.days) if one else None


class PartOut(Out):
    """Requests of one version or host."""

    name: str
    requests: float
    mean_ms: float


class EndpointOut(Out):
    """An endpoint over a window. `satisfaction` is between 0 and 1, by `target_ms`; quantiles are exact to 21%.

    `own_target`: the target is the endpoint's own, not that of its source. What was before is null where nothing is compared
    with, or there was no request.
    """

    id: int
    endpoint: str
    service: str
    kind: str
    requests: float
    per_second: float
    time_ms: float
    share: float
    mean_ms: float
    p50_ms: float | None
    p95_ms: float | None
    p99_ms: float | None
    errors: float
    satisfaction: float | None
    target_ms: float
    own_target: bool
    layers: LayersOut
    worst_layer: Layer
    database_share: float
    statements: float
    repeated_share: float
    versions: list[PartOut]
    hosts: list[PartOut]
    verdict: str
    mean_before_ms: float | None
    per_second_before: float | None


def layers_of(one: Summed) -> list[float]:
    """Milliseconds in the order of LAYERS."""
    return [one.figures[f"{layer.value}_ms"] for layer in LAYERS]


def _parts(parts: dict[str, tuple[float, float]]) -> list[PartOut]:
    known = [PartOut(name=name, requests=n, mean_ms=ms / n) for name, (n, ms) in parts.items() if n]
    return sorted(known, key=lambda part: -part.requests)


def endpoint_out(one: Summed, seconds: float, whole_ms: float, before: Summed | None = None) -> EndpointOut:
    """`before`: the same in a window of the same length that it is compared with."""
    figures, layers = one.figures, layers_of(one)
    return EndpointOut(
        id=one.endpoint.pk,
        endpoint=one.endpoint.name,
        service=one.endpoint.service,
        kind=one.endpoint.kind,
        requests=figures["requests"],
        per_second=figures["requests"] / seconds,
        time_ms=figures["time_ms"],
        share=figures["time_ms"] / whole_ms if whole_ms else 0.0,
        mean_ms=figures["time_ms"] / figures["requests"],
        p50_ms=number(one.quantile(0.5)),
        p95_ms=number(one.quantile(0.95)),
        p99_ms=number(one.quantile(0.99)),
        errors=figures["errors"],
        satisfaction=number(one.satisfaction),
        target_ms=one.target_ms,
        own_target=one.endpoint.target_ms is not None,
        layers=layers_out(layers),
        worst_layer=LAYERS[layers.index(max(layers))],
        database_share=figures["database_ms"] / figures["time_ms"] if figures["time_ms"] else 0.0,
        statements=figures["statements"] / figures["requests"],
        repeated_share=figures["with_repeats"] / figures["requests"],
        versions=_parts(dict(one.versions)),
        hosts=_parts(dict(one.hosts)),
        verdict=verdict(dict(zip(LAYERS, layers, strict=True))),
        mean_before_ms=before.figures["time_ms"] / before.figures["requests"] if before else None,
        per_second_before=before.figures["requests"] / seconds if before else None,
    )
