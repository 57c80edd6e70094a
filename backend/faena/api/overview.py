"""Several servers at once: groups and their nodes, load and indicators of all of them."""

from typing import Annotated

import numpy as np
from django.http import HttpRequest
from ninja import Query, Router

from faena.api.figures import number, rounded
from faena.api.out import Out
from faena.api.parameters import WindowIn, now_ms
from faena.api.standing import seen_by
from faena.apps.answers import groups
from faena.apps.answers.indicators import UNITS, Indicator, Reader, Reading
from faena.apps.samples.selectors import LoadAnswer
from faena.apps.servers import selectors as servers
from faena.apps.statements import selectors as statements
from faena.core.answers.change import Change
from faena.core.errors import BadInput
from faena.core.privacy import Normalised
from faena.core.series.window import cut
from faena.core.sql.texts import gist

router = Router(tags=["overview"])
MAX_SERVERS = 60
MINUTE_MS = 60_000
DEFAULT_INDICATORS = (Indicator.CPU, Indicator.CALLS, Indicator.DISK_LATENCY)
SHOWN_STATEMENTS = 12


class ChangeOut(Out):
    """How far a figure is from what it was.

    `difference` in the indicator's unit, `ratio` now to then; null where either is not known.
    """

    difference: float | None
    ratio: float | None


class CellOut(Out):
    server: int
    values: list[float | None]
    mean: float | None
    latest: float | None
    yesterday: ChangeOut
    last_week: ChangeOut


class IndicatorOut(Out):
    """One indicator of several servers. `unit`: sessions, per_s, share, ms, bytes, bytes_per_s or count."""

    name: str
    label: str
    unit: str
    cells: list[CellOut]


class NamedOut(Out):
    id: int
    name: str
    group: str


class KindLoadOut(Out):
    key: str
    sessions: list[float | None]


class ServerLoadOut(Out):
    """Load of a server by wait kind, null where it was not sampled."""

    server: int
    groups: list[KindLoadOut]


class IndicatorsOut(Out):
    """Values are per bucket, null where nothing was read."""

    start: int
    end: int
    bucket_ms: int
    starts: list[int]
    servers: list[NamedOut]
    loads: list[ServerLoadOut]
    indicators: list[IndicatorOut]


@router.get("/indicators", response=IndicatorsOut, operation_id="indicators_get")
def get_indicators(
    request: HttpRequest,
    window_in: Query[WindowIn],
    server: Annotated[list[int] | None, Query(description="all servers when none is named; may be repeated")] = None,
    name: Annotated[
        list[Indicator] | None, Query(description="CPU, executions and disk latency when none is named")
    ] = None,
    buckets: Annotated[int, Query(ge=10, le=400)] = 60,
) -> IndicatorsOut:
    """Load and indicators of several servers over a window, with the change against yesterday and a week ago."""
    now = now_ms()
    window = window_in.window(now)
    found = servers.all_servers(seen_by(request)) if not server else [servers.server(one) for one in server]
    if len(found) > MAX_SERVERS:
        raise BadInput(f"at most {MAX_SERVERS} servers at a time; name some", field="server")
    cells, readers = cut(window, at_most=buckets, period_ms=MINUTE_MS), {one.pk: Reader(one, now) for one in found}
    return IndicatorsOut(
        start=window.start,
        end=window.end,
        bucket_ms=cells.width_ms,
        starts=cells.starts(),
        servers=[NamedOut(id=one.id, name=one.name, group=one.group) for one in found],
        loads=[_load(one.pk, readers[one.pk].load(cells)) for one in found],
        indicators=[
            IndicatorOut(
                name=one,
                label=one.label,
                unit=UNITS[one],
                cells=[_cell(s.id, readers[s.pk].read(one, cells)) for s in found],
            )
            for one in (name or DEFAULT_INDICATORS)
        ],
    )


def _load(server_id: int, found: LoadAnswer) -> ServerLoadOut:
    rows = zip(found.series.groups, found.series.sessions(), strict=True)
    return ServerLoadOut(
        server=server_id, groups=[KindLoadOut(key=key, sessions=rounded(values)) for key, values in rows]
    )


class NodeStatementOut(Out):
    calls: float
    mean_ms: float | None


class NodeOut(Out):
    """One server of a group. `share` of the group's load; `lag_ms` the largest in the window, null on a primary."""

    id: int
    name: str
    role: str
    cores: int | None
    load: float | None
    share: float | None
    bucket_ms: int
    starts: list[int]
    groups: list[KindLoadOut]
    lag_ms: float | None
    lag: list[float | None]
    lag_starts: list[int]
    lag_bucket_ms: int
    conflicts: float | None


class SharedStatementOut(Out):
    """One statement on each node, in the order of the nodes; null where it did not run. `spread`: slowest to fastest."""

    query_id: str
    label: str
    total_ms: float
    nodes: list[NodeStatementOut | None]
    spread: float | None


class ServerGroupOut(Out):
    name: str
    start: int
    end: int
    now: int
    nodes: list[NodeOut]
    statements: list[SharedStatementOut]


@router.get("/groups/{name}", response=ServerGroupOut, operation_id="groups_get")
def get_group(request: HttpRequest, name: str, window_in: Query[WindowIn]) -> ServerGroupOut:
    """The nodes of a group over a window: load and its balance, replay lag, conflicts, and statements node by node."""
    now = now_ms()
    window = window_in.window(now)
    nodes = [groups.node(one, window, now) for one in groups.members(name, seen_by(request))]
    loads = [_mean_load(one) for one in nodes]
    whole = sum(load or 0.0 for load in loads)
    return ServerGroupOut(
        name=name,
        start=window.start,
        end=window.end,
        now=now,
        nodes=[_node(one, load, whole) for one, load in zip(nodes, loads, strict=True)],
        statements=_shared(nodes),
    )


def _mean_load(node: groups.Node) -> float | None:
    ticks = int(node.load.unpicked.ticks.sum())
    return float(node.load.unpicked.seen.sum()) / ticks if ticks else None


def _node(node: groups.Node, load: float | None, whole: float) -> NodeOut:
    server, series = node.server, node.load.series
    return NodeOut(
        id=server.id,
        name=server.name,
        role="replica" if groups.is_replica(server) else "primary",
        cores=server.cores,
        load=load,
        share=load / whole if load is not None and whole else None,
        bucket_ms=node.load.buckets.width_ms,
        starts=node.load.buckets.starts(),
        groups=[
            KindLoadOut(key=key, sessions=rounded(row))
            for key, row in zip(series.groups, series.sessions(), strict=True)
        ],
        lag_ms=node.lag_ms,
        lag=node.lag_series,
        lag_starts=node.lag_starts,
        lag_bucket_ms=node.lag_bucket_ms,
        conflicts=node.conflicts,
    )


def _shared(nodes: list[groups.Node]) -> list[SharedStatementOut]:
    """Statements that took most over all nodes."""
    totals: dict[int, float] = {}
    for node in nodes:
        for query_id, one in node.figures.items():
            totals[query_id] = totals.get(query_id, 0.0) + one.total_ms
    top = sorted(totals, key=lambda i: -totals[i])[:SHOWN_STATEMENTS]
    texts: dict[int, Normalised] = {}
    for node in nodes:
        texts |= {i: text.text for i, text in statements.texts(node.server.id, top).items()}
    found = []
    for query_id in top:
        figures = [node.figures.get(query_id) for node in nodes]
        means = [one.mean_ms for one in figures if one is not None and one.mean_ms]
        found.append(
            SharedStatementOut(
                query_id=str(query_id),
                label=gist(texts[query_id], 120) if query_id in texts else f"statement {query_id}",
                total_ms=totals[query_id],
                nodes=[None if f is None else NodeStatementOut(calls=f.calls, mean_ms=f.mean_ms) for f in figures],
                spread=max(means) / min(means) if len(means) > 1 else None,
            )
        )
    return found


def _cell(server_id: int, reading: Reading) -> CellOut:
    known = reading.values[~np.isnan(reading.values)]
    return CellOut(
        server=server_id,
        values=rounded(reading.values),
        mean=number(reading.mean),
        latest=float(known[-1]) if len(known) else None,
        yesterday=_change(reading.yesterday),
        last_week=_change(reading.last_week),
    )


def _change(one: Change) -> ChangeOut:
    return ChangeOut(difference=one.difference, ratio=one.ratio)
