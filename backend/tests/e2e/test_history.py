"""The estate's past on screen: servers, a group, indicators, the usual, the machine, settings, samples from a file."""

import re
import time
from pathlib import Path

import pytest
from conftest import api, server_id
from past import IDLE_CONSOLE_HOUR, IDLE_CONSOLE_QUEUE
from playwright.sync_api import Page, expect


def test_all_servers_are_listed_and_a_group_leads_to_its_nodes(page: Page) -> None:
    for name in ("bookings-main", "bookings-replica-a", "bookings-replica-b", "warehouse", "crew", "bookings-primary"):
        expect(page.get_by_role("row").filter(has_text=name)).to_be_visible()
    page.get_by_role("button", name="server", exact=True).click()
    page.wait_for_url("**order=name.up*")
    expect(page.get_by_role("row").nth(1)).to_contain_text("bookings-main")
    page.get_by_role("button", name="1 h", exact=True).click()
    page.wait_for_url("**last=3600*")
    expect(page.get_by_role("img", name="load of bookings-main in this window")).to_be_visible()
    page.get_by_role("link", name="bookings", exact=True).first.click()
    expect(page.get_by_role("heading", level=2).first).to_contain_text("of the load of bookings")
    node = page.get_by_role("row").filter(has=page.get_by_role("link", name="bookings-replica-b"))
    expect(node).to_contain_text("replica")


def test_the_idle_console_of_yesterday_is_found_in_three_steps(page: Page) -> None:
    """The planted incident: when, what kind, who holds it up."""
    server = server_id(page, "bookings-main")
    page.goto(f"/servers/{server}/load?{IDLE_CONSOLE_HOUR.query()}")
    expect(page.get_by_role("heading", level=1)).to_contain_text("Waiting: row and table locks")
    expect(page.locator("[data-rail-window]")).to_be_visible()
    holders = page.get_by_role("region", name="Held by", exact=True)
    holders.get_by_role("button", name=re.compile("^ops-console")).click()
    page.wait_for_url("**pick=held_by*")
    expect(page.get_by_label("Trail")).to_contain_text("ops-console")
    queue = IDLE_CONSOLE_QUEUE.query()
    found = api(page, f"/servers/{server}/sieve?{queue}&dimension=program&pick=held_by:ops-console")
    assert found["columns"][0]["rows"][0]["value"] == "booking-web"


def test_the_idle_console_of_yesterday_is_told_by_faena_itself_with_its_chain(page: Page) -> None:
    """From any view of that window: what is at fault, its chain, where it is seen."""
    server = server_id(page, "bookings-main")
    page.goto(f"/servers/{server}/statements?{IDLE_CONSOLE_QUEUE.query()}")
    page.get_by_role("link", name=re.compile("A transaction left open by ops-console blocks")).click()
    page.wait_for_url("**/leads?**")
    chain = page.get_by_role("list", name="chain of causes").get_by_role("listitem")
    expect(chain.first).to_contain_text("booking-web")
    expect(chain.last).to_contain_text("idle in transaction")
    expect(page.get_by_text("This is over")).to_be_visible()
    chain.last.get_by_role("link", name="blocking").click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("ops-console")


def test_a_long_window_says_at_which_resolution_it_was_read(page: Page) -> None:
    server = server_id(page, "bookings-main")
    page.goto(f"/servers/{server}/load?last=86400")
    expect(page.get_by_text("summed up by minute")).to_be_visible()
    page.get_by_role("link", name="in total").click()
    page.wait_for_url("**/load/total*")
    expect(page.get_by_label("The window in total").get_by_role("listitem").first).to_be_visible()
    page.get_by_role("button", name="what the layers are: Wait kind").click()
    page.get_by_role("option", name="Program").click()
    page.wait_for_url("**split=program*")
    expect(page.get_by_label("The window in total")).to_contain_text("booking-web")
    page.get_by_role("link", name="over time").click()
    page.get_by_role("button", name="compare the window with: nothing").click()
    page.get_by_role("option", name="the same hours yesterday").click()
    page.wait_for_url("**compare=day*")
    page.locator("[data-before]").wait_for(state="attached")


def test_the_machine_lies_under_the_load_and_has_a_page(page: Page) -> None:
    server = server_id(page, "warehouse")
    page.goto(f"/servers/{server}/load?last=3600&under=machine")
    expect(page.get_by_role("application", name="Machine: user")).to_be_visible()
    page.get_by_role("link", name="Machine", exact=True).click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("A request takes")
    expect(page.get_by_text("Who loads the disk quay-b")).to_be_visible()
    expect(page.get_by_role("row").filter(has_text="fact_sailing").first).to_be_visible()
    expect(page.get_by_text("(now)")).to_be_visible()


def test_indicators_are_chosen_and_stay_chosen(page: Page) -> None:
    page.goto("/?last=3600")
    lag = page.get_by_role("columnheader", name="replay lag")
    chosen = page.get_by_role("checkbox", name="replay lag")
    menu = page.get_by_role("button", name="columns and files of servers")
    menu.click()
    chosen.check()
    page.keyboard.press("Escape")
    expect(lag).to_be_visible()
    replica = page.get_by_role("row").filter(has=page.get_by_role("link", name="bookings-replica-b"))
    expect(replica).to_contain_text("yesterday")
    page.get_by_role("button", name="indicator of all servers on one chart: none").click()
    page.get_by_role("option", name="replay lag").click()
    page.wait_for_url("**figure=lag*")
    page.reload()
    expect(page.get_by_role("application", name="replay lag")).to_be_visible()
    expect(lag).to_be_visible()
    menu.click()
    chosen.uncheck()
    page.keyboard.press("Escape")
    expect(lag).to_have_count(0)


def test_a_close_watch_is_begun_and_ended_on_the_real_server(page: Page) -> None:
    page.goto("/servers/1/settings")
    start = page.get_by_role("button", name="watch closely")
    left = page.get_by_role("button", name="end it now")  # by a run that was broken off
    expect(start.or_(left)).to_be_visible()
    if left.count():
        left.click()
    start.wait_for()
    expect(page.get_by_text("Ten samples a second")).to_be_visible()
    confirm, begun = page.get_by_label("yes, at that cost").first, page.get_by_text("watched closely until")
    refused = page.get_by_text("That was not done")
    for _ in range(2):  # what a sample costs may be measured anew meanwhile, and then it is asked for after all
        if confirm.count():  # only where ten samples a second cost more than a hundredth of a core
            confirm.check()
        start.click()
        expect(begun.or_(refused)).to_be_visible()
        if begun.count():
            break
    expect(begun).to_be_visible()
    deadline = time.monotonic() + 20
    while time.monotonic() < deadline:
        now = int(time.time() * 1000)
        rows = api(page, f"/servers/1/samples?from={now - 4000}&to={now}&limit=500")["rows"]
        if any(row["at"] % 1000 for row in rows):
            break
        time.sleep(0.5)
    else:
        pytest.fail("no samples between full seconds")
    page.get_by_role("button", name="end it now").click()
    expect(page.get_by_role("button", name="watch closely")).to_be_visible()


def test_a_file_of_samples_is_imported_with_its_bad_lines_told(page: Page, tmp_path: Path) -> None:
    start = int(time.time()) - 600
    rows = [f"{start + i},{s},active,Lock,row,till,UPDATE stock SET n = {i}" for i in range(60) for s in (1, 2)]
    rows[7] = "no moment,1,active,,,till,"
    file = tmp_path / "other-engine.csv"
    file.write_text("time,session,state,wait_type,wait_event,program,statement\n" + "\n".join(rows) + "\n")
    page.goto("/servers/1/settings")
    page.get_by_label("into server").fill("other engine")
    page.get_by_label("file with samples").set_input_files(file)
    page.get_by_role("button", name="import samples").click()
    report = page.get_by_role("status").filter(has_text="moments stored")  # parts of the page are read still
    expect(report).to_contain_text("60 moments stored")
    expect(report).to_contain_text("line 9")
    expect(report).to_contain_text("'no moment' is no time")
    report.get_by_role("link", name="look at them").click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("locks")


def test_settings_that_cannot_be_meant_are_refused_in_words(page: Page) -> None:
    page.goto(f"/servers/{server_id(page, 'crew')}/settings")
    page.get_by_label("a sample every").fill("333")
    page.get_by_role("button", name="save").click()
    expect(page.get_by_role("alert")).to_contain_text("neither a whole part of a second nor whole seconds")
    page.get_by_label("a sample every").fill("1000")
    page.get_by_role("button", name="save").click()
    expect(page.get_by_text("saved; the collector follows")).to_be_visible()


PLAN = """
 Sort  (cost=9.00..9.10 rows=10 width=8) (actual time=120.000..121.000 rows=9000 loops=1)
   Sort Key: b.note
   Sort Method: external merge  Disk: 5120kB
   ->  Seq Scan on booking b  (cost=0.00..8.00 rows=10 width=8) (actual time=0.010..80.000 rows=9000 loops=1)
         Filter: (reference = 'R5'::text)
         Rows Removed by Filter: 991000
 Execution Time: 122.000 ms
"""


def test_a_pasted_plan_becomes_a_ledger_with_suspicions_under_a_link(page: Page) -> None:
    page.goto("/plans")
    page.get_by_label("the plan").fill("no plan at all")
    page.get_by_role("button", name="open the plan").click()
    expect(page.get_by_role("alert")).to_contain_text("no step of a plan was found")
    page.get_by_label("the plan").fill(PLAN)
    page.get_by_label("title").fill("before the index")
    page.get_by_role("button", name="open the plan").click()
    page.wait_for_url("**/plans/*")
    ledger = page.get_by_role("table", name="Ledger of the plan")
    expect(ledger.get_by_role("row").nth(1)).to_contain_text("Seq Scan booking b")
    expect(ledger).to_contain_text("CREATE INDEX CONCURRENTLY ON booking (reference);")
    expect(ledger).to_contain_text("sort on disk")
    first = page.url
    page.goto("/plans")
    page.get_by_label("the plan").fill(
        PLAN.replace("Seq Scan on booking b", "Index Scan using booking_ref on booking b")
        .replace("80.000", "8.000")
        .replace("121.000", "20.000")
        .replace("122.000", "21.000")
    )
    page.get_by_role("button", name="open the plan").click()
    page.wait_for_url("**/plans/*")
    page.get_by_role("button", name="compare with another plan").click()
    page.get_by_role("menuitem", name="before the index").first.click()
    page.wait_for_url("**/against/*")
    expect(page.get_by_role("heading", level=1)).to_contain_text("Index Scan became Seq Scan")
    page.goto(first)
    expect(page.get_by_role("heading", level=1)).to_contain_text("Took 122 ms")
