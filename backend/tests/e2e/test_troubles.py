"""With a real trouble on, the load view points to the right wait kind, statement and program within 15 seconds."""

import pytest
from conftest import SOON_MS, trouble
from playwright.sync_api import Page, expect

CASES = [
    (
        "idle-console",
        "Waiting: row and table locks",
        "Lock: transactionid",
        "UPDATE deck_slot",
        "UPDATE deck_slot",
        "booking-web",
    ),
    (
        "missing-index",
        "Running:",
        "running, no wait",
        "SELECT id, sailing_id, state FROM booking",
        "SELECT",
        "gate-scan",
    ),
    (
        "tiny-commits",
        "Waiting: WAL write at commit",
        "LWLock: WALWrite",
        "INSERT INTO gate_telemetry",
        "INSERT INTO gate_telemetry",
        "gate-scan",
    ),
    (
        "cross-join",
        "Running:",
        "running, no wait",
        "SELECT count(*) FROM fare f, sailing s, route r",
        "SELECT count(*) FROM fare",
        "fare-engine",
    ),
]


@pytest.mark.parametrize(
    ("name", "sentence", "wait", "statement", "label", "program"), CASES, ids=[c[0] for c in CASES]
)
def test_a_trouble_is_found(
    page: Page, name: str, sentence: str, wait: str, statement: str, label: str, program: str
) -> None:
    page.goto("/servers/1/load?last=10")
    page.get_by_role("heading", level=1).wait_for()
    with trouble(name):
        # All four at once on the same screen, each as the first of its column.
        expect(page.get_by_role("heading", level=1)).to_contain_text(sentence, timeout=SOON_MS)
        first = {
            column: page.get_by_role("region", name=column, exact=True).get_by_role("listitem").first
            for column in ("Wait event", "Statement", "Program", "Held by")
        }
        expect(first["Wait event"]).to_contain_text(wait, timeout=SOON_MS)
        expect(first["Statement"]).to_contain_text(label, timeout=SOON_MS)
        expect(first["Statement"].get_by_role("button").first).to_have_attribute(
            "title", lambda_text(statement), timeout=SOON_MS
        )
        expect(first["Program"]).to_contain_text(program, timeout=SOON_MS)
        if name == "idle-console":
            expect(first["Held by"]).to_contain_text("ops-console")
    page.wait_for_timeout(4000)  # let the trouble drain before the next one starts


def lambda_text(statement: str) -> object:
    """The whole statement stands in the title, whatever is cut off on screen."""
    import re

    return re.compile(re.escape(statement))


def test_from_the_complaint_to_the_statement_and_back(page: Page) -> None:
    """Narrow to the lock waits, explain them, open the statement, return: the window and the trail stay."""
    page.goto("/servers/1/load?last=60")
    with trouble("idle-console"):
        waits = page.get_by_role("region", name="Wait event", exact=True)
        waits.get_by_role("button", name="Lock: transactionid").first.click(timeout=SOON_MS)
        expect(page.get_by_label("What this wait means")).to_contain_text("Waits until another transaction ends")
        trail = page.get_by_label("Trail")
        expect(trail).to_contain_text("wait event: Lock: transactionid")
        assert "pick=wait%3ALock%3Atransactionid" in page.url
        row = page.get_by_role("region", name="Statement", exact=True).get_by_role("listitem").first
        row.hover()
        row.get_by_role("button", name="open").click()
        expect(page.locator("pre").first).to_contain_text("UPDATE deck_slot SET held_until")
        expect(page.get_by_role("heading", level=1)).to_contain_text("mostly waiting: row and table locks")
        link = page.url
        page.go_back()
        expect(trail).to_contain_text("Lock: transactionid")
        page.keyboard.press("Backspace")
        expect(trail).to_contain_text("all load")
        expect(trail).not_to_contain_text("transactionid")
        page.goto(link)
        expect(page.locator("pre").first).to_contain_text("UPDATE deck_slot")


def test_the_report_that_spills_is_told_in_what_is_written(page: Page) -> None:
    page.goto("/servers/1/load?last=30")
    with trouble("report-spill"):
        page.get_by_role("button", name="rank the sieve by").click()
        page.get_by_role("option", name="bytes written").click()
        page.mouse.move(5, 5)  # figures are held for as long as the pointer rests on them
        programs = page.get_by_role("region", name="Program", exact=True).get_by_role("listitem")
        expect(programs.filter(has_text="nightly-report")).to_contain_text("iB/s", timeout=3 * SOON_MS)
