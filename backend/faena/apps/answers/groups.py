"""Servers that belong together: how load, lag and one statement differ from node to node."""

from dataclasses import dataclass

from faena.apps.samples import selectors as samples
from faena.apps.servers import selectors as servers
from faena.apps.servers import vitals
from faena.apps.servers.models import Server
from faena.apps.servers.sight import Groups, seen
from faena.apps.statements import selectors as statements
from faena.core.errors import NotFound
from faena.core.sampling.dimensions import Dimension
from faena.core.series.window import Window, cut
from faena.core.statements.figures import StatementFigures

VITAL_WIDTH_MS = 60_000


@dataclass(frozen=True, slots=True, kw_only=True)
class Node:
    """One server of a group over a window. `lag_ms` is the largest, `conflicts` the readers cancelled; None: no replica."""

    server: Server
    load: samples.LoadAnswer
    lag_ms: float | None
    lag_series: list[float | None]
    lag_starts: list[int]
    lag_bucket_ms: int
    conflicts: float | None
    figures: dict[int, StatementFigures]


def members(group: str, groups: Groups = None) -> list[Server]:
    """Servers of a group, the primary first. Raises NotFound, also where it is none of the `groups`."""
    found = list(seen(groups).filter(group=group).order_by("name")) if group else []
    if not found:
        raise NotFound(f"there is no group {group!r}; a server's settings name the group it belongs to")
    return sorted(found, key=is_replica)


def is_replica(server: Server) -> bool:
    return bool(server.facts.get("in_recovery"))


def node(server: Server, window: Window, now: int, at_most: int = 120) -> Node:
    """What a node did in a window."""
    load = samples.load(server.id, window, Dimension.KIND, (), at_most=at_most, period_ms=server.period_ms, now=now)
    cells = cut(window, at_most=at_most, period_ms=VITAL_WIDTH_MS)
    rows = vitals.over_time(server.id, cells)
    lags = [row["lag_ms"] for row in rows]
    known = [lag for lag in lags if lag is not None]
    conflicts = sum(row["conflicts"] * cells.width_ms / 1000 for row in rows if row["conflicts"] is not None)
    return Node(
        server=server,
        load=load,
        lag_ms=max(known) if known else None,
        lag_series=lags,
        lag_starts=cells.starts(),
        lag_bucket_ms=cells.width_ms,
        conflicts=conflicts if known else None,
        figures={one.query_id: one for one in statements.figures(server.id, window, without_user=server.username)},
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class StatementNode:
    """A statement on one server of a group. Figures None where no call ended in the window."""

    server_id: int
    name: str
    role: str
    calls: float | None
    share_of_calls: float | None
    ms_per_call: float | None
    reads_per_call: float | None
    rows_per_call: float | None


def statement_nodes(server_id: int, query_id: int, window: Window) -> list[StatementNode]:
    """A statement on every server of its server's group, the primary first; none where it is in no group.

    Raises NotFound.
    """
    server = servers.server(server_id)
    nodes = members(server.group) if server.group else []
    figures = [
        next(iter(statements.figures(node.pk, window, without_user=node.username, query_id=query_id)), None)
        for node in nodes
    ]
    calls = sum(one.calls for one in figures if one)
    return [
        StatementNode(
            server_id=node.pk,
            name=node.name,
            role="replica" if is_replica(node) else "primary",
            calls=one.calls if one else None,
            share_of_calls=one.calls / calls if one and calls else None,
            ms_per_call=one.mean_ms if one else None,
            reads_per_call=one.blocks_read / one.calls if one and one.calls else None,
            rows_per_call=one.rows / one.calls if one and one.calls else None,
        )
        for node, one in zip(nodes, figures, strict=True)
    ]
