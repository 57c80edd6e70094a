"""Signing in, the window, the keyboard, the other screens, and what axe finds."""

from pathlib import Path

import pytest
from conftest import api, serious, sign_in
from playwright.sync_api import Page, expect


def test_a_wrong_password_is_said_and_a_deep_link_survives_signing_in(anyone: Page) -> None:
    anyone.goto("/servers/1/statements?last=300")
    anyone.get_by_label("name").fill("viewer")
    anyone.get_by_label("password").fill("not this")
    anyone.get_by_role("button", name="sign in").click()
    expect(anyone.get_by_role("alert")).to_contain_text("name or password is not right")
    anyone.get_by_label("password").fill("tidewrack-demo")
    anyone.get_by_role("button", name="sign in").click()
    expect(anyone.get_by_role("heading", level=1)).to_contain_text("Statements by execution time")
    assert anyone.url.endswith("/servers/1/statements?last=300")


def test_a_viewer_is_not_offered_what_an_admin_may_do(anyone: Page) -> None:
    sign_in(anyone, "viewer")
    expect(anyone.get_by_role("link", name="bookings-primary")).to_be_visible()
    expect(anyone.get_by_role("button", name="connect a server")).to_have_count(0)


def test_the_list_leads_to_the_load(page: Page) -> None:
    row = page.get_by_role("row").filter(has_text="bookings-primary")
    expect(row).to_contain_text("watched")
    expect(row).to_contain_text("PostgreSQL 15")
    page.get_by_role("link", name="bookings-primary").click()
    expect(page.get_by_role("figure", name="Waterline")).to_be_visible()


def test_keys_move_the_window_and_the_url_tells(page: Page) -> None:
    page.goto("/servers/1/load?last=300")
    page.get_by_role("figure").wait_for()
    page.keyboard.press("-")
    page.wait_for_url("**last=600*")
    page.keyboard.press("=")
    page.wait_for_url("**last=300*")
    page.keyboard.press("[")
    page.wait_for_url("**from=*")
    expect(page.get_by_role("button", name="follow now")).to_have_attribute("aria-pressed", "false")
    page.keyboard.press("0")
    page.wait_for_url("**last=300*")
    page.keyboard.press("?")
    expect(page.get_by_role("dialog")).to_contain_text("follow now")
    page.keyboard.press("Escape")
    page.keyboard.press("/")
    search = page.get_by_role("searchbox")
    search.fill("deck_slot")
    expect(page.get_by_role("dialog").get_by_role("listitem").first).to_contain_text("deck_slot")
    search.press("-")  # typed, not obeyed
    assert "last=300" in page.url


def test_brushing_the_waterline_picks_a_window_that_back_undoes(page: Page) -> None:
    page.goto("/servers/1/load?last=300")
    chart = page.locator("svg[data-chart]")
    chart.wait_for()
    box = chart.bounding_box()
    assert box
    page.mouse.move(box["x"] + box["width"] * 0.6, box["y"] + 80)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] * 0.8, box["y"] + 90, steps=4)
    page.mouse.up()
    page.wait_for_url("**from=*")
    page.go_back()
    page.wait_for_url("**last=300*")


def test_the_sieve_is_walked_and_picked_by_keyboard(page: Page) -> None:
    page.goto("/servers/1/load?last=900")
    first = page.locator("[data-column='0'][data-place='0']")
    first.focus()
    page.keyboard.press("ArrowRight")
    expect(page.locator("[data-column='1'][data-place='0']")).to_be_focused()
    page.keyboard.press("ArrowRight")
    page.keyboard.press("Enter")
    page.wait_for_url("**pick=program*")
    expect(page.get_by_label("Trail")).to_contain_text("program:")


def test_the_waterline_can_be_read_without_seeing_it(page: Page) -> None:
    page.goto("/servers/1/load?last=60")
    page.get_by_role("application").focus()
    page.keyboard.press("ArrowLeft")
    expect(page.locator("[aria-live=polite].sr-only").first).not_to_be_empty()
    page.get_by_role("button", name="Waterline: table, link, export").click()
    page.get_by_role("menuitem", name="as table").click()
    expect(page.get_by_role("columnheader", name="row and table locks")).to_be_visible()


def test_charts_are_saved_as_files(page: Page) -> None:
    page.goto("/servers/1/load?last=300")
    page.locator("path[data-layer]").first.wait_for()
    for entry, suffix, content in (("export SVG", ".svg", "<svg"), ("export CSV", ".csv", "running on CPU")):
        page.get_by_role("button", name="Waterline: table, link, export").click()
        with page.expect_download() as download:
            page.get_by_role("menuitem", name=entry).click()
        assert download.value.suggested_filename.endswith(suffix)
        assert content in Path(download.value.path()).read_text()


def test_raw_samples_stand_behind_the_figures(page: Page) -> None:
    page.goto("/servers/1/samples?last=300")
    rows = page.get_by_role("row")
    expect(rows.nth(1)).to_be_visible()
    shown = rows.count()
    page.get_by_role("button", name="columns and files of Raw samples").click()
    with page.expect_download() as download:
        page.get_by_role("link", name="all samples as JSON Lines").click()
    assert len(Path(download.value.path()).read_text().splitlines()) >= shown - 1


def test_a_statement_that_does_not_exist_is_said_so(page: Page) -> None:
    page.goto("/servers/1/statements/1234567?last=300")
    expect(page.get_by_role("alert")).to_contain_text("is not known here")


def test_connecting_a_server_shows_each_gap(page: Page) -> None:
    page.get_by_role("button", name="connect a server").click()
    dialog = page.get_by_role("dialog")
    for label, value in (("name on screen", "elsewhere"), ("host", "127.0.0.1"), ("port", "1"), ("password", "x")):
        dialog.get_by_label(label, exact=True).fill(value)
    dialog.get_by_role("button", name="try the connection").click()
    expect(dialog).to_contain_text("missing reachable")
    expect(dialog.get_by_role("button", name="connect", exact=True)).to_be_disabled()
    expect(dialog).to_contain_text("GRANT pg_read_all_stats")


@pytest.mark.parametrize(
    "path",
    [
        "/",
        "/servers/1/load?last=900",
        "/servers/2/load?last=7200&under=machine&compare=day",
        "/servers/1/statements?last=900",
        "/servers/1/samples?last=60",
        "/servers/2/machine?last=3600",
        "/groups/bookings",
        "/?figure=cpu&last=3600",
        "/servers/1/settings",
        "/servers/2/split?last=7200&against=day",
        "/servers/2/executions?last=7200",
        "/servers/1/indexes?last=900",
        "/servers/1/sessions",
        "/servers/2/blocking?last=259200",
        "/servers/2/deadlocks?last=864000",
        "/servers/1/events?last=3600",
        "/servers/1/endpoints?last=900",
        "/servers/1/calls?last=900",
        "/servers/2/leads?last=86400",
        "/servers/2/leads/history",
        "/servers/2/changes?last=864000",
        "/servers/2/compare?last=7200",
    ],
)
def test_axe_finds_nothing_serious(page: Page, path: str) -> None:
    page.goto(path, wait_until="networkidle")  # what is asked again is asked seconds later
    page.get_by_role("heading", level=1).wait_for()
    expect(page.locator("[aria-busy=true]")).to_have_count(0)
    assert serious(page) == []


def test_ten_twenty_four_wide_shows_everything(page: Page) -> None:
    page.set_viewport_size({"width": 1024, "height": 768})
    page.goto("/servers/1/load?last=900")
    page.get_by_role("figure").wait_for()
    assert page.evaluate("document.documentElement.scrollWidth <= window.innerWidth")


def test_a_window_of_many_words_leaves_the_way_back_to_now_in_its_place(page: Page) -> None:
    page.goto("/servers/2/changes?from=1790000000000&to=1790400000000")
    page.get_by_role("heading", level=1).wait_for()
    back, spans = (page.get_by_role("button", name=name).bounding_box() for name in ("follow now", "24 h"))
    assert back
    assert spans
    assert back["x"] + back["width"] <= spans["x"] + spans["width"] + 1


def test_figures_on_screen_are_those_of_the_api(page: Page) -> None:
    page.goto("/servers/1/load?last=300")
    page.get_by_role("heading", level=1).wait_for()
    page.keyboard.press("[")
    page.wait_for_url("**from=*")
    query = page.url.split("?")[1]
    sentence = api(page, f"/servers/1/load?{query}")["sentence"]
    expect(page.get_by_role("heading", level=1)).to_contain_text(sentence)


def test_a_trail_narrows_other_views_and_says_where_it_cannot(page: Page) -> None:
    page.goto("/servers/1/load?last=300")
    program = (
        page.get_by_role("region", name="Program", exact=True).get_by_role("button").filter(has_text="booking-web")
    )
    program.first.click()
    page.wait_for_url("**pick=program*")
    page.get_by_role("link", name="Sessions", exact=True).click()
    page.get_by_role("link", name="in this window").click()
    trail = page.get_by_role("navigation", name="Trail")
    expect(trail).to_contain_text("program: booking-web")
    expect(page.get_by_role("heading", level=1)).to_contain_text("of this window")
    cells = page.get_by_role("row").filter(has=page.get_by_role("link"))
    expect(cells.first).to_contain_text("booking-web")
    expect(cells.filter(has_text="gate-scan")).to_have_count(0)
    page.get_by_role("link", name="Statements", exact=True).click()
    expect(trail).to_contain_text("does not apply")
    page.get_by_role("button", name="remove program: booking-web").click()
    expect(trail).to_have_count(0)


def test_what_is_on_screen_is_asked_again_in_one_call(page: Page) -> None:
    page.goto("/servers/1/load?last=60")
    page.locator("svg[data-chart]").first.wait_for()
    page.wait_for_timeout(3000)
    asked: list[str] = []
    page.on("request", lambda request: asked.append(request.url) if "/api/" in request.url else None)
    with page.expect_request("**/api/v1/refresh") as told:
        pass
    assert len(told.value.post_data_json["asked"]) >= 2
    page.wait_for_timeout(10_000)
    alone = [url for url in asked if not url.endswith("/refresh")]
    assert len(alone) <= 2, alone
    assert 2 <= len(asked) - len(alone) <= 8
