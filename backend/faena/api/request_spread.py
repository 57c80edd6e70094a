"""Single requests of an endpoint: their distribution, and what a part of them has in common."""

from typing import Annotated

from django.http import HttpRequest
from ninja import Query, Router

from faena.api.density_parts import DensityOut, density_fields
from faena.api.out import Out
from faena.api.parameters import WindowIn, now_ms
from faena.api.request_parts import LayersOut, RequestsIn, SingleOut, layers_out, single_out
from faena.apps.requests import selectors, spread
from faena.apps.requests.spread import MarkKind, Part, Side
from faena.apps.servers import selectors as servers
from faena.core.errors import BadInput
from faena.core.series.window import cut

router = Router(tags=["requests"])
FEW = 300  # up to so many requests are drawn one by one
MOST_COLUMNS, MOST_SINGLES, MOST_COMMON = 120, 100, 12
MAX_MS = 1e12


class PlacedOut(Out):
    started: int
    ended: int
    took_ms: float


class SpreadOut(DensityOut):
    """Requests by time and duration, as far as they are kept: `known` are, the newest of them `drawn`. Points: when few are."""

    points: list[PlacedOut]
    drawn: int
    known: int
    requests: float


@router.get(
    "/servers/{server_id}/requests/endpoints/{endpoint_id}/spread", response=SpreadOut, operation_id="endpoint_spread"
)
def get_spread(
    request: HttpRequest, server_id: int, endpoint_id: int, window: Query[WindowIn], only: Query[RequestsIn]
) -> SpreadOut:
    """Requests of an endpoint over time and duration, as far as they are kept singly."""
    server, span = servers.server(server_id), window.window(now_ms())
    selectors.endpoint(server.pk, endpoint_id)
    found, known = spread.placed(server.pk, span, only.only(endpoint_id))
    cells = cut(span, at_most=MOST_COLUMNS, period_ms=1000)
    few = found if len(found) <= FEW else []
    return SpreadOut(
        **density_fields(found, span, cells),
        points=[PlacedOut(started=one.started, ended=one.ended, took_ms=one.took_ms) for one in few],
        drawn=len(found),
        known=known,
        requests=float(sum(one.weight for one in found)),
    )


class SideOut(Out):
    """One side of a comparison of requests: `kept` requests that stand for `requests`; means of one of them."""

    kept: int
    requests: float
    mean_ms: float
    layers: LayersOut
    statements: float


class CommonOut(Out):
    """What more of the picked have than of the others. `chance`: that all of this is by chance, between 0 and 1."""

    kind: MarkKind
    label: str
    picked: float
    picked_share: float
    others: float
    others_share: float
    chance: float


class PickedOut(Out):
    """A part of an endpoint's requests beside all others of the window, and the slowest of the part."""

    picked: SideOut
    others: SideOut
    common: list[CommonOut]
    more: int
    singles: list[SingleOut]


@router.get(
    "/servers/{server_id}/requests/endpoints/{endpoint_id}/picked", response=PickedOut, operation_id="endpoint_picked"
)
def get_picked(
    request: HttpRequest,
    server_id: int,
    endpoint_id: int,
    window: Query[WindowIn],
    only: Query[RequestsIn],
    least_ms: Annotated[float, Query(ge=0, le=MAX_MS)],
    most_ms: Annotated[float, Query(gt=0, le=MAX_MS)],
    since: int,
    until: int,
) -> PickedOut:
    """Requests that began between `since` and `until` and took between `least_ms` and `most_ms`: what sets them apart."""
    if until <= since or most_ms <= least_ms:
        raise BadInput("a part ends after it starts, and its longest takes more than its shortest", field="until")
    server, span = servers.server(server_id), window.window(now_ms())
    selectors.endpoint(server.pk, endpoint_id)
    part = Part(start=since, end=until, least_ms=least_ms, most_ms=most_ms)
    found = spread.picked(server.pk, span, only.only(endpoint_id), part, at_most=MOST_SINGLES)
    return PickedOut(
        picked=_side(found.picked),
        others=_side(found.others),
        common=[
            CommonOut(
                kind=one.mark.kind, label=found.words[one.mark], picked=one.picked_share * found.picked.requests,
                picked_share=one.picked_share, others=one.others_share * found.others.requests,
                others_share=one.others_share, chance=one.chance,
            )
            for one in found.common[:MOST_COMMON]
        ],
        more=max(0, len(found.common) - MOST_COMMON),
        singles=[single_out(one) for one in found.singles],
    )  # fmt: skip


def _side(one: Side) -> SideOut:
    return SideOut(
        kept=one.kept, requests=one.requests, mean_ms=one.mean_ms, layers=layers_out(one.layers), statements=one.statements
    )  # fmt: skip
