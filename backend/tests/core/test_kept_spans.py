"""What is stored of spans: nothing personal, no literals, and yet the same requests come of it."""

from typing import Any

import pytest
from faena.core.requests.keeping import ALWAYS, Allowed, keepable
from faena.core.requests.request import requests_of
from faena.core.requests.span import Span, SpanKind
from faena.core.requests.texts import normalised
from hypothesis import example, given
from hypothesis import strategies as st

TRACE = bytes(15) + b"\x01"


def span(number: int = 1, parent: int = 0, kind: SpanKind = SpanKind.CLIENT, **more: Any) -> Span:
    given = {"name": "x", "start": number * 1000, "end": number * 1000 + 500, "service": "web"} | more
    return Span(trace=TRACE, id=number.to_bytes(8), parent=parent.to_bytes(8) if parent else b"", kind=kind, **given)


def kept(keys: tuple[str, ...] = (), *, personal: bool = False, **attributes: Any) -> dict[str, Any]:
    found = keepable(span(attributes=attributes.pop("of", attributes)), Allowed(keys=keys, personal=personal))
    return dict(found.attributes)


def test_literals_of_statements_are_gone() -> None:
    text = "SELECT * FROM passenger WHERE mail = 'ada@quay.example' AND id = %s /* from 7 */"
    for key in ("db.query.text", "db.statement"):
        assert kept(of={key: text, "db.system": "postgresql"}) == {
            "db.query.text": "SELECT * FROM passenger WHERE mail = ? AND id = ?", "db.system": "postgresql",
        }  # fmt: skip
    assert "secret" not in str(kept(of={"db.statement": "SELECT 'not closed secret"}))
    assert "parameters" not in str(kept(of={"db.query.parameter.0": "parameters"}))


def test_attributes_are_kept_by_a_list_and_personal_ones_only_where_that_is_on() -> None:
    given = {
        "http.route": "/beds",
        "tidewrack.port": "Quay",
        "enduser.id": "ada",
        "user_agent.original": "x",
        "other": 1,
    }
    assert kept(of=given) == {"http.route": "/beds"}
    assert kept(("tidewrack.port", "enduser.id"), of=given) == {"http.route": "/beds", "tidewrack.port": "Quay"}
    assert kept(("enduser.id",), personal=True, of=given) == {"http.route": "/beds", "enduser.id": "ada"}
    assert kept(of={"http.route": "x" * 1000})["http.route"].endswith("…")


def test_addresses_are_kept_without_what_they_ask_for() -> None:
    assert kept(of={"url.full": "https://ada:pw@port.example:8443/berths/7?mail=a", "http.target": "/beds/17/x?mail=a"}) == {
        "url.full": "https://port.example:8443", "url.path": "/beds/{id}/x",
    }  # fmt: skip
    assert kept(of={"url.full": "http://[broken"}) == {"url.full": ""}


def test_what_an_exception_said_is_kept_only_with_personal_attributes() -> None:
    failed = span(exceptions=(("KeyError", "no passenger ada"),))
    assert keepable(failed, Allowed()).exceptions == (("KeyError", ""),)
    assert keepable(failed, Allowed(personal=True)).exceptions == (("KeyError", "no passenger ada"),)


def test_no_attribute_that_is_always_kept_is_personal() -> None:
    assert {key for key in ALWAYS if not Allowed(keys=(key,)).key(key)} == set()


TEXTS = [
    "SELECT * FROM berth WHERE id = 7", "SELECT * FROM berth WHERE id = %s", 'SELECT "Name" FROM berth WHERE id IN (1, 2, 3)',
    "INSERT INTO berth VALUES (1, 2), (3, 4)", "INSERT INTO berth (a) VALUES (%(a)s)", "BEGIN", "SELECT 1; SELECT 2",
    "SELECT `deck` FROM [my berth] WHERE a = :x -- why", "SELECT 'open", "UPDATE berth SET held = @p1::int",
]  # fmt: skip


@pytest.mark.parametrize("text", TEXTS)
def test_a_kept_statement_compares_as_it_did_before(text: str) -> None:
    others = [
        normalised(keepable(span(attributes={"db.query.text": one}), Allowed()).text("db.query.text")) for one in TEXTS
    ]
    mine = normalised(keepable(span(attributes={"db.query.text": text}), Allowed()).text("db.query.text"))
    alike = [one for one, other in zip(TEXTS, others, strict=True) if other == mine]
    assert alike == [one for one in TEXTS if normalised(one) == normalised(text)]


ROWS = {"db.system.name": "postgresql", "db.query.text": TEXTS[3]}
LOOKUP = {"db.system.name": "postgresql", "db.query.text": TEXTS[0]}


@example(
    [
        *[(1, SpanKind.UNSPECIFIED, {}, False)] * 4,
        (1, SpanKind.CLIENT, ROWS, False),
        *[(5, SpanKind.CLIENT, LOOKUP, False)] * 5,
    ]
)
@given(st.lists(st.tuples(st.integers(1, 6), st.sampled_from(list(SpanKind)), st.sampled_from([
    {}, {"http.request.method": "GET", "url.path": "/beds/7"}, {"http.unheard": "x"}, {"db.system": "redis"}, {"url.query": "a"},
    {"messaging.operation": "receive"}, {"rpc.grpc.status_code": 0}, {"db.system": "mysql"}, {"url.full": "https://x/y"},
    *({"db.system.name": "postgresql", "db.query.text": text} for text in TEXTS),
]), st.booleans()), max_size=24))  # fmt: skip
def test_requests_of_kept_spans_are_the_requests_of_the_spans(
    drawn: list[tuple[int, SpanKind, dict[str, Any], bool]],
) -> None:
    spans = [
        span(n, min(parent, n - 1), kind, attributes=attributes, service="web" if own else "port")
        for n, (parent, kind, attributes, own) in enumerate(drawn, start=1)
    ]
    before, after = requests_of(spans), requests_of([keepable(one, Allowed()) for one in spans])

    def told(found: list[Any]) -> list[Any]:
        return [
            (r.endpoint, r.kind, r.duration_ms, dict(r.layers), r.statements, r.error, r.layer, [c.layer for c in r.calls],
             [(one.count, one.code, one.time_ms) for one in r.repeated])
            for r in found
        ]  # fmt: skip

    assert told(after) == told(before)
