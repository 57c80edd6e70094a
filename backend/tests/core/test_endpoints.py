"""Many requests: how endpoints are ranked, and what is found of them."""

from collections.abc import Sequence
from typing import Any

import pytest
from faena.core.requests.findings import facts_of, findings
from faena.core.requests.request import Request, requests_of
from faena.core.requests.span import NANOSECONDS, Span, SpanKind
from faena.core.requests.summary import Endpoint, endpoints
from hypothesis import given
from hypothesis import strategies as st

SQL = {"db.system.name": "postgresql", "db.query.text": "SELECT 1"}
REDIS = {"db.system": "redis"}
HTTP = {"url.full": "https://port.example"}


def request(at: float, ms: float, *parts: tuple[float, dict[str, Any]], **more: Any) -> Request:
    """A request at a second, of so many milliseconds; parts follow each other within it: milliseconds and attributes."""
    trace, start = round(at * 1000).to_bytes(16), round(at * 1000 * NANOSECONDS)
    given = {"name": "GET /beds", "service": "web", "attributes": {}, "resource": {}} | more
    top = Span(trace, b"top 0000", b"", kind=SpanKind.SERVER, start=start, end=start + round(ms * NANOSECONDS), **given)
    spans, begun = [top], start
    for i, (length, attributes) in enumerate(parts):
        end = begun + round(length * NANOSECONDS)
        spans.append(
            Span(
                trace, i.to_bytes(8), top.id, "part", SpanKind.CLIENT, begun, end, service="web", attributes=attributes
            )
        )
        begun = end
    (found,) = requests_of(spans)
    return found


def kinds(requests: Sequence[Request]) -> list[str]:
    return [one.kind.value for one in findings(facts_of(requests))]


def test_endpoints_are_ranked_by_time_consumed() -> None:
    slow = [request(i, 100, (90, SQL)) for i in range(2)]
    often = [request(10 + i, 10, name="GET /ping") for i in range(30)]
    other = [request(50, 5, service="jobs")]
    ranked = endpoints([*often, *slow, *other])
    assert [(one.endpoint, one.service) for one in ranked] == [
        ("GET /ping", "web"), ("GET /beds", "web"), ("GET /beds", "jobs"),
    ]  # fmt: skip
    beds: Endpoint = ranked[1]
    assert (beds.time_ms, beds.mean_ms, beds.p95_ms, beds.errors) == (200, 100, 100, 0)
    assert (beds.worst_layer, round(beds.database_share, 3)) == ("database", 0.9)


@pytest.mark.parametrize(("count", "rank"), [(1, 1), (19, 19), (20, 19), (21, 20), (100, 95)])
def test_the_95th_percentile_is_one_of_the_requests(count: int, rank: int) -> None:
    (found,) = endpoints([request(i, float(i + 1)) for i in range(count)])
    assert found.p95_ms == rank


@pytest.mark.parametrize(
    ("kind", "part", "ms"),
    [
        ("external_layer", HTTP, 100),
        ("database_bound", SQL, 100),
        ("queue_wait", {"db.client.connection.pool.name": "main"}, 100),
    ],
)
def test_a_layer_is_told_when_it_takes_much_of_three_requests(kind: str, part: dict[str, Any], ms: float) -> None:
    assert kinds([request(i, ms, (0.7 * ms, part)) for i in range(3)]) == [kind]
    assert kinds([request(i, ms, (0.7 * ms, part)) for i in range(2)]) == []
    assert kinds([request(i, ms / 10, (0.07 * ms, part)) for i in range(3)]) == [], "it is too little a request"


def test_own_code_is_told_and_the_database_cleared() -> None:
    assert kinds([request(i, 100, (2, SQL)) for i in range(3)]) == ["own_code"]


def test_a_repeated_statement_is_told_from_one_request_on_and_explains_the_database() -> None:
    parts = [(10, {**SQL, "db.query.text": f"SELECT * FROM p WHERE id = {i}"}) for i in range(8)]
    assert kinds([request(0, 100, *parts)]) == ["repeated_statement"]
    (found,) = findings(facts_of([request(i, 100, *parts) for i in range(4)]))
    assert found.detail == "8 runs a request, 320 ms in all: select * from p where id = ?"
    assert kinds([request(0, 1000, *parts)]) == [], "a twelfth of the time"
    assert kinds([request(0, 100, *parts), request(1, 100), request(2, 100)]) == ["own_code"], "a third of the requests"


def test_a_cache_that_is_asked_no_more_is_found() -> None:
    before = [request(i, 10, (1, REDIS)) for i in range(6)]
    after = [request(10 + i, 10, (5, SQL)) for i in range(6)]
    assert kinds([*after, *before]) == ["cache_missing"]
    (found,) = findings(facts_of([*after, *before]))
    assert found.detail == "6 of 6 requests asked a cache before, 0 of 6 since"
    assert kinds([*before[:5], *after[:4]]) == [], "four requests after are too few"
    assert kinds([request(i, 10, *([(1, REDIS)] if i % 2 else [])) for i in range(20)]) == []
    assert kinds([*(request(i, 10) for i in range(6)), *(request(10 + i, 10, (1, REDIS)) for i in range(6))]) == []


ASKS, ASKS_NOT = (1, REDIS), (5, SQL)


def spells(*told: tuple[int, bool]) -> list[Request]:
    """So many requests that ask a cache or do not, one spell after the other."""
    does = [asks for many, asks in told for _ in range(many)]
    return [request(i, 10, ASKS if asks else ASKS_NOT) for i, asks in enumerate(does)]


@pytest.mark.parametrize(
    ("told", "detail"),
    [
        ([(100, True), (50, False), (60, True), (45, False)], "60 of 60 requests asked a cache before, 0 of 45 since"),
        ([(100, True), (50, False), (500, True)], "100 of 100 requests asked a cache before, 0 of 50 since"),
        ([(30, False), (60, True), (5, False)], "60 of 60 requests asked a cache before, 0 of 5 since"),
        ([(30, False), (31, True), (50, False)], None),
        ([(100, True), (31, False), (100, True)], None),
        ([(60, False), (60, True)], None),
        ([(1, True), (1, False)] * 200, None),
        ([(4, True), (4, False)] * 50, None),
    ],
)
def test_a_cache_left_out_is_found_whatever_it_was_before_and_after(
    told: list[tuple[int, bool]], detail: str | None
) -> None:
    found = [one.detail for one in findings(facts_of(spells(*told))) if one.kind.value == "cache_missing"]
    assert found == ([detail] if detail else [])


@given(st.lists(st.tuples(st.integers(0, 30), st.booleans()), max_size=60))
def test_who_is_said_to_ask_a_cache_no_more_did_so_for_a_stretch(told: list[tuple[int, bool]]) -> None:
    """Held against every pair of stretches side by side."""
    facts = facts_of(spells(*told))
    found = [one for one in findings(facts) if one.kind.value == "cache_missing"]
    does = [asks > 0 for _, _, asks in facts.asked]
    assert bool(found) == any(_nearly_all(does[:at][::-1]) and _nearly_none(does[at:]) for at in range(len(does) + 1))


def _nearly_all(does: list[bool]) -> bool:
    whole = len(does) >= 5 and 5 * sum(does) >= 4 * len(does)
    return whole or any(5 * sum(does[:n]) >= 4 * n for n in range(40, len(does) + 1))


def _nearly_none(does: list[bool]) -> bool:
    return _nearly_all([not one for one in does])


def test_a_slow_version_is_told_and_not_as_the_slow_few() -> None:
    old = [request(i, 10, resource={"service.version": "1"}) for i in range(15)]
    new = [request(20 + i, 40, resource={"service.version": "2"}) for i in range(5)]
    (found,) = findings(facts_of([*old, *new]))
    assert (found.kind.value, found.attribute) == ("version_slow", "service.version=2")
    assert kinds([*old, *new[:4]]) == []


def test_the_slow_few_are_told_by_what_they_have_in_common() -> None:
    common = [request(i, 10, attributes={"customer": "small", "n": i}) for i in range(40)]
    slow = [request(100 + i, 200, attributes={"customer": "large", "cold": True}) for i in range(3)]
    (found,) = findings(facts_of([*common, *slow]))
    assert found.kind.value == "slow_tail"
    assert found.attribute in ("customer=large", "cold=true")
    assert kinds([*common[:12], *slow]) == [], "fifteen requests are too few"
    assert kinds([*common, *slow[:2]]) == [], "two may be chance"
