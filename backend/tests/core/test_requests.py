"""Requests out of spans: where they begin, what belongs to them, how their time is shared out, what they repeat."""

from collections.abc import Mapping
from fractions import Fraction
from itertools import pairwise
from typing import Any

import pytest
from faena.core.requests.layers import Layer, layer_of
from faena.core.requests.request import Request, requests_of
from faena.core.requests.span import NANOSECONDS, Span, SpanKind, settled
from faena.core.requests.texts import is_batch, normalised
from faena.core.requests.timing import LATE_NS, shares, times
from faena.core.requests.tree import NONE, Member, Tree, members, tree_of
from hypothesis import given
from hypothesis import strategies as st

TRACE = bytes(15) + b"\x01"
K = SpanKind
SQL = {"db.system.name": "postgresql", "db.query.text": "SELECT 1"}


def ident(number: int) -> bytes:
    return number.to_bytes(8)


def span(number: int, parent: int, start: float, end: float, kind: SpanKind = K.INTERNAL, **more: Any) -> Span:
    """Times in milliseconds; parent 0: none."""
    given = {"name": f"span {number}", "service": "web", "attributes": {}} | more
    return settled(
        Span(
            trace=TRACE,
            id=ident(number),
            parent=ident(parent) if parent else b"",
            kind=kind,
            start=round(start * NANOSECONDS),
            end=round(end * NANOSECONDS),
            **given,
        )
    )


def one(*spans: Span) -> Request:
    (found,) = requests_of(spans)
    return found


def layers(*spans: Span) -> dict[str, float]:
    return {name.value: round(ms, 6) for name, ms in one(*spans).layers.items() if ms}


# --- where requests begin


def test_a_request_begins_at_a_server_below_no_other_and_a_job_where_it_is_taken_up() -> None:
    web = span(1, 0, 0, 100, K.SERVER, name="outer")
    inner = span(2, 1, 10, 20, K.SERVER, service="fares")
    sent = span(3, 1, 30, 40, K.PRODUCER)
    job = span(4, 3, 50, 90, K.CONSUMER, name="export")
    nested = span(5, 4, 60, 70, K.CONSUMER)
    below = span(6, 4, 61, 62)
    found = requests_of([below, nested, job, sent, inner, web])
    assert {(one.endpoint, one.kind, len(one.spans)) for one in found} == {("outer", "web", 3), ("export", "job", 3)}


def test_what_lies_above_a_request_belongs_to_none() -> None:
    found = one(span(1, 0, 0, 100, name="browser"), span(2, 1, 10, 90, K.SERVER), span(3, 1, 0, 5))
    assert [s.id for s in found.spans] == [ident(2)]


def test_without_server_or_consumer_the_largest_tree_is_the_request() -> None:
    found = one(span(1, 0, 0, 100), span(2, 0, 0, 10, name="script"), span(3, 2, 1, 2), span(4, 99, 0, 1))
    assert found.endpoint == "script"
    assert found.kind == "job"


def test_a_circle_is_cut_where_it_starts_first() -> None:
    tree = tree_of([span(1, 3, 5, 9), span(2, 1, 4, 9), span(3, 2, 6, 9), span(4, 4, 0, 1)])
    assert list(tree.parent) == [2, NONE, 1, NONE]
    assert list(tree.unknown) == [False, True, False, True]


def test_spans_whose_parent_got_lost_come_to_the_request_that_ran_then() -> None:
    web = span(1, 0, 0, 100, K.SERVER)
    lost, below = span(2, 77, 10, 20, attributes=SQL), span(3, 2, 12, 14)
    late, mine = span(4, 78, 200, 210), span(5, 0, 10, 20)
    found = one(web, lost, below, late, mine)
    assert {s.id for s in found.spans} == {ident(1), ident(2), ident(3)}
    assert round(found.layers[Layer.DATABASE], 3) == 8


def test_of_several_requests_that_ran_then_one_of_the_same_service_takes_the_lost_span() -> None:
    first, second = span(1, 0, 0, 100, K.SERVER), span(2, 0, 5, 100, K.SERVER, service="fares")
    found = requests_of([first, second, span(3, 77, 10, 20), span(4, 77, 10, 20, service="fares")])
    assert {one.top.service: [s.id for s in one.spans[1:]] for one in found} == {"web": [ident(3)], "fares": [ident(4)]}


# --- layers


@pytest.mark.parametrize(
    ("layer", "change"),
    [
        ("database", {"attributes": {"db.system": "mysql"}}),
        ("database", {"attributes": {"db.system.name": "oracle.db", "db.system": "redis"}}),
        ("cache", {"attributes": {"db.system": "redis"}}),
        ("external", {"attributes": {"db.system": "mongodb"}}),
        ("external", {"service": "fares"}),
        ("database", {"service": "fares", "attributes": {"db.system": "postgresql"}}),
        ("external", {"kind": K.CLIENT, "attributes": {"http.url": "https://port.example"}}),
        ("external", {"kind": K.UNSPECIFIED, "attributes": {"rpc.system": "grpc"}}),
        ("own", {"kind": K.INTERNAL, "attributes": {"http.url": "https://port.example"}}),
        ("own", {"kind": K.CLIENT}),
        ("queue", {"name": "pool.acquire"}),
        ("queue", {"name": "Waiting for CONNECTION"}),
        ("own", {"name": "poolacquire"}),
        ("own", {"name": "acquire lock"}),
        ("database", {"name": "acquire connection", "attributes": SQL}),
        ("queue", {"attributes": {"db.client.connection.pool.name": "main", "db.system": "postgresql"}}),
        ("queue", {"kind": K.CLIENT, "attributes": {"messaging.operation.type": "receive"}}),
        ("external", {"service": "fares", "name": "wait for connection"}),
    ],
)  # fmt: skip
def test_the_layer_of_a_span(layer: str, change: Mapping[str, Any]) -> None:
    top = span(1, 0, 0, 100, K.SERVER)
    assert layer_of(span(2, 1, 0, 1, **{"kind": K.INTERNAL, **change}), top) == layer


def test_the_topmost_span_is_own_code_whatever_it_carries() -> None:
    top = span(1, 0, 0, 100, K.SERVER, attributes={"db.system": "redis", "http.route": "/x"})
    assert layer_of(top, top) is Layer.OWN
    script = span(1, 0, 0, 100, K.UNSPECIFIED, attributes={"http.url": "x"})
    assert layer_of(script, script) is Layer.OWN


# --- time


def test_time_goes_to_what_is_deepest_and_adds_up() -> None:
    web = span(1, 0, 0, 100, K.SERVER)
    handler = span(2, 1, 10, 90)
    query = span(3, 2, 20, 50, attributes=SQL)
    call = span(4, 2, 40, 60, K.CLIENT, attributes={"url.full": "x"})
    # From 40 to 50 both are deepest, in equal parts.
    assert layers(web, handler, query, call) == {"own": 60, "database": 25, "external": 15}


def test_a_child_that_ends_a_little_late_is_cut_and_one_that_ends_late_runs_on() -> None:
    web = span(1, 0, 0, 100, K.SERVER)
    assert layers(web, span(2, 1, 0, 10), span(3, 2, 5, 10.9, attributes=SQL)) == {"own": 95, "database": 5}
    assert layers(web, span(2, 1, 0, 10), span(3, 2, 5, 12, attributes=SQL)) == {"own": 93, "database": 7}
    assert layers(web, span(2, 1, 90, 400, attributes=SQL)) == {"own": 90, "database": 10}


def test_a_clock_that_is_wrong_is_put_right_with_all_that_hangs_on_it() -> None:
    web = span(1, 0, 0, 100, K.SERVER)
    call = span(2, 1, 20, 60, K.CLIENT, attributes={"url.full": "x"})
    fares = span(3, 2, 1000, 1030, K.SERVER, service="fares")
    query = span(4, 3, 1010, 1020, service="fares", attributes=SQL)
    # Moved back by 970 ms: it ends with its parent.
    assert layers(web, call, fares, query) == {"own": 60, "external": 30, "database": 10}
    tree = tree_of([web, call, fares, query])
    (member,) = members(tree)
    assert [times(tree, member).shift[i] // NANOSECONDS for i in range(4)] == [0, 0, -970, -970]


def test_a_span_of_another_service_that_is_longer_than_its_parent_starts_with_it() -> None:
    web, call = span(1, 0, 0, 100, K.SERVER), span(2, 1, 20, 40, K.CLIENT)
    tree = tree_of([web, call, span(3, 2, 200, 290, K.SERVER, service="fares")])
    assert times(tree, members(tree)[0]).shift[2] == -180 * NANOSECONDS


@pytest.mark.parametrize(("kind", "above"), [(K.CONSUMER, K.CONSUMER), (K.INTERNAL, K.PRODUCER)])
def test_what_is_handed_over_may_come_later(kind: SpanKind, above: SpanKind) -> None:
    top = span(1, 0, 0, 100, K.CONSUMER)
    tree = tree_of([top, span(2, 1, 10, 20, above), span(3, 2, 500, 510, kind, service="other")])
    assert times(tree, members(tree)[0]).shift[2] == 0


@st.composite
def traces(draw: st.DrawFn) -> list[Span]:
    """One request of up to a dozen spans in two services; clocks are wrong and children late, as they come."""
    kinds = [K.INTERNAL, K.CLIENT, K.SERVER, K.PRODUCER]
    made = [span(1, 0, 0, draw(st.integers(0, 60)), K.SERVER)]
    for number in range(2, draw(st.integers(2, 13))):
        start = draw(st.integers(-20, 80))
        attributes = draw(st.sampled_from([{}, SQL, {"db.system": "redis"}, {"http.url": "x"}]))
        made.append(
            span(
                number, draw(st.integers(1, number)), start, start + draw(st.integers(0, 60)), draw(st.sampled_from(kinds)),
                service=draw(st.sampled_from(["web", "fares"])), attributes=attributes,
            )
        )  # fmt: skip
    return draw(st.permutations(made))


def slow_shares(tree: Tree, member: Member, layer: Mapping[int, Layer]) -> dict[Layer, Fraction]:
    """The obvious twin: looks at every stretch between two moments, and asks every span."""
    active = times(tree, member).active
    above = {i: member.top if i in member.adopted else tree.parent[i] for i in member.spans}

    def ancestors(i: int) -> set[int]:
        found = set()
        while i != member.top:
            i = above[i]
            found.add(i)
        return found

    sums = dict.fromkeys(Layer, Fraction(0))
    moments = sorted({at for both in active.values() for at in both})
    for begun, ended in pairwise(moments):
        on = [i for i, (start, end) in active.items() if start <= begun and ended <= end and start < end]
        covered = set().union(*(ancestors(i) for i in on)) if on else set()
        deepest = [i for i in on if i not in covered]
        for i in deepest:
            sums[layer[i]] += Fraction(ended - begun, len(deepest))
    return sums


@given(traces())
def test_layers_are_those_of_the_slow_and_obvious_way_and_add_up(spans: list[Span]) -> None:
    tree = tree_of(spans)
    for member in members(tree):
        top = tree.spans[member.top]
        layer = {i: layer_of(tree.spans[i], top) for i in member.spans}
        found = shares(tree, member, times(tree, member).active, layer)
        slow = slow_shares(tree, member, layer)
        assert {name: round(ns, 3) for name, ns in found.items()} == {
            name: round(float(ns), 3) for name, ns in slow.items()
        }
        assert sum(found.values()) == pytest.approx(top.duration)


@given(traces())
def test_every_span_is_active_only_within_its_request(spans: list[Span]) -> None:
    tree = tree_of(spans)
    for member in members(tree):
        top = tree.spans[member.top]
        for i, (start, end) in times(tree, member).active.items():
            assert start <= end
            assert top.start <= start or start == end
            assert end <= top.end or start == end, i


@given(st.permutations(list(range(6))))
def test_the_order_in_which_spans_come_changes_nothing(order: list[int]) -> None:
    spans = [
        span(1, 0, 0, 100, K.SERVER), span(2, 1, 10, 90), span(3, 2, 500, 520, service="fares"),
        span(4, 3, 505, 510, service="fares", attributes=SQL), span(5, 99, 20, 30, attributes=SQL), span(6, 6, 0, 5),
    ]  # fmt: skip
    first = one(*spans)
    again = one(*(spans[i] for i in order))
    assert (again.layers, again.statements, len(again.spans)) == (first.layers, first.statements, len(first.spans))


def test_a_deep_chain_and_a_broad_fan_are_told_in_time() -> None:
    deep = [span(1, 0, 0, 50_000, K.SERVER)] + [span(n, n - 1, n / 10, 40_000 - n / 10) for n in range(2, 20_000)]
    assert sum(one(*deep).layers.values()) == pytest.approx(50_000)
    broad = [span(1, 0, 0, 50_000, K.SERVER)] + [span(n, 1, n, n + 5, attributes=SQL) for n in range(2, 20_000)]
    assert one(*broad).statements == 19_998


def test_many_statements_that_two_instrumentations_saw_are_told_in_time() -> None:
    web = span(1, 0, 0, 50_000, K.SERVER)
    scopes = ("orm", "driver")
    nested = [
        span(2 * n + i, 2 * n if i else 1, n + i / 10, n + 0.9 - i / 10, scope=scopes[i], attributes=SQL)
        for n in range(1, 3000)
        for i in (0, 1)
    ]
    assert one(web, *nested).statements == 2999
    at_once = [span(n, 1, n / 100, 40_000 - n / 100, scope=scopes[n % 2], attributes=SQL) for n in range(2, 6000)]
    assert one(web, *at_once).statements == 2999
    chain = [span(n, n - 1, n / 100, 40_000 - n / 100, scope=scopes[n % 2], attributes=SQL) for n in range(2, 6000)]
    assert one(web, *chain).statements == 2999
    alike = [span(n, n - 1, n / 100, 40_000 - n / 100, scope=scopes[n // 3000], attributes=SQL) for n in range(2, 6000)]
    assert one(web, *alike).statements >= 2998  # all of one scope above all of the other


def test_many_jobs_and_many_lost_spans_are_put_together_in_time() -> None:
    jobs = [span(n, 1, n, n + 0.5, K.CONSUMER) for n in range(2, 6000)]
    lost = [span(10_000 + n, 90_000 + n, n + 0.2, n + 0.3) for n in range(2, 6000)]
    found = requests_of([span(1, 0, 0, 1, K.PRODUCER), *jobs, *lost])
    assert [len(job.spans) for job in found] == [2] * 5998


def test_late_is_a_millisecond() -> None:
    assert LATE_NS == 1_000_000


# --- statements


@pytest.mark.parametrize(
    ("text", "form"),
    [
        ("SELECT  *\nFROM t1 WHERE id = 42;", "select * from t1 where id = ?"),
        ("select 'it''s' || \"Name\" -- why\n, $1", "select ? || name , ?"),
        ("SELECT /* a /x */ `col 2` FROM [my table] WHERE a[1] = :x", "select col 2 from my table where a[?] = ?"),
        ("SELECT x::text, '5'::int4, y + 1.5e3 FROM col2", "select x::text, ?::int4, y + ? from col2"),
        ("IN (1, 2,3)", "in (?)"),
        ("INSERT INTO t VALUES (?, ?), (?, ?)", "insert into t values (?)"),
        ("SELECT $tag$ a ' b $tag$, %s, %(name)s, @v, ?", "select ?"),
        ("SELECT 'open", "select ?"),
        ("SELECT E'a\\'b'", "select ?"),
        ("", ""),
    ],
)
def test_statements_are_compared_without_what_differs_from_run_to_run(text: str, form: str) -> None:
    assert normalised(text) == form


@given(st.text(alphabet="aZ1'\"`$?%:@;,()[] \n-/*.\\", max_size=60))
def test_any_text_has_a_form_without_literals_and_spare_blanks(text: str) -> None:
    form = normalised(text)
    assert form == " ".join(form.lower().split())
    assert normalised(f"SELECT a, '{text.replace(chr(39), '').replace(chr(92), '')}'") == "select a, ?"


@pytest.mark.parametrize(
    ("text", "batch"),
    [
        ("INSERT INTO t VALUES (1, 2)", False),
        ("INSERT INTO t (a, b) VALUES (1, f(2)), (3, 4)", True),
        ("UPDATE a SET b = 1; UPDATE c SET d = 2", True),
        ("SELECT ';' FROM t;", False),
        ("INSERT INTO t VALUES (1) ON CONFLICT (a) DO NOTHING", False),
    ],
)
def test_a_batch_is_told_by_its_text(text: str, batch: bool) -> None:
    assert is_batch(text) is batch


def lookups(count: int, **more: Any) -> list[Span]:
    attributes = {"db.system": "postgresql", "db.statement": "SELECT * FROM passenger WHERE booking_id = 7"}
    return [span(100 + i, 1, 20 + i, 20.5 + i, K.CLIENT, **{"attributes": attributes, **more}) for i in range(count)]


def test_a_statement_run_for_each_row_is_found_with_its_place_and_what_it_ran_after() -> None:
    web = span(1, 0, 0, 100, K.SERVER, attributes={"code.filepath": "/srv/app/export.py", "code.lineno": 123})
    parent = span(2, 1, 5, 10, K.CLIENT, attributes=SQL | {"db.query.text": "SELECT * FROM booking"})
    earlier = span(3, 1, 1, 2, K.CLIENT, attributes=SQL | {"db.query.text": "SELECT now()"})
    found = one(web, parent, earlier, *lookups(5))
    assert found.statements == 7
    (told,) = found.repeated
    assert told.statement == "select * from passenger where booking_id = ?"
    assert (told.count, told.time_ms, told.code, told.after) == (5, 2.5, "export.py:123", "select * from booking")


def test_four_times_is_not_repeated_nor_are_batches_nor_transactions() -> None:
    web = span(1, 0, 0, 100, K.SERVER)
    assert one(web, *lookups(4)).repeated == []
    assert one(web, *lookups(5, name="executemany")).repeated == []
    assert one(web, *lookups(5, attributes=SQL | {"db.operation.batch.size": 2})).repeated == []
    assert one(web, *lookups(6, attributes=SQL | {"db.query.text": "SET search_path = x"})).repeated == []


def test_a_run_that_two_instrumentations_saw_counts_once() -> None:
    web = span(1, 0, 0, 100, K.SERVER)
    outer = lookups(5, scope="orm")
    below = [
        span(200 + i, 100 + i, 20.1 + i, 20.4 + i, K.CLIENT, scope="driver", attributes=outer[0].attributes)
        for i in range(5)
    ]
    found = one(web, *outer, *below)
    assert found.statements == 5
    assert found.repeated[0].time_ms == 2.5
    beside = [b._replace(parent=ident(1)) for b in below]
    assert one(web, *outer, *beside).statements == 5
    assert one(web, *outer, *(b._replace(scope="orm") for b in below)).statements == 10


# --- what it is called


@pytest.mark.parametrize(
    ("attributes", "endpoint"),
    [
        ({"http.request.method": "GET", "http.route": "beds/{id}"}, "GET /beds/{id}"),
        ({"http.method": "POST", "http.target": "/beds/17/rooms?x=1"}, "POST /beds/{id}/rooms"),
        ({"http.request.method": "GET", "url.path": "/a/00f067aa0ba902b7/b2"}, "GET /a/{id}/b2"),
        ({"http.request.method": "GET", "url.path": "/a/123e4567-e89b-12d3-a456-426614174000"}, "GET /a/{id}"),
        ({"http.request.method": "GET"}, "handle"),
        ({"url.path": "/a"}, "handle"),
    ],
)
def test_an_endpoint_is_its_method_and_route(attributes: dict[str, Any], endpoint: str) -> None:
    assert one(span(1, 0, 0, 1, K.SERVER, name="handle", attributes=attributes)).endpoint == endpoint


def test_a_job_is_called_by_its_name_or_by_where_its_message_came_from() -> None:
    assert one(span(1, 0, 0, 1, K.CONSUMER, name="export")).endpoint == "export"
    nameless = span(1, 0, 0, 1, K.CONSUMER, name="", attributes={"messaging.destination.name": "exports"})
    assert one(nameless).endpoint == "exports"


def test_an_error_is_that_of_the_request_and_not_of_a_part_of_it() -> None:
    web = span(1, 0, 0, 10, K.SERVER)
    assert not one(web, span(2, 1, 1, 2, failed=True)).error
    assert one(web._replace(failed=True)).error
    assert one(web._replace(attributes={"http.response.status_code": 503})).error
    assert not one(web._replace(attributes={"http.response.status_code": 404})).error
    assert not one(web._replace(attributes={"http.response.status_code": True})).error
