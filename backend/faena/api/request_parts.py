"""What questions and answers about requests share: which are asked for, time by layer, a single one."""

from collections.abc import Sequence
from dataclasses import replace
from typing import Annotated, Any

from ninja import Schema
from pydantic import Field

from faena.api.out import Out
from faena.apps.requests.selectors import Only
from faena.apps.requests.single import Kept
from faena.core.requests.choosing import Why
from faena.core.requests.comparing import Change, Changed
from faena.core.requests.layers import Layer
from faena.core.requests.sums import LAYERS
from faena.core.sampling.trail import read_trail
from faena.core.units import QueryId

MOST_ATTRIBUTES, MOST_LETTERS = 8, 300


class OfServiceIn(Schema):
    """Requests of this service, version or host alone, and inside the trail as far as it has endpoints and programs."""

    service: str = ""
    version: str = ""
    host: str = ""
    pick: list[str] = Field(default_factory=list, description="the trail; endpoints and programs of it narrow")

    def only(self, endpoint: int | None = None) -> Only:
        trail = () if endpoint is not None else read_trail(self.pick)  # one endpoint is what was asked for
        return Only(service=self.service, version=self.version, host=self.host, endpoint=endpoint, trail=trail)


class RequestsIn(OfServiceIn):
    """Requests as in OfServiceIn, with these attributes as well."""

    attribute: list[Annotated[str, Field(pattern=r"^[^=]+=", max_length=MOST_LETTERS)]] = Field(
        default_factory=list,
        max_length=MOST_ATTRIBUTES,
        description="key=value; figures are then estimates, from requests that are kept singly",
    )

    def only(self, endpoint: int | None = None) -> Only:
        having = tuple((key, value) for key, _, value in (one.partition("=") for one in self.attribute))
        return replace(super().only(endpoint), attributes=having)


class LayersOut(Out):
    """Milliseconds by layer; they add up to the time of the requests."""

    own: float
    database: float
    cache: float
    external: float
    queue: float


def layers_out(figures: Sequence[float]) -> LayersOut:
    """Time by layer, from milliseconds in the order of LAYERS."""
    return LayersOut(**{layer.value: round(ms, 3) for layer, ms in zip(LAYERS, figures, strict=True)})


class SingleOut(Out):
    """A request that is kept singly; it stands for `weight` requests."""

    trace: str
    top: str
    at: int
    duration_ms: float
    layers: LayersOut
    error: bool
    statements: int
    spans: int
    why: Why
    weight: float
    version: str
    host: str


def single_out(one: Kept) -> SingleOut:
    return SingleOut(
        trace=one.trace, top=one.top, at=one.at, duration_ms=one.duration_ms, layers=layers_out(one.layers),
        error=one.error, statements=one.statements, spans=one.spans, why=Why(one.why), weight=one.weight,
        version=one.version, host=one.host,
    )  # fmt: skip


class ChangedOut(Out):
    """A statement or a callee on two sides: how often a request runs it, and ms it takes in all, here and on the other.

    `query_id` is the number of a statement on the server, null where none is alike.
    """

    layer: Layer
    label: str
    query_id: str | None
    change: Change
    runs: float
    runs_before: float
    ms: float
    ms_before: float


def changed_out(one: Changed[Any], layer: Layer, label: str, query_id: QueryId | None = None) -> ChangedOut:
    return ChangedOut(
        layer=layer, label=label, query_id=None if query_id is None else str(query_id), change=one.change,
        runs=one.now.runs, runs_before=one.before.runs, ms=one.now.ms, ms_before=one.before.ms,
    )  # fmt: skip
