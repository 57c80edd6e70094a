"""Traces as trees, and the requests that begin in them."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from heapq import heappop, heappush

from faena.core.requests.span import Span, SpanKind

NONE = -1  # no parent among the spans of the trace


@dataclass(frozen=True, slots=True, kw_only=True)
class Tree:
    """Spans of one trace. `parent` holds the index of each span's parent or NONE; `unknown` those that name a parent
    which is not there, or whose parent was taken away to break a circle."""

    spans: Sequence[Span]
    parent: Sequence[int]
    unknown: Sequence[bool]
    children: Sequence[Sequence[int]]

    def above(self, at: int) -> Iterator[int]:
        """The ancestors of a span, its parent first."""
        while (at := self.parent[at]) != NONE:
            yield at

    def below(self, at: int, stop: frozenset[int] = frozenset()) -> Iterator[int]:
        """A span and all below it, parents before their children; spans of `stop` and what is below those are left out."""
        waiting = [at]
        while waiting:
            here = waiting.pop()
            yield here
            waiting += [child for child in self.children[here] if child not in stop]


def tree_of(spans: Sequence[Span]) -> Tree:
    """The spans of one trace, each once, in any order."""
    place = {span.id: i for i, span in enumerate(spans)}
    parent = [place.get(span.parent, NONE) if span.parent else NONE for span in spans]
    unknown = [bool(span.parent) and at == NONE for span, at in zip(spans, parent, strict=True)]
    for circle in _circles(parent):
        first = min(circle, key=lambda i: (spans[i].start, -spans[i].duration, spans[i].id))
        parent[first], unknown[first] = NONE, True
    children: list[list[int]] = [[] for _ in spans]
    for i, above in enumerate(parent):
        if above != NONE:
            children[above].append(i)
    return Tree(spans=spans, parent=parent, unknown=unknown, children=children)


def _circles(parent: Sequence[int]) -> list[list[int]]:
    """Spans that are their own ancestors, circle by circle. Each span has one parent, so circles never share one."""
    seen: list[int] = [NONE] * len(parent)  # by which walk a span was first reached
    found = []
    for begun in range(len(parent)):
        at = begun
        while at != NONE and seen[at] == NONE:
            seen[at] = begun
            at = parent[at]
        if at != NONE and seen[at] == begun:
            circle, step = [at], parent[at]
            while step != at:
                circle.append(step)
                step = parent[step]
            found.append(circle)
    return found


@dataclass(frozen=True, slots=True, kw_only=True)
class Member:
    """The spans of one request by index: `top` first, parents before children. Adopted ones count as children of `top`."""

    top: int
    spans: Sequence[int]
    adopted: frozenset[int]


def members(tree: Tree) -> list[Member]:
    """The requests of a trace, in the order of their topmost spans."""
    tops = _tops(tree)
    stop = frozenset(tops)
    adopted: dict[int, list[int]] = {}
    for i, top in _adopted(tree, tops, stop).items():
        adopted.setdefault(top, []).append(i)
    found = []
    for top in tops:
        mine = adopted.get(top, [])
        spans = [*tree.below(top, stop), *(i for root in mine for i in tree.below(root, stop))]
        found.append(Member(top=top, spans=spans, adopted=frozenset(mine)))
    return found


def _tops(tree: Tree) -> list[int]:
    """Where requests begin: at a server's span below no other server or consumer, and where a consumer begins."""
    served = (SpanKind.SERVER, SpanKind.CONSUMER)
    under = _under(tree, served)
    tops = [i for i, span in enumerate(tree.spans) if _begins(tree, i, span, under)]
    if tops or not tree.spans:
        return tops
    roots = [i for i, above in enumerate(tree.parent) if above == NONE]
    sizes = {i: sum(1 for _ in tree.below(i)) for i in roots}
    return [min(roots, key=lambda i: (-sizes[i], -tree.spans[i].duration, tree.spans[i].start, tree.spans[i].id))]


def _begins(tree: Tree, at: int, span: Span, under: Sequence[bool]) -> bool:
    if span.kind is SpanKind.SERVER:
        return not under[at]
    above = tree.parent[at]
    return span.kind is SpanKind.CONSUMER and (above == NONE or tree.spans[above].kind is not SpanKind.CONSUMER)


def _under(tree: Tree, kinds: tuple[SpanKind, ...]) -> list[bool]:
    """Of each span, whether one of these kinds is above it."""
    found = [False] * len(tree.spans)
    for root in (i for i, above in enumerate(tree.parent) if above == NONE):
        for i in tree.below(root):
            above = tree.parent[i]
            found[i] = above != NONE and (found[above] or tree.spans[above].kind in kinds)
    return found


def _adopted(tree: Tree, tops: Sequence[int], stop: frozenset[int]) -> dict[int, int]:
    """Spans whose parent got lost, and the topmost span each is a child of now: within whose time it began."""
    spans = tree.spans
    lost = [i for i, unknown in enumerate(tree.unknown) if unknown and i not in stop]
    lost = [i for i in lost if not any(below in stop for below in tree.below(i))]
    begun = sorted(tops, key=lambda t: (spans[t].start, spans[t].id))
    running: dict[str | None, list[tuple[int, int]]] = {}  # by service and of all; the one that began last comes first
    found, next_top = {}, 0
    for i in sorted(lost, key=lambda i: spans[i].start):
        at = spans[i].start
        while next_top < len(begun) and spans[begun[next_top]].start <= at:
            top = begun[next_top]
            for of in (spans[top].service, None):
                heappush(running.setdefault(of, []), (-next_top, top))
            next_top += 1
        for of in (spans[i].service, None):
            mine = running.get(of, [])
            while mine and spans[mine[0][1]].end < at:
                heappop(mine)
            if mine:
                found[i] = mine[0][1]
                break
    return found
