"""Findings and usual figures of endpoints, and the attributes of their requests: asked beside the ranking."""

from django.http import HttpRequest
from ninja import Query, Router

from faena.api.endpoint_parts import NotedOut, noted_out
from faena.api.out import Out
from faena.api.parameters import WindowIn, now_ms
from faena.api.request_parts import RequestsIn
from faena.apps.requests import selectors, single
from faena.apps.requests.usual import usual_of
from faena.apps.servers import selectors as servers

router = Router(tags=["requests"])


class AllNotedOut(Out):
    """Endpoints of a window, those that take most time first."""

    endpoints: list[NotedOut]


@router.get("/servers/{server_id}/requests/noted", response=AllNotedOut, operation_id="endpoints_noted")
def list_noted(request: HttpRequest, server_id: int, window: Query[WindowIn], only: Query[RequestsIn]) -> AllNotedOut:
    """Findings and usual figures of endpoints; they take longer than the ranking, so they are asked by themselves."""
    server, span = servers.server(server_id), window.window(now_ms())
    wanted = only.only()
    rows = selectors.summed(server.pk, span, wanted)
    if wanted.attributes:  # of requests with some attribute neither is summed up
        return AllNotedOut(endpoints=[])
    found = selectors.findings_of(server.pk, span, rows, wanted)
    usual = usual_of(server, span, rows, wanted)
    return AllNotedOut(endpoints=[noted_out(one.endpoint.pk, found, usual) for one in rows])


class AttributeOut(Out):
    """An attribute that kept requests have, with for how many requests those stand."""

    text: str
    requests: float


class AttributesOut(Out):
    """Attributes as key=value, by key and then the most frequent first; told by the newest `kept` requests of the window."""

    attributes: list[AttributeOut]
    kept: int


@router.get("/servers/{server_id}/requests/attributes", response=AttributesOut, operation_id="attributes_list")
def list_attributes(
    request: HttpRequest, server_id: int, window: Query[WindowIn], only: Query[RequestsIn], endpoint: int | None = None
) -> AttributesOut:
    """Attributes that requests may be narrowed by; one whose value almost every request has to itself is left out."""
    server, span = servers.server(server_id), window.window(now_ms())
    found, kept = single.attributes(server.pk, span, only.only(endpoint))
    return AttributesOut(attributes=[AttributeOut(text=text, requests=many) for text, many in found], kept=kept)
