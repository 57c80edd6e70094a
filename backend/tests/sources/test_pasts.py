"""What is planted in the made-up past is found whenever that past is made, and what browser tests assume of it holds.

A past counts back from the hour of its making, so each start has other weekdays, other loads and other chances.
"""

import tomllib
from collections import Counter
from datetime import UTC, datetime
from functools import lru_cache

import pytest
from faena.core.engines.postgres.waits.catalogue import kind_of
from faena.core.units import MS_PER_HOUR, EpochMs
from faena.sources.simulated import Engine, Hour, Incident
from past import CHATTY_DEPLOY, SPANS, Span
from test_simulated import DEMO, ESTATE, FIELDS, INCIDENTS

STARTS = (
    # The day on which the fault was found, and its neighbours: each weekday, at changing hours.
    "2026-11-24T00", "2026-11-25T03", "2026-11-26T07", "2026-11-27T08", "2026-11-28T08", "2026-11-29T12", "2026-11-30T23",
    # Hours of one day: what was planted yesterday must not depend on how much of today there is.
    "2026-12-01T00", "2026-12-01T01", "2026-12-01T06", "2026-12-01T09", "2026-12-01T11", "2026-12-01T17", "2026-12-01T23",
    # Ends of months and of the year, a leap day.
    "2026-01-01T00", "2026-01-31T23", "2026-02-28T23", "2026-03-01T00", "2026-04-30T13", "2026-12-31T23", "2027-01-01T05",
    "2028-02-29T10", "2028-03-01T10",
    # Both changes of the clock, in Europe and in America, and the days of fourteen that hold one.
    "2026-03-29T01", "2026-03-29T02", "2026-04-03T10", "2026-10-25T00", "2026-10-25T01", "2026-10-30T10", "2026-03-08T07",
    "2026-11-01T06",
)  # fmt: skip
SEED = 7  # of the demo's past
each_start = pytest.mark.parametrize("start", STARTS, scope="module")  # in turn, so that hours made are used again


def anchor_of(start: str) -> EpochMs:
    moment = datetime.strptime(start, "%Y-%m-%dT%H").replace(tzinfo=UTC)
    return EpochMs(int(moment.timestamp()) * 1000)


@lru_cache(maxsize=64)
def hour_of(server: str, anchor: int, start: int, quiet: bool) -> Hour:
    incidents = [] if quiet else INCIDENTS
    return Engine(ESTATE, incidents, server, EpochMs(anchor), seed=SEED).hour(EpochMs(start))


def seen(server: str, anchor: int, start: int, end: int, *, quiet: bool = False) -> Counter[tuple[str, ...]]:
    """Active sessions of [start, end) by FIELDS, counted as samples."""
    found: Counter[tuple[str, ...]] = Counter()
    for first in range(start - start % MS_PER_HOUR, end, MS_PER_HOUR):
        hour = hour_of(server, anchor, first, quiet)
        keys = {s.query_id: s.key for s in (*ESTATE.statements.values(), *hour.traffic.statements)}
        at = hour.second * 1000 + first
        for i, n in Counter(hour.combination[(at >= start) & (at < end)].tolist()).items():
            c = hour.combinations[i]
            if not c.active:
                continue
            wait = f"{c.wait_type}:{c.wait_event}" if c.wait_type else "running"
            kind = str(kind_of(c.wait_type, c.wait_event))
            found[kind, wait, keys.get(c.query_id, ""), c.program, c.client, c.held_by] += n
    return found


def totals(found: Counter[tuple[str, ...]], name: str) -> Counter[str]:
    place, sums = FIELDS.index(name), Counter[str]()
    for one, n in found.items():
        sums[one[place]] += n
    return sums


def window_of(incident: Incident, anchor: int) -> tuple[int, int]:
    """Of its first occurrence at most an hour, after its beginning has settled."""
    start, end = next(incident.spans(anchor))
    settled = start + min(120_000, (end - start) // 4)
    return settled, min(end, settled - settled % MS_PER_HOUR + MS_PER_HOUR)


@each_start
def test_every_incident_shows_what_was_planted_whenever_the_past_is_made(start: str) -> None:
    anchor, wrong = anchor_of(start), []
    for incident in INCIDENTS:
        first, end = window_of(incident, anchor)
        added = seen(incident.server, anchor, first, end)
        added.subtract(seen(incident.server, anchor, first, end, quiet=True))
        seconds = (end - first) / 1000
        for name, value in incident.found.items():
            if name not in FIELDS:
                continue
            sums = totals(added, name)
            ranks_first = sums.most_common(1)[0][0] == value
            # A named wait may be that of the root, one session among the many that it holds up; circles come and go.
            least = 0.5 * seconds if incident.name != "rebooking-deadlocks" else 1
            if not (ranks_first or (name == "wait" and sums[value] >= least)):
                wrong.append((incident.name, name, value, sums.most_common(3)))
    assert not wrong


@each_start
def test_what_browser_tests_take_for_granted_holds_whenever_the_past_is_made(start: str) -> None:
    anchor, wrong = anchor_of(start), []
    for name, span in SPANS.items():
        found = narrowed(seen(span.server, anchor, *span.within(anchor)), span)
        for dimension, value in span.first.items():
            ranked = totals(found, dimension)
            ranked.pop("", None) if dimension == "held_by" else None
            if ranked.most_common(1)[0][0] != value:
                wrong.append((name, dimension, value, ranked.most_common(3)))
    assert not wrong


def narrowed(found: Counter[tuple[str, ...]], span: Span) -> Counter[tuple[str, ...]]:
    picks = {FIELDS.index(name): value for name, value in span.picks.items()}
    return Counter({one: n for one, n in found.items() if all(one[i] == value for i, value in picks.items())})


@each_start
def test_a_deploy_calls_more_than_the_hour_before_whenever_the_past_is_made(start: str) -> None:
    """The browser compares these forty minutes with the forty before."""
    anchor = anchor_of(start)
    first, end = CHATTY_DEPLOY.within(anchor)
    calls = []
    for at in (first, first - (end - first)):
        hour = hour_of(CHATTY_DEPLOY.server, anchor, at - at % MS_PER_HOUR, False)
        row = [one.key for one in hour.traffic.statements].index("free-slots")
        second = (at - hour.start) // 1000
        calls.append(hour.arrived[row, second : second + (end - first) // 1000].sum())
    assert calls[0] > 2 * calls[1]


def test_every_incident_that_browser_tests_look_at_is_planted_where_they_look() -> None:
    raw = tomllib.loads((DEMO / "incidents.toml").read_text())["incidents"]
    planted = {(one["server"], one["days_ago"]) for one in raw}
    assert {(span.server, span.days) for span in (*SPANS.values(), CHATTY_DEPLOY)} <= planted
