"""The simulated estate: its queues keep the laws of queues, and each planted incident shows what it should."""

import asyncio
import tomllib
from collections import Counter
from functools import cache
from itertools import pairwise
from pathlib import Path

import numpy as np
import pytest
from faena.core.engines.postgres.waits.catalogue import kind_of
from faena.core.errors import BadInput
from faena.core.sampling.rollup import cells_of, rolled
from faena.core.series.usual import CELL_MS, departures, past_days, usual
from faena.core.series.window import Window
from faena.core.sessions.frame import SampleFrame
from faena.core.units import MS_PER_HOUR, EpochMs
from faena.sources.simulated import Engine, Hour, Incident, SimulatedSource, read_estate, read_incidents
from faena.sources.simulated.queues import disk_latency_ms, flush_latency_ms, serve
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

DEMO = Path(__file__).parents[3] / "demo"
ESTATE = read_estate(tomllib.loads((DEMO / "estate.toml").read_text()))
INCIDENTS = read_incidents(tomllib.loads((DEMO / "incidents.toml").read_text()))
ANCHOR = EpochMs(1_764_000_000_000 // MS_PER_HOUR * MS_PER_HOUR)
MS_PER_DAY = 24 * MS_PER_HOUR


@cache
def hour_of(server: str, start: int, *, quiet: bool = False) -> Hour:
    return Engine(ESTATE, [] if quiet else INCIDENTS, server, ANCHOR, seed=7).hour(EpochMs(start))


def noon(days_ago: int) -> int:
    return ANCHOR - ANCHOR % MS_PER_DAY - days_ago * MS_PER_DAY + 12 * MS_PER_HOUR


offered = arrays(np.float64, st.integers(1, 200), elements=st.floats(0, 30))


@given(offered, st.integers(1, 16), st.floats(0, 500))
def test_no_core_idles_while_work_is_left(work: np.ndarray, cores: int, room: float) -> None:
    done, left = serve(work, cores, room)
    assert (done <= cores + 1e-9).all()
    assert (left <= room + 1e-9).all()
    assert np.allclose(done[left > 1e-9], cores)
    there = np.r_[0.0, left[:-1]] + work
    assert (done + left <= there + 1e-6).all()
    kept = left < room - 1e-9
    assert np.allclose((done + left)[kept], there[kept]), "nothing is lost unless the pools are full"


@given(st.floats(0, 1e5), st.floats(0, 1e5))
def test_more_load_never_makes_a_disk_or_a_log_faster(one: float, other: float) -> None:
    low, high = np.array([min(one, other)]), np.array([max(one, other)])
    assert disk_latency_ms(low, 0.4, 8) <= disk_latency_ms(high, 0.4, 8) + 1e-12
    assert flush_latency_ms(low, 0.9) <= flush_latency_ms(high, 0.9) + 1e-12
    assert disk_latency_ms(np.zeros(1), 0.4, 8) == 0.4


@pytest.mark.parametrize("server", list(ESTATE.servers))
def test_littles_law_holds_within_the_scatter_of_samples(server: str) -> None:
    """Mean sessions seen = arrivals per second times mean time in the system, for each statement and in all."""
    hour = hour_of(server, noon(3), quiet=True)
    expected = hour.arrived * hour.took_s
    seen = Counter(hour.combinations[i].query_id for i in hour.combination.tolist())
    for row, one in enumerate(hour.traffic.statements):
        mean = expected[row].sum()
        assert abs(seen[one.query_id] - mean) <= 5 * np.sqrt(mean) + 5, one.key
    assert abs(len(hour.second) - expected.sum()) <= 5 * np.sqrt(expected.sum())


@pytest.mark.parametrize("server", list(ESTATE.servers))
def test_running_sessions_are_the_work_of_the_cores(server: str) -> None:
    hour = hour_of(server, noon(3), quiet=True)
    assert hour.left.max() == 0.0, "a quiet hour has no backlog"
    labels = hour.combinations
    on_cpu = np.array([not c.wait_type or c.wait_event == "BufferContent" for c in labels])
    seen, busy = on_cpu[hour.combination].sum(), hour.done.sum()
    assert abs(seen - busy) <= 5 * np.sqrt(busy)


def test_an_hour_is_the_same_whenever_it_is_asked_for() -> None:
    """Hours can be made in any order, and a session that lasts goes on over the edge."""
    engine = Engine(ESTATE, INCIDENTS, "bookings-main", ANCHOR, seed=7)
    start = noon(1)
    first = engine.hour(EpochMs(start))
    engine.hour(EpochMs(start - 5 * MS_PER_HOUR))
    again = Engine(ESTATE, INCIDENTS, "bookings-main", ANCHOR, seed=7).hour(EpochMs(start))
    assert first.pid.tolist() == again.pid.tolist()
    named = [[hour.combinations[i] for i in hour.combination.tolist()] for hour in (first, again)]
    assert named[0] == named[1]
    with pytest.raises(ValueError, match="beginning of an hour"):
        engine.hour(EpochMs(start + 1))


@pytest.mark.parametrize("server", list(ESTATE.servers))
def test_no_session_is_in_two_places_at_once(server: str) -> None:
    for days_ago in (1, 3, 5):
        hour = hour_of(server, noon(days_ago))
        keys = list(zip(hour.second.tolist(), hour.pid.tolist(), strict=True))
        assert len(keys) == len(set(keys))
        assert keys == sorted(keys)


def test_no_program_opens_more_sessions_than_its_pool_by_much() -> None:
    """Counts scatter around their bound; waiting for a lock takes a slot of the pool, too."""
    incident = next(i for i in INCIDENTS if i.name == "idle-console")
    start, _ = next(incident.spans(ANCHOR))
    hour = hour_of("bookings-main", start - start % MS_PER_HOUR)
    mine = np.array([c.program == "booking-web" for c in hour.combinations])[hour.combination]
    each = np.bincount(hour.second[mine], minlength=3600)
    assert each[1500:1700].mean() <= ESTATE.programs["booking-web"].pool * 1.05


def window_of(incident: Incident) -> tuple[int, int]:
    """Where to look: the first occurrence, at most an hour of it, after its beginning has settled."""
    start, end = next(incident.spans(ANCHOR))
    settled = start + min(120_000, (end - start) // 4)
    return settled, min(end, settled - settled % MS_PER_HOUR + MS_PER_HOUR)


def sightings(server: str, start: int, end: int, *, quiet: bool = False) -> list[tuple[str, str, str, str, str, str]]:
    """(kind, wait, statement key, program, client, held by) of each active session seen."""
    hour = hour_of(server, start - start % MS_PER_HOUR, quiet=quiet)
    keys = {s.query_id: s.key for s in hour.traffic.statements} | {
        s.query_id: s.key for s in ESTATE.statements.values()
    }
    inside = (hour.second * 1000 + hour.start >= start) & (hour.second * 1000 + hour.start < end)
    found = []
    for i in hour.combination[inside].tolist():
        c = hour.combinations[i]
        if c.active:
            wait = f"{c.wait_type}:{c.wait_event}" if c.wait_type else "running"
            found.append(
                (
                    str(kind_of(c.wait_type, c.wait_event)),
                    wait,
                    keys.get(c.query_id, ""),
                    c.program,
                    c.client,
                    c.held_by,
                )
            )
    return found


FIELDS = ("kind", "wait", "statement", "program", "client", "held_by")


@pytest.mark.parametrize("incident", INCIDENTS, ids=lambda i: i.name)
def test_an_incident_shows_what_was_planted(incident: Incident) -> None:
    """Against the same hour without it: what was added is of the kind, statement, program … that the truth names."""
    start, end = window_of(incident)
    with_it, without = sightings(incident.server, start, end), sightings(incident.server, start, end, quiet=True)
    seconds = (end - start) / 1000
    added = Counter(with_it)
    added.subtract(Counter(without))
    grew = sum(added.values()) / seconds
    if incident.name == "rebooking-deadlocks":
        circles = [one for one in with_it if one[1] == "Lock:transactionid"]
        assert circles
        assert not [one for one in without if one[1] == "Lock:transactionid"]
        assert {one[3] for one in circles} == {"booking-web", "fare-engine"}
        return
    assert grew > 0.8, "sessions on top of the usual"
    for name, value in incident.found.items():
        if name not in FIELDS:
            continue
        place = FIELDS.index(name)
        totals: Counter[str] = Counter()
        for one, n in added.items():
            totals[one[place]] += n
        if name == "wait" and value not in (totals.most_common(1)[0][0],):
            # Named waits may be those of the root, which is one session among the many that it holds up.
            assert totals[value] / seconds >= 0.5, totals.most_common(4)
        else:
            assert totals.most_common(1)[0][0] == value, (name, totals.most_common(4))


def test_the_rest_of_the_ground_truth() -> None:
    """What single samples do not show: cores, calls, lag."""
    by_name = {one.name: one for one in INCIDENTS}
    sale, deploy, lag = (by_name[name] for name in ("fare-sale", "chatty-deploy", "lagging-replica"))
    start, _ = window_of(sale)
    hour = hour_of(sale.server, start - start % MS_PER_HOUR)
    assert np.allclose(hour.done[1200:], ESTATE.servers[sale.server].cores)
    start, _ = window_of(deploy)
    rows = {s.key: i for i, s in enumerate(hour_of(deploy.server, start - start % MS_PER_HOUR).traffic.statements)}
    many, few = (hour_of(deploy.server, start - start % MS_PER_HOUR, quiet=q) for q in (False, True))
    at = rows[deploy.found["statement_calls"]]
    assert many.arrived[at, 600:].sum() / few.arrived[at, 600:].sum() == pytest.approx(3.2, rel=0.03)
    per_call = [h.took_s[at, 600:].mean() for h in (many, few)]
    assert per_call[0] == pytest.approx(per_call[1], rel=0.05), "each call stays cheap"
    start, end = next(lag.spans(ANCHOR))
    hour = hour_of(lag.server, start - start % MS_PER_HOUR)
    lags = hour.lag_s[(end - hour.start) // 1000 - 1]
    assert lags == pytest.approx((end - start) / 1000, rel=0.01)
    assert hour.conflicts.sum() == pytest.approx(3 * 35, rel=0.01)


def test_neighbours_share_a_disk_and_only_it() -> None:
    incident = next(i for i in INCIDENTS if i.name == "noisy-neighbour")
    start, end = window_of(incident)
    at = slice((start - start // MS_PER_HOUR * MS_PER_HOUR) // 1000, None)
    slow = {name: hour_of(name, start // MS_PER_HOUR * MS_PER_HOUR) for name in ESTATE.servers}
    for name, hour in slow.items():
        factor = hour.disk_latency_ms[at].mean() / ESTATE.disks[ESTATE.servers[name].disk].service_ms
        assert (factor > 5) == (ESTATE.servers[name].disk == "quay-b"), name
    assert end > start
    reads = [
        hour_of("crew", start // MS_PER_HOUR * MS_PER_HOUR, quiet=q).disk_requests[at].mean() for q in (False, True)
    ]
    assert reads[0] < 2 * reads[1] + 200, "the victim itself reads no more than its own traffic asks for"


def test_counters_add_up_to_the_calls_made() -> None:
    source = SimulatedSource(Engine(ESTATE, INCIDENTS, "bookings-main", ANCHOR, seed=7))
    start = noon(3)

    async def read() -> list[tuple[float, float]]:
        await source.counters(EpochMs(start + 100_000))
        found = []
        for second in (400, 1000, 3700):
            reading = await source.counters(EpochMs(start + 1000 * second))
            found.append((reading.values[:, 0].sum(), reading.values[:, 1].sum()))
        return found

    sums = asyncio.run(read())
    hours = [hour_of("bookings-main", start), hour_of("bookings-main", start + MS_PER_HOUR)]
    calls = hours[0].arrived[:, 100:].sum() + hours[1].arrived[:, :100].sum()
    assert sums[-1][0] == calls
    assert all(a < b for (a, _), (b, _) in pairwise(sums))


def test_nonsense_in_the_description_is_refused_with_its_place() -> None:
    raw = tomllib.loads((DEMO / "estate.toml").read_text())
    with pytest.raises(BadInput, match="server crew names a disk"):
        read_estate({**raw, "servers": {**raw["servers"], "crew": {**raw["servers"]["crew"], "disk": "nowhere"}}})
    with pytest.raises(BadInput, match="an effect is one of"):
        read_incidents({"incidents": [{"name": "x", "server": "crew", "days_ago": 1, "at": "01:00", "minutes": 1,
                                       "cause": "", "effects": [{"magic": 1}]}]})  # fmt: skip


@pytest.mark.parametrize("server", ["bookings-main", "crew"])
def test_quiet_hours_do_not_depart_from_the_usual(server: str) -> None:
    """Under 2% of the five-minute stretches of a quiet day are told as departures, after ten days of history."""
    cells = []
    engine = Engine(ESTATE, [], server, ANCHOR, seed=7)
    first = ANCHOR - ANCHOR % MS_PER_DAY - 10 * MS_PER_DAY  # so that the last day is a Monday
    for start in range(first, first + 11 * MS_PER_DAY, MS_PER_HOUR):
        hour = engine.hour(EpochMs(start))
        at = np.arange(3600, dtype=np.int64) * 1000 + start
        minutes = rolled(SampleFrame(at, hour.second.astype(np.int32), hour.combination.astype(np.int32)), 60_000)
        waits = np.array([bool(c.wait_type) for c in hour.combinations])
        found = cells_of(minutes, np.flatnonzero(~waits), np.flatnonzero(waits))
        assert found is not None
        cells.append(found)
    ticks, *sides = np.concatenate(cells, axis=1)
    load = np.stack(sides, axis=1) / ticks[:, None]
    starts = first + CELL_MS * np.arange(len(ticks))
    past, day = (
        starts < first + 10 * MS_PER_DAY,
        Window(start=EpochMs(first + 10 * MS_PER_DAY), end=EpochMs(first + 11 * MS_PER_DAY)),
    )
    band = usual(past_days(starts[past], ticks[past], load[past], 1000), day, 1000)
    assert not np.isnan(band.high).any()
    told = departures(load[~past].T, band, day)
    assert sum(d.end - d.start for d in told) / (2 * MS_PER_DAY) < 0.02, [(d.side, d.size) for d in told]
