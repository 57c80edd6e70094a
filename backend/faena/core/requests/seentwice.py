"""Statements that two instrumentations saw, each with a span of its own: the one inside is not counted."""

from collections.abc import Iterator, Mapping
from itertools import pairwise

from faena.core.requests.tree import NONE, Member, Tree

MOST_LOOKED_AT = 64  # that could be the outer one; a trace made to be slow may have thousands around each


def seen_twice(tree: Tree, member: Member, texts: Mapping[int, str]) -> set[int]:
    """Spans that lie within another's time, with its text, of another instrumentation, below it or beside it.

    `texts` are the normalised statements by span. Each outer span stands for one inner one at most.
    """
    alike: dict[str, list[int]] = {}
    for i, text in texts.items():
        alike.setdefault(text, []).append(i)
    dropped: set[int] = set()
    for group in alike.values():
        if len({tree.spans[i].scope for i in group}) > 1:
            dropped |= _Group(tree, member, group).dropped()
    return dropped


class _Group:
    """Spans of one text. Those that are dropped or stand for another already are passed over ever after."""

    def __init__(self, tree: Tree, member: Member, group: list[int]) -> None:
        self._tree, self._group = tree, group
        inside = set(group)
        # Of each span of the request, the nearest above it that is of the group; then the same from one to the next.
        nearest: dict[int, int] = {}
        for i in member.spans:  # parents before their children
            above = tree.parent[i]
            nearest[i] = above if above in inside else nearest.get(above, NONE)
        self._above = {i: nearest[i] for i in group}
        self._beside: dict[int, int] = {}
        parents = {i: member.top if i in member.adopted else tree.parent[i] for i in group}
        ordered = sorted(group, key=lambda i: (parents[i], tree.spans[i].start, -tree.spans[i].end, tree.spans[i].id))
        for before, here in pairwise(ordered):
            self._beside[here] = before if parents[before] == parents[here] else NONE
        self._beside[ordered[0]] = NONE

    def dropped(self) -> set[int]:
        """From the outermost inwards, so that each inner one finds the nearest that is still free."""
        spans = self._tree.spans
        order = sorted(self._group, key=lambda i: (-spans[i].duration, spans[i].start, spans[i].id))
        rank = {i: n for n, i in enumerate(order)}
        gone: set[int] = set()
        used: set[int] = set()
        for inner in order:
            one = spans[inner]
            for way in (self._above, self._beside):
                outer = next(
                    (
                        other
                        for other in self._free(way, inner, used)
                        if spans[other].scope != one.scope
                        and rank[other] < rank[inner]
                        and spans[other].start <= one.start <= one.end <= spans[other].end
                    ),
                    NONE,
                )
                if outer != NONE:
                    gone.add(inner)
                    used |= {inner, outer}
                    break
        return gone

    def _free(self, way: dict[int, int], at: int, used: set[int]) -> Iterator[int]:
        """Those above (or beside and before) that can still be the outer one, the nearest first."""
        for _ in range(MOST_LOOKED_AT):
            passed = [at]
            other = way[at]
            while other != NONE and other in used:
                passed.append(other)
                other = way[other]
            way.update(dict.fromkeys(passed, other))
            if other == NONE:
                return
            yield other
            at = other
