"""Requests summed up: by minute and hour, endpoint, version and host; their statements; their calls to the outside.

Sums are vectors that are added, so that a trace judged again takes back what it gave before. Nothing here knows a store.
"""

from bisect import bisect_left, bisect_right
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from itertools import accumulate
from typing import NamedTuple, TypeVar

import numpy as np
import numpy.typing as npt

from faena.core.requests.layers import CACHES, STATEMENT, Layer
from faena.core.requests.request import Request
from faena.core.requests.span import Span

Vector = npt.NDArray[np.float64]
Key = TypeVar("Key", bound=tuple[object, ...] | str)

LAYERS = tuple(Layer)
REQUEST_FIGURES = (
    "requests", "errors", "satisfied", "tolerated", "time_ms", *(f"{layer.value}_ms" for layer in LAYERS),
    "statements", "with_cache", "with_repeats", "repeats", "repeated_ms",
)  # fmt: skip
STATEMENT_FIGURES = ("runs", "time_ms", "requests", "repeated_runs", "repeated_requests", "repeated_ms")
CALL_FIGURES = ("calls", "time_ms", "errors", "requests")
TOLERATED = 4  # times the target: longer than the target but within this counts half
FIRST_RUNG_MS, RUNGS_A_DECADE, RUNGS = 0.1, 12, 96  # durations from 0.1 ms to 10,000 s, each class 21% longer
EDGES_MS: tuple[float, ...] = tuple(FIRST_RUNG_MS * 10 ** (i / RUNGS_A_DECADE) for i in range(RUNGS))


class Origin(NamedTuple):
    """Where requests come from: an endpoint, as one version of its service served it on one host."""

    service: str
    kind: str
    endpoint: str
    version: str
    host: str


def endpoint_value(service: str, endpoint: str) -> str:
    """An endpoint as sessions are told apart by it: that of two services is not the same."""
    return f"{service} {endpoint}"


_LIKELY = ", likely"


def likely(value: str) -> str:
    """The value of sessions that probably work for this endpoint: their request has not ended, and no trace tells."""
    return value + _LIKELY


def certain(value: str) -> str:
    """The endpoint of a value, likely or not."""
    return value.removesuffix(_LIKELY)


def origin_of(request: Request) -> Origin:
    """The origin of a request; what its resource does not tell is empty."""
    resource = request.top.resource
    version, host = resource.get("service.version"), resource.get("host.name")
    return Origin(
        service=request.top.service,
        kind=request.kind,
        endpoint=request.endpoint,
        version=version if isinstance(version, str) else "",
        host=host if isinstance(host, str) else "",
    )


def rung_of(duration_ms: float) -> int:
    """The class of a duration: 0 below the first edge, i from EDGES_MS[i - 1] on."""
    return bisect_right(EDGES_MS, duration_ms)


def rungs_quantile(rungs: Sequence[float] | Vector, share: float) -> float:
    """The duration that this share of requests does not exceed, ms, to within a class (21%); NaN of none.

    Geometric interpolation inside the class, since its edges grow by a factor.
    """
    counts = rungs.tolist() if isinstance(rungs, np.ndarray) else list(rungs)
    reached = list(accumulate(counts))
    wanted = share * reached[-1]
    if wanted <= 0:
        return float("nan")
    at = min(bisect_left(reached, wanted), len(counts) - 1)
    low = EDGES_MS[at - 1] if at else FIRST_RUNG_MS / 10
    high = EDGES_MS[at] if at < len(EDGES_MS) else low
    inside = (wanted - (reached[at] - counts[at])) / counts[at] if counts[at] else 1.0
    return float(low * (high / low) ** min(max(inside, 0.0), 1.0))


@dataclass(slots=True)
class Sums:
    """Vectors of figures by key. A request belongs to the minute in which it begins."""

    requests: dict[tuple[int, Origin], Vector] = field(default_factory=dict)
    rungs: dict[tuple[int, Origin], Vector] = field(default_factory=dict)
    statements: dict[tuple[int, Origin, str], Vector] = field(default_factory=dict)
    calls: dict[tuple[int, Origin, tuple[str, str]], Vector] = field(default_factory=dict)  # layer and to whom
    shown: dict[str, str] = field(default_factory=dict)  # a text of each statement, by the form that is compared

    def add(self, request: Request, target_ms: float, sign: float = 1) -> None:
        """Count a request, or with -1 take it back; with a weight count so many like it."""
        minute, origin = request.at // 60_000 * 60_000, origin_of(request)
        key = (minute, origin)
        _add(self.requests, key, sign * _figures(request, target_ms))
        rung = np.zeros(RUNGS + 1)
        rung[rung_of(request.duration_ms)] = sign
        _add(self.rungs, key, rung)
        for run in request.ran:
            if run.text not in self.shown:
                self.shown[run.text] = request.spans[run.at].text(*STATEMENT)
        for text, figures in _by_statement(request).items():
            _add(self.statements, (*key, text), sign * figures)
        for to, figures in _by_call(request).items():
            _add(self.calls, (*key, to), sign * figures)


def _add(sums: dict[Key, Vector], key: Key, figures: Vector) -> None:
    known = sums.get(key)
    sums[key] = figures if known is None else known + figures


def _figures(request: Request, target_ms: float) -> Vector:
    good = not request.error
    told = {
        "requests": 1.0,
        "errors": float(request.error),
        "satisfied": float(good and request.duration_ms <= target_ms),
        "tolerated": float(good and target_ms < request.duration_ms <= TOLERATED * target_ms),
        "time_ms": request.duration_ms,
        "statements": float(request.statements),
        "with_cache": float(any(asks_cache(span) for span in request.spans)),
        "with_repeats": float(bool(request.repeated)),
        "repeats": float(sum(one.count for one in request.repeated)),
        "repeated_ms": sum(one.time_ms for one in request.repeated),
    }
    told |= {f"{layer.value}_ms": request.layers[layer] for layer in LAYERS}
    return np.array([told[name] for name in REQUEST_FIGURES])


def asks_cache(span: Span) -> bool:
    """Whether a span asks a cache."""
    return span.text("db.system.name", "db.system").lower() in CACHES


def _by_statement(request: Request) -> Mapping[str, Vector]:
    found: dict[str, Vector] = {}
    for run in request.ran:
        _add(found, run.text, np.array([1.0, request.spans[run.at].duration / 1e6, 0.0, 0.0, 0.0, 0.0]))
    for figures in found.values():
        figures[2] = 1.0
    for one in request.repeated:
        if one.statement in found:
            found[one.statement][3:] = one.count, 1.0, one.time_ms
    return found


def _by_call(request: Request) -> Mapping[tuple[str, str], Vector]:
    found: dict[tuple[str, str], Vector] = {}
    for call in request.calls:
        _add(found, (call.layer.value, call.to), np.array([1.0, call.ms, float(call.failed), 0.0]))
    for figures in found.values():
        figures[3] = 1.0
    return found


def by_name(names: Sequence[str], figures: Iterable[float]) -> dict[str, float]:
    """A vector's figures by their names."""
    return dict(zip(names, figures, strict=True))


def satisfaction(satisfied: float, tolerated: float, requests: float) -> float:
    """Between 0 and 1: requests within their target count whole, those within four times of it half, others and failed
    ones not at all. NaN of none."""
    return (satisfied + tolerated / 2) / requests if requests else float("nan")


def changed(vectors: Mapping[Key, Vector]) -> Iterator[tuple[Key, Vector]]:
    """Keys with what is not all zero: a trace judged again often takes back just what it gives."""
    return ((key, vector) for key, vector in vectors.items() if np.any(np.abs(vector) > 1e-9))
