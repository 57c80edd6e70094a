"""Many requests: endpoints ranked, and what is found of each."""

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from math import ceil

from faena.core.labels import Labelled
from faena.core.requests.layers import CACHES, Layer
from faena.core.requests.request import Request
from faena.core.requests.span import Span, Value

MIN_REQUESTS = 3  # of an endpoint, before anything but a repeated statement is told of it
REPEATED_REQUESTS, REPEATED_TIME = 0.5, 0.2  # shares of an endpoint's requests and time
CACHE_SIDE, CACHE_BEFORE, CACHE_AFTER = 5, 0.8, 0.2  # requests on both sides, and the shares of them that ask a cache
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
class Endpoint:
    """All requests of one endpoint of one service. `findings` in the order of `RULES`."""

    endpoint: str
    service: str
    requests: Sequence[Request]
    findings: Sequence[EndpointFinding]

    @property
    def time_ms(self) -> float:
        return sum(one.duration_ms for one in self.requests)

    @property
    def mean_ms(self) -> float:
        return self.time_ms / len(self.requests)

    @property
    def p95_ms(self) -> float:
        """By nearest rank."""
        ordered = sorted(one.duration_ms for one in self.requests)
        return ordered[ceil(0.95 * len(ordered)) - 1]

    @property
    def errors(self) -> int:
        return sum(one.error for one in self.requests)

    @property
    def layers(self) -> Mapping[Layer, float]:
        return _layers(self.requests)

    @property
    def worst_layer(self) -> Layer:
        """The one that takes most; among equal ones the first by name of the list."""
        found = self.layers
        return max(Layer, key=lambda layer: found[layer])

    @property
    def database_share(self) -> float:
        return self.layers[Layer.DATABASE] / self.time_ms if self.time_ms else 0.0


def endpoints(requests: Sequence[Request]) -> list[Endpoint]:
    """Those that consumed most time first."""
    groups: dict[tuple[str, str], list[Request]] = {}
    for one in requests:
        groups.setdefault((one.endpoint, one.top.service), []).append(one)
    made = [
        Endpoint(endpoint=name, service=service, requests=mine, findings=findings(mine))
        for (name, service), mine in groups.items()
    ]
    return sorted(made, key=lambda one: (-one.time_ms, one.endpoint, one.service))


def findings(requests: Sequence[Request]) -> list[EndpointFinding]:
    """What is found of the requests of one endpoint."""
    found = [one for rule in RULES for one in rule(requests)]
    kinds = {one.kind for one in found}
    # What two rules tell of the same requests is told by the one that says why.
    hidden = {Found.SLOW_TAIL} if Found.VERSION_SLOW in kinds else set()
    hidden |= {Found.DATABASE_BOUND} if Found.REPEATED_STATEMENT in kinds else set()
    return [one for one in found if one.kind not in hidden]


def _layers(requests: Sequence[Request]) -> dict[Layer, float]:
    return {layer: sum(one.layers[layer] for one in requests) for layer in Layer}


def repeated_statement(requests: Sequence[Request]) -> Iterator[EndpointFinding]:
    """Half of the requests run a statement again and again, and that takes a fifth of the time."""
    with_one = [one for one in requests if one.repeated]
    whole = sum(one.duration_ms for one in requests)
    spent = sum(told.time_ms for one in with_one for told in one.repeated)
    if len(with_one) < REPEATED_REQUESTS * len(requests) or spent < REPEATED_TIME * whole or not with_one:
        return
    sums: dict[str, tuple[int, float]] = {}
    for told in (told for one in with_one for told in one.repeated):
        count, ms = sums.get(told.statement, (0, 0.0))
        sums[told.statement] = (count + told.count, ms + told.time_ms)
    text, (count, ms) = max(sums.items(), key=lambda item: (item[1][1], item[0]))
    each = count / len(with_one)
    yield EndpointFinding(
        kind=Found.REPEATED_STATEMENT, detail=f"{each:.0f} runs a request, {ms:.0f} ms in all: {text}"
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class LayerRule:
    """A layer takes at least this share of an endpoint's time, and at least so many milliseconds a request."""

    kind: Found
    layer: Layer
    share: float
    least_ms: float

    def __call__(self, requests: Sequence[Request]) -> Iterator[EndpointFinding]:
        whole, spent = sum(one.duration_ms for one in requests), _layers(requests)[self.layer]
        each = spent / len(requests)
        if len(requests) >= MIN_REQUESTS and spent >= self.share * whole and each >= self.least_ms:
            yield EndpointFinding(kind=self.kind, detail=f"{spent / whole:.0%} of its time, {each:.0f} ms a request")


def cache_missing(requests: Sequence[Request]) -> Iterator[EndpointFinding]:
    """From some moment on a cache is not asked any more that was asked before."""
    ordered = sorted(requests, key=lambda one: (one.top.start, one.trace))
    asked = [any(_is_cache(span) for span in one.spans) for one in ordered]
    total, before = sum(asked), 0
    best: tuple[float, str] | None = None
    for place in range(1, len(ordered)):
        before += asked[place - 1]
        left, right, since = place, len(ordered) - place, total - before
        if left < CACHE_SIDE or right < CACHE_SIDE or ordered[place].top.start == ordered[place - 1].top.start:
            continue
        fell = before / left - since / right
        if before >= CACHE_BEFORE * left and since <= CACHE_AFTER * right and (best is None or fell > best[0]):
            best = (fell, f"{before} of {left} requests asked a cache before, {since} of {right} since")
    if best:
        yield EndpointFinding(kind=Found.CACHE_MISSING, detail=best[1])


def _is_cache(span: Span) -> bool:
    return span.text("db.system.name", "db.system").lower() in CACHES


def version_slow(requests: Sequence[Request]) -> Iterator[EndpointFinding]:
    """The requests of one version take twice as long as those of the others."""
    for version, mine, others in _by_value(requests, lambda one: {VERSION: one.top.resource.get(VERSION)}):
        if len(mine) < VERSION_SIDE or len(others) < VERSION_SIDE:
            continue
        times = _mean(mine) / _mean(others) if _mean(others) else 0.0
        if times >= VERSION_TIMES:
            detail = f"{times:.1f} times as long as other versions"
            yield EndpointFinding(kind=Found.VERSION_SLOW, detail=detail, attribute=f"{version[0]}={version[1]}")


def slow_tail(requests: Sequence[Request]) -> Iterator[EndpointFinding]:
    """The slowest have an attribute in common that few of the others have."""
    if len(requests) < TAIL_REQUESTS:
        return
    ordered = sorted(requests, key=lambda one: -one.duration_ms)
    slowest = {id(one) for one in ordered[: max(1, ceil(TAIL_SHARE * len(ordered)))]}
    best: tuple[float, EndpointFinding] | None = None
    for (key, value), mine, others in _by_value(requests, lambda one: {**one.top.resource, **one.top.attributes}):
        if len(mine) < TAIL_WITH or len(others) < TAIL_WITHOUT or not _mean(others):
            continue
        times = _mean(mine) / _mean(others)
        part = sum(id(one) in slowest for one in mine) / len(slowest)
        if times >= TAIL_TIMES and part >= TAIL_OF and (best is None or times > best[0]):
            detail = f"{times:.1f} times as long as without it, {part:.0%} of the slowest"
            best = (times, EndpointFinding(kind=Found.SLOW_TAIL, detail=detail, attribute=f"{key}={value}"))
    if best:
        yield best[1]


def _by_value(
    requests: Sequence[Request], attributes: Callable[[Request], Mapping[str, Value]]
) -> Iterator[tuple[tuple[str, str], list[Request], list[Request]]]:
    """Each attribute and value with the requests that have it, and all others, in the order of their names."""
    groups: dict[tuple[str, str], list[Request]] = {}
    for one in requests:
        for key, value in attributes(one).items():
            if isinstance(value, str | int | float | bool):
                groups.setdefault((key, _written(value)), []).append(one)
    for name in sorted(groups):
        mine = groups[name]
        inside = {id(one) for one in mine}
        yield name, mine, [one for one in requests if id(one) not in inside]


def _written(value: str | int | float | bool) -> str:
    return str(value).lower() if isinstance(value, bool) else str(value)


def _mean(requests: Sequence[Request]) -> float:
    return sum(one.duration_ms for one in requests) / len(requests)


RULES: tuple[Callable[[Sequence[Request]], Iterator[EndpointFinding]], ...] = (
    repeated_statement,
    LayerRule(kind=Found.EXTERNAL_LAYER, layer=Layer.EXTERNAL, share=0.5, least_ms=20),
    LayerRule(kind=Found.OWN_CODE, layer=Layer.OWN, share=0.6, least_ms=50),
    LayerRule(kind=Found.DATABASE_BOUND, layer=Layer.DATABASE, share=0.6, least_ms=50),
    LayerRule(kind=Found.QUEUE_WAIT, layer=Layer.QUEUE, share=0.3, least_ms=20),
    cache_missing,
    version_slow,
    slow_tail,
)
