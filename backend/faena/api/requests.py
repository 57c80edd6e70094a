"""Requests of applications: endpoints, one endpoint, repeated statements, calls to others."""

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Annotated, Literal

from django.http import HttpRequest
from ninja import Query, Router, Schema

from faena.api.endpoint_parts import EndpointOut, NotedOut, endpoint_out, layers_of, noted_out
from faena.api.out import Out
from faena.api.parameters import WindowIn, now_ms
from faena.api.request_parts import (
    ChangedOut,
    LayersOut,
    OfServiceIn,
    RequestsIn,
    SingleOut,
    changed_out,
    layers_out,
    single_out,
)
from faena.api.statement_parts import StatementId
from faena.apps.answers.requests import LinkedStatement, callers, linked
from faena.apps.requests import selectors, single, sources
from faena.apps.requests.selectors import CallUse, Only, StatementUse, Summed
from faena.apps.requests.usual import usual_of
from faena.apps.servers import selectors as servers
from faena.core.requests.comparing import Use, changes, read_beside
from faena.core.requests.layers import Layer
from faena.core.requests.sums import LAYERS
from faena.core.requests.verdict import verdict
from faena.core.series.window import Window, cut
from faena.core.units import EpochMs, QueryId

router = Router(tags=["requests"])
MOST_BUCKETS, MOST_SINGLES = 150, 100
LONG_MS = 6 * 3_600_000
MOST_CELLS = 48  # of a small picture in a list


class ChoicesOut(Out):
    """Services, versions and hosts that requests of this server came from."""

    service: list[str]
    version: list[str]
    host: list[str]


class SeriesOut(Out):
    """Means over time: requests a second, failed ones, and ms of a request by layer, null where there was none."""

    bucket_ms: int
    starts: list[int]
    end: int
    per_second: list[float]
    errors: list[float]
    layers: dict[str, list[float | None]]


class EndpointsOut(Out):
    """Endpoints over a window.

    `start` and `end` are those of the minutes that were counted; `newest` is the newest minute with a request.
    """

    start: int
    end: int
    time_ms: float
    requests: float
    layers: LayersOut
    verdict: str
    endpoints: list[EndpointOut]
    series: SeriesOut
    choices: ChoicesOut
    sources: int
    newest: int | None


@router.get("/servers/{server_id}/requests/endpoints", response=EndpointsOut, operation_id="endpoints_list")
def list_endpoints(
    request: HttpRequest,
    server_id: int,
    window: Query[WindowIn],
    only: Query[RequestsIn],
    beside: Annotated[
        Literal["", "before", "hour", "day", "week"], Query(description="compared with; empty: nothing")
    ] = "",
) -> EndpointsOut:
    """Endpoints and jobs whose statements go to this server, by the time they take."""
    server, span = servers.server(server_id), window.window(now_ms())
    wanted = only.only()
    rows = selectors.summed(server.pk, span, wanted)
    start, end = selectors.touched(span)
    other = read_beside("" if beside == "before" else beside, _counted(span)).window
    before = {one.endpoint.pk: one for one in selectors.summed(server.pk, other, wanted)} if beside else {}
    whole = sum(one.figures["time_ms"] for one in rows)
    layers = [sum(values) for values in zip(*map(layers_of, rows), strict=True)] if rows else [0.0] * len(LAYERS)
    return EndpointsOut(
        start=start,
        end=end,
        time_ms=whole,
        requests=sum(one.figures["requests"] for one in rows),
        layers=layers_out(layers),
        verdict=verdict(dict(zip(LAYERS, layers, strict=True))),
        endpoints=[endpoint_out(one, (end - start) / 1000, whole, before.get(one.endpoint.pk)) for one in rows],
        series=_series(server.pk, span, wanted),
        choices=_choices(server.pk, wanted),
        sources=sources.count(server.pk),
        newest=selectors.newest_ms(server.pk),
    )


class RequestStatementOut(Out):
    """A statement as requests run it. `query_id` is its number on the server, null where none is alike.

    `runs` is per request of the endpoint; `repeated_runs` per request in which it was repeated, 0 where in none.
    """

    id: int
    query_id: str | None
    text: str
    endpoint_id: int
    endpoint: str
    service: str
    runs: float
    requests_share: float
    time_ms: float
    share: float
    mean_ms: float
    repeated_requests: float
    repeated_runs: float
    repeated_ms: float
    code: str
    after: str


def _statement(
    use: StatementUse, found: LinkedStatement, requests: float, time_ms: float, code: str = "", after: str = ""
) -> RequestStatementOut:
    figures = use.figures
    again = figures["repeated_requests"]
    return RequestStatementOut(
        id=use.statement.pk,
        query_id=None if found.query_id is None else str(found.query_id),
        text=found.text,
        endpoint_id=use.endpoint.pk,
        endpoint=use.endpoint.name,
        service=use.endpoint.service,
        runs=figures["runs"] / requests if requests else 0.0,
        requests_share=figures["requests"] / requests if requests else 0.0,
        time_ms=figures["time_ms"],
        share=figures["time_ms"] / time_ms if time_ms else 0.0,
        mean_ms=figures["time_ms"] / figures["runs"],
        repeated_requests=again,
        repeated_runs=figures["repeated_runs"] / again if again > 0 else 0.0,
        repeated_ms=figures["repeated_ms"],
        code=code,
        after=after,
    )


class CallOut(Out):
    """Somebody whom an endpoint's requests ask outside the database; figures over the window, `calls` per request."""

    layer: Layer
    to: str
    endpoint_id: int
    endpoint: str
    service: str
    calls: float
    calls_each: float
    time_ms: float
    share: float
    mean_ms: float
    errors: float


class EndpointPageOut(Out):
    """One endpoint over a window, beside the requests between `beside_start` and `beside_end`, of one version if named.

    `changes` tells what a request runs and calls more or less of than those, what makes most difference first. Where
    attributes narrow, statements and calls are not told: they are summed up for all requests.
    """

    now: EndpointOut | None
    noted: NotedOut | None
    before: EndpointOut | None
    start: int
    end: int
    series: SeriesOut
    beside_start: int
    beside_end: int
    beside_version: str
    changes: list[ChangedOut]
    statements: list[RequestStatementOut]
    statements_before: list[RequestStatementOut]
    calls: list[CallOut]
    choices: ChoicesOut
    singles: list[SingleOut]


@router.get(
    "/servers/{server_id}/requests/endpoints/{endpoint_id}", response=EndpointPageOut, operation_id="endpoint_get"
)
def get_endpoint(
    request: HttpRequest,
    server_id: int,
    endpoint_id: int,
    window: Query[WindowIn],
    only: Query[RequestsIn],
    beside: Annotated[str, Query(max_length=200, description="hour, day, week, version:NAME or FROM~TO in ms")] = "",
) -> EndpointPageOut:
    """An endpoint: its time by layer, its statements and calls beside others, by default the window before."""
    server, span = servers.server(server_id), window.window(now_ms())
    selectors.endpoint(server.pk, endpoint_id)
    start, end = selectors.touched(span)
    wanted, other = only.only(endpoint_id), read_beside(beside, _counted(span))
    others = replace(wanted, version=other.version or wanted.version)
    rows = selectors.summed(server.pk, span, wanted)
    now = _one(rows, span)
    told = [] if wanted.attributes else rows  # of requests with some attribute neither is summed up
    found, usual = selectors.findings_of(server.pk, span, told, wanted), usual_of(server, span, told, wanted)
    before = _one(selectors.summed(server.pk, other.window, others), other.window)
    sides = () if wanted.attributes else ((span, wanted), (other.window, others))
    uses = [selectors.statements(server.pk, *side) for side in sides] or [[], []]
    calls = [selectors.calls(server.pk, *side) for side in sides] or [[], []]
    return EndpointPageOut(
        now=now,
        noted=noted_out(endpoint_id, found, usual) if now else None,
        before=before,
        start=start,
        end=end,
        series=_series(server.pk, span, wanted),
        beside_start=other.window.start,
        beside_end=other.window.end,
        beside_version=other.version,
        changes=_changes(server.pk, (now, before), uses, calls) if now and before else [],
        statements=_told(server.pk, span, uses[0], [now] if now else []),
        statements_before=_told(server.pk, other.window, uses[1], [before] if before else []),
        calls=_calls(calls[0], [now] if now else []),
        choices=_choices(server.pk, wanted),
        singles=[single_out(one) for one in single.singles(server.pk, span, wanted, at_most=MOST_SINGLES)],
    )


def _choices(server_id: int, wanted: Only) -> ChoicesOut:
    """Of all requests of the server, whatever is narrowed now."""
    every = wanted if wanted.is_all else Only()
    return ChoicesOut(**selectors.choices(every.origins(server_id).values()))


def _series(server_id: int, span: Window, only: Only) -> SeriesOut:
    # Of a long window buckets of whole ten minutes, since so the sums stand.
    buckets = cut(span, at_most=MOST_BUCKETS, period_ms=600_000 if span.length_ms > LONG_MS else selectors.MINUTE_MS)
    series = selectors.over_time(server_id, buckets, only)
    many = series[:, 0]
    layers = {
        name: [round(float(ms / n), 3) if n else None for ms, n in zip(series[:, i], many, strict=True)]
        for name, i in selectors.LAYER_COLUMNS.items()
    }
    return SeriesOut(
        bucket_ms=buckets.width_ms, starts=buckets.starts(), end=selectors.touched(span)[1],
        per_second=[round(float(n) / (buckets.width_ms / 1000), 4) for n in many], errors=[float(n) for n in series[:, 1]],
        layers=layers,
    )  # fmt: skip


def _counted(span: Window) -> Window:
    """The whole minutes that are counted of a window: with them another one stands beside it, so that none is in both."""
    start, end = selectors.touched(span)
    return Window(start=EpochMs(start), end=EpochMs(end))


def _one(rows: Sequence[Summed], span: Window) -> EndpointOut | None:
    """The one endpoint that was asked for."""
    start, end = selectors.touched(span)
    told = [endpoint_out(one, (end - start) / 1000, one.figures["time_ms"]) for one in rows]
    return told[0] if told else None


def _changes(
    server_id: int,
    sides: tuple[EndpointOut, EndpointOut],
    uses: Sequence[Sequence[StatementUse]],
    calls: Sequence[Sequence[CallUse]],
) -> list[ChangedOut]:
    statements = {one.statement.pk: one.statement for side in uses for one in side}
    links = linked(server_id, statements.values())
    callees = {one.callee.pk: one.callee for side in calls for one in side}
    now, before = sides
    ran = changes(_statement_uses(uses[0], now), _statement_uses(uses[1], before))
    called = changes(_call_uses(calls[0], now), _call_uses(calls[1], before))
    told = [changed_out(one, Layer.DATABASE, links[one.what].text, links[one.what].query_id) for one in ran]
    told += [changed_out(one, Layer(callees[one.what].layer), callees[one.what].name) for one in called]
    return sorted(told, key=lambda one: -abs(one.ms - one.ms_before))


def _statement_uses(uses: Sequence[StatementUse], of: EndpointOut) -> dict[int, Use]:
    return {one.statement.pk: _use(one.figures, one.figures["runs"], of.requests) for one in uses}


def _call_uses(calls: Sequence[CallUse], of: EndpointOut) -> dict[int, Use]:
    return {one.callee.pk: _use(one.figures, one.figures["calls"], of.requests) for one in calls}


def _use(figures: Mapping[str, float], times: float, requests: float) -> Use:
    return Use(runs=times / requests, ms=figures["time_ms"] / requests)


def _told(
    server_id: int, span: Window, uses: Sequence[StatementUse], rows: Sequence[EndpointOut]
) -> list[RequestStatementOut]:
    by_id = {one.id: one for one in rows}
    found = linked(server_id, [one.statement for one in uses])
    again = [one for one in uses if one.figures["repeated_runs"] > 0]
    known = selectors.repeats_told(server_id, again, span) if again else {}
    told = []
    for one in uses:
        of = by_id.get(one.endpoint.pk)
        if of is not None:
            code, after = known.get((one.endpoint.pk, one.statement.pk), ("", ""))
            told.append(_statement(one, found[one.statement.pk], of.requests, of.time_ms, code, after))
    return told


def _calls(calls: Sequence[CallUse], rows: Sequence[EndpointOut]) -> list[CallOut]:
    by_id = {one.id: one for one in rows}
    return [
        CallOut(
            layer=Layer(one.callee.layer),
            to=one.callee.name,
            endpoint_id=one.endpoint.pk,
            endpoint=one.endpoint.name,
            service=one.endpoint.service,
            calls=one.figures["calls"],
            calls_each=one.figures["calls"] / of.requests,
            time_ms=one.figures["time_ms"],
            share=one.figures["time_ms"] / of.time_ms if of.time_ms else 0.0,
            mean_ms=one.figures["time_ms"] / one.figures["calls"],
            errors=one.figures["errors"],
        )
        for one in calls
        if (of := by_id.get(one.endpoint.pk)) is not None
    ]


class RepeatedOut(Out):
    """Statements that requests ran (again and again, or this one), those that took most time first.

    `over_time`: of each, runs in a request that repeats it, by cells of `bucket_ms` from `first` on, null where none did.
    """

    start: int
    end: int
    statements: list[RequestStatementOut]
    first: int
    bucket_ms: int
    over_time: list[list[float | None]]


@router.get("/servers/{server_id}/requests/repeated", response=RepeatedOut, operation_id="requests_repeated")
def list_repeated(
    request: HttpRequest, server_id: int, window: Query[WindowIn], only: Query[OfServiceIn]
) -> RepeatedOut:
    """Statements run once for each row of another: how often in a request, where in the code, the time at stake."""
    server, span = servers.server(server_id), window.window(now_ms())
    start, end = selectors.touched(span)
    rows = [endpoint_out(one, 1.0, 1.0) for one in selectors.summed(server.pk, span, only.only())]
    uses = [one for one in selectors.statements(server.pk, span, only.only()) if one.figures["repeated_runs"] > 0]
    told = sorted(_told(server.pk, span, uses, rows), key=lambda one: -one.repeated_ms)
    cells = cut(span, at_most=MOST_CELLS, period_ms=selectors.MINUTE_MS)
    series = selectors.repeats_over_time(server.pk, cells, only.only(), {one.id for one in told})
    return RepeatedOut(
        start=start, end=end, statements=told, first=cells.start, bucket_ms=cells.width_ms,
        over_time=[series.get((one.endpoint_id, one.id), []) for one in told],
    )  # fmt: skip


@router.get(
    "/servers/{server_id}/statements/{query_id}/endpoints", response=RepeatedOut, operation_id="statement_endpoints"
)
def list_callers(request: HttpRequest, server_id: int, query_id: StatementId, window: Query[WindowIn]) -> RepeatedOut:
    """The endpoints whose requests run a statement of the server, as traces tell, those that spend most on it first."""
    server, span = servers.server(server_id), window.window(now_ms())
    start, end = selectors.touched(span)
    among = callers(server.pk, QueryId(int(query_id)))
    uses = selectors.statements(server.pk, span, Only(), among) if among else []
    rows = [endpoint_out(one, 1.0, 1.0) for one in selectors.summed(server.pk, span, Only())] if uses else []
    told = _told(server.pk, span, uses, rows)
    return RepeatedOut(start=start, end=end, statements=told, first=start, bucket_ms=end - start, over_time=[])


class CallsOut(Out):
    """Calls to others, those that took most time first."""

    start: int
    end: int
    calls: list[CallOut]


@router.get("/servers/{server_id}/requests/calls", response=CallsOut, operation_id="requests_calls")
def list_calls(request: HttpRequest, server_id: int, window: Query[WindowIn], only: Query[OfServiceIn]) -> CallsOut:
    """Other services, caches and queues that requests ask, by endpoint."""
    server, span = servers.server(server_id), window.window(now_ms())
    start, end = selectors.touched(span)
    rows = [endpoint_out(one, 1.0, 1.0) for one in selectors.summed(server.pk, span, only.only())]
    return CallsOut(start=start, end=end, calls=_calls(selectors.calls(server.pk, span, only.only()), rows))


class TargetBody(Schema):
    """Null: the target of its source again."""

    target_ms: float | None


class TargetOut(Out):
    target_ms: float
    own_target: bool


@router.put(
    "/servers/{server_id}/requests/endpoints/{endpoint_id}/target", response=TargetOut, operation_id="target_set"
)
def set_target(request: HttpRequest, server_id: int, endpoint_id: int, body: TargetBody) -> TargetOut:
    """The time within which requests of an endpoint should be answered; it counts for requests from now on."""
    server = servers.server(server_id)
    sources.set_target(selectors.endpoint(server.pk, endpoint_id), body.target_ms, by=request.user)
    found = selectors.endpoint(server.pk, endpoint_id)
    return TargetOut(
        target_ms=found.target_ms or selectors.default_target(server.pk), own_target=found.target_ms is not None
    )
