"""The statements of a request: how many, which were repeated, where in the code, and after which other one."""

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from faena.core.requests.layers import STATEMENT, Layer
from faena.core.requests.seentwice import seen_twice
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
    said = {i: text for i in member.spans if layer[i] is Layer.DATABASE and (text := tree.spans[i].text(*STATEMENT))}
    texts = {i: normalised(text) for i, text in said.items()}
    twice = seen_twice(tree, member, texts)
    batches = _in_batches(tree, member, layer, said)
    return [Run(at=i, text=texts[i], batch=i in batches) for i in said if i not in twice]


def _in_batches(tree: Tree, member: Member, layer: Mapping[int, Layer], said: Mapping[int, str]) -> set[int]:
    """Spans that are a batch, by what they say of themselves or by their statement, or lie below a database span that is."""
    inside: set[int] = set()
    below: set[int] = set()  # of a batch, however deep
    for i in member.spans:  # parents before their children
        is_one = _says_batch(tree.spans[i]) or is_batch(said.get(i, ""))
        above = tree.parent[i]
        if is_one or above in below:
            inside.add(i)
        if above in below or (is_one and layer[i] is Layer.DATABASE):
            below.add(i)
    return inside


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
    known: dict[int, str] = {}
    told = [
        Repeated(
            statement=text,
            count=len(spans),
            time_ms=sum(tree.spans[i].duration for i in spans) / NANOSECONDS,
            code=_code(tree, spans, known),
            after=_after(tree, single, text, shift),
        )
        for text, spans in single.items()
        if len(spans) >= LEAST_RUNS and not is_control(text)
    ]
    return sorted(told, key=lambda one: (-one.time_ms, one.statement))


def _code(tree: Tree, spans: Sequence[int], known: dict[int, str]) -> str | None:
    """Where in the code most of the runs come from."""
    places = Counter(place for i in spans if (place := _place(tree, i, known)))
    return max(places, key=lambda place: (places[place], place)) if places else None


def _place(tree: Tree, at: int, known: dict[int, str]) -> str:
    """File and line of a span or of the nearest above it; `known` keeps those of spans that were passed on the way."""
    passed, place = [], ""
    for i in (at, *tree.above(at)) if at not in known else (at,):
        if i in known:
            place = known[i]
            break
        passed.append(i)
        if place := _own_place(tree.spans[i]):
            break
    known.update(dict.fromkeys(passed, place))
    return place


def _own_place(span: Span) -> str:
    file = span.text("code.file.path", "code.filepath")
    if not file:
        return ""
    line = span.attributes.get("code.line.number", span.attributes.get("code.lineno"))
    name = file.replace("\\", "/").rstrip("/").rpartition("/")[2]
    return f"{name}:{line}" if isinstance(line, int | str) else name


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
