"""Samples learn the endpoint of their request from its trace, whenever it comes, and nothing else of them changes."""

import threading
import time
from collections import Counter

import numpy as np
import pytest
from django.db import connection, transaction
from faena.apps.answers.likely import RUNS_NEEDED, name_likely
from faena.apps.requests import judging
from faena.apps.requests.dictionaries import Dictionaries
from faena.apps.requests.writing import add_sums
from faena.apps.samples import sightings
from faena.apps.samples.actions import store_ticks
from faena.apps.samples.closing import LATE_MS, close_hours
from faena.apps.samples.codebook import Codebook
from faena.apps.samples.dictionary import read_dictionary
from faena.apps.samples.hours import forget_caches, read_frame
from faena.apps.samples.models import Sighting
from faena.apps.samples.recent import recent
from faena.apps.samples.selectors import raw_samples, sieve
from faena.apps.samples.sightings import WAITS_MS, Namer
from faena.apps.servers import holdings
from faena.apps.servers.models import Server
from faena.apps.statements.actions import learn_texts
from faena.core.readings import SampleReading, StatementText
from faena.core.requests.sums import Origin, Sums
from faena.core.sampling.dimensions import Dimension
from faena.core.series.window import Window
from faena.core.sql.texts import normalise
from faena.core.units import MS_PER_HOUR, EpochMs, QueryId
from faena.testing.builders import START, reading, session
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

HOUR = Window(start=START, end=EpochMs(START + MS_PER_HOUR))
BEDS, PORTS = "booking-web GET /beds", "booking-web GET /ports"


@pytest.fixture
def server(transactional_db: None) -> Server:
    return Server.objects.create(name="test")


def context(number: int, span: int = 1) -> str:
    return f"{trace(number).hex()}-{span:016x}"


def trace(number: int) -> bytes:
    return (number + 1).to_bytes(16)


def keep(server: Server, *readings: SampleReading) -> None:
    store_ticks(server.pk, [(one, 0) for one in readings], Codebook(server.pk))


@transaction.atomic
def name(of: dict[int, str], second: int = 30, namer: Namer | None = None, kept_until: int = 0) -> int:
    """The trace of each number was judged to be of one endpoint."""
    endpoints = {trace(number): {b"": endpoint} for number, endpoint in of.items()}
    until = {trace(number): kept_until for number in of}
    return (namer or Namer()).name(endpoints, until, START + 1000 * second)


def told(server: Server) -> Counter[str]:
    """Samples by endpoint as a frame has them, which is what load and the sieve are made of."""
    frame, dictionary = read_frame(server.pk, HOUR), read_dictionary(server.pk)
    values = dictionary.values(Dimension.ENDPOINT)
    return Counter(values[code] for code in frame.code.tolist())


def test_samples_are_split_by_endpoint_once_traces_have_told(server: Server) -> None:
    ticks = [reading(s, session(1, context=context(7)), session(2, context=context(8)), session(3)) for s in range(6)]
    keep(server, *ticks)
    assert told(server) == {"unknown": 18}
    assert name({7: BEDS, 8: PORTS}) == 12
    assert told(server) == {BEDS: 6, PORTS: 6, "unknown": 6}, "what was in memory is read again"
    (column,), _ = sieve(server.pk, HOUR, [Dimension.ENDPOINT], (), at_most=5)
    assert [(row.value, row.seen) for row in column.rows] == [(BEDS, 6), (PORTS, 6), ("unknown", 6)]
    assert name({7: BEDS}) == 0, "judged again, and nothing changes"


def test_only_the_samples_of_that_statement_change(server: Server) -> None:
    """The same session works for one request after another; another session has the same pid later."""
    first, second = context(7, 1), context(8, 2)
    keep(
        server,
        *(reading(s, session(1, context=first if s < 3 else second, query_id=QueryId(5))) for s in range(6)),
        reading(6, session(1, started_s=99, context="")),
    )
    name({7: BEDS})
    rows = raw_samples(server.pk, HOUR, ())
    assert [row.combination.endpoint for row in rows] == [BEDS] * 3 + [""] * 4
    assert {row.combination.query_id for row in list(raw_samples(server.pk, HOUR, ()))[:6]} == {5}


def test_what_comes_after_is_read_on_from_what_changed(server: Server) -> None:
    codebook, namer = Codebook(server.pk), Namer()
    for s in range(20):
        tick = [(reading(s, session(1, context=context(s))), 0)]
        store_ticks(server.pk, tick, codebook)
        if s >= 4:
            name({s - 4: BEDS}, second=s, namer=namer)
        held = holdings.read(server.pk)
        seen = recent.read({server.pk: held}, HOUR)[server.pk]
        dictionary = read_dictionary(server.pk).values(Dimension.ENDPOINT)
        assert [dictionary[code] for code in seen.code.tolist()] == [BEDS] * max(0, s - 3) + ["unknown"] * min(4, s + 1)
        assert told(server) == Counter({BEDS: max(0, s - 3), "unknown": min(4, s + 1)}) - Counter()


def test_two_who_give_out_codes_never_give_the_same_twice(server: Server) -> None:
    writer, namer = Codebook(server.pk), Namer()
    for s in range(8):
        one = session(1, context=context(s), wait_type="Lock", wait_event=f"e{s % 3}", blocked_by=())
        store_ticks(server.pk, [(reading(s, one), 0)], writer)
        name({s: f"job {s % 2}"}, second=s, namer=namer)
    dictionary = read_dictionary(server.pk)
    assert len(set(dictionary.combinations)) == len(dictionary)
    found = Counter((row.combination.wait_event, row.combination.endpoint) for row in raw_samples(server.pk, HOUR, ()))
    assert found == Counter((f"e{s % 3}", f"job {s % 2}") for s in range(8))


def test_samples_and_their_endpoints_are_written_side_by_side_without_a_deadlock(server: Server) -> None:
    """The next sample of a request is stored while another process names the request and has not written it yet."""
    codebook = Codebook(server.pk)
    store_ticks(server.pk, [(reading(0, session(context=context(1))), 0)], codebook)
    ended = list[object]()

    def next_sample() -> None:
        try:
            ended.append(store_ticks(server.pk, [(reading(1, session(context=context(1))), 0)], codebook))
        except Exception as error:
            ended.append(error)
        finally:
            connection.close()

    storing = threading.Thread(target=next_sample)
    with transaction.atomic():
        holdings.lock(server.pk)
        storing.start()
        while not blocks_somebody():
            assert storing.is_alive()
            time.sleep(0.01)
        endpoints = {trace(1): {b"": BEDS}}
        Namer().name(endpoints, {}, START + 2000)
    storing.join()
    assert [type(one) for one in ended] == [list], ended
    assert told(server) == {BEDS: 1, "unknown": 1}


def blocks_somebody() -> bool:
    """Asked of the locks: within a transaction, pg_stat_activity has nobody who came after it was first read."""
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT EXISTS (SELECT FROM pg_locks WHERE NOT granted AND pg_backend_pid() = ANY(pg_blocking_pids(pid)))"
        )
        return bool(cursor.fetchone()[0])


def test_a_reader_who_missed_many_changes_reads_all_again(server: Server) -> None:
    keep(server, *(reading(s, session(1, context=context(s))) for s in range(50)))
    assert told(server) == {"unknown": 50}
    namer = Namer()
    for s in range(40):
        name({s: BEDS}, second=60, namer=namer)
    assert told(server) == {BEDS: 40, "unknown": 10}


def test_an_hour_keeps_what_it_learned_and_learns_nothing_once_it_may_be_closed(server: Server) -> None:
    keep(server, *(reading(s, session(1, context=context(7)), session(2, context=context(8))) for s in range(4)))
    name({7: BEDS})
    late = 3600 + LATE_MS // 1000
    assert name({8: PORTS}, second=late) == 0
    close_hours(server.pk, START + 1000 * late)
    forget_caches()
    assert told(server) == {BEDS: 4, "unknown": 4}


def test_a_sighting_waits_an_hour_for_its_trace_and_stays_as_long_as_that_is_kept(server: Server) -> None:
    keep(server, reading(0, session(1, context=context(7)), session(2, context=context(8)), session(3)))
    keep(server, reading(1, session(1, context=context(7), blocked_by=(2,)), session(2)))
    assert sightings.blocked_among([trace(7), trace(8)]) == {(trace(7), (1).to_bytes(8))}
    (seen,) = sightings.of_session(server.pk, 1, 0, START, START + 1)
    assert (seen.first, seen.last, seen.blocked, seen.endpoint) == (START, START + 1000, True, "")
    name({7: BEDS}, kept_until=START + 10 * WAITS_MS)
    assert sightings.at_moment(server.pk, START + 1000, [1])[1, 0].endpoint == BEDS
    judging.forget(START + WAITS_MS + 500)
    assert [row.pid for row in Sighting.objects.all()] == [1]
    judging.forget(START + 10 * WAITS_MS + 1)
    assert not Sighting.objects.exists()


def test_what_is_no_trace_context_is_no_sighting(server: Server) -> None:
    keep(
        server, reading(0, session(1, context=f"{0:032x}-{1:016x}"), session(2, context="7-1"), session(3, context="-"))
    )
    assert not Sighting.objects.exists()


@given(
    seen=st.lists(st.tuples(st.integers(0, 9), st.integers(1, 3), st.integers(1, 4)), min_size=1, max_size=30),
    data=st.data(),
)
@settings(max_examples=25, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_frames_equal_what_the_store_holds_in_any_order_of_telling(
    transactional_db: None, seen: list[tuple[int, int, int]], data: st.DataObject
) -> None:
    server = Server.objects.create(name=f"made-{Server.objects.count()}")
    ticks: dict[int, dict[int, int]] = {}
    for second, pid, number in seen:
        ticks.setdefault(second, {})[pid] = number
    codebook, namer = Codebook(server.pk), Namer()
    known = set[tuple[int, int]]()
    for second in sorted(ticks):
        sessions = [session(pid, context=context(n, 10 * second + pid)) for pid, n in sorted(ticks[second].items())]
        store_ticks(server.pk, [(reading(second, *sessions), 0)], codebook)
        told(server)
        number = data.draw(st.integers(1, 4))
        name({number: f"end {number}"}, second=second, namer=namer)
        known |= {(s, p) for s in ticks if s <= second for p, n in ticks[s].items() if n == number}
        wanted = Counter(
            f"end {n}" if (s, p) in known else "unknown" for s in ticks if s <= second for p, n in ticks[s].items()
        )
        assert told(server) == wanted


def asked(server: Server, runs: dict[str, int]) -> None:
    """Traces have told that endpoints ran a statement so often."""
    learn_texts(server.pk, [StatementText(query_id=QueryId(5), text=normalise("UPDATE slot SET held = $1"))])
    names, sums = Dictionaries(server.pk), Sums()
    for name, many in runs.items():
        origin = Origin(service="booking-web", kind="web", endpoint=name, version="", host="")
        sums.statements[START, origin, "UPDATE slot SET held = ?"] = np.array([float(many), many, 0, 0, 0, 0])
        sums.shown["UPDATE slot SET held = ?"] = "UPDATE slot SET held = $1"
    add_sums(server.pk, sums, names)


@pytest.mark.parametrize(
    ("runs", "wanted"),
    [
        ({"GET /hold": RUNS_NEEDED}, "booking-web GET /hold, likely"),
        ({"GET /hold": RUNS_NEEDED - 1}, "unknown"),
        ({"GET /hold": 900, "GET /beds": 1}, "unknown"),
        ({}, "unknown"),
    ],
)
def test_a_request_under_way_likely_is_of_the_only_endpoint_that_runs_its_statement(
    server: Server, runs: dict[str, int], wanted: str
) -> None:
    asked(server, runs)
    namer, book = Namer(), Codebook(server.pk)
    waiting = session(1, context=context(7), query_id=QueryId(5), blocked_by=(2,))
    for second in range(120):
        store_ticks(server.pk, [(reading(second, waiting, session(2)), 0)], book)
        if second >= 3:
            name_likely(namer, START + 1000 * second)
        if second in (2, 3, 4, 119):
            named = wanted if second >= 3 else "unknown"
            assert told(server) == Counter([named] * (second + 1) + ["unknown"] * (second + 1)), second
    name({7: BEDS}, second=120, namer=namer)
    assert told(server) == {BEDS: 120, "unknown": 120}, "its trace knows better"
    assert name_likely(namer, START + 120_000) == 0
