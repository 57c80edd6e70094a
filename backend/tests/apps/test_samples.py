"""Samples in the store: each tick once, hours closed and reopened, answers equal to plain SQL."""

import numpy as np
import pytest
from django.db import connection, transaction
from faena.apps.samples import packing
from faena.apps.samples.actions import store_ticks
from faena.apps.samples.closing import LATE_MS, close_hours, forget_before
from faena.apps.samples.codebook import Codebook
from faena.apps.samples.hours import HourCache, forget_caches, read_frame
from faena.apps.samples.models import Chunk, Combination, OpenSample, Tick
from faena.apps.samples.rows import copy_frame, copy_frames
from faena.apps.samples.selectors import load, raw_samples, sieve
from faena.apps.servers.models import Server
from faena.core.readings import SampleReading, SessionSample
from faena.core.sampling.dimensions import Dimension
from faena.core.sampling.trail import Pick
from faena.core.series.window import Window
from faena.core.units import MS_PER_HOUR, EpochMs, Pid, QueryId
from faena.testing.builders import START, reading, session
from faena.testing.steady import SteadySource
from hypothesis import given
from hypothesis import strategies as st

HOUR = Window(start=START, end=EpochMs(START + MS_PER_HOUR))
CLOSING = START + MS_PER_HOUR + LATE_MS
SOURCE = SteadySource(seed=5, mean_sessions=6, combinations=40)


@pytest.fixture
def server(transactional_db: None) -> Server:
    return Server.objects.create(name="test")


def simulated(seconds: range) -> list[tuple[SampleReading, int]]:
    return [(reading(s, *SOURCE.sessions_at(EpochMs(START + 1000 * s))), 0) for s in seconds]


def keep(server: Server, readings: list[tuple[SampleReading, int]]) -> int:
    return len(store_ticks(server.id, readings, Codebook(server.id)))


def seen_rows(server: Server, window: Window = HOUR) -> list[tuple[int, int, str]]:
    return [(r.at_ms, r.pid, r.combination.wait_event) for r in raw_samples(server.id, window, ())]


def test_a_tick_is_stored_once_however_often_it_comes(server: Server) -> None:
    readings = simulated(range(30))
    assert keep(server, readings) == 30
    before = seen_rows(server)
    assert keep(server, readings[10:] + simulated(range(30, 32))) == 2
    assert seen_rows(server, Window(start=START, end=EpochMs(START + 30_000))) == before


def test_an_idle_tick_is_a_tick(server: Server) -> None:
    keep(server, [(reading(0), 0), (reading(1, session()), 0)])
    frame = read_frame(server.id, HOUR)
    assert (len(frame.tick_ms), len(frame.code)) == (2, 1)


def test_a_closed_hour_says_the_same_as_the_open_one(server: Server) -> None:
    keep(server, simulated(range(0, 3600, 7)))
    rows = seen_rows(server)
    frame = read_frame(server.id, HOUR)
    assert close_hours(server.id, CLOSING - 1) == 0, "late readings may still come"
    assert close_hours(server.id, CLOSING) == 1
    assert close_hours(server.id, CLOSING) == 0
    assert (Tick.objects.count(), OpenSample.objects.count(), Chunk.objects.count()) == (0, 0, 1)
    forget_caches()
    again = read_frame(server.id, HOUR)
    assert seen_rows(server) == rows
    for name in ("tick_ms", "tick", "code"):
        assert (getattr(again, name) == getattr(frame, name)).all()


def test_late_readings_join_a_closed_hour_and_double_ones_do_not(server: Server) -> None:
    every, late = simulated(range(0, 600, 2)), simulated(range(1, 600, 2))
    keep(server, every)
    close_hours(server.id, CLOSING)
    keep(server, late + every[5:50])
    # While late readings lie beside the closed hour, a tick that both have counts once.
    assert len(read_frame(server.id, HOUR).tick_ms) == 600
    assert len({(at, pid) for at, pid, _ in seen_rows(server)}) == len(seen_rows(server))
    close_hours(server.id, CLOSING)
    forget_caches()
    expected = sorted((r.due, s.pid) for r, _ in every + late for s in r.sessions)
    assert [(at, pid) for at, pid, _ in seen_rows(server)] == expected
    assert Chunk.objects.get().revision == 2


@pytest.mark.parametrize("closed", [False, True], ids=["open", "closed"])
@pytest.mark.parametrize(
    "trail",
    [
        (),
        (Pick(Dimension.PROGRAM, "booking-web"),),
        (Pick(Dimension.KIND, "lock"), Pick(Dimension.USER, "x", exclude=True)),
    ],
)
def test_answers_equal_plain_sql(server: Server, trail: tuple[Pick, ...], closed: bool) -> None:
    keep(server, simulated(range(0, 3600, 3)))
    where = {Dimension.PROGRAM: "c.program = 'booking-web'", Dimension.KIND: "c.wait_type = 'Lock'"}
    conditions = " AND ".join(["c.active", *(where[p.dimension] for p in trail if not p.exclude)])
    with connection.cursor() as cursor:
        cursor.execute(
            f"SELECT c.wait_type || ':' || c.wait_event, (s.at_ms - {START}) / 60000, count(*) FROM samples_opensample s "
            f"JOIN samples_combination c USING (server_id, code) WHERE {conditions} GROUP BY 1, 2"
        )
        expected = {(w if w != ":" else "running", int(b)): n for w, b, n in cursor.fetchall()}
    if closed:
        close_hours(server.id, CLOSING)
        forget_caches()
    answer = load(server.id, HOUR, Dimension.WAIT, trail, at_most=60, period_ms=1000, now=CLOSING)
    got = {
        (g, b): int(n)
        for g, row in zip(answer.series.groups, answer.series.seen, strict=True)
        for b, n in enumerate(row)
        if n
    }
    assert got == expected
    columns, ticks = sieve(server.id, HOUR, [Dimension.WAIT], trail, at_most=50)
    totals: dict[str, int] = {}
    for (wait, _), n in expected.items():
        totals[wait] = totals.get(wait, 0) + n
    assert {row.value: row.seen for row in columns[0].rows} == totals
    assert ticks == 1200


def test_the_live_tail_reads_on_and_notices_what_comes_late(server: Server) -> None:
    keep(server, simulated(range(0, 60)))
    assert len(read_frame(server.id, HOUR).tick_ms) == 60
    keep(server, simulated(range(70, 90)))
    assert len(read_frame(server.id, HOUR).tick_ms) == 80
    keep(server, simulated(range(60, 70)))
    assert read_frame(server.id, HOUR).tick_ms.tolist() == [START + 1000 * s for s in range(90)]


def test_gaps_and_missing_samples_are_told(server: Server) -> None:
    keep(server, simulated(range(0, 100)) + simulated(range(160, 300)))
    window = Window(start=START, end=EpochMs(START + 300_000))
    answer = load(server.id, window, Dimension.KIND, (), at_most=60, period_ms=1000, now=CLOSING)
    assert answer.missing == 60
    assert [(g.start - START, g.end - START) for g in answer.gaps] == [(100_000, 160_000)]
    assert np.isnan(answer.series.sessions()).all(axis=0).tolist() == [20 <= i < 32 for i in range(60)]


def test_a_server_misses_nothing_from_before_it_was_watched(server: Server) -> None:
    keep(server, simulated(range(200, 300)))
    window = Window(start=START, end=EpochMs(START + 300_000))
    answer = load(server.id, window, Dimension.KIND, (), at_most=60, period_ms=1000, now=CLOSING)
    assert answer.missing == 0
    assert [(g.start - START, g.end - START) for g in answer.gaps] == [(0, 200_000)], "drawn as a gap all the same"


def test_readers_at_work_see_an_hour_being_closed_whole(server: Server) -> None:
    keep(server, simulated(range(0, 3600, 5)))
    frame = read_frame(server.id, HOUR)
    close_hours(server.id, CLOSING)
    keep(server, [(reading(3700), 0)])
    assert len(read_frame(server.id, HOUR).tick_ms) == 720
    later = Window(start=START, end=EpochMs(START + 2 * MS_PER_HOUR))
    assert len(read_frame(server.id, later).tick_ms) == 721
    assert len(frame.tick_ms) == 720, "a frame handed out before stays as it was"


def test_servers_do_not_see_each_other(server: Server) -> None:
    other = Server.objects.create(name="other")
    keep(server, simulated(range(10)))
    keep(other, [(reading(3, session(program="elsewhere")), 0)])
    assert len(read_frame(other.id, HOUR).tick_ms) == 1
    assert Combination.objects.filter(server=other).get().code == 0
    assert not any(r.combination.program == "elsewhere" for r in raw_samples(server.id, HOUR, ()))


def test_a_server_that_no_statistics_know_is_read_once(server: Server) -> None:
    """Statistics are older than the server, as after hours that came at once: its samples are not read for each tick."""
    for n in range(20):
        other = Server.objects.create(name=f"other {n}")
        store_ticks(other.id, [(reading(s, session()), 0) for s in range(30)], Codebook(other.id))
    with connection.cursor() as cursor:
        cursor.execute("ANALYZE samples_tick, samples_opensample")
    readings = [(reading(s, session(1), session(2)), 0) for s in range(1500)]
    store_ticks(server.id, readings, Codebook(server.id))
    with transaction.atomic():
        before = samples_read()
        assert len(copy_frame(server.id, START - 1).tick) == 3000
        alone = samples_read() - before
        assert len(copy_frames({server.id: START - 1})[server.id].tick) == 3000
        together = samples_read() - before - alone
    assert (alone, together) == (3000, 3000)


def samples_read() -> int:
    """Rows of open samples that this transaction has read."""
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT seq_tup_read + coalesce(idx_tup_fetch, 0) FROM pg_stat_xact_user_tables WHERE relname = 'samples_opensample'"
        )
        return int(cursor.fetchone()[0])


def test_retention_drops_whole_old_hours(server: Server) -> None:
    keep(server, simulated(range(0, 20)))
    close_hours(server.id, CLOSING)
    forget_before(server.id, START + MS_PER_HOUR - 1, 0)
    assert Chunk.objects.count() == 1, "an hour goes when all of it is too old"
    forget_before(server.id, START + MS_PER_HOUR, 0)
    assert Chunk.objects.count() == 0


def test_what_the_tape_needs_survives_the_closing(server: Server) -> None:
    one = session(
        4, blocked_by=(Pid(9),), query_id=QueryId(3), started_s=77, transaction_ms=5_000_000_000, statement_ms=12
    )
    keep(server, [(reading(0, one), 0)])
    close_hours(server.id, CLOSING)
    forget_caches()
    (found,) = raw_samples(server.id, HOUR, ())
    assert (found.pid, found.blocker, found.started_s, found.statement_ms) == (4, 9, 77, 12)
    assert found.transaction_ms == 2**31 - 1, "an age beyond what a column holds is cut, not wrapped"


def test_the_cache_of_hours_is_bounded(server: Server) -> None:
    for hour in range(4):
        shift = hour * MS_PER_HOUR
        rows = [
            (SampleReading(due=EpochMs(r.due + shift), took=r.took, sessions=r.sessions), 0)
            for r, _ in simulated(range(300))
        ]
        keep(server, rows)
    close_hours(server.id, START + 10 * MS_PER_HOUR)
    cache = HourCache(max_bytes=20_000)
    frame = cache.read(server.id, Window(start=START, end=EpochMs(START + 4 * MS_PER_HOUR)))
    assert len(frame.tick_ms) == 1200
    assert cache._bytes <= 20_000 or len(cache._frames) == 1


@given(st.lists(st.integers(-(2**62), 2**62), max_size=300))
def test_a_column_unpacks_as_it_was_packed(values: list[int]) -> None:
    column = np.array(values, dtype=np.int64)
    assert packing.unpack(packing.pack(column)).tolist() == values


@given(st.binary(max_size=60), st.integers(0, 10_000))
def test_a_damaged_column_is_refused(noise: bytes, at: int) -> None:
    data = bytearray(packing.pack(np.arange(1000) % 7))
    with pytest.raises(packing.BadColumn):
        packing.unpack(noise if noise[:2] != b"F1" else noise[2:])
    at = 8 + at % (len(data) - 8)  # from the checksum on
    data[at] ^= 0xFF
    with pytest.raises(packing.BadColumn):
        packing.unpack(bytes(data))


def holder_and_waiter() -> tuple[SessionSample, SessionSample]:
    return (
        session(1, program="ops-console", state="idle in transaction"),
        session(2, wait_type="Lock", wait_event="transactionid", blocked_by=(Pid(1),)),
    )


def test_the_console_that_holds_is_named_though_it_is_no_load(server: Server) -> None:
    keep(server, [(reading(0, *holder_and_waiter()), 0)])
    (column,), _ = sieve(server.id, HOUR, [Dimension.HELD_BY], (), at_most=5)
    assert [(row.value, row.seen) for row in column.rows] == [("ops-console", 1)]
    answer = load(server.id, HOUR, Dimension.KIND, (), at_most=10, period_ms=1000, now=CLOSING)
    assert answer.idle_holders == 1.0
