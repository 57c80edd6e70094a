"""Servers, store, collector and mail server die for real. Nothing is lost, told or counted twice; gaps are drawn as gaps.

The z in its name makes it run last, because it stops what the other tests need. The mail server is away all the while.
"""

import os
import signal
import time
from collections.abc import Iterator
from itertools import pairwise

import pytest
from conftest import api, inbox
from faena.launch.installation import Installation
from faena.launch.places import trial_place
from patience import wait_for
from playwright.sync_api import Page, expect

WAYS = ("Tidewrack inbox", "Tidewrack webhook")
AWAY_S = 300.0
TRIALS = {"mail": "trial: ", "webhook": "alert.test"}  # how they are headed in the inbox


@pytest.fixture(scope="module")
def installation() -> Installation:
    return Installation(trial_place())


@pytest.fixture(scope="module", autouse=True)
def away_since(installation: Installation) -> Iterator[float]:
    """Since when the mail server, which takes the webhooks as well, is away."""
    mails = installation.register.get("inbox")
    assert mails
    installation.register.stop(mails)
    yield time.time()
    if installation.register.get("inbox") is None:
        installation.open_inbox()


def test_a_notice_waits_for_a_mail_server_that_is_away(page: Page, away_since: float) -> None:
    page.goto("/conditions")
    for name in WAYS:
        page.get_by_role("button", name=f"send a trial by {name}").click()
        mine = page.get_by_label("Ways out").get_by_role("listitem").filter(has=page.get_by_text(name, exact=True))
        expect(mine).to_contain_text("last one waits")
        expect(mine).to_contain_text("Connection refused")


def stored(page: Page, since: int) -> list[int]:
    """Moments of all ticks stored from `since` on, by one-second buckets."""
    found = api(page, f"/servers/1/load?from={since}&to={int(time.time() * 1000)}&buckets=2000")
    assert all(n <= 1 for n in found["ticks"]), "a tick was counted twice"
    return [start for start, n in zip(found["starts"], found["ticks"], strict=True) if n]


def fresh(page: Page, seconds: float = 4) -> bool:
    age = api(page, "/servers/1")["freshness_ms"]
    return age is not None and age < seconds * 1000


def longest_silence(moments: list[int]) -> int:
    return max(b - a for a, b in pairwise(moments))


def now_ms() -> int:
    return int(time.time() * 1000)


def test_the_watched_server_stops_and_starts(page: Page, installation: Installation) -> None:
    begun = now_ms() - 5000
    ferry = installation.register.get("ferry")
    assert ferry
    installation.register.stop(ferry)
    time.sleep(8)
    assert api(page, "/servers/1")["state"] in ("away", "stale")
    page.goto("/")
    expect(page.get_by_role("row").filter(has_text="bookings-primary")).to_contain_text("cannot be reached")
    installation.ferry.start(installation.register)
    wait_for(lambda: fresh(page), "samples after the restart")
    time.sleep(3)
    moments = stored(page, begun)
    assert 7000 <= longest_silence(moments) <= 30_000
    page.goto(f"/servers/1/load?from={begun}&to={now_ms()}")
    page.locator("[data-gap]").first.wait_for(state="attached")
    assert {"away", "connected"} <= noted(page, begun)


def test_the_collector_is_killed(page: Page, installation: Installation) -> None:
    begun = now_ms() - 20_000
    before = stored(page, begun)
    collector = installation.register.get("collector")
    assert collector
    os.kill(collector.pid, signal.SIGKILL)
    time.sleep(5)
    installation.register.forget("collector")
    installation.start_collector()
    wait_for(lambda: fresh(page), "samples of the new collector")
    time.sleep(3)
    after = stored(page, begun)
    assert set(before[:-2]) <= set(after), "what was stored stays"
    assert longest_silence(after) >= 4000, "the time without a collector is a gap"


def test_the_store_stops_for_two_minutes(page: Page, installation: Installation) -> None:
    begun = now_ms()
    page.goto("/servers/1/load?last=300")
    page.get_by_role("figure").wait_for()
    store = installation.register.get("store")
    assert store
    installation.register.stop(store)
    # The screen says so and keeps its picture.
    alert = page.get_by_role("alert").filter(has_text="The store is away").first
    expect(alert).to_be_visible(timeout=30_000)
    expect(page.get_by_role("figure", name="Waterline")).to_be_visible()
    expect(alert).to_contain_text("keeps")
    time.sleep(max(0.0, 120 - (now_ms() - begun) / 1000))
    installation.store.start(installation.register)
    wait_for(lambda: ready(page), "the store after its return")
    wait_for(lambda: fresh(page, 5), "all readings stored")
    time.sleep(3)
    moments = stored(page, begun)
    assert longest_silence(moments) <= 4000, "every second of the two minutes was kept"
    assert len(moments) >= 0.95 * (moments[-1] - moments[0]) / 1000
    wait_for(lambda: "store_back" in noted(page, begun), "the note of its return")


def noted(page: Page, since: int) -> set[str]:
    """Events of watching the server that its load tells from `since` on."""
    return {note["event"] for note in api(page, f"/servers/1/load?from={since}&to={now_ms()}")["notes"]}


def ready(page: Page) -> bool:
    return page.request.get("/api/v1/servers").ok


def test_what_the_mail_server_missed_comes_once_when_it_is_back(
    page: Page, installation: Installation, away_since: float
) -> None:
    time.sleep(max(0.0, AWAY_S - (time.time() - away_since)))
    installation.open_inbox()
    wait_for(answers, "the page of the inbox")
    for kind, words in TRIALS.items():
        wait_for(lambda of=(kind, words): inbox(*of, away_since), f"the {kind} of while it was away", seconds=150)
    page.goto("/conditions")
    expect(page.get_by_label("Ways out").get_by_text("last one taken")).to_have_count(len(WAYS))
    time.sleep(10)  # two rounds in which one could come twice
    assert [len(inbox(kind, words, away_since)) for kind, words in TRIALS.items()] == [1, 1]


def answers() -> bool:
    try:
        inbox("mail", "", 0.0)
    except OSError:
        return False
    return True
