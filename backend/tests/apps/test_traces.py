"""Traces from their payload to requests in the store: nothing lost, nothing counted twice, nothing kept that may not be."""

import threading
from typing import Any

import numpy as np
import pytest
from django.db import connection, transaction
from faena.apps.accounts.tokens import digest_of
from faena.apps.collecting.destinations import Destinations
from faena.apps.collecting.traces import receive, take
from faena.apps.requests import arrivals, judging, selectors
from faena.apps.requests.dictionaries import Dictionaries
from faena.apps.requests.judging import LATE_MS, LONGEST_MS, QUIET_MS, ROOTLESS_MS, Judge, take_in
from faena.apps.requests.models import (
    Arrival,
    CallSum,
    Endpoint,
    KeptRequest,
    OpenTrace,
    Origin,
    RequestStatement,
    RequestSum,
    StatementSum,
    Trace,
    TraceSource,
)  # fmt: skip
from faena.apps.requests.rows import read_request_sums, rungs_bytes, rungs_vector
from faena.apps.requests.writing import add_sums
from faena.apps.samples import sightings
from faena.apps.samples.actions import store_ticks
from faena.apps.samples.codebook import Codebook
from faena.apps.samples.selectors import raw_samples
from faena.apps.servers.models import Server
from faena.collector.kinds import INTAKE, Traced
from faena.core.errors import Busy, NotAllowed
from faena.core.readings import SampleReading
from faena.core.requests.findings import Found
from faena.core.requests.sums import CALL_FIGURES, REQUEST_FIGURES, RUNGS, STATEMENT_FIGURES, Sums, by_name
from faena.core.requests.sums import Origin as OriginKey
from faena.core.series.window import Window
from faena.core.units import EpochMs, Millis
from faena.testing.builders import session
from opentelemetry.proto.collector.trace.v1.trace_service_pb2 import ExportTraceServiceRequest
from opentelemetry.proto.trace.v1.trace_pb2 import Span as Wire

pytestmark = pytest.mark.django_db
NOW = 1_790_000_000_000
SECRET = "ada@quay.example"


@pytest.fixture
def source() -> TraceSource:
    server = Server.objects.create(name="bookings")
    return TraceSource.objects.create(server=server, name="booking-web", digest="0" * 64)


def payload(*spans: tuple[int, int, int, str, int, float, float, dict[str, Any]]) -> bytes:
    """Each span: trace, own and parent's number, name, kind, start and length in ms, attributes."""
    made = ExportTraceServiceRequest()
    group = made.resource_spans.add()
    for key, value in (("service.name", "booking-web"), ("service.version", "7"), ("host.name", "quay-a")):
        group.resource.attributes.add(key=key).value.string_value = value
    part = group.scope_spans.add()
    for trace, own, parent, name, kind, start, length, attributes in spans:
        begins = int((NOW + start) * 1e6)
        span = part.spans.add(
            trace_id=trace.to_bytes(16), span_id=own.to_bytes(8), parent_span_id=parent.to_bytes(8) if parent else b"", name=name,
            kind=Wire.SpanKind.ValueType(kind), start_time_unix_nano=begins, end_time_unix_nano=begins + int(length * 1e6),
        )  # fmt: skip
        for key, value in attributes.items():
            held = span.attributes.add(key=key).value
            if isinstance(value, int):
                held.int_value = value
            else:
                held.string_value = value
    return made.SerializeToString()


def web(
    trace: int, length: float = 100, start: float = 0, **more: Any
) -> tuple[int, int, int, str, int, float, float, dict[str, Any]]:
    return (trace, 1, 0, "GET /beds", 2, start, length, {"http.request.method": "GET", "http.route": "/beds"} | more)


def query(trace: int, own: int, start: float = 1) -> tuple[int, int, int, str, int, float, float, dict[str, Any]]:
    text = f"SELECT * FROM passenger WHERE mail = '{SECRET}' AND id = {own}"
    return (
        trace,
        own,
        1,
        "SELECT",
        3,
        start,
        2,
        {"db.system.name": "postgresql", "db.query.text": text, "enduser.id": SECRET},
    )


def figures(length: int = 60_000) -> dict[str, float]:
    (row,) = RequestSum.objects.filter(length_ms=length)
    return by_name(REQUEST_FIGURES, row.figures)


def sent(source: TraceSource, content: bytes, at: int = NOW) -> None:
    take(source, content, json=False, now=EpochMs(at))


def test_a_trace_becomes_a_request_with_its_sums(source: TraceSource) -> None:
    cache = (7, 20, 1, "GET", 3, 50.0, 4.0, {"db.system": "redis"})
    sent(source, payload(web(7), *(query(7, 2 + i, 5 + 5 * i) for i in range(6)), cache))
    judge = Judge()
    assert judge.settle(NOW).requests == 0  # more of it may come
    assert judge.settle(NOW + QUIET_MS).requests == 1
    (kept,) = KeptRequest.objects.select_related("origin__endpoint")
    assert (kept.origin.endpoint.name, kept.origin.version, kept.origin.host) == ("GET /beds", "7", "quay-a")
    assert (kept.at_ms, kept.duration_ms, kept.statements, kept.weight, kept.why) == (NOW, 100.0, 6, 1.0, "chosen")
    assert kept.layers == [84.0, 12.0, 4.0, 0.0, 0.0]
    statement = RequestStatement.objects.get()
    assert statement.text == "SELECT * FROM passenger WHERE mail = ? AND id = ?"
    assert kept.repeated == [{"statement": statement.pk, "count": 6, "ms": 12.0, "code": None, "after": None}]
    for length in (60_000, 3_600_000):
        told = figures(length)
        assert (told["requests"], told["time_ms"], told["database_ms"], told["with_repeats"]) == (1, 100, 12, 1)
    assert by_name(STATEMENT_FIGURES, StatementSum.objects.filter(length_ms=60_000).get().figures)["runs"] == 6
    assert by_name(CALL_FIGURES, CallSum.objects.filter(length_ms=60_000).get().figures)["calls"] == 1


def test_no_literal_and_nothing_personal_is_readable_in_the_store_at_any_time(source: TraceSource) -> None:
    sent(source, payload(web(7, **{"http.target": f"/beds?mail={SECRET}"}), query(7, 2)))
    for step in (None, NOW, NOW + QUIET_MS):
        if step is not None:
            Judge().settle(step)
        with connection.cursor() as cursor:
            for model in (Arrival, OpenTrace, Trace, KeptRequest, RequestStatement, Endpoint, Origin, TraceSource):
                cursor.execute(f"SELECT string_agg(t::text, '') FROM {model._meta.db_table} t")
                rows = str(cursor.fetchone()[0])
                assert SECRET not in rows
                assert SECRET.encode().hex() not in rows
    (trace,) = Trace.objects.all()
    assert SECRET not in str(judging._spans_of(trace))


def test_what_comes_late_joins_its_trace_and_is_counted_once(source: TraceSource) -> None:
    judge = Judge()
    sent(source, payload(web(7)))
    judge.settle(NOW)
    judge.settle(NOW + QUIET_MS)
    assert figures()["statements"] == 0
    sent(source, payload(query(7, 2)), NOW + 9_000)
    judge.settle(NOW + 9_000)
    judge.settle(NOW + 9_000 + QUIET_MS)
    told = figures()
    assert (told["requests"], told["statements"], told["time_ms"], told["own_ms"]) == (1, 1, 100, 98)
    (kept,) = KeptRequest.objects.all()
    assert kept.statements == 1
    assert Trace.objects.get().spans == 2


def test_what_comes_twice_is_counted_as_that_and_changes_nothing(source: TraceSource) -> None:
    judge = Judge()
    for at in (NOW, NOW + 20_000):
        sent(source, payload(web(7), query(7, 2)), at)
        judge.settle(at)
        judge.settle(at + QUIET_MS)
    assert (figures()["requests"], figures()["statements"], KeptRequest.objects.count()) == (1, 1, 1)
    source.refresh_from_db()
    assert (source.spans, source.duplicates) == (4, 2)


def test_a_trace_that_goes_on_and_on_is_judged_meanwhile(source: TraceSource) -> None:
    judge = Judge()
    for n in range(14):
        at = NOW + n * LONGEST_MS // 12
        sent(source, payload(web(7, 1e6) if n == 0 else query(7, 1 + n, n)), at)
        judge.settle(at)
    assert figures()["requests"] == 1
    assert OpenTrace.objects.count() == 1  # and what came since waits for the next time


def test_a_trace_whose_request_has_not_ended_waits_for_it(source: TraceSource) -> None:
    judge = Judge()
    sent(source, payload(query(7, 2)))
    for seconds in (0, 6, 12, 90):
        judge.settle(NOW + 1000 * seconds)
    assert RequestSum.objects.count() == 0
    sent(source, payload(web(7, 95_000)), NOW + 95_000)
    judge.settle(NOW + 95_000)
    judge.settle(NOW + 95_000 + QUIET_MS)
    assert [(e.name, e.kind) for e in Endpoint.objects.all()] == [("GET /beds", "web")]
    sent(source, payload(query(8, 2)), NOW)
    judge.settle(NOW)
    judge.settle(NOW + ROOTLESS_MS)
    assert Endpoint.objects.count() == 2  # what never gets a beginning is shown as it is


def test_a_run_that_breaks_off_leaves_what_it_found(source: TraceSource, monkeypatch: pytest.MonkeyPatch) -> None:
    sent(source, payload(web(7), query(7, 2)))
    judge = Judge()
    judge.settle(NOW)
    with monkeypatch.context() as broken:
        broken.setattr(judging, "keep_requests", lambda *_: 1 / 0)
        with pytest.raises(ZeroDivisionError):
            judge.settle(NOW + QUIET_MS)
    assert (RequestSum.objects.count(), Endpoint.objects.count(), OpenTrace.objects.count()) == (0, 0, 1)
    judge.settle(NOW + QUIET_MS)
    assert figures()["requests"] == 1


def test_of_many_ordinary_requests_some_are_kept_that_stand_for_all(source: TraceSource) -> None:
    judge = Judge()
    for batch in range(8):
        first = 1 + batch * 100
        sent(source, payload(*(web((n * 2**61 + 11) % 2**127, 50, n) for n in range(first, first + 100))))
        judge.settle(NOW)
        judge.settle(NOW + QUIET_MS)
    kept = list(KeptRequest.objects.values_list("weight", flat=True))
    assert figures()["requests"] == 800
    assert 12 <= len(kept) < 200
    assert sum(kept) == pytest.approx(800, rel=0.5)  # an estimate: what is not kept is stood for


def test_all_that_are_slow_or_failed_are_kept(source: TraceSource) -> None:
    judge = Judge()
    many = [web(1000 + n, 50, n) for n in range(60)]
    sent(source, payload(*many, web(7, 2500), web(8, 50, **{"http.response.status_code": 503})))
    judge.settle(NOW)
    judge.settle(NOW + QUIET_MS)
    assert set(KeptRequest.objects.exclude(why="chosen").values_list("why", "weight")) == {
        ("slow", 1.0),
        ("failed", 1.0),
    }
    told = figures()
    assert (told["errors"], told["satisfied"], told["tolerated"]) == (1, 60, 0)


def test_traces_that_nobody_chose_are_forgotten_once_nothing_can_be_late(source: TraceSource) -> None:
    judge = Judge()
    sent(source, payload(*(web(1000 + n, 50) for n in range(60))))
    judge.settle(NOW)
    judge.settle(NOW + QUIET_MS)
    chosen = KeptRequest.objects.count()
    assert Trace.objects.count() == 60
    judging.forget(NOW + QUIET_MS + LATE_MS + 1)
    assert Trace.objects.count() == chosen < 60
    judging.forget(NOW + 20 * 86_400_000)
    assert (Trace.objects.count(), KeptRequest.objects.count()) == (0, 0)
    assert figures()["requests"] == 60


def test_a_token_admits_and_a_full_queue_turns_away(source: TraceSource, monkeypatch: pytest.MonkeyPatch) -> None:
    TraceSource.objects.update(digest=digest_of("a token"))
    content = payload(web(7))
    with pytest.raises(NotAllowed):
        receive("another", content, encoding="", json=False, now=EpochMs(NOW))
    assert receive("a token", content, encoding="", json=False, now=EpochMs(NOW)).taken == 1
    monkeypatch.setattr(arrivals, "MOST_WAITING", 1)
    with pytest.raises(Busy):
        receive("a token", content, encoding="", json=False, now=EpochMs(NOW))


def test_a_payload_stands_on_a_line_of_the_spool_as_any_record(source: TraceSource) -> None:
    record = Traced(
        server_id=source.server_id, source_id=source.pk, at=EpochMs(NOW), spans=1, payload=b"p" + payload(web(7))
    )
    again = INTAKE.unpack(INTAKE.pack(record))
    assert again == record
    Destinations().store(Traced, source.server_id, [again])
    take_in(NOW)
    assert OpenTrace.objects.count() == 1


def test_a_new_secret_leaves_what_waits_readable(source: TraceSource, monkeypatch: pytest.MonkeyPatch) -> None:
    sent(source, payload(web(7)))
    arrivals.seal_anew("another secret")
    assert arrivals.Arrival.objects.get().sealed
    monkeypatch.setattr("faena.apps.servers.sealing.secret", lambda _: "another secret")
    take_in(NOW)
    assert OpenTrace.objects.count() == 1


def test_a_window_is_put_together_of_the_longest_sums_that_fit_and_counts_each_minute_once(source: TraceSource) -> None:
    sums, origin = Sums(), OriginKey("web", "web", "GET /beds", "7", "quay-a")
    hour = NOW // 3_600_000 * 3_600_000
    for minute in range(-130, 130):
        sums.requests[hour + minute * 60_000, origin] = np.eye(len(REQUEST_FIGURES))[0] * 2.0 ** (minute % 7)
        sums.rungs[hour + minute * 60_000, origin] = np.eye(97)[minute % 5]
    add_sums(source.server_id, sums, Dictionaries(source.server_id))
    for start, end in ((-1, 1), (0, 60), (-7, 53), (-119, 121), (-120, 120), (3, 4), (9, 11), (-61, 71)):
        window = Window(start=EpochMs(hour + start * 60_000), end=EpochMs(hour + end * 60_000))
        (one,) = selectors.summed(source.server_id, window, selectors.Only())
        assert one.figures["requests"] == sum(2.0 ** (minute % 7) for minute in range(start, end)), (start, end)
        assert one.rungs.sum() == end - start


@pytest.mark.parametrize(
    ("asked", "failed", "found"),
    [
        ([1.0] * 40 + [0.0] * 20, 0.0, True),  # the change lies before the window
        ([1.0] * 59 + [0.0], 0.0, True),
        ([0.0] * 60, 0.0, False),  # it never asked
        ([1.0] * 40 + [0.0] * 19 + [1.0], 0.0, False),  # it asks once more
        ([1.0] * 40 + [0.0] * 20, 20.0, False),  # they failed before they could ask
        ([1.0] * 40 + [0.0] * 20, 10.0, True),
    ],
)
def test_a_cache_that_was_asked_in_the_half_hour_before_the_window_is_missed_in_it(
    source: TraceSource, asked: list[float], failed: float, found: bool
) -> None:
    sums, origin = Sums(), OriginKey("web", "web", "GET /beds", "7", "quay-a")
    minute = NOW // 60_000 * 60_000
    for n, share in enumerate(asked):
        vector = np.zeros(len(REQUEST_FIGURES))
        vector[REQUEST_FIGURES.index("requests")], vector[REQUEST_FIGURES.index("with_cache")] = 20.0, 20.0 * share
        vector[REQUEST_FIGURES.index("errors")] = failed if share == 0 else 0.0
        sums.requests[minute - (len(asked) - n) * 60_000, origin] = vector
        sums.rungs[minute - (len(asked) - n) * 60_000, origin] = np.eye(97)[3]
    add_sums(source.server_id, sums, Dictionaries(source.server_id))
    window = Window(start=EpochMs(minute - 60_000), end=EpochMs(minute))
    rows = selectors.summed(source.server_id, window, selectors.Only())
    (told,) = selectors.findings_of(source.server_id, window, rows, selectors.Only()).values()
    assert (Found.CACHE_MISSING in [one.kind for one in told]) == found


def test_a_request_that_waited_for_a_blocked_session_is_kept_and_names_its_samples(source: TraceSource) -> None:
    """Also when its samples came first and hundreds of others like it would have been kept as well."""
    spans = {n: (100 + n).to_bytes(8).hex() for n in range(60)}
    waiting = session(1, context=f"{(7).to_bytes(16).hex()}-{spans[7]}", blocked_by=(2,), wait_type="Lock")
    second = SampleReading(due=EpochMs(NOW), took=Millis(1), sessions=(waiting, session(2)))
    store_ticks(source.server_id, [(second, 0)], Codebook(source.server_id))
    made = [(web(n), query(n, 100 + n)) for n in range(1, 60)]
    sent(source, payload(*(span for both in made for span in both)))
    judge = Judge()
    judge.settle(NOW)
    judge.settle(NOW + QUIET_MS)
    kept = KeptRequest.objects.get(trace=(7).to_bytes(16))
    assert (kept.why, kept.weight) == ("blocked", 1.0)
    rows = raw_samples(source.server_id, Window(start=EpochMs(NOW), end=EpochMs(NOW + 1)), ())
    assert [(row.pid, row.combination.endpoint) for row in rows] == [(1, "booking-web GET /beds"), (2, "")]
    (seen,) = sightings.of_traces([(7).to_bytes(16)])
    assert (seen.endpoint, seen.blocked, seen.span) == ("booking-web GET /beds", True, spans[7])
    judging.forget(NOW + 10 * sightings.WAITS_MS)
    assert len(sightings.of_traces([(7).to_bytes(16)])) == 1, "as long as its request is kept"


def test_sums_of_an_origin_are_added_up_over_the_pieces_of_a_time(source: TraceSource) -> None:
    """Also what takes back; of other servers and origins nothing."""
    endpoint = Endpoint.objects.create(server_id=source.server_id, service="web", kind="web", name="GET /x")
    origins = [Origin.objects.create(endpoint=endpoint, version=str(n), host="").pk for n in range(2)]
    figures, rungs = np.arange(len(REQUEST_FIGURES)) / 3, np.linspace(-4, 1e6, RUNGS + 1)
    for n in range(4):
        RequestSum.objects.create(
            server_id=source.server_id, length_ms=60_000, at_ms=NOW + 60_000 * n, origin_id=origins[n % 2],
            figures=(figures * 10.0**n).tolist(), rungs=rungs_bytes(rungs * (n + 1)),
        )  # fmt: skip
    pieces = [(60_000, NOW, NOW + 60_000), (60_000, NOW + 60_000, NOW + 180_000), (3_600_000, 0, NOW)]
    read = {row.origin: row for row in read_request_sums(source.server_id, pieces, None)}
    assert read[origins[0]].figures == pytest.approx(figures * 101)
    assert read[origins[0]].rungs == pytest.approx(rungs * 4, rel=1e-6)
    assert read[origins[1]].figures == pytest.approx(figures * 10)
    some = read_request_sums(source.server_id, pieces, {origins[1]})
    assert [row.origin for row in some] == [origins[1]]
    assert read_request_sums(source.server_id, pieces, set()) == []
    assert read_request_sums(source.server_id + 1, pieces, None) == []


@pytest.mark.django_db(transaction=True)
def test_two_collectors_that_add_at_once_lose_nothing(source: TraceSource) -> None:
    origin = OriginKey("web", "web", "GET /beds", "7", "quay-a")
    Dictionaries(source.server_id).origins({origin})

    def add() -> None:
        names = Dictionaries(source.server_id)
        for n in range(20):
            sums = Sums()
            sums.requests[NOW, origin], sums.rungs[NOW, origin] = np.ones(len(REQUEST_FIGURES)), np.eye(RUNGS + 1)[n]
            with transaction.atomic():
                add_sums(source.server_id, sums, names)
        connection.close()

    both = [threading.Thread(target=add) for _ in range(2)]
    for one in both:
        one.start()
    for one in both:
        one.join()
    (row,) = RequestSum.objects.filter(length_ms=3_600_000)
    assert row.figures[0] == 40
    assert rungs_vector(row.rungs).tolist() == [2.0] * 20 + [0.0] * (RUNGS - 19)
