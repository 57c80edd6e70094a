"""What is kept of lock waits beside each closed hour tells of blocking what the samples themselves tell."""

from dataclasses import fields

import numpy as np
import pytest
from faena.apps.locks.blocking import blocking
from faena.apps.samples import sessions
from faena.apps.samples.actions import store_ticks
from faena.apps.samples.closing import close_hours, forget_before, sum_up_missed
from faena.apps.samples.codebook import Codebook
from faena.apps.samples.hours import forget_caches
from faena.apps.samples.models import WaitHour
from faena.apps.samples.sessions import KEPT, read_waiting
from faena.apps.servers.models import Server
from faena.core.readings import SampleReading
from faena.core.series.window import Window
from faena.core.sessions.frame import SessionFrame
from faena.core.units import MS_PER_HOUR, EpochMs, Pid
from faena.testing.builders import START, reading, session
from faena.testing.steady import SteadySource

pytestmark = pytest.mark.django_db(transaction=True)
SOURCE = SteadySource(seed=9, mean_sessions=5, combinations=30)
HOURS = 3
WHOLE = Window(start=START, end=EpochMs(START + HOURS * MS_PER_HOUR))


def readings(seconds: range) -> list[tuple[SampleReading, int]]:
    return [(reading(s, *SOURCE.sessions_at(EpochMs(START + 1000 * s))), 0) for s in seconds]


@pytest.fixture
def server() -> Server:
    forget_caches()
    server = Server.objects.create(name="waiting")
    store_ticks(server.id, readings(range(0, HOURS * 3600, 3)), Codebook(server.id))
    return server


def told(server: Server, window: Window) -> tuple[object, ...]:
    """Read from the store, and once more from what is kept of it in memory."""
    forget_caches()
    sessions.forget_caches()
    fresh = told_now(server, window)
    assert told_now(server, window) == fresh
    return fresh


def told_now(server: Server, window: Window) -> tuple[object, ...]:
    found = blocking(server.id, window, 1.0)
    episodes = [
        (
            one.start,
            one.end,
            one.worst,
            one.session,
            one.state,
            one.share,
            one.episode.lost,
            one.episode.depth,
            one.episode.waiters,
        )
        for one in found.episodes
    ]
    return found.ticks, found.lost, found.most, found.by, episodes


@pytest.mark.parametrize(
    ("start_s", "end_s"), [(0, 10_800), (590, 9_005), (4_200, 4_230)], ids=["whole hours", "ragged", "within a wait"]
)
def test_closed_hours_tell_what_open_ones_told(server: Server, start_s: int, end_s: int) -> None:
    window = Window(start=EpochMs(START + 1000 * start_s), end=EpochMs(START + 1000 * end_s))
    before = told(server, window)
    assert before[1], "somebody waits"
    close_hours(server.id, WHOLE.end + MS_PER_HOUR)
    assert WaitHour.objects.count() == HOURS
    assert told(server, window) == before
    WaitHour.objects.all().delete()
    assert told(server, window) == before, "from the samples, where an earlier version kept nothing"
    while sum_up_missed(server.id):
        pass
    assert WaitHour.objects.count() == HOURS
    assert told(server, window) == before


def test_what_comes_late_is_told_at_once_and_kept_when_its_hour_is_closed_again(server: Server) -> None:
    close_hours(server.id, WHOLE.end + MS_PER_HOUR)
    before = blocking(server.id, WHOLE, 1.0).lost
    late = [
        session(70, state="idle in transaction"),
        session(71, wait_type="Lock", wait_event="tuple", blocked_by=(Pid(70),)),
    ]
    store_ticks(server.id, [(reading(4000, *late), 0)], Codebook(server.id))
    forget_caches()
    assert blocking(server.id, WHOLE, 1.0).lost == before + 1
    close_hours(server.id, WHOLE.end + MS_PER_HOUR)
    forget_caches()
    assert blocking(server.id, WHOLE, 1.0).lost == before + 1


def test_what_is_kept_is_no_more_than_the_chains(server: Server) -> None:
    close_hours(server.id, WHOLE.end + MS_PER_HOUR)
    waiting = np.ones(1, dtype=np.bool_)  # whatever is asked: the closing knew which codes wait
    frame = read_waiting(server.id, WHOLE, waiting)
    involved = {int(pid) for pid in frame.pid}
    assert involved <= set(range(900, 913)), "the console and its queue, and nobody who only ran beside them"
    assert {f.name for f in fields(SessionFrame)} == {"tick_ms", "taken", "seen", *KEPT}


def test_a_damaged_copy_costs_nothing_and_retention_takes_it_with_its_hour(server: Server) -> None:
    close_hours(server.id, WHOLE.end + MS_PER_HOUR)
    before = told(server, WHOLE)
    WaitHour.objects.filter(hour_ms=START - START % MS_PER_HOUR + MS_PER_HOUR).update(columns=b"x")
    assert told(server, WHOLE) == before
    forget_before(server.id, WHOLE.end + 2 * MS_PER_HOUR, 0)
    assert not WaitHour.objects.exists()


def test_what_is_kept_in_memory_is_bounded_and_given_up_when_an_hour_is_rewritten(server: Server) -> None:
    close_hours(server.id, WHOLE.end + MS_PER_HOUR)
    before = blocking(server.id, WHOLE, 1.0).lost
    late = [
        session(70, state="idle in transaction"),
        session(71, wait_type="Lock", wait_event="tuple", blocked_by=(Pid(70),)),
    ]
    store_ticks(server.id, [(reading(4001, *late), 0)], Codebook(server.id))
    close_hours(server.id, WHOLE.end + MS_PER_HOUR)
    assert blocking(server.id, WHOLE, 1.0).lost == before + 1
    frame = read_waiting(server.id, WHOLE, np.ones(1, dtype=np.bool_))
    small = sessions._WaitCache(max_bytes=3 * sessions._size(frame))
    for hour in range(10):
        small.keep(1, hour, 5, frame)
    assert set(small.of(1, range(10), 5)) == {7, 8, 9}
    assert small.of(1, range(10), 6) == {}
