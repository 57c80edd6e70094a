"""Requests of the estate's past: what its servers did and what its programs changed shows in them, and they add up."""

import tomllib
from pathlib import Path

import pytest
from faena.apps.collecting import estate as filling
from faena.apps.requests import selectors
from faena.apps.requests.models import KeptRequest, RequestSum, Trace, TraceSource
from faena.apps.requests.selectors import Only
from faena.apps.servers.models import Server
from faena.core.errors import BadInput
from faena.core.requests.findings import Found, facts_of, findings
from faena.core.requests.layers import Layer
from faena.core.requests.request import Request, requests_of
from faena.core.sampling.dimensions import Dimension, value_of
from faena.core.series.window import Window
from faena.core.units import MS_PER_HOUR, EpochMs
from faena.launch.places import CHECKOUT
from faena.sources.simulated import Engine, read_estate, read_incidents
from faena.sources.simulated.requests import AN_HOUR, Made, hour_requests

DEMO: Path = CHECKOUT / "demo"
RAW = tomllib.loads((DEMO / "estate.toml").read_text())
ESTATE = read_estate(RAW)
INCIDENTS = read_incidents(tomllib.loads((DEMO / "incidents.toml").read_text()))
ANCHOR = EpochMs(1_700_000_000_000 - 1_700_000_000_000 % MS_PER_HOUR)
MIDNIGHT = ANCHOR - ANCHOR % (24 * MS_PER_HOUR)
ENGINE = Engine(ESTATE, INCIDENTS, "bookings-main", ANCHOR, 7)


def made(days_ago: int, hour: int, first: int = 0, last: int = 3600) -> list[Made]:
    start = EpochMs(MIDNIGHT - days_ago * 24 * MS_PER_HOUR + hour * MS_PER_HOUR)
    return list(hour_requests(ENGINE, ENGINE.hour(start), first, last))


def requests(days_ago: int, hour: int, name: str) -> list[Request]:
    found = [request for one in made(days_ago, hour) for request in requests_of(one.spans)]
    return [one for one in found if one.endpoint == name]


def test_each_trace_is_one_request_whose_layers_add_up() -> None:
    for one in made(1, 10):
        (request,) = requests_of(one.spans)
        assert sum(request.layers.values()) == pytest.approx(request.duration_ms, abs=0.01)
        assert request.layers[Layer.DATABASE] > 0
    names = {requests_of(one.spans)[0].endpoint for one in made(1, 10)}
    assert names == {one.name for one in ESTATE.endpoints}


def test_the_same_hour_is_the_same_again_and_in_pieces() -> None:
    whole = made(1, 9)
    pieces = made(1, 9, 0, 1000) + made(1, 9, 1000, 3600)
    assert whole == made(1, 9)
    assert sorted(one.spans[0].trace for one in pieces) == sorted(one.spans[0].trace for one in whole)
    assert sum(one.weight for one in pieces) == pytest.approx(sum(one.weight for one in whole))


def test_they_stand_for_as_many_as_the_statements_tell() -> None:
    hour = ENGINE.hour(EpochMs(MIDNIGHT - 14 * MS_PER_HOUR))
    rows = {one.key: i for i, one in enumerate(hour.traffic.statements)}
    found = list(hour_requests(ENGINE, hour, 0, 3600))
    for endpoint in ESTATE.endpoints:
        mine = [one for one in found if one.spans[0].name == endpoint.name]
        assert len(mine) == AN_HOUR
        assert sum(one.weight for one in mine) == pytest.approx(float(hour.arrived[rows[endpoint.lead]].sum()))


@pytest.mark.parametrize(
    ("days_ago", "hour", "name", "kind"),
    [
        (1, 18, "POST /holds", Found.EXTERNAL_LAYER),
        (3, 10, "GET /manifests/{sailing}", Found.REPEATED_STATEMENT),
        (4, 11, "GET /sailings", Found.REPEATED_STATEMENT),
        (5, 10, "GET /sailings", Found.OWN_CODE),
    ],
)
def test_what_a_program_did_is_found_in_its_hours_and_not_the_day_after(
    days_ago: int, hour: int, name: str, kind: Found
) -> None:
    assert kind in [one.kind for one in findings(facts_of(requests(days_ago, hour, name)))]
    assert kind not in [one.kind for one in findings(facts_of(requests(days_ago - 1, hour, name)))]


def test_a_cache_asked_no_more_shows() -> None:
    found = requests(2, 12, "GET /sailings/{id}") + requests(2, 14, "GET /sailings/{id}")
    assert Found.CACHE_MISSING in [one.kind for one in findings(facts_of(found))]


def test_a_session_that_holds_what_others_touch_shows_in_the_requests_that_waited() -> None:
    """Of both incidents of the lock, over the days that have any: longest database time of a hold, against the day after."""
    for days_ago, hour in ((1, 9), (3, 14)):
        during = max(one.layers[Layer.DATABASE] for one in requests(days_ago, hour, "POST /holds"))
        after = max(one.layers[Layer.DATABASE] for one in requests(days_ago - 1, hour, "POST /holds"))
        assert during > 20 * after, (days_ago, during, after)


def test_samples_of_the_estate_know_their_endpoint_where_there_is_only_one() -> None:
    hour = ENGINE.hour(EpochMs(MIDNIGHT - 14 * MS_PER_HOUR))
    values = {value_of(one, Dimension.ENDPOINT) for one in hour.combinations}
    assert "booking-web POST /holds" in values
    assert "unknown" in values
    locked = ENGINE.hour(EpochMs(MIDNIGHT - 15 * MS_PER_HOUR))
    waiting = {value_of(one, Dimension.ENDPOINT) for one in locked.combinations if one.held_by == "ops-console"}
    assert "booking-web POST /holds" in waiting


@pytest.mark.parametrize(
    "change", [{"service": "nobody"}, {"statements": {"nothing": 1}}, {"server": "nowhere"}, {"changes": [{"at": "x"}]}]
)
def test_an_endpoint_that_names_what_is_not_there_is_told(change: dict[str, object]) -> None:
    broken = [{**RAW["endpoints"][0], **change}]
    with pytest.raises((BadInput, ValueError)):
        read_estate({**RAW, "endpoints": broken})


@pytest.mark.django_db(transaction=True)
def test_the_past_is_stored_with_what_each_request_stands_for() -> None:
    now = ANCHOR
    server = next(one for one in filling.make_servers(now) if one.name == "bookings-main")
    filling._learn(server)
    start = EpochMs(now - 24 * MS_PER_HOUR)
    filling.fill_hours(server.pk, start, now - 22 * MS_PER_HOUR)
    rows = selectors.summed(server.pk, Window(start=start, end=EpochMs(now - 22 * MS_PER_HOUR)), Only())
    assert {one.endpoint.name for one in rows} == {one.name for one in ESTATE.endpoints}
    kept = KeptRequest.objects.filter(server=server)
    assert kept.count() == Trace.objects.count() == 2 * AN_HOUR * len(ESTATE.endpoints)
    assert sum(one.figures["requests"] for one in rows) == pytest.approx(sum(kept.values_list("weight", flat=True)))
    assert TraceSource.objects.get().name == "estate of bookings-main"
    assert Server.objects.filter(tracesource__isnull=False).count() == 1
    early = EpochMs(now - 30 * 24 * MS_PER_HOUR)
    filling.fill_hours(server.pk, early, early + MS_PER_HOUR)
    assert not RequestSum.objects.filter(at_ms__lt=start).exists(), "only the last days have requests"
