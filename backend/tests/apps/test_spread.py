"""Single requests of an endpoint: placed by time and duration, and what a part of them has in common."""

import pytest
from django.test import Client
from faena.apps.accounts.actions import save_user
from faena.apps.accounts.models import Role
from faena.apps.requests import spread
from faena.apps.requests.judging import QUIET_MS, Judge
from faena.apps.requests.models import Endpoint, TraceSource
from faena.apps.requests.selectors import Only
from faena.apps.requests.spread import MarkKind, Part
from faena.core.series.window import Window
from faena.core.units import EpochMs
from test_traces import NOW, payload, query, sent, source, web

__all__ = ["source"]
pytestmark = pytest.mark.django_db
WINDOW = Window(start=EpochMs(NOW - 60_000), end=EpochMs(NOW + 600_000))
SLOW = Part(start=WINDOW.start, end=WINDOW.end, least_ms=1000, most_ms=1e9)
DECK = "tidewrack.deck"


def judged(source: TraceSource, *spans: object) -> None:
    source.attributes = [DECK]
    source.save()
    sent(source, payload(*spans))  # type: ignore[arg-type]
    judge = Judge()
    judge.settle(NOW)
    judge.settle(NOW + QUIET_MS)


@pytest.fixture
def only(source: TraceSource) -> Only:
    """Nine slow requests, eight of them for the upper deck with a statement of their own; sixty quick ones."""
    spans = []
    for n in range(1, 10):
        deck = "upper" if n != 5 else "lower"
        spans += [web(n, length=2500, start=n, **{DECK: deck, "seat": f"s{n}"}), query(n, 900 + n, 100)]
        port = {"http.request.method": "GET", "server.address": "port-authority", "url.full": "http://port-authority/x"}
        spans.append((n, 800 + n, 1, "GET", 3, 200.0, 2000.0, port))
    for n in range(100, 160):
        spans += [web(n, length=20, start=n, **{DECK: "lower" if n % 20 else "upper"}), query(n, n, 1)]
    judged(source, *spans)
    return Only(endpoint=Endpoint.objects.get().pk)


def test_every_request_is_placed_with_what_it_stands_for(source: TraceSource, only: Only) -> None:
    found, known = spread.placed(source.server_id, WINDOW, only)
    assert known == len(found)
    slow = [one for one in found if one.took_ms == 2500]
    assert len(slow) == 9
    assert sum(one.weight for one in slow) == 9
    assert sum(one.weight for one in found) == pytest.approx(69, rel=0.5), "of quick ones some stand for the others"
    assert {one.ended - one.started for one in slow} == {2500}


def test_what_sets_the_slow_ones_apart_is_told_with_counts(source: TraceSource, only: Only) -> None:
    found = spread.picked(source.server_id, WINDOW, only, SLOW, at_most=5)
    assert (found.picked.kept, found.picked.requests, found.picked.mean_ms) == (9, 9, 2500)
    told = {found.words[one.mark]: one for one in found.common}
    assert f"{DECK}=upper" in told
    assert told[f"{DECK}=upper"].picked_share == pytest.approx(8 / 9)
    assert [one.mark.kind for one in found.common if found.words[one.mark] == "port-authority"] == [MarkKind.CALL]
    assert not [one for one in told if one.startswith(("seat", "service"))], "kept by nobody, or alike on all"
    assert not [one for one in found.common if one.mark.kind is MarkKind.STATEMENT], "all run the same one"
    external = dict(zip(("own", "database", "cache", "external", "queue"), found.picked.layers, strict=True))
    assert external["external"] == pytest.approx(2000)
    assert [one.duration_ms for one in found.singles] == [2500] * 5


def test_a_part_without_requests_and_a_part_that_is_all(source: TraceSource, only: Only) -> None:
    nobody = Part(start=WINDOW.start, end=WINDOW.end, least_ms=5000, most_ms=6000)
    empty = spread.picked(source.server_id, WINDOW, only, nobody, at_most=5)
    assert (empty.picked.kept, empty.picked.requests, empty.common, empty.singles) == (0, 0.0, [], [])
    everything = Part(start=WINDOW.start, end=WINDOW.end, least_ms=0, most_ms=1e12)
    assert spread.picked(source.server_id, WINDOW, only, everything, at_most=5).others.kept == 0


def ask(path: str) -> dict[str, object]:
    client = Client()
    client.force_login(save_user("reader", "a-long-enough-one-4", Role.VIEWER))
    answer = client.get(f"/api/v1/servers/{path}")
    return {"status": answer.status_code, **answer.json()}


@pytest.mark.usefixtures("only")
def test_over_the_api(source: TraceSource) -> None:
    endpoint = Endpoint.objects.get().pk
    base = f"{source.server_id}/requests/endpoints/{endpoint}"
    window = f"from={WINDOW.start}&to={WINDOW.end}"
    told = ask(f"{base}/spread?{window}")
    assert (told["status"], told["max_ms"], told["drawn"]) == (200, 2500, told["known"])
    points = told["points"]
    assert isinstance(points, list)
    assert len(points) == told["drawn"]
    part = f"since={WINDOW.start}&until={WINDOW.end}&least_ms=1000&most_ms=9000"
    picked = ask(f"{base}/picked?{window}&{part}")
    common = picked["common"]
    assert isinstance(common, list)
    assert {"kind": "attribute", "label": f"{DECK}=upper"}.items() <= next(
        c for c in common if DECK in c["label"]
    ).items()
    assert ask(f"{base}/picked?{window}&{part.replace('least_ms=1000', 'least_ms=9000')}")["status"] == 400
    assert ask(f"{source.server_id}/requests/endpoints/{endpoint + 1}/spread?{window}")["status"] == 404


@pytest.mark.parametrize("into_minute", [0, 1_000, 20_000, 59_999])
def test_no_minute_is_counted_on_both_sides_of_a_comparison(source: TraceSource, into_minute: int) -> None:
    """Sums are of whole minutes: two windows that meet within one would both have it."""
    judged(source, web(1, length=50))
    endpoint = Endpoint.objects.get().pk
    first = NOW // 60_000 * 60_000 + into_minute - 60_000
    base, window = f"{source.server_id}/requests/endpoints", f"from={first}&to={first + 60_000}"
    page = ask(f"{base}/{endpoint}?{window}")
    assert (page["now"] is None) == (page["start"] > NOW or page["end"] <= NOW)  # type: ignore[operator]
    assert page["now"] is None or page["before"] is None
    assert page["beside_end"] == page["start"]
    listed = ask(f"{base}?{window}&beside=before")["endpoints"]
    assert isinstance(listed, list)
    assert all(one["mean_before_ms"] is None for one in listed)
