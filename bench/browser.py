"""From letting go of a brush to the redrawn waterline, in a real browser; and the weight of the first view."""

import gzip
import os
from pathlib import Path

import numpy as np
from playwright.sync_api import sync_playwright
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
    browser.close()

report(
    "brush to redrawn waterline, median",
    float(np.median(took)),
    "ms",
    at_most=100,
    note=f"p95 {np.quantile(took, 0.95):.0f}",
)
report("first view on loopback", float(first_paint), "ms", at_most=1000)
scripts = sum(len(gzip.compress(f.read_bytes())) for f in DIST.glob("*.js"))
report("script of the first view, gzip", scripts / 1000, "kB", at_most=250)
