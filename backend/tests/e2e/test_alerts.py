"""From trouble to the inbox, and from the mail back to the very window; what is done about an alert, and by whom."""

import json
import time
import urllib.request
from pathlib import Path
from typing import Any

from conftest import api, serious, sign_in, trouble, wait_for
from faena.launch.places import trial_place
from playwright.sync_api import Page, expect

INBOX = f"http://127.0.0.1:{trial_place().services_port + 5}"
AT_FAULT = "A transaction left open by ops-console"


def items(kind: str, words: str, since: float) -> list[dict[str, Any]]:
    """What came into the inbox since then."""
    with urllib.request.urlopen(f"{INBOX}/items.json") as answer:
        found = json.loads(answer.read())
    return [
        one
        for one in found
        if one["kind"] == kind and words in one["what"] and float(one["name"].split("-")[0]) > since
    ]


def test_a_trouble_comes_as_a_mail_whose_link_opens_its_window(anyone: Page, tmp_path: Path) -> None:
    page, begun = anyone, time.time()
    sign_in(page, "operator")
    with trouble("idle-console"):
        wait_for(lambda: items("mail", AT_FAULT, begun), 180, "a mail of what is at fault")
        mail = items("mail", AT_FAULT, begun)[0]
        wait_for(lambda: items("webhook", AT_FAULT, begun), 30, "a call that bears our signature")
        page.goto(f"{INBOX}/mail/{mail['name']}")
        shown = page.frame_locator("iframe")
        expect(shown.get_by_text("Pid", exact=False).first).to_be_visible()
        expect(shown.get_by_role("img")).to_be_visible()
        link = shown.get_by_role("link", name="Look at it").get_attribute("href")
        assert link is not None
        page.goto(link)
        expect(page.get_by_role("heading", level=1)).to_contain_text(AT_FAULT, timeout=40_000)
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
    expect(page.get_by_role("heading", level=1)).to_contain_text(AT_FAULT, timeout=40_000)
    chain = page.get_by_role("list", name="chain of causes").get_by_role("listitem").last.inner_text()
    page.go_back()
    page.get_by_role("button", name="make a case of it").click()
    expect(page.get_by_role("region", name="Evidence")).to_contain_text("idle in transaction")
    assert "idle in transaction" in chain
    with page.expect_download() as exported:
        page.get_by_role("link", name="export as a page").click()
    file = tmp_path / "case.html"
    exported.value.save_as(file)
    assert AT_FAULT in file.read_text()


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
    expect(tried).to_contain_text("would have fired", timeout=60_000)
    page.get_by_role("checkbox", name="Very many blocked is on").click()
    expect(tried).to_contain_text("not looked at")
    assert serious(page) == []
    (mine,) = [one for one in api(page, "/conditions") if one["name"] == "Very many blocked"]
    assert (mine["level"], mine["enabled"]) == (20.0, False)
    # for the next run on the same demo
    page.request.delete(f"/api/v1/conditions/{mine['id']}", headers={"X-CSRFToken": api(page, "/session")["csrf"]})
