"""Sums of requests: what is added can be taken back, and figures of a whole are the sums of its parts."""

import numpy as np
import pytest
from faena.core.requests.request import Request, requests_of
from faena.core.requests.span import Span, SpanKind
from faena.core.requests.sums import (
    CALL_FIGURES,
    EDGES_MS,
    REQUEST_FIGURES,
    STATEMENT_FIGURES,
    Sums,
    by_name,
    changed,
    rung_of,
    rungs_quantile,
    satisfaction,
)  # fmt: skip
from hypothesis import given
from hypothesis import strategies as st

MINUTE = 1_790_000_040_000 // 60_000 * 60_000


def request(
    ms: float, at: int = MINUTE, lookups: int = 0, *, cached: bool = False, fails: bool = False, version: str = "7"
) -> Request:
    start = at * 1_000_000
    made = [
        ("GET /beds", b"", SpanKind.SERVER, 0.0, ms, {"http.request.method": "GET", "http.route": "/beds"}),
        *(("SELECT", b"\1", SpanKind.CLIENT, i / 100, i / 100 + 0.005, {"db.system": "postgresql", "db.statement": "SELECT 7"})
          for i in range(lookups)),
        *((("GET", b"\1", SpanKind.CLIENT, 0.0, 0.5, {"db.system.name": "redis"}),) if cached else ()),
    ]  # fmt: skip
    spans = [
        Span(
            trace=bytes(15) + b"\1", id=bytes(7) + bytes([n]), parent=parent and bytes(7) + parent, name=name, kind=kind,
            start=start + int(begins * 1e6), end=start + int(ends * 1e6), service="web", attributes=attributes,
            resource={"service.version": version, "host.name": "quay-a"}, failed=fails and n == 1,
        )
        for n, (name, parent, kind, begins, ends, attributes) in enumerate(made, start=1)
    ]  # fmt: skip
    (found,) = requests_of(spans)
    return found


def test_requests_are_summed_by_minute_endpoint_version_and_host() -> None:
    sums = Sums()
    for one in (request(10), request(50, lookups=6, cached=True), request(500, fails=True), request(60, at=MINUTE + 60_000),
                request(1, version="8")):  # fmt: skip
        sums.add(one, target_ms=20)
    assert {(minute, origin.version) for minute, origin in sums.requests} == {
        (MINUTE, "7"),
        (MINUTE + 60_000, "7"),
        (MINUTE, "8"),
    }
    ((origin, figures),) = [(o, f) for (m, o), f in sums.requests.items() if (m, o.version) == (MINUTE, "7")]
    assert origin == ("web", "web", "GET /beds", "7", "quay-a")
    told = by_name(REQUEST_FIGURES, figures)
    assert {name: told[name] for name in ("requests", "errors", "satisfied", "tolerated", "time_ms", "statements")} == {
        "requests": 3, "errors": 1, "satisfied": 1, "tolerated": 1, "time_ms": 560, "statements": 6,
    }  # fmt: skip
    assert (told["with_cache"], told["with_repeats"], told["repeats"]) == (1, 1, 6)
    assert sum(told[f"{layer}_ms"] for layer in ("own", "database", "cache", "external", "queue")) == pytest.approx(560)
    (((_, _, text), runs),) = sums.statements.items()
    assert text == "select ?"
    assert by_name(STATEMENT_FIGURES, runs)["runs"] == 6
    assert by_name(STATEMENT_FIGURES, runs)["repeated_requests"] == 1
    (((_, _, to), calls),) = sums.calls.items()
    assert to == ("cache", "redis")
    assert by_name(CALL_FIGURES, calls) == {"calls": 1, "time_ms": 0.5, "errors": 0, "requests": 1}


@given(st.lists(st.tuples(st.floats(0.001, 5000), st.integers(0, 8), st.booleans(), st.booleans()), max_size=12))
def test_what_is_taken_back_leaves_nothing(drawn: list[tuple[float, int, bool, bool]]) -> None:
    sums = Sums()
    made = [request(round(ms, 3), lookups=n, cached=c, fails=f) for ms, n, c, f in drawn]
    for sign in (1, -1):
        for one in made:
            sums.add(one, 20, sign)
    for vectors in (sums.requests, sums.rungs, sums.statements, sums.calls):
        assert list(changed(vectors)) == []  # type: ignore[type-var]


@given(st.lists(st.floats(0.2, 9_000), min_size=1, max_size=60), st.sampled_from([0.5, 0.9, 0.95, 0.99]))
def test_a_quantile_lies_within_a_class_of_the_true_one(durations: list[float], share: float) -> None:
    rungs = np.zeros(len(EDGES_MS) + 1)
    for ms in durations:
        rungs[rung_of(ms)] += 1
    true = sorted(durations)[int(np.ceil(share * len(durations))) - 1]
    assert true / 1.22 <= rungs_quantile(rungs, share) <= true * 1.22


def test_of_no_request_nothing_is_known() -> None:
    assert np.isnan(rungs_quantile(np.zeros(len(EDGES_MS) + 1), 0.95))
    assert np.isnan(satisfaction(0, 0, 0))
    assert satisfaction(6, 2, 10) == 0.7
    extremes = np.zeros(len(EDGES_MS) + 1)
    extremes[[rung_of(0.0), rung_of(1e9)]] = 1
    assert rungs_quantile(extremes, 0.4) <= 0.1
    assert rungs_quantile(extremes, 0.9) == EDGES_MS[-1]
