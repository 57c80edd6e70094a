"""A real browser on a real demo: the trial installation that ./faena test e2e has started, without its rota."""

import json
import os
import urllib.request
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import pytest
from faena.launch.places import trial_place
from patience import PATIENCE_S, wait_for
from playwright.sync_api import APIRequestContext, Browser, Page, expect, sync_playwright

URL = os.environ.get("FAENA_TRIAL_URL", "http://127.0.0.1:8720")
SWITCHES = Path(os.environ.get("FERRY_SWITCHES", ".faena/trial/troubles"))
INBOX = f"http://127.0.0.1:{trial_place().services_port + 5}"
PASSWORD = "tidewrack-demo"
AXE = Path(__file__).parents[3] / "frontend" / "node_modules" / "axe-core" / "axe.min.js"
ARGUMENTS = [
    "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run",
    "--disable-background-networking", "--disable-component-update", "--disable-sync",
]  # fmt: skip
# Hints would lie over what is clicked. A sandboxed frame (a mail as it is rendered) has no storage, and needs none.
HINTS_OFF = "if (self.origin !== 'null') localStorage.setItem('faena-hints', 'off')"
# Every answer comes so much later to the browser, to find what goes wrong until it is there.
SLOW_MS = int(os.environ.get("FAENA_SLOW_MS", "0"))
SOON_MS = 15_000  # a trouble must show on screen within this time
PATIENT_MS = 1000 * PATIENCE_S
expect.set_options(timeout=PATIENT_MS)


@pytest.fixture(scope="session")
def browser() -> Iterator[Browser]:
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=ARGUMENTS)
        yield browser
        browser.close()


@pytest.fixture
def anyone(browser: Browser) -> Iterator[Page]:
    """A page of somebody who has not signed in. A script error or a broken policy fails the test."""
    context = browser.new_context(base_url=URL, viewport={"width": 1280, "height": 800})
    context.set_default_timeout(PATIENT_MS)
    context.add_init_script(HINTS_OFF)
    page = context.new_page()
    if SLOW_MS:
        network = {"offline": False, "latency": SLOW_MS, "downloadThroughput": -1, "uploadThroughput": -1}
        context.new_cdp_session(page).send("Network.emulateNetworkConditions", network)
    errors: list[str] = []
    page.on("pageerror", lambda error: errors.append(str(error)))
    page.on("console", lambda m: errors.append(m.text) if "Content Security Policy" in m.text else None)
    yield page
    context.close()
    assert errors == []


@pytest.fixture(scope="session")
def cookies(browser: Browser) -> list[Any]:
    """Cookies of an admin who signed in once, since most tests are of what comes after signing in."""
    context = browser.new_context(base_url=URL)
    sign_in(context.new_page())
    found = context.cookies()
    context.close()
    return list(found)


@pytest.fixture
def page(anyone: Page, cookies: list[Any]) -> Page:
    """Signed in as admin, on the list of servers."""
    anyone.context.add_cookies(cookies)
    anyone.goto("/")
    anyone.get_by_role("heading", name="Servers").wait_for()
    return anyone


def sign_in(page: Page, name: str = "admin") -> None:
    page.goto("/")
    page.get_by_label("name").fill(name)
    page.get_by_label("password").fill(PASSWORD)
    page.get_by_role("button", name="sign in").click()
    page.get_by_role("heading", name="Servers").wait_for()


@contextmanager
def trouble(name: str) -> Iterator[None]:
    """A trouble of the demo, on for as long as the block runs."""
    switch = SWITCHES / name
    switch.write_text("test")
    try:
        yield
    finally:
        switch.unlink()


def api(page: Page, path: str) -> Any:
    """An answer of the API, in the name of the signed-in page."""
    request: APIRequestContext = page.request
    answer = request.get(f"{URL}/api/v1{path}")
    assert answer.ok, f"{answer.status}: {answer.text()[:300]}"
    return json.loads(answer.text())


def server_id(page: Page, name: str) -> int:
    """The number of a server that is watched."""
    return next(one["id"] for one in api(page, "/servers")["servers"] if one["name"] == name)


def serious(page: Page) -> list[str]:
    """What axe finds serious or worse on the page as it is, and of its colours also in the other theme."""
    page.evaluate(AXE.read_text())  # through the debugger, which the content security policy does not bind
    found: list[str] = page.evaluate(
        """async () => {
            const told = async (options) => (await axe.run(options)).violations
                .filter(one => ['serious', 'critical'].includes(one.impact))
                .map(one => one.id + ': ' + one.nodes.slice(0, 3).map(node => node.html.slice(0, 160)).join(' | '));
            const found = await told({ rules: { 'target-size': { enabled: true } } });
            const look = document.documentElement.dataset, theme = look.theme ?? 'light';
            look.theme = theme === 'dark' ? 'light' : 'dark';
            await new Promise(later => setTimeout(later, 300));  // colours that change slowly have changed
            const other = await told({ runOnly: ['color-contrast'] });
            const in_other = other.map(one => `${look.theme} theme: ${one}`);
            look.theme = theme;
            return [...found, ...in_other];
        }"""
    )
    return found


def inbox(kind: str, words: str, since: float) -> list[dict[str, Any]]:
    """What came into the demo's inbox since then: mails or webhooks whose subject has the words."""
    with urllib.request.urlopen(f"{INBOX}/items.json") as answer:
        found = json.loads(answer.read())
    return [
        one
        for one in found
        if one["kind"] == kind and words in one["what"] and float(one["name"].split("-")[0]) > since
    ]


def opened_from_disk(browser: Browser, file: Path) -> tuple[str, list[bool]]:
    """What an exported page says, and whether each of its pictures is drawn. It fetches nothing."""
    context = browser.new_context(offline=True)
    page, asked = context.new_page(), list[str]()
    page.on("request", lambda request: asked.append(request.url))
    page.goto(file.as_uri())
    text = page.inner_text("main")
    drawn = page.evaluate("[...document.images].map(one => one.complete && one.naturalWidth > 0)")
    context.close()
    assert [one for one in asked if not one.startswith(("file:", "data:"))] == []
    return text, drawn


def keep(page: Page, note: str) -> None:
    """What is on the screen becomes evidence, with the key."""
    page.keyboard.press("k")
    page.get_by_label("what it shows, in Markdown").fill(note)
    page.get_by_role("button", name="keep it").click()
    expect(page.get_by_text("Kept in")).to_be_visible()


def say_handled(page: Page, done: str) -> None:
    """Into the form of a lead that is open under the cursor; until it is on screen that it is saved."""
    page.keyboard.type(done)
    page.keyboard.press("Enter")
    # Until then keys go into the form, and what the server says of the lead is of its last time.
    expect(page.get_by_text(f": {done}").first).to_be_visible()


def wait_for_verdict(page: Page, server: int, done: str, verdict: str) -> None:
    """On whether that helped: of the lead that was handled so, and not of one that was handled before."""

    def told() -> list[str]:
        rows = api(page, f"/servers/{server}/leads/history?state=handled")
        return [one["verdict"]["verdict"] for one in rows if one["reason"] == done and one["verdict"]]

    wait_for(lambda: told() == [verdict], f"the verdict on what was done: {done}", seconds=180)
