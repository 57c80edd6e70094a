"""Whoever has no pointer, a large zoom, a small window or paper gets as far as everybody else."""

import pytest
from conftest import PASSWORD, trouble
from playwright.sync_api import Page, expect

MOST_TABS = 120
SCREENS = [
    "/", "/servers/1/load?last=900", "/servers/2/load?last=7200&under=machine&compare=day", "/servers/1/statements?last=900",
    "/servers/2/machine?last=3600", "/groups/bookings", "/?figure=cpu&last=3600", "/servers/2/executions?last=7200", "/servers/1/sessions",
    "/servers/2/blocking?last=259200", "/servers/2/deadlocks?last=864000", "/servers/1/events?last=3600", "/collectors",
]  # fmt: skip


def tab_to(page: Page, selector: str) -> None:
    """Press Tab until what has the focus fits."""
    for _ in range(MOST_TABS):
        page.keyboard.press("Tab")
        if page.evaluate("selector => document.activeElement?.matches(selector) ?? false", selector):
            return
    raise AssertionError(f"Tab does not get to {selector}")


def test_from_sign_in_to_the_culprit_by_keys_alone(anyone: Page) -> None:
    page = anyone
    with trouble("idle-console"):
        page.goto("/")
        page.get_by_label("name").wait_for()
        if not page.evaluate("document.activeElement?.matches('input')"):
            tab_to(page, "input")
        page.keyboard.type("operator")
        tab_to(page, "input[type=password]")
        page.keyboard.type(PASSWORD)
        page.keyboard.press("Enter")
        page.get_by_role("heading", name="Servers").wait_for()
        tab_to(page, "main a[href^='/servers/1/']")
        page.keyboard.press("Enter")
        expect(page.get_by_role("heading", level=1)).to_contain_text("row and table locks")
        # The sieve is reached by Tab, walked with arrows; Enter narrows to who holds the lock.
        tab_to(page, "[data-column='0'][data-place='0']")
        for _ in range(3):
            page.keyboard.press("ArrowRight")
        page.keyboard.press("Enter")
        expect(page.get_by_role("navigation", name="Trail")).to_contain_text("held by: ")
        # Backspace takes the step back, and the keys are still on the page.
        page.keyboard.press("Backspace")
        expect(page.get_by_role("navigation", name="Trail")).not_to_contain_text("held by: ")
        assert page.evaluate("document.activeElement !== document.body")
        page.keyboard.press("g")
        page.keyboard.press("b")
        page.wait_for_url("**/blocking**")
        expect(page.get_by_role("heading", level=1)).to_contain_text("blocked by ops-console")


def test_a_window_is_drawn_with_the_keys(page: Page) -> None:
    page.goto("/servers/1/load?last=300")
    page.get_by_role("heading", level=1).wait_for()
    tab_to(page, "[role=application][aria-label^='Load over time']")
    page.keyboard.press("ArrowLeft")
    for _ in range(4):
        page.keyboard.press("Shift+ArrowLeft")
    page.keyboard.press("Enter")
    page.wait_for_url("**from=*")


@pytest.mark.parametrize("size", [(1024, 768), (640, 400)], ids=["1024 px", "zoom 200%"])
def test_a_small_window_has_everything_below_each_other(page: Page, size: tuple[int, int]) -> None:
    page.set_viewport_size({"width": size[0], "height": size[1]})
    for path in SCREENS:
        page.goto(path)
        page.locator("main h1, main h2").first.wait_for()
        assert page.evaluate("document.documentElement.scrollWidth <= window.innerWidth"), path
    page.goto("/servers/1/load?last=900")
    row = page.locator("[data-place='0']").first
    row.scroll_into_view_if_needed()
    box = row.bounding_box()
    assert box
    assert box["width"] >= 120, "a value and its figure can be read"


def test_a_page_is_printed_whole(page: Page) -> None:
    page.goto("/servers/2/executions?last=7200")
    page.get_by_role("table").first.wait_for()
    inside = page.evaluate("document.querySelector('main > * .pane, main .pane').scrollHeight")
    page.emulate_media(media="print")
    assert page.evaluate("document.documentElement.scrollHeight") >= inside
    assert not page.get_by_role("navigation", name="Places").is_visible()
