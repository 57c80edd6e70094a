"""Sums by minute and hour say the same as the samples they were made from, whatever is picked and whenever it came."""

import numpy as np
import pytest
from faena.apps.collecting.housekeeping import keep_house
from faena.apps.samples.actions import store_ticks
from faena.apps.samples.closing import close_hours, forget_before, sum_up_missed
from faena.apps.samples.codebook import Codebook
from faena.apps.samples.hours import forget_caches, read_frame
from faena.apps.samples.models import Chunk, DayTotals, Rollup
from faena.apps.samples.selectors import load, sieve
from faena.apps.samples.sessions import read_sessions
from faena.apps.servers.models import Server
from faena.collector.jobs import PartFailed
from faena.core.readings import SampleReading
from faena.core.sampling.dimensions import Dimension
from faena.core.sampling.rollup import MINUTE_MS
from faena.core.sampling.trail import Pick
from faena.core.series.window import Window
from faena.core.units import MS_PER_HOUR, EpochMs
from faena.testing.builders import START, reading
from faena.testing.steady import SteadySource

SOURCE = SteadySource(seed=3, mean_sessions=5, combinations=30)
HOURS = 5
NOW = START + HOURS * MS_PER_HOUR + 20 * MINUTE_MS


def readings(seconds: range) -> list[tuple[SampleReading, int]]:
    return [(reading(s, *SOURCE.sessions_at(EpochMs(START + 1000 * s))), 0) for s in seconds]


@pytest.fixture
def server(transactional_db: None) -> Server:
    """Five closed hours with a gap in the second, and the beginning of a sixth."""
    server = Server.objects.create(name="rolled")
    seconds = [range(0, 5000, 11), range(7000, HOURS * 3600 + 600, 11)]
    for span in seconds:
        store_ticks(server.id, readings(span), Codebook(server.id))
    close_hours(server.id, NOW)
    forget_caches()
    return server


def counted(server: Server, window: Window, unit_ms: int) -> tuple[int, dict[int, int]]:
    """Ticks, and how often each code was seen."""
    frame = read_frame(server.id, window, unit_ms=unit_ms)
    seen = np.bincount(frame.code, weights=frame.seen)
    return frame.ticks, {code: int(n) for code, n in enumerate(seen.tolist()) if n}


@pytest.mark.parametrize("unit", [MINUTE_MS, MS_PER_HOUR], ids=["minutes", "hours"])
@pytest.mark.parametrize(
    ("start_s", "end_s"),
    [(0, 18_000), (17, 18_600), (1800, 9000), (3599, 3661), (4000, 7100), (100, 150)],
    ids=["whole", "into the open hour", "half hours", "over an edge", "over the gap", "inside a minute"],
)
def test_sums_hold_what_the_samples_hold(server: Server, unit: int, start_s: int, end_s: int) -> None:
    window = Window(start=EpochMs(START + 1000 * start_s), end=EpochMs(START + 1000 * end_s))
    assert counted(server, window, unit) == counted(server, window, 0)
    if end_s - start_s > 7200:
        assert read_frame(server.id, window, unit_ms=unit).taken is not None, "sums were read, not samples"


@pytest.mark.parametrize("unit", [MINUTE_MS, MS_PER_HOUR])
def test_late_readings_are_in_the_sums_before_and_after_their_hour_is_closed_again(server: Server, unit: int) -> None:
    window = Window(start=START, end=EpochMs(START + HOURS * MS_PER_HOUR))
    before, _ = counted(server, window, unit)
    store_ticks(server.id, readings(range(5001, 6990, 11)), Codebook(server.id))
    late = counted(server, window, unit)
    assert late[0] == before + len(range(5001, 6990, 11))
    close_hours(server.id, NOW)
    assert counted(server, window, unit) == late == counted(server, window, 0)


def test_long_spans_answer_as_short_ones_do_for_every_narrowing(server: Server) -> None:
    """Six hours are read by minute, the same hours one by one as single samples."""
    long = Window(start=EpochMs(START - MS_PER_HOUR), end=EpochMs(START + HOURS * MS_PER_HOUR))
    parts = [
        Window(start=EpochMs(START + h * MS_PER_HOUR), end=EpochMs(START + (h + 1) * MS_PER_HOUR)) for h in range(HOURS)
    ]
    trails: list[tuple[Pick, ...]] = [
        (),
        (Pick(Dimension.KIND, "lock"),),
        (Pick(Dimension.PROGRAM, "booking-web"), Pick(Dimension.KIND, "commit", exclude=True)),
    ]
    for trail in trails:
        whole = load(server.id, long, Dimension.PROGRAM, trail, at_most=36, period_ms=1000, now=NOW)
        assert whole.resolution_ms == MINUTE_MS
        pieces = [load(server.id, p, Dimension.PROGRAM, trail, at_most=36, period_ms=1000, now=NOW) for p in parts]
        assert {p.resolution_ms for p in pieces} == {1000}
        assert int(whole.series.seen.sum()) == sum(int(p.series.seen.sum()) for p in pieces)
        assert whole.ticks == sum(p.ticks for p in pieces)
        columns, ticks = sieve(server.id, long, [Dimension.WAIT], trail, at_most=50)
        alone = [sieve(server.id, p, [Dimension.WAIT], trail, at_most=50) for p in parts]
        totals: dict[str, int] = {}
        for piece, _ in alone:
            for row in piece[0].rows:
                totals[row.value] = totals.get(row.value, 0) + row.seen
        assert {row.value: row.seen for row in columns[0].rows} == totals
        assert ticks == sum(n for _, n in alone)


def test_hours_closed_by_an_earlier_version_are_summed_up_later(server: Server) -> None:
    window = Window(start=START, end=EpochMs(START + HOURS * MS_PER_HOUR))
    expected = counted(server, window, MINUTE_MS)
    Rollup.objects.all().delete()
    DayTotals.objects.all().delete()
    forget_caches()
    assert counted(server, window, MINUTE_MS) == expected, "read as samples meanwhile"
    assert sum_up_missed(server.id) == HOURS
    assert sum_up_missed(server.id) == 0
    forget_caches()
    assert counted(server, window, MS_PER_HOUR) == expected


def test_sums_outlive_the_samples_they_were_made_from(server: Server) -> None:
    window = Window(start=START, end=EpochMs(START + HOURS * MS_PER_HOUR))
    expected = counted(server, window, MS_PER_HOUR)
    assert forget_before(server.id, START + 3 * MS_PER_HOUR, 0) == 3
    assert Chunk.objects.count() == 2
    assert counted(server, window, MS_PER_HOUR) == expected
    assert counted(server, window, 0)[0] < expected[0]


def test_a_damaged_hour_is_a_gap_and_stops_no_housekeeping(server: Server) -> None:
    """Of its server, whose other hours are read, closed and dropped when old; and of all that come after it."""
    other = Server.objects.create(name="undamaged")
    store_ticks(other.id, readings(range(0, 3600, 11)), Codebook(other.id))
    chunk = Chunk.objects.get(server=server, hour_ms=START + 2 * MS_PER_HOUR)
    for name in ("tick_ms", "tick", "code"):
        Chunk.objects.filter(pk=chunk.pk).update(**{name: bytes(getattr(chunk, name))[:-3] + b"xyz"})
    Rollup.objects.filter(server=server, hour_ms=chunk.hour_ms).update(code=b"F1")
    late = range(3600 * 2 + 1, 3600 * 2 + 100, 11)
    store_ticks(server.id, readings(late), Codebook(server.id))
    with pytest.raises(PartFailed, match=r"closing hours of rolled \(BadColumn\)"):
        keep_house(NOW)
    assert Chunk.objects.filter(server=other, hour_ms=START).exists()
    forget_caches()
    window = Window(start=START, end=EpochMs(START + HOURS * MS_PER_HOUR))
    damaged = Window(start=EpochMs(chunk.hour_ms), end=EpochMs(chunk.hour_ms + MS_PER_HOUR))
    for unit in (0, MINUTE_MS):
        assert read_frame(server.id, window, unit_ms=unit).ticks > 1000
        assert read_frame(server.id, damaged, unit_ms=0).ticks == len(late), "what came late is there"
    assert read_sessions(server.id, damaged).tick_ms.tolist() == [START + 1000 * s for s in late]
    server.sample_retention_days = 1
    server.save()
    with pytest.raises(PartFailed):
        keep_house(NOW + 48 * MS_PER_HOUR)
    assert not Chunk.objects.filter(server=server).exists()
