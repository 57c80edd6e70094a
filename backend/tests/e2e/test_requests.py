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
        statements = page.get_by_role("table", name="statements of this endpoint")
        loop = statements.get_by_role("row").filter(has_text="SELECT name, kind FROM passenger")
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


def test_the_mend_of_a_repeated_statement_is_shown_by_statements_a_request_before_and_after(page: Page) -> None:
    page.goto("/servers/1/endpoints?last=60")
    with trouble("one-by-one"):
        page.get_by_role("row").get_by_role("link", name=re.compile("manifests")).first.click()
        repeated = (
            page.get_by_role("table", name="statements of this endpoint").get_by_role("row").filter(has_text="times")
        )
        expect(repeated.first).to_contain_text("SELECT name, kind FROM passenger", timeout=JUDGED_MS)
        page.wait_for_timeout(20_000)  # a window's worth of the fault, to stand beside the mend
        page.get_by_role("button", name="keep this window for comparing").click()
        expect(page).to_have_url(re.compile("beside="))
    # The mend is on, and the window, which follows, moves on to what is now.
    beside = page.get_by_role("region", name="Beside")
    gone = beside.get_by_role("row").filter(has_text="SELECT name, kind FROM passenger")
    expect(gone).to_contain_text("gone", timeout=120_000)
    statements = beside.get_by_role("row").filter(has_text="statements").get_by_role("cell")
    after, before = (float(statements.nth(i).inner_text()) for i in (1, 2))
    assert after <= 3 < 20 <= before
    assert serious(page) == []


def test_a_blocked_request_leads_to_who_blocks_it_in_three_steps_and_back(page: Page) -> None:
    with trouble("idle-console"):
        page.goto("/servers/1/blocking?last=60")
        tree = page.get_by_role("tree", name="blocking chain")
        waiting = tree.get_by_role("treeitem").filter(has_text="booking-web").first
        request = waiting.get_by_title("the request it works for")
        expect(request).to_be_visible(timeout=JUDGED_MS)
        request.click()
        expect(page.get_by_role("heading", level=1)).to_contain_text("No trace tells of this request yet.")
        told = page.get_by_role("list", name="sessions that worked for it").get_by_role("listitem").first
        expect(told).to_contain_text("ops-console")
        url = page.url
        told.get_by_role("link", name=re.compile("ops-console")).click()
        expect(page.get_by_role("heading", level=1)).to_contain_text("ops-console")
        assert serious(page) == []
    # Once it is let go its trace comes, and the endpoint tells of the requests that were blocked.
    page.goto(url)
    expect(page.get_by_role("heading", level=1)).to_contain_text("hold took", timeout=JUDGED_MS)
    page.get_by_role("link", name="all of this endpoint").click()
    blocked = page.get_by_role("table", name="slowest requests").get_by_role("row").filter(has_text="blocked").first
    blocked.get_by_role("link").click()  # one
    expect(page.get_by_role("list", name="sessions that worked for it")).to_contain_text("ops-console")
    page.get_by_role("link", name="who blocked whom then").first.click()  # two
    page.get_by_role("tree").get_by_role("treeitem").first.get_by_role(
        "link", name=re.compile(r"^\d+$")
    ).click()  # three
    expect(page.get_by_role("heading", level=1)).to_contain_text("ops-console")
    page.goto("/servers/1/load?last=300&columns=endpoint&columns=wait")
    expect(page.get_by_role("region", name="Endpoint").or_(page.get_by_text("Endpoint")).first).to_be_visible()
    held = page.get_by_role("button", name=re.compile("hold")).first
    expect(held).to_be_visible()
    held.focus()
    page.keyboard.press("o")
    expect(page.get_by_role("heading", level=1)).to_contain_text("hold")


def test_a_cache_that_is_asked_no_more_is_found_with_the_statement_that_it_spared(page: Page) -> None:
    page.goto("/servers/1/endpoints?last=300")
    found = page.get_by_role("list", name="what is found").get_by_role("listitem")
    with trouble("cache-unasked"):
        missing = found.filter(has_text="cache no longer asked")
        expect(missing.first).to_be_visible(timeout=150_000)
        missing.first.get_by_role("link").click()
        expect(page.get_by_role("list", name="what is found")).to_contain_text("cache no longer asked")
        spared = page.get_by_role("table", name="statements of this endpoint").get_by_role("row")
        expect(spared.filter(has_text=re.compile(r"count\(\*\)"))).to_be_visible()


def test_the_slow_few_are_picked_by_keys_and_say_what_they_have_in_common(page: Page) -> None:
    page.goto("/servers/1/endpoints?last=300")
    with trouble("slow-authority"):
        page.wait_for_timeout(15_000)
    page.get_by_role("link", name=re.compile("hold")).first.click()
    picture = page.get_by_role("application", name=re.compile("Requests by duration"))
    expect(picture).to_be_visible(timeout=JUDGED_MS)
    page.wait_for_timeout(8_000)
    picture.focus()
    page.keyboard.press("PageUp")
    expect(page).to_have_url(re.compile("region="))
    sides = page.get_by_role("table", name="the picked beside the others")
    expect(sides).to_contain_text("external")
    page.get_by_role("button", name="all again").click()
    expect(page).not_to_have_url(re.compile("region=."))


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
