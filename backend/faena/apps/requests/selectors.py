"""Reading requests: endpoints over a window, their statements and calls, single ones, and a trace as a tree.

Sums are kept by minute and by hour, so a window counts the minutes that it touches.
"""

from collections import defaultdict
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any, NamedTuple

import numpy as np
from django.db import connection
from django.db.models import Q, QuerySet
from django.db.models.fields.json import KeyTextTransform
from django.db.models.lookups import Exact

from faena.apps.requests.estimates import series_of_kept, sums_of_kept
from faena.apps.requests.models import (
    Callee,
    CallSum,
    Endpoint,
    KeptRequest,
    Origin,
    RequestStatement,
    RequestSum,
    StatementSum,
    TraceSource,
)  # fmt: skip
from faena.apps.requests.rows import read_request_sums
from faena.apps.requests.writing import LENGTHS_MS
from faena.core.errors import NotFound
from faena.core.requests.findings import CACHE_AFTER, EndpointFinding, Facts, Single, findings
from faena.core.requests.request import Request
from faena.core.requests.sums import (
    CALL_FIGURES,
    LAYERS,
    REQUEST_FIGURES,
    STATEMENT_FIGURES,
    Vector,
    by_name,
    certain,
    endpoint_value,
    rungs_quantile,
    satisfaction,
)  # fmt: skip
from faena.core.sampling.dimensions import Dimension
from faena.core.sampling.trail import Pick
from faena.core.series.window import Buckets, Window
from faena.core.units import MS_PER_HOUR, EpochMs

MINUTE_MS = 60_000
SINGLES_FOR_FINDINGS = 2000  # of an endpoint, the newest: what the slow few have in common is told from them
MINUTES_UP_TO_MS = 6 * MS_PER_HOUR  # whether a cache is asked is looked at by the minute in windows so long
REACH_BACK_MS = MS_PER_HOUR // 2
TOLD_BY = 500  # kept requests that are asked what repeated statements come after
_AT = {name: i for i, name in enumerate(REQUEST_FIGURES)}
LAYER_COLUMNS = {layer.value: _AT[f"{layer.value}_ms"] for layer in LAYERS}  # of REQUEST_FIGURES


@dataclass(frozen=True, slots=True, kw_only=True)
class Only:
    """What requests are looked at: of this service, version and host, inside the trail; empty is all.

    Of the trail endpoints and programs narrow, a program by the service that is called so; requests tell no more of it.
    `attributes` are pairs of key and value that all of them have: of those only what is kept singly can tell.
    """

    service: str = ""
    version: str = ""
    host: str = ""
    endpoint: int | None = None
    trail: tuple[Pick, ...] = ()
    attributes: tuple[tuple[str, str], ...] = ()
    _asked: dict[int, dict[int, Origin]] = field(init=False, default_factory=dict, compare=False, repr=False)

    def origins(self, server_id: int) -> dict[int, Origin]:
        """The origins of a server that fit, with their endpoints; asked once, since all parts of an answer need them."""
        if server_id not in self._asked:
            self._asked[server_id] = self._fitting(server_id)
        return self._asked[server_id]

    def _fitting(self, server_id: int) -> dict[int, Origin]:
        rows = Origin.objects.filter(endpoint__server_id=server_id).select_related("endpoint")
        wanted = {"endpoint__service": self.service, "version": self.version, "host": self.host}
        rows = rows.filter(**{key: value for key, value in wanted.items() if value})
        if self.endpoint is not None:
            rows = rows.filter(endpoint_id=self.endpoint)
        return {one.pk: one for one in rows if self._is_inside(one.endpoint)}

    @property
    def is_all(self) -> bool:
        """Nothing is narrowed."""
        return self == Only()

    def kept(self, server_id: int, window: Window) -> "QuerySet[KeptRequest]":
        """Those of a window that are kept singly."""
        rows = KeptRequest.objects.filter(server_id=server_id, at_ms__gte=window.start, at_ms__lt=window.end)
        for key, value in self.attributes:
            rows = rows.filter(Exact(KeyTextTransform(key, "attributes"), value))
        return rows if replace(self, attributes=()).is_all else rows.filter(origin_id__in=list(self.origins(server_id)))

    def _is_inside(self, endpoint: Endpoint) -> bool:
        known = {
            Dimension.ENDPOINT: endpoint_value(endpoint.service, endpoint.name),
            Dimension.PROGRAM: endpoint.service,
        }
        for dimension, value in known.items():
            mine = [one for one in self.trail if one.dimension is dimension]
            wanted = {certain(one.value) for one in mine if not one.exclude}
            if (wanted and value not in wanted) or value in {certain(one.value) for one in mine if one.exclude}:
                return False
        return True


@dataclass(frozen=True, slots=True, kw_only=True)
class Summed:
    """Requests of one endpoint over a window. `figures` by the names of REQUEST_FIGURES; `rungs` by duration."""

    endpoint: Endpoint
    target_ms: float
    figures: Mapping[str, float]
    rungs: Vector
    versions: Mapping[str, tuple[float, float]]  # requests and ms of each
    hosts: Mapping[str, tuple[float, float]]

    def quantile(self, share: float) -> float:
        """Of the durations, ms."""
        return rungs_quantile(self.rungs, share)

    @property
    def satisfaction(self) -> float:
        """Between 0 and 1; NaN of no request."""
        return satisfaction(self.figures["satisfied"], self.figures["tolerated"], self.figures["requests"])


def touched(window: Window) -> tuple[int, int]:
    """The minutes that a window touches: start of the first, end of the last."""
    return window.start // MINUTE_MS * MINUTE_MS, -(-window.end // MINUTE_MS) * MINUTE_MS


def _spans(window: Window) -> Q:
    """The sums that a window is put together of."""
    found = Q()
    for length, start, end in _pieces(window):
        found |= Q(length_ms=length, at_ms__gte=start, at_ms__lt=end)
    return found


def _pieces(window: Window) -> list[tuple[int, int, int]]:
    """Length of the sums, start and end: whole hours as such, what they leave as ten minutes, what those leave as minutes."""
    found, left = list[tuple[int, int, int]](), [touched(window)]
    for length in sorted(LENGTHS_MS, reverse=True):
        rest = []
        for start, end in left:
            first, last = -(-start // length) * length, end // length * length
            if first >= last:
                rest.append((start, end))
                continue
            found.append((length, first, last))
            rest += [(a, b) for a, b in ((start, first), (last, end)) if a < b]
        left = rest
    return found


def summed(server_id: int, window: Window, only: Only) -> list[Summed]:
    """Endpoints with any request in the window, those that took most time first; by attributes they are estimates."""
    origins = only.origins(server_id)
    if only.attributes:
        start, end = touched(window)
        kept = only.kept(server_id, Window(start=EpochMs(start), end=EpochMs(end)))
        rows = sums_of_kept(kept, targets(server_id, origins.values()))
    else:
        rows = read_request_sums(server_id, _pieces(window), None if only.is_all else origins)
    figures, rungs = {row.origin: row.figures for row in rows}, {row.origin: row.rungs for row in rows}
    by_endpoint = defaultdict[int, list[int]](list)
    for origin in figures:
        if origin in origins:  # another may have come since they were read
            by_endpoint[origins[origin].endpoint_id].append(origin)
    default = default_target(server_id)
    found = [
        _summed([origins[o] for o in mine], figures, rungs, default)
        for mine in by_endpoint.values()
        if sum(figures[o][0] for o in mine) > 0
    ]
    return sorted(found, key=lambda one: (-one.figures["time_ms"], one.endpoint.name))


def _summed(
    mine: Sequence[Origin], figures: Mapping[int, Vector], rungs: Mapping[int, Vector], default: float
) -> Summed:
    endpoint = mine[0].endpoint
    return Summed(
        endpoint=endpoint,
        target_ms=endpoint.target_ms or default,
        figures=by_name(REQUEST_FIGURES, sum(figures[o.pk] for o in mine)),  # type: ignore[arg-type]
        rungs=np.sum([rungs[o.pk] for o in mine], axis=0),
        versions=_parts(mine, figures, "version"),
        hosts=_parts(mine, figures, "host"),
    )


def _parts(mine: Sequence[Origin], figures: Mapping[int, Vector], name: str) -> dict[str, tuple[float, float]]:
    found: dict[str, tuple[float, float]] = {}
    for one in mine:
        many, ms = found.get(getattr(one, name), (0.0, 0.0))
        vector = figures[one.pk]
        found[getattr(one, name)] = (many + float(vector[_AT["requests"]]), ms + float(vector[_AT["time_ms"]]))
    return found


def targets(server_id: int, origins: Iterable[Origin]) -> dict[int, float]:
    """The target of each origin's endpoint, ms."""
    default = default_target(server_id)
    return {one.pk: one.endpoint.target_ms or default for one in origins}


def default_target(server_id: int) -> float:
    """The target of endpoints that have none of their own, ms: that of the strictest source."""
    targets = TraceSource.objects.filter(server_id=server_id).values_list("target_ms", flat=True)
    return min(targets, default=500.0)


def findings_of(server_id: int, window: Window, rows: Sequence[Summed], only: Only) -> dict[int, list[EndpointFinding]]:
    """What is found of each endpoint, by its number."""
    ids = [one.endpoint.pk for one in rows]
    repeated = repeated_by_endpoint(server_id, window, only)
    asking = {one.endpoint.pk for one in rows if one.figures["with_cache"] > CACHE_AFTER * one.figures["requests"]}
    asked = _asked(server_id, window, only, asking)
    asked |= _asked(server_id, _reaching_back(window), only, {*ids} - asking)
    singles = _singles(server_id, window, ids)
    found = {}
    for one in rows:
        facts = Facts(
            requests=one.figures["requests"],
            time_ms=one.figures["time_ms"],
            layers={layer: one.figures[f"{layer.value}_ms"] for layer in LAYERS},
            with_repeats=one.figures["with_repeats"],
            repeated={told.statement.text: (told.figures["repeated_runs"], told.figures["repeated_ms"])
                      for told in repeated.get(one.endpoint.pk, ())},
            asked=asked.get(one.endpoint.pk, []),
            versions={name: value for name, value in one.versions.items() if name},
            singles=singles.get(one.endpoint.pk, ()),
        )  # fmt: skip
        found[one.endpoint.pk] = findings(facts)
    return found


def _reaching_back(window: Window) -> Window:
    """The window and the time before it: where no cache is asked now, the change may lie before the window."""
    if window.length_ms > MINUTES_UP_TO_MS:
        return window
    return Window(start=EpochMs(window.start - REACH_BACK_MS), end=window.end)


def _asked(
    server_id: int, window: Window, only: Only, endpoints: Collection[int]
) -> dict[int, list[tuple[float, float, float]]]:
    """By endpoint: requests that did not fail, and those that asked a cache, minute by minute, of a long window hour by hour.

    One that failed, say while it waited for a connection, may not have come so far as to ask.
    """
    if not endpoints:
        return {}
    start, end = touched(window)
    query = (
        "SELECT o.endpoint_id, s.at_ms, sum(s.figures[%s] - s.figures[%s]), sum(s.figures[%s]) FROM requests_requestsum s "
        "JOIN requests_origin o ON o.id = s.origin_id "
        "WHERE s.server_id = %s AND s.length_ms = %s AND s.at_ms >= %s AND s.at_ms < %s AND s.origin_id = ANY(%s) "
        "GROUP BY 1, 2 ORDER BY 1, 2"
    )
    length = MINUTE_MS if end - start <= MINUTES_UP_TO_MS + REACH_BACK_MS else MS_PER_HOUR
    places = (_AT["requests"] + 1, _AT["errors"] + 1, _AT["with_cache"] + 1)
    found = defaultdict[int, list[tuple[float, float, float]]](list)
    origins = [one.pk for one in only.origins(server_id).values() if one.endpoint_id in endpoints]
    with connection.cursor() as cursor:
        cursor.execute(query, [*places, server_id, length, start, end, origins])
        for endpoint, at, many, with_cache in cursor.fetchall():
            if many > 0:
                found[endpoint].append((at, many, min(with_cache, many)))
    return found


def _singles(server_id: int, window: Window, endpoints: Collection[int]) -> dict[int, list[Single]]:
    rows = Only().kept(server_id, window).filter(origin__endpoint_id__in=endpoints)
    found = defaultdict[int, list[Single]](list)
    newest = rows.order_by("-at_ms")[: SINGLES_FOR_FINDINGS * 4]
    for endpoint, ms, attributes, weight in newest.values_list(
        "origin__endpoint_id", "duration_ms", "attributes", "weight"
    ):
        if len(found[endpoint]) < SINGLES_FOR_FINDINGS:
            found[endpoint].append(Single(duration_ms=ms, attributes=attributes, weight=weight))
    return found


@dataclass(frozen=True, slots=True, kw_only=True)
class StatementUse:
    """What an endpoint's requests ran of a statement over a window. `figures` by the names of STATEMENT_FIGURES."""

    endpoint: Endpoint
    statement: RequestStatement
    figures: Mapping[str, float]


def statements(server_id: int, window: Window, only: Only, among: Collection[int] | None = None) -> list[StatementUse]:
    """By endpoint and statement, those that took most time first; `among` are numbers of statements, None: all."""
    rows = StatementSum.objects.filter(_spans(window), server_id=server_id)
    if among is not None:
        rows = rows.filter(statement_id__in=among)
    return _uses(server_id, rows, only)


def repeated_by_endpoint(server_id: int, window: Window, only: Only) -> dict[int, list[StatementUse]]:
    """Statements that were repeated within requests, by endpoint."""
    found = defaultdict[int, list[StatementUse]](list)
    for one in statements(server_id, window, only):
        if one.figures["repeated_runs"] > 0:
            found[one.endpoint.pk].append(one)
    return found


def _uses(server_id: int, rows: Any, only: Only) -> list[StatementUse]:
    origins = only.origins(server_id)
    sums: dict[tuple[int, int], Vector] = defaultdict(lambda: np.zeros(len(STATEMENT_FIGURES)))
    ends = {one.endpoint_id: one.endpoint for one in origins.values()}
    for origin, statement, vector in rows.values_list("origin_id", "statement_id", "figures"):
        if origin in origins:
            sums[origins[origin].endpoint_id, statement] += vector
    known = RequestStatement.objects.in_bulk([statement for _, statement in sums])
    found = [
        StatementUse(endpoint=ends[e], statement=known[s], figures=by_name(STATEMENT_FIGURES, vector))
        for (e, s), vector in sums.items()
        if s in known and vector[0] > 0
    ]
    return sorted(found, key=lambda one: -one.figures["time_ms"])


@dataclass(frozen=True, slots=True, kw_only=True)
class CallUse:
    """What an endpoint's requests asked of somebody outside over a window. `figures` by the names of CALL_FIGURES."""

    endpoint: Endpoint
    callee: Callee
    figures: Mapping[str, float]


def calls(server_id: int, window: Window, only: Only) -> list[CallUse]:
    """By endpoint and callee, those that took most time first."""
    origins = only.origins(server_id)
    ends = {one.endpoint_id: one.endpoint for one in origins.values()}
    sums: dict[tuple[int, int], Vector] = defaultdict(lambda: np.zeros(len(CALL_FIGURES)))
    rows = CallSum.objects.filter(_spans(window), server_id=server_id)
    for origin, callee, vector in rows.values_list("origin_id", "callee_id", "figures"):
        if origin in origins:
            sums[origins[origin].endpoint_id, callee] += vector
    known = Callee.objects.in_bulk([callee for _, callee in sums])
    found = [
        CallUse(endpoint=ends[e], callee=known[c], figures=by_name(CALL_FIGURES, vector))
        for (e, c), vector in sums.items()
        if c in known and vector[0] > 0
    ]
    return sorted(found, key=lambda one: -one.figures["time_ms"])


def over_time(server_id: int, buckets: Buckets, only: Only) -> Vector:
    """Requests, errors and layers of all that fit, a row of REQUEST_FIGURES for each bucket of a minute or more."""
    end = buckets.start + buckets.count * buckets.width_ms
    if only.attributes:
        rows = only.kept(server_id, Window(start=EpochMs(buckets.start), end=EpochMs(end)))
        return series_of_kept(rows, buckets)
    length = max(one for one in LENGTHS_MS if buckets.width_ms % one == 0)
    wanted = sorted({_AT["requests"], _AT["errors"], *LAYER_COLUMNS.values()})
    sums = ", ".join(f"sum(figures[{i + 1}])" for i in wanted)
    found = np.zeros((buckets.count, len(REQUEST_FIGURES)))
    with connection.cursor() as cursor:
        cursor.execute(
            f"SELECT (at_ms - %s) / %s, {sums} FROM requests_requestsum "
            "WHERE server_id = %s AND length_ms = %s AND at_ms >= %s AND at_ms < %s AND origin_id = ANY(%s) GROUP BY 1",
            [buckets.start, buckets.width_ms, server_id, length, buckets.start, end, list(only.origins(server_id))],
        )
        for at, *vector in cursor.fetchall():
            found[int(at), wanted] = vector
    return found


def in_blocks(server_id: int, buckets: Buckets) -> dict[int, Vector]:
    """By endpoint its requests and their ms in each bucket of a minute or more, (buckets, 2)."""
    end, length = (
        buckets.start + buckets.count * buckets.width_ms,
        max(n for n in LENGTHS_MS if buckets.width_ms % n == 0),
    )
    wanted = [_AT["requests"], _AT["time_ms"]]
    rows = RequestSum.objects.filter(
        server_id=server_id, length_ms=length, at_ms__gte=buckets.start, at_ms__lt=end
    ).values_list("origin__endpoint_id", "at_ms", "figures")  # fmt: skip
    found: dict[int, Vector] = {}
    for endpoint_id, at_ms, vector in rows:
        mine = found.setdefault(endpoint_id, np.zeros((buckets.count, 2)))
        mine[(at_ms - buckets.start) // buckets.width_ms] += np.asarray(vector)[wanted]
    return found


def repeats_over_time(
    server_id: int, buckets: Buckets, only: Only, among: Collection[int]
) -> dict[tuple[int, int], list[float | None]]:
    """By endpoint and statement, how often a request that repeats it runs it, in each bucket; None where none did."""
    end = buckets.start + buckets.count * buckets.width_ms
    length = max(one for one in LENGTHS_MS if buckets.width_ms % one == 0)
    at = {name: i for i, name in enumerate(STATEMENT_FIGURES)}
    origins = only.origins(server_id)
    rows = StatementSum.objects.filter(
        server_id=server_id, length_ms=length, at_ms__gte=buckets.start, at_ms__lt=end, statement_id__in=among,
        origin_id__in=list(origins),
    )  # fmt: skip
    sums: dict[tuple[int, int], Vector] = defaultdict(lambda: np.zeros((buckets.count, 2)))
    for origin, statement, at_ms, vector in rows.values_list("origin_id", "statement_id", "at_ms", "figures"):
        bucket = (at_ms - buckets.start) // buckets.width_ms
        sums[origins[origin].endpoint_id, statement][bucket] += (
            vector[at["repeated_runs"]],
            vector[at["repeated_requests"]],
        )
    return {
        key: [float(runs / many) if many > 0 else None for runs, many in found.tolist()] for key, found in sums.items()
    }


def endpoint(server_id: int, endpoint_id: int) -> Endpoint:
    """Raises NotFound."""
    found = Endpoint.objects.filter(server_id=server_id, pk=endpoint_id).first()
    if found is None:
        raise NotFound(f"server {server_id} has no endpoint {endpoint_id}")
    return found


class NamedEndpoint(NamedTuple):
    """An endpoint as far as it is needed to name it."""

    id: int
    service: str
    name: str


def endpoints_by_value(server_id: int) -> dict[str, NamedEndpoint]:
    """All endpoints of a server, by the value that samples have of them (see `endpoint_value`)."""
    rows = Endpoint.objects.filter(server_id=server_id).values_list(*NamedEndpoint._fields)
    return {endpoint_value(one.service, one.name): one for one in map(NamedEndpoint._make, rows)}


def endpoint_named(server_id: int, request: Request) -> Endpoint | None:
    """The endpoint of a request; None where its sums were never written."""
    rows = Endpoint.objects.filter(server_id=server_id, service=request.top.service, kind=request.kind)
    return rows.filter(name=request.endpoint).first()


def choices(origins: Iterable[Origin]) -> dict[str, list[str]]:
    """Services, versions and hosts of origins."""
    rows = [(one.endpoint.service, one.version, one.host) for one in origins]
    return {
        name: sorted({row[i] for row in rows if row[i]}) for i, name in enumerate(("service", "version", "host"))
    }  # fmt: skip


def newest_ms(server_id: int) -> int | None:
    """The newest minute with a request; None where there never was one."""
    rows = RequestSum.objects.filter(server_id=server_id, length_ms=MINUTE_MS)
    return rows.order_by("-at_ms").values_list("at_ms", flat=True).first()


def repeats_told(
    server_id: int, uses: Sequence[StatementUse], window: Window
) -> dict[tuple[int, int], tuple[str, str]]:
    """Where in the code repeated statements come from, and after which other one, as the newest kept requests tell; by
    endpoint and statement. Empty texts: they do not tell."""
    wanted = {one.endpoint.pk for one in uses}
    rows = KeptRequest.objects.filter(
        server_id=server_id, at_ms__gte=window.start, at_ms__lt=window.end, origin__endpoint_id__in=wanted
    ).exclude(repeated=[])
    found: dict[tuple[int, int], tuple[str, int | None]] = {}
    newest = rows.order_by("-at_ms").values_list("origin__endpoint_id", "repeated")[:TOLD_BY]
    for endpoint_id, repeated in newest:
        for one in repeated:
            found.setdefault((endpoint_id, one["statement"]), (one["code"] or "", one["after"]))
    texts = RequestStatement.objects.in_bulk({after for _, after in found.values() if after})
    return {
        key: (code, texts[after].text if after in texts else "") for key, (code, after) in found.items()
    }  # fmt: skip
