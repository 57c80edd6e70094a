"""From a slow request to its statement: Tidewrack's two web services send real traces, and the browser follows them."""

import re

from conftest import serious, trouble
from playwright.sync_api import Page, expect

JUDGED_MS = 45_000  # a trace is sent within seconds, judged when it was quiet, and asked for every few seconds


def test_a_statement_run_for_each_row_is_found_down_to_its_spans_and_statement(page: Page) -> None:
    page.goto("/servers/1/endpoints?last=60")
    with trouble("one-by-one"):
        found = page.get_by_role("list", name="what is found").get_by_role("listitem").filter(has_text="manifests")
        expect(found).to_contain_text("repeated statement", timeout=JUDGED_MS)
        found.get_by_role("link").click()
        expect(page.get_by_text("The database takes")).to_be_visible()
        loop = page.get_by_role("row").filter(has_text="SELECT name, kind FROM passenger")
        expect(loop).to_contain_text("times")
        page.get_by_role("link", name="repeated statements").click()
        expect(page.get_by_role("heading", level=1)).to_contain_text("runs one statement")
        expect(page.get_by_role("row").filter(has_text="passenger")).to_contain_text("SELECT id FROM booking")
        page.go_back()
        looped = page.get_by_role("cell", name=re.compile(r"^\d{2,3}$"))  # statements; an earlier slow one ran two
        slow = page.get_by_role("table", name="slowest requests").get_by_role("row").filter(has=looped).first
        expect(slow).to_be_visible(timeout=JUDGED_MS)
        slow.get_by_role("link").click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("took")
    fold = page.get_by_role("button", name="open SELECT").last
    expect(page.get_by_role("row").filter(has_text=re.compile(r"\d+ × SELECT"))).to_be_visible()
    assert serious(page) == []
    fold.click()
    page.get_by_role("row").filter(has_text="passenger").nth(1).get_by_role("button", name="SELECT").click()
    page.get_by_role("link", name="the statement", exact=True).click()
    expect(page.get_by_role("heading", name="Endpoints that run it")).to_be_visible()
    expect(page.get_by_role("region", name="Endpoints")).to_contain_text("repeated")


def test_a_slow_service_is_told_as_such_and_the_database_cleared(page: Page) -> None:
    page.goto("/servers/1/endpoints?last=60")
    with trouble("slow-authority"):
        found = page.get_by_role("list", name="what is found").get_by_role("listitem").filter(has_text="hold")
        expect(found).to_contain_text("slow external calls", timeout=JUDGED_MS)
        found.get_by_role("link").click()
        # How little the database takes beside that depends on what the tests before have left; the core's tests have the words.
        expect(page.get_by_text("Calls to other services take")).to_be_visible()
        page.get_by_role("link", name="outgoing calls").click()
        expect(page.get_by_role("row").nth(1)).to_contain_text("external")


def test_who_may_send_traces_is_said_in_the_settings(page: Page) -> None:
    page.goto("/servers/1/settings")
    expect(page.get_by_text("tidewrack", exact=True)).to_be_visible()
    page.get_by_role("textbox", name="another application").fill("another app")
    page.get_by_role("button", name="make a token").click()
    token = page.get_by_text("The token of another app, told this once:")
    expect(token).to_be_visible()
    page.reload()
    expect(page.get_by_text("another app has sent nothing yet")).to_be_visible()
    expect(token).to_have_count(0)
    mine = page.locator("div").filter(has_text=re.compile("^another app has sent nothing"))
    mine.get_by_role("button", name="remove …").click()
    mine.get_by_role("button", name="remove it").click()
    expect(page.get_by_text("another app has sent nothing yet")).to_have_count(0)
