"""The statements of a request: how many, which were repeated, where in the code, and after which other one."""

from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass

from faena.core.requests.layers import STATEMENT, Layer
from faena.core.requests.span import NANOSECONDS, Span
from faena.core.requests.texts import is_batch, is_control, normalised
from faena.core.requests.tree import Member, Tree

LEAST_RUNS = 5  # of one statement in one request, from which it counts as repeated


@dataclass(frozen=True, slots=True, kw_only=True)
class Run:
    """One run of a statement: the span it is, its normalised text, whether it is a batch."""

    at: int
    text: str
    batch: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class Repeated:
    """A statement that one request ran again and again. `time_ms` adds up the runs, also those that ran at once."""

    statement: str
    count: int
    time_ms: float
    code: str | None
    after: str | None


def runs(tree: Tree, member: Member, layer: Mapping[int, Layer]) -> list[Run]:
    """Statements of the request, each run once, however many instrumentations saw it."""
    found = [i for i in member.spans if layer[i] is Layer.DATABASE and tree.spans[i].text(*STATEMENT)]
    texts = {i: normalised(tree.spans[i].text(*STATEMENT)) for i in found}
    twice = _seen_twice(tree, member, found, texts)
    return [Run(at=i, text=texts[i], batch=_batch(tree, member, layer, i)) for i in found if i not in twice]


def _seen_twice(tree: Tree, member: Member, found: Sequence[int], texts: Mapping[int, str]) -> set[int]:
    """Spans that lie within another's time, with its text, of another instrumentation, below it or beside it."""
    alike: dict[str, list[int]] = {}
    for i in found:
        alike.setdefault(texts[i], []).append(i)
    dropped: set[int] = set()
    taken: set[int] = set()  # outer ones that stand for an inner one already
    for group in alike.values():
        if len({tree.spans[i].scope for i in group}) < 2:
            continue
        # Inner ones from the outermost inwards, so that each outer one takes the nearest that it can.
        order = sorted(group, key=lambda i: (-tree.spans[i].duration, tree.spans[i].start, tree.spans[i].id))
        rank = {i: n for n, i in enumerate(order)}
        for inner in order:
            for outer in _around(tree, member, inner, group):
                if outer in dropped or outer in taken or rank[outer] > rank[inner]:
                    continue
                dropped.add(inner)
                taken.add(outer)
                break
    return dropped


def _around(tree: Tree, member: Member, inner: int, group: Sequence[int]) -> Iterator[int]:
    """Spans of the group that are above or beside this one, hold it in their time, and come from elsewhere."""
    one, above = tree.spans[inner], set(tree.above(inner))
    for outer in group:
        other = tree.spans[outer]
        if outer == inner or other.scope == one.scope or not other.start <= one.start <= one.end <= other.end:
            continue
        if outer in above or _parent(tree, member, outer) == _parent(tree, member, inner):
            yield outer


def _parent(tree: Tree, member: Member, at: int) -> int:
    return member.top if at in member.adopted else tree.parent[at]


def _batch(tree: Tree, member: Member, layer: Mapping[int, Layer], at: int) -> bool:
    if is_batch(tree.spans[at].text(*STATEMENT)):
        return True
    above = [i for i in tree.above(at) if layer.get(i) is Layer.DATABASE]
    return any(_says_batch(tree.spans[i]) for i in (at, *above))


def _says_batch(span: Span) -> bool:
    size = span.attributes.get("db.operation.batch.size")
    if isinstance(size, int | float) and size >= 2:
        return True
    name = span.name.lower()
    return "batch" in name or "executemany" in name


def repeated(tree: Tree, member: Member, found: Sequence[Run], shift: Mapping[int, int]) -> list[Repeated]:
    """Statements run at least LEAST_RUNS times outside of batches, those that took most first.

    `shift` puts clocks right, ns by span.
    """
    single: dict[str, list[int]] = {}
    for run in found:
        if not run.batch:
            single.setdefault(run.text, []).append(run.at)
    told = [
        Repeated(
            statement=text,
            count=len(spans),
            time_ms=sum(tree.spans[i].duration for i in spans) / NANOSECONDS,
            code=_code(tree, spans),
            after=_after(tree, single, text, shift),
        )
        for text, spans in single.items()
        if len(spans) >= LEAST_RUNS and not is_control(text)
    ]
    return sorted(told, key=lambda one: (-one.time_ms, one.statement))


def _code(tree: Tree, spans: Sequence[int]) -> str | None:
    """Where in the code most of the runs come from."""
    places = Counter(place for i in spans if (place := _place(tree, i)))
    return max(places, key=lambda place: (places[place], place)) if places else None


def _place(tree: Tree, at: int) -> str:
    for i in (at, *tree.above(at)):
        span = tree.spans[i]
        if file := span.text("code.file.path", "code.filepath"):
            line = span.attributes.get("code.line.number", span.attributes.get("code.lineno"))
            name = file.replace("\\", "/").rstrip("/").rpartition("/")[2]
            return f"{name}:{line}" if isinstance(line, int | str) else name
    return ""


def _after(tree: Tree, single: Mapping[str, Sequence[int]], text: str, shift: Mapping[int, int]) -> str | None:
    """The statement run fewer times whose run ended last before the first of these began."""
    first = min(tree.spans[i].start + shift[i] for i in single[text])
    before = [
        (tree.spans[i].end + shift[i], other)
        for other, spans in single.items()
        if len(spans) < len(single[text])
        for i in spans
        if tree.spans[i].end + shift[i] <= first
    ]
    return max(before)[1] if before else None
