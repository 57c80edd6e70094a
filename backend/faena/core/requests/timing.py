"""How the time of a request is shared out among its spans, so that the layers add up to its duration."""

from collections.abc import Mapping
from dataclasses import dataclass

from faena.core.requests.layers import Layer
from faena.core.requests.span import NANOSECONDS, SpanKind
from faena.core.requests.tree import NONE, Member, Tree

LATE_NS = NANOSECONDS  # a child that ends this much after its parent, or less, has only been noted late


@dataclass(frozen=True, slots=True, kw_only=True)
class Times:
    """Of each span of a request by its index in the tree: when it was active (start, end), ns; and how far its clock was
    put right, ns. A span that was never active ends where it starts."""

    active: Mapping[int, tuple[int, int]]
    shift: Mapping[int, int]


def times(tree: Tree, member: Member) -> Times:
    """From the top down: clocks put right, children cut to their parents, asynchronous ones let run on."""
    top = tree.spans[member.top]
    shift, active = {member.top: 0}, {member.top: (top.start, top.end)}
    for i in member.spans:
        if i == member.top:
            continue
        above = member.top if i in member.adopted else tree.parent[i]
        shift[i] = shift[above] + _skew(tree, member, i, above)
        start, end = tree.spans[i].start + shift[i], tree.spans[i].end + shift[i]
        begun, over = active[above]
        if end <= over + LATE_NS:
            end = min(end, over)
        start = max(start, begun)
        active[i] = (start, max(start, min(end, top.end)))
    return Times(active=active, shift=shift)


def _skew(tree: Tree, member: Member, at: int, above: int) -> int:
    """How far a child of another service must be moved to lie inside its parent; 0 where most of it lies there already.

    Whatever moved the parent has moved the child along, so that both are compared as they came.
    """
    child, parent = tree.spans[at], tree.spans[above]
    if at in member.adopted or child.service == parent.service:
        return 0
    if child.kind is SpanKind.CONSUMER or parent.kind is SpanKind.PRODUCER:
        return 0
    inside = max(0, min(child.end, parent.end) - max(child.start, parent.start))
    if child.duration - inside <= inside:
        return 0
    if child.duration > parent.duration or child.start < parent.start:
        return parent.start - child.start
    return parent.end - child.end


def shares(
    tree: Tree, member: Member, active: Mapping[int, tuple[int, int]], layer: Mapping[int, Layer]
) -> dict[Layer, float]:
    """Nanoseconds by layer. At each instant time goes, in equal parts, to the active spans with no active one below."""
    sums = dict.fromkeys(Layer, 0.0)
    sweep = _Sweep(tree, member, layer)
    events = sorted(
        [(start, 1, i) for i, (start, end) in active.items() if end > start]
        + [(end, 0, i) for i, (start, end) in active.items() if end > start]
    )
    before = events[0][0] if events else 0
    for at, begins, i in events:
        if at > before:
            sweep.share(at - before, sums)
            before = at
        sweep.turn(i, on=bool(begins))
    return sums


class _Sweep:
    """Which spans are active now, and which of them have no active one below."""

    def __init__(self, tree: Tree, member: Member, layer: Mapping[int, Layer]) -> None:
        self._above = {
            i: member.top if i in member.adopted else (NONE if i == member.top else tree.parent[i])
            for i in member.spans
        }
        self._layer = layer
        self._on: set[int] = set()
        self._busy = dict.fromkeys(member.spans, 0)  # children with anything active in or below them
        self._deepest = dict.fromkeys(Layer, 0)
        self._many = 0

    def turn(self, at: int, *, on: bool) -> None:
        """A span begins or ends to be active."""
        alive = self._alive(at)
        if self._busy[at] == 0:
            self._count(at, 1 if on else -1)
        if on:
            self._on.add(at)
        else:
            self._on.discard(at)
        if alive != self._alive(at):
            self._tell(at, 1 if on else -1)

    def _alive(self, at: int) -> bool:
        return at in self._on or self._busy[at] > 0

    def _tell(self, at: int, by: int) -> None:
        """Ancestors learn that something below them came alive, or that nothing is any more; up to where that changes nothing."""
        while (above := self._above[at]) != NONE:
            before = self._busy[above]
            self._busy[above] += by
            if above in self._on:
                if before == 0 or self._busy[above] == 0:
                    self._count(above, -by)
                return
            if (before > 0) == (self._busy[above] > 0):
                return
            at = above

    def _count(self, at: int, by: int) -> None:
        self._deepest[self._layer[at]] += by
        self._many += by

    def share(self, length: int, sums: dict[Layer, float]) -> None:
        """Give a stretch of time to the spans that are deepest now."""
        for layer, n in self._deepest.items():
            if n:
                sums[layer] += length * n / self._many
