"""In a real browser: from a brush to the redrawn waterline, the first view, the requests of an open view, lanes of
20,000 cells, a request of 20,000 spans, and the list of a thousand servers (of the benches answers and servers, which run
before)."""

import os
import re
from pathlib import Path

import numpy as np
from playwright.sync_api import Page, sync_playwright
from reporting import report

URL = f"http://127.0.0.1:{os.environ['FAENA_LISTEN_PORT']}"
SERVER, END = (Path(os.environ["FAENA_STATE_DIR"]) / "bench-server").read_text().split()
ARGUMENTS = ["--no-sandbox", "--disable-gpu", "--disable-background-networking", "--disable-sync"]
DIST = Path(__file__).parents[1] / "frontend" / "dist" / "assets"
# Resolves with the milliseconds from now to the next frame painted after the layers have changed.
WATCH = """() => { const chart = document.querySelector('svg[data-chart]'); const begun = { at: null };
  window.addEventListener('pointerup', () => { begun.at = performance.now(); }, { once: true, capture: true });
  window.redrawn = new Promise((done) => { const observer = new MutationObserver((changes) => {
    if (begun.at !== null && changes.some((c) => c.target.hasAttribute('data-layer') && c.attributeName === 'd')) {
      observer.disconnect(); requestAnimationFrame(() => requestAnimationFrame(() => done(performance.now() - begun.at))); } });
    observer.observe(chart, { subtree: true, attributes: true }); }); }"""
# The entry can come after what was painted.
FIRST_PAINT = """() => new Promise((done) => new PerformanceObserver((list) => {
  const paint = list.getEntriesByName('first-contentful-paint')[0]; if (paint) done(paint.startTime);
}).observe({ type: 'paint', buffered: true }))"""

# Long tasks and frames of what follows; `await held()` ends the watch.
HELD = """() => { window.tasks = []; const o = new PerformanceObserver((l) => window.tasks.push(...l.getEntries().map((e) => e.duration)));
  o.observe({ type: 'longtask' }); window.held = () => { o.disconnect(); return Math.max(0, ...window.tasks); }; }"""
# From a key to the frame that shows what it did: milliseconds of each press.
PRESSED = """async (key) => { const chart = document.querySelector('svg[data-chart]'); chart.focus(); const took = [];
  for (let i = 0; i < 20; i += 1) { const begun = performance.now();
    chart.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true }));
    await new Promise((done) => requestAnimationFrame(() => setTimeout(done)));
    took.push(performance.now() - begun); } return took; }"""
# As a wheel is spun, 10,000 pixels a second; milliseconds of each frame.
SCROLLED = """async () => { const box = document.querySelector('table').parentElement; const took = []; let at = performance.now();
  for (let i = 0; i < 200; i += 1) { box.scrollTop += 180; await new Promise(requestAnimationFrame);
    took.push(performance.now() - at); at = performance.now(); } return took; }"""
# From when a request's answer had come to the first frame with its spans, noted as the page is loaded.
NOTE = """window.addEventListener('DOMContentLoaded', () => new MutationObserver((_, all) => {
  if (document.querySelectorAll('table[aria-label="spans of this request"] tbody tr').length > 5) { all.disconnect();
    requestAnimationFrame(() => setTimeout(() => { window.shownAt = performance.now(); })); }
}).observe(document.body, { subtree: true, childList: true }));"""
DRAWN = """async () => { while (window.shownAt === undefined) await new Promise((done) => setTimeout(done, 20));
  const asked = performance.getEntriesByType('resource').filter((one) => one.name.includes('/requests/traces/'));
  return window.shownAt - asked[0].responseEnd; }"""
LANES, EACH = 100, 100  # cells of the lanes: one where it waits, one where it is blocked by


def needed(*pages: str) -> int:
    """Bytes of the scripts that must be there before these pages can be drawn, as they are sent."""
    wanted = [f.name for f in DIST.glob("*.js") if any(f.name.startswith(f"{name}-") for name in ("index", *pages))]
    seen: set[str] = set()
    while wanted:
        name = wanted.pop()
        if name not in seen:
            seen.add(name)
            wanted += re.findall(r'(?:from|import)\s*"\./([^"]+\.js)"', (DIST / name).read_text())
    return sum((DIST / f"{name}.gz").stat().st_size for name in seen)


def asked_in_a_minute(page: Page) -> int:
    """What an open load view that follows now asks in a minute."""
    page.goto(f"/servers/{SERVER}/load")
    page.locator("svg[data-chart]").first.wait_for()
    page.wait_for_timeout(5000)
    asked: list[str] = []
    page.on("request", lambda request: asked.append(request.url) if "/api/" in request.url else None)
    page.wait_for_timeout(60_000)
    return len(asked)


def many_cells(page: Page) -> tuple[float, float, float, list[float]]:
    """A session's tape whose answer is as long as it gets: longest tasks of drawing, of stepping the window and of pressing
    keys on it, and each key."""
    start = int(END) - 3_600_000
    kinds = ["lock", "data_io", "running", "commit", "client"]
    session = {"pid": 1, "started_s": start // 1000, "program": "web", "user": "web", "database": "d", "client": ""}
    session |= {"backend": "client backend", "query_id": None, "statement": "", "tables": ""}
    step = 3_600_000 // EACH
    stretches = [
        {
            "first": start + i * step, "last": start + i * step + step // 2, "ticks": 9, "active": True,
            "blocker": 2 + i % LANES, "kind": kinds[i % 5], "wait": "Lock:tuple", "wait_label": "Lock: tuple",
            "query_id": None,
        }
        for i in range(EACH)
    ]  # fmt: skip
    others = [session | {"pid": 2 + i, "program": f"other-{i}"} for i in range(LANES)]
    stretches = [one | {"blocker": 2 + lane} for lane in range(LANES) for one in stretches]
    tape = {
        "session": session, "start": start, "end": int(END), "ticks": 3600, "tick_ms": 1000, "wait_tick_ms": 1000,
        "first": start, "last": int(END), "stretches": stretches, "ran": [], "waits": [], "gaps": [], "others": others,
        "errors": [], "executions": [], "deadlocks": [], "alike": [],
    }  # fmt: skip
    short = tape | {"stretches": stretches[:1], "others": others[:1]}
    given = [short]  # first a short one: loading a page is no drawing
    page.route("**/tape?*", lambda route: route.fulfill(json=given[-1]))
    page.goto(f"/servers/{SERVER}/sessions/1?from={start}&to={END}")
    page.get_by_role("application", name="Tape of web 1").wait_for()
    last, stepping, drawing = page.get_by_text(f"other-{LANES - 1}").first, [], []
    for _ in range(5):
        page.wait_for_timeout(1500)
        page.evaluate(HELD)
        given.append(tape)
        page.keyboard.press("[")  # another window, and so another answer
        stepping.append(page.evaluate("window.held()"))  # the answer is not here yet: making it takes longer than this
        page.evaluate(HELD)
        last.wait_for(state="attached")
        page.wait_for_timeout(1500)
        drawing.append(page.evaluate("window.held()"))
        given.append(short)
        page.keyboard.press("[")
        last.wait_for(state="detached")
    given.append(tape)
    page.keyboard.press("[")
    last.wait_for(state="attached")
    page.wait_for_timeout(1500)
    page.evaluate(HELD)
    keys = page.evaluate(PRESSED, "ArrowRight")
    return float(np.median(drawing)), float(np.median(stepping)), page.evaluate("window.held()"), keys


def many_spans(page: Page) -> float:
    """A request of 20,000 spans: milliseconds from its answer having come to the frame that shows it, the median of five."""
    statements = [f"SELECT held FROM slot WHERE deck = {n} AND id = ?" for n in range(40)]
    span = {"service": "web", "kind": "client", "to": "", "failed": False, "query_id": None, "exceptions": []}
    spans = [
        span | {
            "above": -1 if i == 0 else (i - 1) // 40, "depth": min(i, 3), "name": f"SELECT {i % 40}", "layer": "database",
            "start_ms": i / 2, "duration_ms": 0.4, "self_ms": 0.4, "statement": statements[i % 40],
            "attributes": {"server.address": "quay-a", "server.port": 5432, "db.namespace": "bookings", "code.line.number": i},
        }
        for i in range(20_000)
    ]  # fmt: skip
    request = {
        "trace": "ab" * 16, "top": "cd" * 8, "endpoint": "GET /manifests/{id}", "endpoint_id": None, "service": "web",
        "kind": "web", "at": int(END) - 20_000, "duration_ms": 10_000, "target_ms": 500, "error": False, "verdict": "",
        "layers": {"own": 0, "database": 10_000, "cache": 0, "external": 0, "queue": 0}, "statements": 20_000,
        "repeated": [], "spans": spans, "more": 0, "rejected": 0, "resource": {}, "others": [], "seen": [],
    }  # fmt: skip
    page.route("**/requests/traces/*", lambda route: route.fulfill(json=request))
    page.route("**/requests/traces/*?*", lambda route: route.fulfill(json=request))
    took = []
    for _ in range(5):
        page.goto(f"/servers/{SERVER}/requests/{request['trace']}")
        page.get_by_role("table", name="spans of this request").get_by_role("row").nth(5).wait_for()
        took.append(page.evaluate(DRAWN))
    page.unroute_all()
    return float(np.median(took))


with sync_playwright() as playwright:
    browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=ARGUMENTS)
    page = browser.new_context(base_url=URL, viewport={"width": 1280, "height": 800}).new_page()
    page.goto("/")
    page.get_by_label("name").fill("viewer")
    page.get_by_label("password").fill("tidewrack-demo")
    page.get_by_role("button", name="sign in").click()
    page.get_by_role("heading", name="Servers").wait_for()
    took = []
    for turn in range(15):
        to = int(END) - turn * 600_000
        page.goto(f"/servers/{SERVER}/load?from={to - 3 * 3_600_000}&to={to}")
        page.locator("path[data-layer]").first.wait_for()
        page.wait_for_timeout(700)
        box = page.locator("svg[data-chart]").bounding_box()
        assert box
        page.evaluate(WATCH)
        page.mouse.move(box["x"] + 300, box["y"] + 100)
        page.mouse.down()
        page.mouse.move(box["x"] + 600, box["y"] + 100, steps=5)
        page.mouse.up()
        took.append(page.evaluate("window.redrawn"))
    page.goto("/")
    page.get_by_role("heading", name="Servers").wait_for()
    first_paint = page.evaluate(FIRST_PAINT)
    page.evaluate(HELD)
    page.get_by_role("button", name="columns and files of servers").wait_for()
    frames = page.evaluate(SCROLLED)
    scrolling = page.evaluate("window.held()")
    requests = asked_in_a_minute(page)
    drawing, stepping, pressing, keys = many_cells(page)
    page.add_init_script(NOTE)
    spans = many_spans(page)
    browser.close()

report(
    "brush to redrawn waterline, median",
    float(np.median(took)),
    "ms",
    at_most=100,
    note=f"p95 {np.quantile(took, 0.95):.0f}",
)
report("first view on loopback", float(first_paint), "ms", at_most=1000)
report("script of the first view (the list of servers), as it is sent", needed("ServersPage") / 1000, "kB", at_most=130)
report("script of the load view, as it is sent", needed("LoadPage", "ServerScreen") / 1000, "kB", at_most=250)
report("requests a minute of an open load view of 15 minutes", requests, "", at_most=40)
cells = f"lanes of {2 * LANES * EACH:,} cells"
note = f"stepping the window before that {stepping:.0f}"
report(f"{cells}, longest task while they are drawn, median of five", drawing, "ms", at_most=50, note=note)
report(
    f"{cells}, a key answered, p95",
    float(np.quantile(keys, 0.95)),
    "ms",
    at_most=50,
    note=f"longest task {pressing:.0f}",
)
frame = float(np.quantile(frames, 0.95))
note = f"longest task {scrolling:.0f}"
report("list of a thousand servers scrolled through, p95 of a frame", frame, "ms", at_most=33, note=note)
report(
    "a request of 20,000 spans, from its answer to the frame that shows it, median of five", spans, "ms", at_most=300
)
