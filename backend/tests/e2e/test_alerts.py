"""From trouble to the inbox, and from the mail back to the very window; what is done about an alert, and by whom."""

import re
import time
from pathlib import Path

from conftest import (
    INBOX,
    api,
    inbox,
    keep,
    opened_from_disk,
    say_handled,
    serious,
    sign_in,
    trouble,
    wait_for,
    wait_for_verdict,
)
from playwright.sync_api import Browser, Page, expect

AT_FAULT = "A transaction left open by ops-console"


def ended_from_its_window(page: Page) -> None:
    """From the lead to its evidence, to the session at fault, and its end."""
    page.get_by_role("list", name="chain of causes").get_by_role("link", name="blocking").first.click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("ops-console")
    page.go_back()
    expect(page.get_by_role("heading", level=1)).to_contain_text(AT_FAULT)  # before, pids of those who wait stand there
    page.get_by_role("link", name=re.compile("^pid ")).first.click()
    page.get_by_role("button", name="end …").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_role("textbox").fill("the alert says that it is at fault")
    dialog.get_by_role("button", name="end the session").click()
    expect(dialog).to_contain_text("the server ended the session")
    dialog.get_by_role("button", name="close", exact=True).last.click()


def test_from_the_mail_to_the_case_that_is_opened_from_disk(anyone: Page, browser: Browser, tmp_path: Path) -> None:
    """Trouble, mail, window, lead, chain, the end of the blocker, the verdict, and all of it in a case."""
    page = anyone
    sign_in(page, "operator")
    # Else this one goes on with the alert of the same trouble before, and is told at once, when there is little to judge it by.
    wait_for(
        lambda: all(one["over"] is not None for one in api(page, "/alerts")),
        "the end of the alerts before",
        seconds=400,
    )
    begun = time.time()
    with trouble("idle-console"):
        wait_for(lambda: inbox("mail", AT_FAULT, begun), "a mail of what is at fault", seconds=180)
        mail = inbox("mail", AT_FAULT, begun)[0]
        wait_for(lambda: inbox("webhook", AT_FAULT, begun), "a call that bears our signature")
        page.goto(f"{INBOX}/mail/{mail['name']}")
        shown = page.frame_locator("iframe")
        expect(shown.get_by_text("Pid", exact=False).first).to_be_visible()
        expect(shown.get_by_role("img")).to_be_visible()
        link = shown.get_by_role("link", name="Look at it").get_attribute("href")
        assert link is not None
        page.goto(link)
        expect(page.get_by_role("heading", level=1)).to_contain_text(AT_FAULT)
        ended_from_its_window(page)
    page.goto(link)
    page.get_by_role("button", name=re.compile("^handled: A transaction left open")).first.click()
    expect(page.get_by_label("what was done")).to_be_focused()
    say_handled(page, "ended the console")

    page.goto("/alerts")
    row = page.get_by_role("row").filter(has_text=AT_FAULT).first
    row.get_by_role("button", name="acknowledge").click()
    expect(row).to_contain_text("acknowledged by operator")
    assert serious(page) == []
    row.get_by_role("link").first.click()
    expect(page.get_by_role("heading", level=1)).to_contain_text(AT_FAULT)
    page.get_by_label("a comment").fill("the console was left open over lunch")
    page.get_by_role("button", name="comment").click()
    expect(page.get_by_label("Comments")).to_contain_text("over lunch")
    expect(page.get_by_label("Who was told")).to_contain_text("Tidewrack inbox: sent")
    assert serious(page) == []
    page.get_by_role("link", name="open its window").click()
    expect(page.get_by_role("heading", level=1)).to_contain_text(AT_FAULT)
    chain = page.get_by_role("list", name="chain of causes").get_by_role("listitem").last.inner_text()
    assert "idle in transaction" in chain
    page.go_back()
    page.get_by_role("button", name="make a case of it").click()
    expect(page.get_by_role("region", name="Evidence")).to_contain_text("idle in transaction")
    case = page.url.split("/cases/")[1].split("?")[0]
    wait_for_verdict(page, 1, "ended the console", "better")
    page.goto("/servers/1/leads/history")
    page.get_by_role("link", name="better").first.click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("Better: sessions that wait for locks")
    keep(page, "Nobody waits any more.")
    page.goto(f"/cases/{case}")
    with page.expect_download() as exported:
        page.get_by_role("link", name="export as a page").click()
    file = tmp_path / "case.html"
    exported.value.save_as(file)
    text, drawn = opened_from_disk(browser, file)
    for part in (AT_FAULT, "idle in transaction", "Better: sessions that wait for locks", "Nobody waits any more."):
        assert part in text, part
    assert drawn
    assert all(drawn)


def test_a_condition_is_made_tried_on_the_past_and_switched_off(page: Page) -> None:
    page.goto("/conditions")
    page.get_by_role("button", name="new condition").click()
    form = page.get_by_role("form", name="a new condition")
    form.get_by_label("name").fill("Very many blocked")
    form.get_by_label("level", exact=True).fill("0")
    form.get_by_role("button", name="save").click()
    expect(form).to_contain_text("the level is a positive number")
    form.get_by_label("level", exact=True).fill("20")
    form.get_by_role("button", name="save").click()
    expect(page.get_by_role("row").filter(has_text="Very many blocked")).to_contain_text(
        "20 sessions or more for 1 min"
    )
    page.get_by_role("button", name="try on two weeks: Very many blocked").click()
    tried = page.get_by_role("row").filter(has_text="Very many blocked")
    expect(tried).to_contain_text("would have fired")
    page.get_by_role("checkbox", name="Very many blocked is on").click()
    expect(tried).to_contain_text("not looked at")
    assert serious(page) == []
    (mine,) = [one for one in api(page, "/conditions") if one["name"] == "Very many blocked"]
    assert (mine["level"], mine["enabled"]) == (20.0, False)
    # for the next run on the same demo
    page.request.delete(f"/api/v1/conditions/{mine['id']}", headers={"X-CSRFToken": api(page, "/session")["csrf"]})
