"""Locks told right on screen: a chain down to its disk-bound root, deadlocks with their crossing, a blocker that is ended."""

import re

from conftest import api, say_handled, server_id, sign_in, trouble, wait_for_verdict
from past import THREE_LAYERS
from patience import wait_for
from playwright.sync_api import Locator, Page, expect

DAY_S = 86_400


def test_the_three_layer_chain_leads_down_to_its_disk_bound_root(page: Page) -> None:
    server = server_id(page, "bookings-main")
    page.goto(f"/servers/{server}/blocking?{THREE_LAYERS.query()}")
    heading = page.get_by_role("heading", level=1)
    expect(heading).to_contain_text("blocked by manifest-export")
    expect(heading).to_contain_text("waiting for disk")
    chain = page.get_by_role("tree", name="blocking chain").get_by_role("treeitem")
    expect(chain.nth(0)).to_contain_text("manifest-export")
    expect(chain.nth(1)).to_contain_text("fare-engine")
    expect(chain.nth(2)).to_contain_text("booking-web")
    assert [chain.nth(i).get_attribute("aria-level") for i in range(3)] == ["1", "2", "3"]
    found = api(page, f"/servers/{server}/blocking?{THREE_LAYERS.query()}")
    for name in ("by_statement", "by_program", "by_table", "by_mode"):
        assert abs(sum(one["lost_s"] for one in found[name]) - found["lost_s"]) < 1e-6, name
    # From the root to its tape, and there to what it waited for.
    chain.nth(0).get_by_role("link").first.click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("IO: DataFileRead")


def test_deadlocks_are_one_pattern_and_cross(page: Page) -> None:
    server = server_id(page, "bookings-main")
    page.goto(f"/servers/{server}/deadlocks?last={10 * DAY_S}")
    expect(page.get_by_role("heading", level=1)).to_contain_text("deadlocks of one pattern")
    page.get_by_role("link", name=re.compile("booking-web × fare-engine")).click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("The server ended the transaction of booking-web")
    expect(page.get_by_label("Cause")).to_contain_text("locked in opposite order")
    crossing = page.get_by_role("region", name="crossing of parties and things")
    expect(crossing).to_contain_text("victim: rolled back")
    page.get_by_role("button", name="less detail").click()
    expect(crossing).not_to_contain_text("ShareLock")
    handling = page.get_by_label("Handling")
    handling.get_by_label("what was changed").fill("deck slots before sailings")
    handling.get_by_role("button", name="count from now").click()
    expect(page.get_by_text(re.compile("none since today")).first).to_be_visible()
    handling.get_by_label("comment").fill("see the fare engine's order")
    handling.get_by_role("button", name="comment").click()
    expect(handling).to_contain_text("see the fare engine's order")
    handling.get_by_role("button", name="take back").click()
    expect(handling).to_contain_text("Nothing noted yet")


def waiting_for(page: Page, least_ms: int) -> bool:
    """Whether somebody has waited that long."""
    sessions = api(page, "/servers/1/sessions/now")["sessions"]
    return any(one["blocked_by"] and (one["statement_ms"] or 0) > least_ms for one in sessions)


def test_the_idle_console_is_ended_by_an_operator_and_its_waiters_go_on(anyone: Page) -> None:
    page = anyone
    sign_in(page, "operator")
    with trouble("idle-console"):
        page.goto("/servers/1/sessions")
        row = page.get_by_role("row").filter(has_text="ops-console").filter(has_text="idle in transaction")
        wait_for(
            lambda: any(one["program"] == "ops-console" and one["blocks"] > 1 for one in api(page, "/servers/1/sessions/now")["sessions"]),
            "waiters behind the console",
        )  # fmt: skip
        expect(page.get_by_role("heading", level=1)).to_contain_text("blocked by ops-console")
        wait_for(lambda: waiting_for(page, 2000), "a wait that is long enough for the server to log it")
        row.get_by_role("button", name="end pid").click()
        expect(page.get_by_role("dialog")).to_contain_text("it is idle in transaction", ignore_case=True)
        page.get_by_role("button", name="do not end it").click()
        row.get_by_role("link").first.click()
        page.get_by_role("button", name="end …").click()
        dialog = page.get_by_role("dialog")
        expect(dialog).to_contain_text("blocked by it and can go on")
        expect(dialog.get_by_label("the session: its transaction")).to_be_checked()  # it runs no statement to cancel
        expect(dialog.get_by_role("button", name="end the session")).to_be_disabled()
        dialog.get_by_role("textbox").fill("it holds a popular sailing")
        dialog.get_by_role("button", name="end the session").click()
        expect(dialog).to_contain_text("the server ended the session")
        page.wait_for_timeout(3000)  # the list behind it moves on, and the outcome stays
        expect(dialog).to_contain_text("that it blocked go")
        dialog.get_by_role("button", name="close", exact=True).last.click()
    page.goto("/servers/1/sessions")
    expect(page.get_by_label("Ended by users of Faena")).to_contain_text("it holds a popular sailing")
    page.goto("/servers/1/events?last=600")
    expect(page.get_by_role("heading", level=1)).to_contain_text("of the log")
    expect(page.get_by_text("still waiting for").first).to_be_visible()


def test_a_viewer_can_look_and_not_end(anyone: Page) -> None:
    sign_in(anyone, "viewer")
    with trouble("idle-console"):
        wait_for(lambda: any(one["blocks"] for one in api(anyone, "/servers/1/sessions/now")["sessions"]), "waiters")
        anyone.goto("/servers/1/blocking?last=120")
        expect(anyone.get_by_label("What its transaction ran")).to_contain_text("UPDATE deck_slot")
        anyone.goto("/servers/1/sessions")
        anyone.get_by_role("row").filter(has_text="ops-console").get_by_role("link").first.click()
        expect(anyone.get_by_role("heading", level=1)).to_contain_text("ops-console")
        expect(anyone.get_by_role("button", name="end …")).to_have_count(0)


def tab_to(page: Page, wanted: Locator) -> None:
    """By the Tab key alone."""
    wanted.wait_for()
    for _ in range(120):
        if wanted.evaluate("one => one === document.activeElement"):
            return
        page.keyboard.press("Tab")
    raise AssertionError("not to be reached by the Tab key")


def test_from_the_complaint_to_the_verdict_by_keyboard_alone(anyone: Page) -> None:
    """The lead, its evidence, the end of the blocker, and whether that helped."""
    page = anyone
    sign_in(page, "operator")
    with trouble("idle-console"):
        page.goto("/servers/1/load?last=60")  # shorter than the trouble before: its session is gone
        page.get_by_role("heading", level=1).wait_for()
        wait_for(lambda: waiting_for(page, 25_000), "a wait that somebody complains of")
        page.keyboard.press("g")
        page.keyboard.press("f")
        expect(page.get_by_role("heading", level=1)).to_contain_text(
            "A transaction left open by ops-console", timeout=40_000
        )
        tab_to(page, page.get_by_role("list", name="chain of causes").get_by_role("link", name="blocking").first)
        page.keyboard.press("Enter")
        expect(page.get_by_role("heading", level=1)).to_contain_text("ops-console")
        page.keyboard.press("g")
        page.keyboard.press("f")
        tab_to(page, page.get_by_role("link", name=re.compile("^pid ")).first)
        page.keyboard.press("Enter")
        tab_to(page, page.get_by_role("button", name="end …"))
        page.keyboard.press("Enter")
        dialog = page.get_by_role("dialog")
        tab_to(page, dialog.get_by_role("textbox"))
        page.keyboard.type("it holds a popular sailing")
        tab_to(page, dialog.get_by_role("button", name="end the session"))
        page.keyboard.press("Enter")
        expect(dialog).to_contain_text("the server ended the session")
    tab_to(page, dialog.get_by_role("button", name="close", exact=True).last)
    page.keyboard.press("Enter")
    page.keyboard.press("g")
    page.keyboard.press("f")
    tab_to(page, page.get_by_role("button", name=re.compile("^handled: A transaction left open")).first)
    page.keyboard.press("Enter")
    say_handled(page, "ended it, by keyboard alone")
    wait_for_verdict(page, 1, "ended it, by keyboard alone", "better")
    page.keyboard.press("g")
    page.keyboard.press("y")
    page.wait_for_url("**/leads/history**")
    expect(page.get_by_text("ended it, by keyboard alone").first).to_be_visible()
    tab_to(page, page.get_by_role("link", name="better").first)
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", level=1)).to_contain_text("Better: sessions that wait for locks")
