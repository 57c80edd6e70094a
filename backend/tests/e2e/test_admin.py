"""What admins look after: people, the record, collectors, how a server is reached; and what a viewer does not see."""

import re
import time
from contextlib import suppress

import psycopg
from conftest import PASSWORD, URL, api, serious, server_id, sign_in
from faena.launch.installation import Installation
from faena.launch.places import trial_place
from patience import wait_for
from playwright.sync_api import Browser, Page, expect

MARK = "Zq7markZq7"


def test_a_person_is_added_and_it_stands_in_the_record(page: Page) -> None:
    name = f"night{int(time.time())}"
    page.get_by_role("link", name="People").click()
    form = page.get_by_role("form", name="Add a person")
    form.get_by_label("name").fill(name)
    form.get_by_label("first password").fill("short")
    form.get_by_role("button", name="add").click()
    expect(form.get_by_role("alert")).to_contain_text("at least 10 characters")
    form.get_by_label("first password").fill("a long night shift")
    form.get_by_label("role").select_option("operator")
    form.get_by_role("button", name="add").click()
    expect(form.get_by_role("status")).to_contain_text(f"{name} is added as operator")
    page.get_by_label(f"{name} may run statements on watched servers").click()  # it is ticked when the server says so
    row = page.get_by_role("row").filter(has_text=name)
    expect(row).to_contain_text("yes")
    row.get_by_role("button", name="switch off").click()
    expect(row.get_by_role("button", name="switch on")).to_be_visible()
    assert serious(page) == []
    page.get_by_role("link", name="Record").click()
    first = page.get_by_role("row").filter(has_text=name).first
    expect(first).to_contain_text("changed a person")
    expect(first).to_contain_text("disabled")
    assert serious(page) == []
    page.get_by_role("button", name="columns and files of Record").click()
    whole = page.get_by_role("link", name="the whole record as CSV")
    export = page.request.get(whole.get_attribute("href") or "")
    assert "a long night shift" not in export.text()
    assert name in export.text()


def test_whoever_is_added_for_a_group_finds_its_servers_and_no_other(page: Page, browser: Browser) -> None:
    name = f"quay{int(time.time())}"
    page.get_by_role("link", name="People").click()
    form = page.get_by_role("form", name="Add a person")
    form.get_by_label("name", exact=True).fill(name)
    form.get_by_label("first password").fill(PASSWORD)
    form.get_by_label("groups that the new person sees").fill("bookings")
    form.get_by_role("button", name="add").click()
    expect(form.get_by_role("status")).to_contain_text(f"{name} is added as viewer")
    context = browser.new_context(base_url=URL, viewport={"width": 1280, "height": 800})
    theirs = context.new_page()
    sign_in(theirs, name)
    expect(theirs.get_by_role("banner")).to_contain_text("only bookings")
    expect(theirs.get_by_role("row").filter(has_text="bookings-main")).to_be_visible()
    expect(theirs.get_by_role("row").filter(has_text="crew")).to_have_count(0)
    hidden = server_id(page, "crew")
    theirs.goto(f"/servers/{hidden}/load")
    expect(theirs.get_by_role("alert").first).to_contain_text(f"there is no server {hidden}")
    assert serious(theirs) == []
    context.close()


def test_the_collector_tells_of_its_queue_and_its_jobs(page: Page) -> None:
    page.get_by_role("link", name="Collectors").click()
    expect(page.get_by_role("heading", level=2)).to_contain_text("is well")
    expect(page.get_by_role("row").filter(has_text="bookings-primary")).to_contain_text("watching")
    expect(page.get_by_role("row").filter(has_text="readings of this machine")).to_contain_text("went well")
    assert serious(page) == []


def test_a_server_is_paused_and_watched_again(page: Page) -> None:
    page.goto("/servers/1/settings")
    page.get_by_role("button", name="pause the watching").click()
    again = page.get_by_role("button", name="watch it again")
    expect(again).to_be_visible()
    assert api(page, "/servers/1")["state"] == "paused"
    again.click()
    expect(page.get_by_role("button", name="pause the watching")).to_be_visible()
    wait_for(lambda: api(page, "/servers/1")["state"] == "watching", "it is watched again")
    page.get_by_role("button", name="change …").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("host", exact=True).fill("169.254.169.254")
    dialog.get_by_label("new password").fill("x")
    dialog.get_by_role("button", name="try it and save").click()
    expect(dialog.get_by_role("alert")).to_contain_text("where Faena may not connect to")


def test_a_viewer_sees_an_error_without_the_values_in_it(anyone: Page) -> None:
    ferry = Installation(trial_place()).ferry.environment("ferry")
    login = {
        "host": ferry["PGHOST"], "port": ferry["PGPORT"], "user": ferry["PGUSER"], "password": ferry["PGPASSWORD"],
        "dbname": "ferry", "application_name": "night-shift",
    }  # fmt: skip
    with suppress(psycopg.errors.InvalidTextRepresentation), psycopg.connect(**login, autocommit=True) as connection:
        connection.execute(f"SELECT '{MARK}'::int".encode())
    sign_in(anyone, "viewer")
    wait_for(
        lambda: any(one["program"] == "night-shift" for one in api(anyone, "/servers/1/events?last=600")["newest"]),
        "the error is read from the log",
    )  # fmt: skip
    anyone.goto("/servers/1/events?last=600")
    expect(anyone.get_by_text(re.compile("invalid input syntax for type integer: \\?")).first).to_be_visible()
    assert MARK not in anyone.content()
    anyone.goto("/servers/1/indexes?last=600")
    expect(anyone.get_by_role("alert")).to_contain_text("takes the role operator")
    for name in ("People", "Record", "Collectors"):
        expect(anyone.get_by_role("link", name=name, exact=True)).to_have_count(0)
