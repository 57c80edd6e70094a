"""What is found of an endpoint, from whatever is known of its requests: each of them, or their sums and some singly kept."""

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from itertools import pairwise
from math import ceil

from faena.core.labels import Labelled
from faena.core.numbers import took
from faena.core.requests.layers import Layer
from faena.core.requests.request import Request
from faena.core.requests.span import Value
from faena.core.requests.sums import asks_cache

MIN_REQUESTS = 3  # of an endpoint, before anything but a repeated statement is told of it
REPEATED_REQUESTS, REPEATED_TIME = 0.5, 0.2  # shares of an endpoint's requests and time
CACHE_SIDE, CACHE_STRETCH = 5, 40  # requests on either side: of all that is known, or of a stretch within it
CACHE_ALIKE = 4  # so many times as many ask it before as do not, and the other way round since
CACHE_AFTER = 1 / (1 + CACHE_ALIKE)  # the share that may ask it since
VERSION_SIDE, VERSION_TIMES = 5, 2.0
TAIL_REQUESTS, TAIL_WITH, TAIL_WITHOUT, TAIL_TIMES, TAIL_SHARE, TAIL_OF = 20, 3, 10, 3.0, 0.05, 0.5
VERSION = "service.version"


class Found(Labelled):
    """What can be found of an endpoint."""

    REPEATED_STATEMENT = "repeated_statement", "repeated statement"
    EXTERNAL_LAYER = "external_layer", "slow external calls"
    CACHE_MISSING = "cache_missing", "cache no longer asked"
    SLOW_TAIL = "slow_tail", "slow few"
    OWN_CODE = "own_code", "own code"
    DATABASE_BOUND = "database_bound", "database"
    QUEUE_WAIT = "queue_wait", "waiting for a connection"
    VERSION_SLOW = "version_slow", "slow version"


@dataclass(frozen=True, slots=True, kw_only=True)
class EndpointFinding:
    """`attribute` is key=value where requests with it stand out."""

    kind: Found
    detail: str
    attribute: str | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Single:
    """One request that is known by itself; it stands for `weight` requests."""

    duration_ms: float
    attributes: Mapping[str, Value]  # of its topmost span and of what made it
    weight: float = 1.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Facts:
    """Of all requests of one endpoint. `repeated` is runs and ms by statement, of those that were repeated in a request.

    `asked` is requests and those with a cache span at each moment (ms), in order; `versions` requests and ms of each.
    """

    requests: float
    time_ms: float
    layers: Mapping[Layer, float]
    with_repeats: float
    repeated: Mapping[str, tuple[float, float]]
    asked: Sequence[tuple[float, float, float]]
    versions: Mapping[str, tuple[float, float]]
    singles: Sequence[Single] = field(default_factory=tuple)


def facts_of(requests: Sequence[Request]) -> Facts:
    """From each request of an endpoint."""
    repeated: dict[str, tuple[float, float]] = {}
    versions: dict[str, tuple[float, float]] = {}
    for one in requests:
        for told in one.repeated:
            count, ms = repeated.get(told.statement, (0.0, 0.0))
            repeated[told.statement] = (count + told.count, ms + told.time_ms)
        version = one.top.resource.get(VERSION)
        if isinstance(version, str | int | float | bool):
            many, ms = versions.get(written(version), (0.0, 0.0))
            versions[written(version)] = (many + 1, ms + one.duration_ms)
    ordered = sorted(requests, key=lambda one: (one.top.start, one.trace))
    return Facts(
        requests=len(requests),
        time_ms=sum(one.duration_ms for one in requests),
        layers={layer: sum(one.layers[layer] for one in requests) for layer in Layer},
        with_repeats=sum(bool(one.repeated) for one in requests),
        repeated=repeated,
        asked=[
            (one.top.start, 1.0, float(any(asks_cache(span) for span in one.spans)))
            for one in ordered
            if not one.error  # else it may not have come so far as to ask
        ],
        versions=versions,
        singles=[
            Single(duration_ms=one.duration_ms, attributes={**one.top.resource, **one.top.attributes})
            for one in requests
        ],
    )


def findings(facts: Facts) -> list[EndpointFinding]:
    """What is found of the requests of one endpoint, in the order of RULES."""
    found = [one for rule in RULES for one in rule(facts)]
    kinds = {one.kind for one in found}
    # What two rules tell of the same requests is told by the one that says why.
    hidden = {Found.SLOW_TAIL} if Found.VERSION_SLOW in kinds else set()
    hidden |= {Found.DATABASE_BOUND} if Found.REPEATED_STATEMENT in kinds else set()
    return [one for one in found if one.kind not in hidden]


def repeated_statement(facts: Facts) -> Iterator[EndpointFinding]:
    """Half of the requests run a statement again and again, and that takes a fifth of the time."""
    spent = sum(ms for _, ms in facts.repeated.values())
    if not facts.with_repeats or facts.with_repeats < REPEATED_REQUESTS * facts.requests or not facts.repeated:
        return
    if spent < REPEATED_TIME * facts.time_ms:
        return
    text, (count, ms) = max(facts.repeated.items(), key=lambda item: (item[1][1], item[0]))
    each = count / facts.with_repeats
    yield EndpointFinding(kind=Found.REPEATED_STATEMENT, detail=f"{each:.0f} runs a request, {took(ms)} in all: {text}")


@dataclass(frozen=True, slots=True, kw_only=True)
class LayerRule:
    """A layer takes at least this share of an endpoint's time, and at least so many milliseconds a request."""

    kind: Found
    layer: Layer
    share: float
    least_ms: float

    def __call__(self, facts: Facts) -> Iterator[EndpointFinding]:
        spent = facts.layers[self.layer]
        if facts.requests < MIN_REQUESTS or spent < self.share * facts.time_ms or not facts.time_ms:
            return
        each = spent / facts.requests
        if each >= self.least_ms:
            detail = f"{spent / facts.time_ms:.0%} of its time, {took(each)} a request"
            yield EndpointFinding(kind=self.kind, detail=detail)


def cache_missing(facts: Facts) -> Iterator[EndpointFinding]:
    """From some moment on a cache is not asked any more that was asked before."""
    asked = [(many, with_cache) for _, many, with_cache in facts.asked]
    before = _stretches(asked)
    since = _stretches([(many, many - with_cache) for many, with_cache in reversed(asked)])[::-1]
    best: tuple[float, str] | None = None
    for ((at, *_), (after, *_)), one, other in zip(pairwise(facts.asked), before, since[1:], strict=False):
        if one is None or other is None or after == at:
            continue
        (left, asking), (right, not_asking) = one, other
        fell = asking / left - (right - not_asking) / right
        if best is None or fell >= best[0]:
            detail = f"{asking:.0f} of {left:.0f} requests asked a cache before, {right - not_asking:.0f} of {right:.0f} since"
            best = (fell, detail)
    if best:
        yield EndpointFinding(kind=Found.CACHE_MISSING, detail=best[1])


def _stretches(moments: Sequence[tuple[float, float]]) -> list[tuple[float, float] | None]:
    """For each moment those up to it in which nearly all requests did the same; None where they did not.

    `moments` are requests and how many of them did it; so is what is given. That is all of them from the first on, else
    the last stretch: it begins where what is more than CACHE_ALIKE asks for is the most (a cumulative sum, as in
    Page, Continuous inspection schemes, 1954), and counts when it is long enough not to be chance.
    """
    sums = [(0.0, 0.0)]
    found: list[tuple[float, float] | None] = []
    begun, tried = 0, 0
    for many, alike in moments:
        sums.append((sums[-1][0] + many, sums[-1][1] + alike))
        while tried < len(sums) - 1 and sums[-1][0] - sums[tried][0] >= CACHE_STRETCH:
            begun = tried if _above(sums[tried]) <= _above(sums[begun]) else begun
            tried += 1
        if sums[-1][0] >= CACHE_SIDE and _above(sums[-1]) >= 0:
            found.append(sums[-1])
        elif tried and _above(sums[-1]) >= _above(sums[begun]):
            found.append((sums[-1][0] - sums[begun][0], sums[-1][1] - sums[begun][1]))
        else:
            found.append(None)
    return found


def _above(sums: tuple[float, float]) -> float:
    """How many more did it than have to for those that did not; exact for whole numbers."""
    return sums[1] - CACHE_ALIKE * (sums[0] - sums[1])


def version_slow(facts: Facts) -> Iterator[EndpointFinding]:
    """The requests of one version take twice as long as those of the others."""
    for version, (many, ms) in sorted(facts.versions.items()):
        others, rest = facts.requests - many, facts.time_ms - ms
        if many < VERSION_SIDE or others < VERSION_SIDE or rest <= 0:
            continue
        times = (ms / many) / (rest / others)
        if times >= VERSION_TIMES:
            detail = f"{times:.1f} times as long as other versions"
            yield EndpointFinding(kind=Found.VERSION_SLOW, detail=detail, attribute=f"{VERSION}={version}")


def slow_tail(facts: Facts) -> Iterator[EndpointFinding]:
    """The slowest have an attribute in common that few of the others have."""
    whole = sum(one.weight for one in facts.singles)
    if whole < TAIL_REQUESTS:
        return
    slowest = _slowest(facts.singles, max(1, ceil(TAIL_SHARE * whole)))
    in_tail = sum(slowest)
    time_ms = sum(one.weight * one.duration_ms for one in facts.singles)
    groups: dict[tuple[str, str], list[int]] = {}
    for i, one in enumerate(facts.singles):
        for key, value in one.attributes.items():
            if isinstance(value, str | int | float | bool):
                groups.setdefault((key, written(value)), []).append(i)
    best: tuple[float, EndpointFinding] | None = None
    for key, value in sorted(groups):
        mine = groups[key, value]
        many = sum(facts.singles[i].weight for i in mine)
        ms = sum(facts.singles[i].weight * facts.singles[i].duration_ms for i in mine)
        if len(mine) < TAIL_WITH or whole - many < TAIL_WITHOUT or time_ms - ms <= 0:
            continue
        times = (ms / many) / ((time_ms - ms) / (whole - many))
        part = sum(slowest[i] for i in mine) / in_tail
        if times >= TAIL_TIMES and part >= TAIL_OF and (best is None or times > best[0]):
            detail = f"{times:.1f} times as long as without it, {part:.0%} of the slowest"
            best = (times, EndpointFinding(kind=Found.SLOW_TAIL, detail=detail, attribute=f"{key}={value}"))
    if best:
        yield best[1]


def _slowest(singles: Sequence[Single], most: float) -> list[float]:
    """Of each single how much of its weight is among so many slowest requests."""
    inside = [0.0] * len(singles)
    for i in sorted(range(len(singles)), key=lambda i: -singles[i].duration_ms):
        inside[i] = min(singles[i].weight, most)
        most -= inside[i]
        if most <= 0:
            break
    return inside


def written(value: str | int | float | bool) -> str:
    """An attribute's value as it stands in key=value."""
    return str(value).lower() if isinstance(value, bool) else str(value)


Rule = Callable[[Facts], Iterator[EndpointFinding]]
RULES: tuple[Rule, ...] = (
    repeated_statement,
    LayerRule(kind=Found.EXTERNAL_LAYER, layer=Layer.EXTERNAL, share=0.5, least_ms=20),
    LayerRule(kind=Found.OWN_CODE, layer=Layer.OWN, share=0.6, least_ms=50),
    LayerRule(kind=Found.DATABASE_BOUND, layer=Layer.DATABASE, share=0.6, least_ms=50),
    LayerRule(kind=Found.QUEUE_WAIT, layer=Layer.QUEUE, share=0.3, least_ms=20),
    cache_missing,
    version_slow,
    slow_tail,
)
