"""Makes docs/user-guide.md and its pictures from the running demo: each planted incident from the complaint to the case.

./faena demo --no-rota        # in another window
./faena guide
"""

import json
import sys
import tomllib
from dataclasses import dataclass
from pathlib import Path
from typing import Any
from urllib.parse import urlencode

from faena.core.numbers import took
from faena.core.units import MS_PER_HOUR, EpochMs
from faena.sources.simulated import Incident, read_incidents
from PIL import Image
from playwright.sync_api import APIRequestContext, Page, sync_playwright

CHECKOUT = Path(__file__).parents[1]
DOCUMENT, PICTURES = CHECKOUT / "docs" / "user-guide.md", CHECKOUT / "docs" / "guide"
DAY_MS = 24 * MS_PER_HOUR
CHROMIUM, LONGEST_MS, RAIL_S = "/usr/bin/chromium", 1_800_000, 14 * 86_400
HEAD = """# From the complaint to the case

What was planted in the past of the demo's servers, one incident after another: what people say, what Faena says, and what to do. Start
`./faena demo`, sign in as `operator`, choose the server and draw the window on the rail above every view. This page and its pictures are
made by `./faena guide` from the demo itself, so the sentences are the ones that you will read; days are counted back from the day on
which the demo was made.

The way is the same each time. What is at fault stands at the right above every view of the window, and leads to *Leads*: the chain
from what users feel down to the root, each step with a link to its evidence, what was ruled out, and one next step. Below the chain,
*make a case of it* keeps it; `k` on any view keeps what is on the screen as well. Write the conclusion, close the case, and export it for
those who have no Faena. When the same comes again, its lead names the case.
"""


@dataclass(frozen=True, slots=True, kw_only=True)
class Told:
    """An incident as the application tells it."""

    incident: Incident
    when: str
    lead: dict[str, Any]
    ground: str


def window_of(incident: Incident, anchor: EpochMs) -> tuple[int, int]:
    """Its first half hour, and some minutes before it."""
    start, end = next(incident.spans(anchor))
    return start - 300_000, max(start + 600_000, min(end, start + LONGEST_MS))


def ask(request: APIRequestContext, path: str) -> Any:
    answer = request.get(f"/api/v1{path}")
    if not answer.ok:
        raise SystemExit(f"{path} answers {answer.status}: {answer.text()[:200]}")
    return json.loads(answer.text())


def tell(page: Page, incident: Incident, servers: dict[str, int], anchor: EpochMs) -> Told:
    """What the leads page says of it, and its picture."""
    start, end = window_of(incident, anchor)
    server = servers[incident.server]
    window = {"from": start, "to": end}
    found = ask(page.request, f"/servers/{server}/leads?{urlencode(window)}")
    page.goto(f"/servers/{server}/leads?{urlencode({**window, 'rail': RAIL_S})}")
    page.get_by_role("heading", level=1).wait_for()
    page.wait_for_load_state("networkidle")
    page.wait_for_timeout(1500)
    picture = PICTURES / f"{incident.name}.png"
    page.screenshot(path=picture)
    with Image.open(picture) as seen:  # a few colours are enough, and a fourth of the size
        seen.convert("RGB").quantize(64).save(picture, optimize=True)
    lead = found["leads"][0] if found["leads"] else {}
    days = "yesterday" if incident.days_ago == 1 else f"{incident.days_ago:g} days ago"
    minutes = incident.at_ms // 60_000
    return Told(
        incident=incident, when=f"{days} at {minutes // 60:02}:{minutes % 60:02}", lead=lead, ground=found["ground"]
    )


def section(number: int, told: Told, guide: dict[str, str]) -> list[str]:
    """In Markdown."""
    lead, incident = told.lead, told.incident
    lines = [
        f"## {number}. {guide['complaint']}",
        "",
        f"`{incident.server}`, {told.when} (UTC), for {took(incident.length_ms)}.",
        "",
    ]
    if lead:
        lines += [f"**{lead['title']}.**", ""]
        lines += [f"{place}. {step['sentence']}" for place, step in enumerate(lead["chain"], 1)]
        lines += ["", *(f"- ruled out: {one['what']} ({one['why']})" for one in lead["ruled_out"])]
        lines += ["", f"Next step: {lead['next_step']}"]
    else:
        lines += [f"Faena calls this window quiet: {told.ground}"]
    lines += [
        "",
        f"![{guide['complaint']}](guide/{incident.name}.png)",
        "",
        guide["next"],
        "",
        f"What was planted: {incident.cause}",
        "",
    ]
    return lines


def main(address: str) -> int:
    """1 when the demo does not answer."""
    incidents = read_incidents(tomllib.loads((CHECKOUT / "demo" / "incidents.toml").read_text()))
    guide = tomllib.loads((CHECKOUT / "demo" / "guide.toml").read_text())
    if missing := {one.name for one in incidents} - set(guide):
        raise SystemExit(f"demo/guide.toml says nothing of {', '.join(sorted(missing))}")
    PICTURES.mkdir(exist_ok=True)
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=["--no-sandbox", "--disable-gpu"])
        page = browser.new_context(base_url=address, viewport={"width": 1280, "height": 540}).new_page()
        page.add_init_script("localStorage.setItem('faena-hints', 'off')")
        page.goto("/")
        page.get_by_label("name").fill("operator")
        page.get_by_label("password").fill("tidewrack-demo")
        page.get_by_role("button", name="sign in").click()
        page.get_by_role("heading", name="Servers").wait_for()
        listed = ask(page.request, "/servers")["servers"]
        servers = {one["name"]: one["id"] for one in listed}
        anchor = anchor_of(page.request, servers["bookings-main"])
        told = [tell(page, one, servers, anchor) for one in incidents]
        browser.close()
    lines = [HEAD]
    for number, one in enumerate(told, 1):
        lines += section(number, one, guide[one.incident.name])
    DOCUMENT.write_text("\n".join(lines).rstrip() + "\n")
    print(f"wrote {DOCUMENT.relative_to(CHECKOUT)} with {len(told)} incidents")
    return 0


def anchor_of(request: APIRequestContext, server: int) -> EpochMs:
    """A moment of the day on which the past was made: the idle console lies on the day before it."""
    known = ask(request, f"/servers/{server}/leads/history")
    told = [one for one in known if one["kind"] == "idle_transaction" and one["program"] == "ops-console"]
    if not told:
        raise SystemExit(
            "Faena has not looked at the past yet; wait some minutes after the demo's first start, and try again"
        )
    return EpochMs(told[0]["last"] // DAY_MS * DAY_MS + DAY_MS + DAY_MS // 2)


if __name__ == "__main__":
    sys.exit(main(sys.argv[1] if len(sys.argv) > 1 else "http://127.0.0.1:8710"))
