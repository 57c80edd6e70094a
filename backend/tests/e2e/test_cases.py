"""A case from the lead to the exported page: kept with a key, concluded, opened from the disk without a network, found again."""

import re
from pathlib import Path

from conftest import api, keep, opened_from_disk, serious, server_id, sign_in
from past import IDLE_CONSOLE_QUEUE
from playwright.sync_api import Browser, Page, expect

AT_FAULT = "A transaction left open by ops-console"


def test_a_case_is_made_of_a_lead_kept_concluded_exported_and_imported(
    anyone: Page, browser: Browser, tmp_path: Path
) -> None:
    page = anyone
    sign_in(page, "operator")
    server, queue = server_id(page, "bookings-main"), IDLE_CONSOLE_QUEUE.query()
    page.goto(f"/servers/{server}/leads?{queue}")
    page.get_by_role("button", name=re.compile("make a.* case of it")).first.click()
    page.wait_for_url("**/cases/*")
    case = page.url.split("/cases/")[1].split("?")[0]
    expect(page.get_by_role("region", name="Evidence").get_by_role("listitem").first).to_contain_text(
        "idle in transaction"
    )
    page.goto(f"/servers/{server}/load?{queue}")
    page.locator("svg[data-chart]").wait_for()
    keep(page, "All of **booking-web** waits.")
    page.get_by_role("button", name="go on here").click()
    page.goto(f"/servers/{server}/statements?{queue}")
    page.get_by_role("row").nth(2).wait_for()
    keep(page, "")
    page.get_by_role("dialog").get_by_role("link").click()
    page.wait_for_url(f"**/cases/{case}**")
    expect(page.get_by_role("heading", level=3)).to_have_count(3)
    page.get_by_role("button", name="up: evidence 3").click()
    expect(page.get_by_role("heading", level=3).nth(1)).to_contain_text("Statements")
    page.get_by_role("button", name="write a conclusion").click()
    page.get_by_label("conclusion, in Markdown").fill("The **console** was left open.")
    page.get_by_role("button", name="keep the conclusion").click()
    expect(page.get_by_role("region", name="Conclusion").locator("strong")).to_have_text("console")
    page.get_by_role("button", name="close the case").click()
    expect(page.get_by_role("button", name="open it again")).to_be_visible()
    assert serious(page) == []

    with page.expect_download() as exported:
        page.get_by_role("link", name="export as a page").click()
    file = tmp_path / "case.html"
    exported.value.save_as(file)
    text, drawn = opened_from_disk(browser, file)
    for part in (
        AT_FAULT,
        "idle in transaction",
        "The console was left open.",
        "All of booking-web waits.",
        "bookings-main",
    ):
        assert part in text, part
    assert drawn == [True, True], "the load of the lead's window, and the chart that was kept"

    page.goto("/cases")
    assert serious(page) == []
    page.get_by_label("file of a case").set_input_files(file)
    page.wait_for_url(re.compile(rf"/cases/(?!{case}\b)\d+"))
    imported = page.url.split("/cases/")[1].split("?")[0]
    both = [api(page, f"/cases/{one}")["evidence"] for one in (case, imported)]
    here, there = ([{**one, "id": 0} for one in evidence] for evidence in both)
    assert here == there

    page.goto(f"/servers/{server}/leads?{queue}")
    expect(page.get_by_text("closed: The **console** was left open.").first).to_be_visible()
    page.keyboard.press("/")
    page.get_by_role("searchbox").fill("console was left kind:case")
    hit = page.get_by_role("list", name="found").get_by_role("button").first
    expect(hit).to_contain_text("(closed)")
    hit.click()
    page.wait_for_url("**/cases/*")


def test_a_viewer_reads_a_case_and_changes_nothing(anyone: Page) -> None:
    """After the test before, on the same demo."""
    page = anyone
    sign_in(page, "viewer")
    page.goto("/cases")
    page.get_by_role("link", name=re.compile(AT_FAULT)).first.click()
    expect(page.get_by_role("heading", level=1)).to_contain_text(AT_FAULT)
    expect(page.get_by_role("button", name=re.compile("^(up|down|remove|write|close the case)"))).to_have_count(0)
    page.keyboard.press("k")
    page.wait_for_timeout(500)
    expect(page.get_by_role("heading", name="Keep as evidence")).to_have_count(0)


def test_a_token_made_on_screen_asks_the_api_until_it_is_revoked(anyone: Page) -> None:
    page = anyone
    sign_in(page, "operator")
    page.goto("/tokens")
    page.get_by_label("name").fill("grapher")
    page.get_by_role("button", name="make a token").click()
    token = page.get_by_role("status").locator("code").inner_text()
    headers = {"Authorization": f"Bearer {token}"}
    plain = page.context.browser.new_context(base_url=page.url.split("/tokens")[0])  # type: ignore[union-attr]
    assert plain.request.get("/api/v1/servers", headers=headers).ok
    assert plain.request.post("/api/v1/cases", headers=headers, data={"title": "a"}).status == 403
    page.goto("/reference?operations=leads_list")
    page.get_by_text("/api/v1/servers/{server_id}/leads", exact=True).first.click()
    expect(page.get_by_text("answers LeadsOut")).to_be_visible()
    assert serious(page) == []
    page.goto("/tokens")
    assert serious(page) == []
    page.get_by_role("button", name="revoke grapher").click()
    page.get_by_role("button", name="end grapher now").click()
    expect(page.get_by_role("row").filter(has_text="grapher")).to_have_count(0)
    assert plain.request.get("/api/v1/servers", headers=headers).status == 401
    plain.close()
