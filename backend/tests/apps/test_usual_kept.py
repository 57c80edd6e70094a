"""What is usual, told from the store: closed hours and the open one, by the clock of the server."""

from importlib import import_module

import numpy as np
import pytest
from django.apps import apps
from faena.apps.samples.actions import store_ticks
from faena.apps.samples.closing import close_hours
from faena.apps.samples.codebook import Codebook
from faena.apps.samples.models import Rollup, UnusualSpan
from faena.apps.samples.usual import forget_caches, usual_for
from faena.apps.servers.clock import clock_of
from faena.apps.servers.models import Server
from faena.core.series.usual import CELL_MS
from faena.core.series.window import Window, cut
from faena.core.units import MS_PER_HOUR, EpochMs
from faena.testing.builders import START, reading, session

pytestmark = pytest.mark.django_db(transaction=True)
PERIOD_S, DAY_MS = 20, 24 * MS_PER_HOUR
DAY = START - START % DAY_MS + DAY_MS  # a midnight
JOB_AT = DAY + 5 * MS_PER_HOUR


def sampled(server: Server, first: int, last: int, sessions: int, job: int = 0) -> None:
    """Two parts of the same length, the second with the job on top; a third of the sessions wait."""
    for start, end, count in ((first, (first + last) // 2, sessions), ((first + last) // 2, last, sessions + job)):
        busy = [
            session(i, wait_type="IO" if i % 3 == 2 else "", wait_event="DataFileRead" if i % 3 == 2 else "")
            for i in range(count)
        ]
        at = [(moment - START) // 1000 for moment in range(start, end, PERIOD_S * 1000)]
        store_ticks(server.id, [(reading(s, *busy), 0) for s in at], Codebook(server.id))


@pytest.fixture
def server() -> Server:
    """Thirty days of the hour before the job and half of the job's own, the last of them still open."""
    forget_caches()
    server = Server.objects.create(name="nightly", period_ms=PERIOD_S * 1000)
    for back in range(30, -1, -1):
        at = JOB_AT - back * DAY_MS
        sampled(server, at - MS_PER_HOUR // 2, at + MS_PER_HOUR // 2, 3, job=6)
    close_hours(server.id, JOB_AT + MS_PER_HOUR // 2)
    return server


def around(hours: float) -> Window:
    return Window(start=EpochMs(round(JOB_AT - hours * MS_PER_HOUR)), end=EpochMs(round(JOB_AT + hours * MS_PER_HOUR)))


def test_the_open_hour_is_judged_as_the_closed_ones_are(server: Server) -> None:
    window = around(0.5)
    found = usual_for(server, cut(window, at_most=60), window)
    assert found.band.days >= 4
    assert found.departures == [], "nine sessions are usual from five on"
    sampled(server, JOB_AT + MS_PER_HOUR // 2, JOB_AT + MS_PER_HOUR, 30)
    late = Window(start=EpochMs(JOB_AT), end=EpochMs(JOB_AT + MS_PER_HOUR))
    assert usual_for(server, cut(late, at_most=60), late).departures == [], "nobody knows what is usual then"


def test_what_departs_is_the_same_in_a_wide_window_and_after_its_hour_is_closed(server: Server) -> None:
    sampled(server, JOB_AT + DAY_MS - MS_PER_HOUR // 2, JOB_AT + DAY_MS - MS_PER_HOUR // 4, 20)
    narrow = Window(start=EpochMs(JOB_AT + DAY_MS - MS_PER_HOUR), end=EpochMs(JOB_AT + DAY_MS))
    wide = Window(start=EpochMs(JOB_AT - 13 * DAY_MS), end=narrow.end)
    told = []
    for _ in range(2):
        for window in (narrow, wide):
            found = usual_for(server, cut(window, at_most=300), window).departures
            told.append([(d.side, d.start, d.end, round(d.load, 3)) for d in found if d.start >= narrow.start])
        close_hours(server.id, JOB_AT + 2 * DAY_MS)
    assert told[0]
    assert told == [told[0]] * 4
    start = JOB_AT + DAY_MS - MS_PER_HOUR // 2
    assert {(d[1], d[2]) for d in told[0]} == {(start, start + 3 * CELL_MS)}


def test_a_marked_span_is_not_learned_from(server: Server) -> None:
    window = around(0.5)
    for back in range(1, 29):
        at = JOB_AT - back * DAY_MS
        UnusualSpan.objects.create(server=server, start_ms=at, end_ms=at + MS_PER_HOUR, label="x", marked_by="y")
    found = usual_for(server, cut(window, at_most=60), window)
    assert found.band.days == 2


def test_the_clock_is_the_one_chosen_else_that_of_the_log_else_utc() -> None:
    server = Server(name="far")
    assert (clock_of(server).name, clock_of(server).why) == ("UTC", "the server tells none")
    server.facts = {"settings": {"log_timezone": "Asia/Kolkata"}}
    assert clock_of(server).name == "Asia/Kolkata"
    server.time_zone = "Europe/Lisbon"
    assert (clock_of(server).name, clock_of(server).why) == ("Europe/Lisbon", "chosen for this server")
    server.time_zone, server.facts = "", {"settings": {"log_timezone": "<+03>-3"}}
    assert clock_of(server).why == "the server's <+03>-3 is not known here"


def test_hours_of_an_earlier_version_have_their_cells_after_the_migration(server: Server) -> None:
    before = dict(Rollup.objects.values_list("hour_ms", "cells"))
    assert before
    Rollup.objects.update(cells=[])
    forget_caches()
    window = around(0.5)
    assert usual_for(server, cut(window, at_most=60), window).band.days == 0, "nothing to learn from, and no fault"
    damaged = max(before)
    Rollup.objects.filter(hour_ms=damaged).update(seen=b"x")
    import_module("faena.apps.samples.migrations.0004_cells").fill(apps, None)
    after = dict(Rollup.objects.values_list("hour_ms", "cells"))
    assert after == before | {damaged: []}
    assert np.array(before[damaged]).sum() > 0
