"""From an expensive statement to its plan and its index: incidents of the past, and the live server's missing index."""

import re
import time

from conftest import api, serious, server_id, trouble
from faena.launch.installation import Installation
from faena.launch.places import trial_place
from past import BEFORE_PLAN_FLIP, CHATTY_DEPLOY, PLAN_FLIP, SINGLE_ROW_COMMITS, SPILL
from patience import wait_for
from playwright.sync_api import Page, expect


def test_a_plan_that_flipped_is_found_with_the_moment_it_did(page: Page) -> None:
    server = server_id(page, "bookings-main")
    page.goto(f"/servers/{server}/statements?{PLAN_FLIP.query()}")
    first = page.get_by_role("row").nth(1)
    expect(first).to_contain_text("FROM booking b WHERE b.customer_id")
    first.get_by_role("link").click()
    heading = page.get_by_role("heading", level=1)
    expect(heading).to_contain_text(re.compile(r"times its usual cost per call from .*11:0"))
    expect(heading).to_contain_text("when its plan changed")
    plans = page.get_by_role("region", name="Plans", exact=True)
    expect(plans).to_contain_text("its plan changed from Index Scan booking_customer_id_idx")
    page.get_by_label("Distribution").get_by_text("plan changed").first.wait_for()
    expect(page.get_by_role("region", name="Tables", exact=True)).to_contain_text("booking")
    page.get_by_role("button", name="compare the plans before and after").click()
    expect(heading).to_contain_text("times as long")
    expect(page.get_by_text("index booking_customer_id_idx became booking_pkey").first).to_be_visible()
    page.get_by_role("link", name="its statement").click()
    expect(page.get_by_role("region", name="Plans", exact=True)).to_be_visible()


def test_a_deploy_that_calls_more_is_told_from_dearer_calls(page: Page) -> None:
    server = server_id(page, "bookings-main")
    page.goto(f"/servers/{server}/statements?{CHATTY_DEPLOY.query()}")
    page.get_by_role("link", name="why it changed").click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("called more often")
    expect(page.get_by_role("table").last.get_by_role("row").nth(1)).to_contain_text("FROM deck_slot")
    split = api(page, f"/servers/{server}/split?{CHATTY_DEPLOY.query()}")
    assert (
        abs(split["before"] + split["volume"] + split["mix"] + split["cost"] - split["after"]) < 1e-6 * split["after"]
    )


def test_a_spill_is_ranked_and_its_executions_tell_how_much(page: Page) -> None:
    server = server_id(page, "warehouse")
    page.goto(f"/servers/{server}/statements?{SPILL.query()}&sort=temp_written")
    first = page.get_by_role("row").nth(1)
    expect(first).to_contain_text("fact_sailing")
    expect(first).to_contain_text("GiB")
    first.get_by_role("link").click()
    page.get_by_role("button", name="show them one by one").click()
    expect(page.get_by_role("table", name="Executions")).to_contain_text("nightly-report")
    expect(page.get_by_role("table", name="Executions")).to_contain_text("GiB")


def test_single_row_commits_stand_out_by_what_they_log(page: Page) -> None:
    server = server_id(page, "bookings-main")
    page.goto(f"/servers/{server}/statements?{SINGLE_ROW_COMMITS.query()}&sort=wal_bytes")
    first = page.get_by_role("row").nth(1)
    expect(first).to_contain_text("INSERT INTO gate_scan")
    first.get_by_role("link").click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("mostly waiting: WAL write at commit")


def test_conditions_stars_and_filters_narrow_the_ranking(page: Page) -> None:
    server = server_id(page, "bookings-main")
    page.goto(f"/servers/{server}/statements?last=86400")
    rows = page.get_by_role("row")
    expect(rows.nth(3)).to_be_visible()
    page.get_by_label("value of the condition").fill("1")
    page.get_by_role("button", name="add", exact=True).click()
    page.wait_for_url("**where=mean_ms*")
    expect(page.get_by_role("button", name="time per call >= 1 ms")).to_be_visible()
    expect(page.get_by_text("do not meet the conditions")).to_be_visible()
    page.get_by_label("name for this filter").fill("dear ones")
    page.get_by_label("name for this filter").press("Enter")
    page.get_by_role("button", name="time per call >= 1 ms").click()
    expect(page.get_by_text("do not meet the conditions")).to_be_hidden()
    page.get_by_role("button", name="saved filters").click()
    page.get_by_role("menuitem", name="dear ones", exact=True).click()
    expect(page.get_by_role("button", name="time per call >= 1 ms")).to_be_visible()
    rows.nth(1).get_by_role("button", name="star this statement").click()
    page.get_by_role("button", name="only the starred").click()
    expect(rows).to_have_count(2)
    rows.nth(1).get_by_role("button", name="remove the star").click()
    expect(page.get_by_text("Every statement that ended in this window")).to_be_visible()


def painted(page: Page) -> bool:
    """Whether the canvas of a chart holds anything in the colours of today's theme."""
    page.wait_for_timeout(500)  # it is painted in parts
    return bool(
        page.evaluate(
            """() => { const canvas = document.querySelector('canvas'); const { width, height } = canvas;
              return canvas.getContext('2d').getImageData(0, 0, width, height).data.some((part) => part > 0); }"""
        )
    )


def test_a_region_of_the_picture_says_whose_it_is_and_the_table_counts(page: Page) -> None:
    server = server_id(page, "bookings-main")
    page.goto(f"/servers/{server}/executions?last=86400")
    chart = page.get_by_role("application", name="Executions by duration")
    box = chart.bounding_box()
    assert box
    page.mouse.move(box["x"] + 60, box["y"] + 2)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] - 5, box["y"] + box["height"] / 2)
    page.mouse.up()
    page.get_by_role("button", name="show them one by one: the longest of these").click()
    expect(page.get_by_role("table", name="Executions, the longest of these")).to_be_visible()
    whose = page.get_by_label("Whose executions")
    expect(whose).to_contain_text(re.compile(r"\d.* in .* to "))
    page.get_by_role("button", name="all again").click()
    assert painted(page), "where there are many, cells are painted"
    # The ladder at the right picks a class of durations over the whole window, and lets it go.
    rung = page.locator("[data-rung]").last
    rung.click()
    page.wait_for_url("**region=*")
    expect(whose.get_by_role("button", name="all again")).to_be_visible()
    rung.click()
    expect(whose.get_by_role("button", name="all again")).to_have_count(0)
    tape = whose.get_by_role("link", name=re.compile("booking-web")).first
    assert re.search(r"/sessions/\d+\?", tape.get_attribute("href") or "")
    page.get_by_role("button", name="rows: program").click()
    page.get_by_role("option", name="statement").click()
    page.wait_for_url("**rows=statement*")
    table = page.get_by_label("Table of executions")
    expect(table.get_by_role("row").nth(1)).to_contain_text("SELECT")
    table.get_by_role("button", name="as chart").click()
    drawn = table.get_by_role("application", name="how many executions, by statement and duration")
    drawn.press("ArrowRight")
    expect(table.locator("figure [aria-live]")).to_contain_text("SELECT")
    table.get_by_role("button", name="as table").click()
    found = api(page, f"/servers/{server}/executions/pivot?last=86400&rows=program&columns=duration&aggregate=count")
    assert sum(cell or 0 for row in found["cells"] for cell in row) == found["total"]


def test_any_two_windows_are_compared_and_the_trail_narrows_why_it_changed(page: Page) -> None:
    server = server_id(page, "bookings-main")
    page.goto(f"/servers/{server}/split?{CHATTY_DEPLOY.query()}")
    page.get_by_role("button", name="compared with: the window before").click()
    page.get_by_role("option", name="another window").click()
    dialog = page.get_by_role("dialog", name="Compare with")
    dialog.get_by_role("button", name="show").click()
    page.wait_for_url("**against=window*")
    expect(page.get_by_role("heading", level=1)).to_contain_text("in the other window")
    page.goto(f"/servers/{server}/split?{CHATTY_DEPLOY.query()}&pick=tables:no+such+table")
    expect(page.get_by_role("navigation", name="Trail")).to_contain_text("no such table")
    expect(page.get_by_role("heading", level=1)).to_contain_text("Nothing ran in either window")


def proven_by_itself(page: Page) -> None:
    """The index is found as a change of the server, and what it did is told, though nobody asked."""

    def verdict() -> str:
        changes = api(page, "/servers/1/changes?last=600&kind=index_made")["changes"]
        mine = [one for one in changes if one["object"] == "by_hand"]
        return (mine[0]["verdict"] or {}).get("verdict", "") if mine else ""

    wait_for(lambda: verdict() == "better", "the verdict of the index", seconds=240)
    page.goto("/servers/1/changes?last=600&naming=by_hand")
    page.get_by_role("link", name="better").first.click()
    expect(page.get_by_role("heading", level=1)).to_contain_text(
        re.compile(r"Better, [\d ]+ times: (statements on booking|calls of “SELECT)")
    )
    page.goto("/servers/1/load?last=600")
    expect(page.get_by_role("button", name=re.compile("by_hand")).first).to_be_visible()  # on the rail
    expect(page.locator("[data-change]", has_text="by_hand").first).to_be_attached()  # on the chart's axis


def test_the_missing_index_of_the_live_server_is_proposed_and_pays(page: Page) -> None:
    ferry = Installation(trial_place()).ferry
    ferry.run_sql("DROP INDEX IF EXISTS by_hand", "ferry")  # of a run that was broken off
    with trouble("missing-index"):
        lookup = "/servers/1/statements?last=60&containing=reference%20%3D"
        wait_for(lambda: any(r["calls"] > 20 for r in api(page, lookup)["rows"]), "lookups that were counted")
        row = max(api(page, lookup)["rows"], key=lambda one: one["total_ms"])
        assert row["mean_ms"] > 20
        page.goto(f"/servers/1/statements/{row['query_id']}?last=300")
        page.get_by_role("button", name="ask the server for its plan").click()
        page.wait_for_url("**/plans/*")
        expect(page.get_by_text("Seq Scan").first).to_be_visible()
        proposals = page.get_by_label("Indexes for this plan")
        ddl = "CREATE INDEX CONCURRENTLY ON booking (reference);"
        expect(proposals).to_contain_text(ddl)
        page.goto("/servers/1/indexes?last=600")
        expect(page.get_by_role("heading", level=1)).to_contain_text("booking (reference)")
        # A look at the catalogue dates the index by up to a minute: only what came before that is held against it.
        before = f"/servers/1/statements/{row['query_id']}?last=300"
        wait_for(
            lambda: sum(one is not None for one in api(page, before)["per_call"]["total_ms"]) >= 8, "readings to compare with", seconds=180,
        )  # fmt: skip
        ferry.run_sql("CREATE INDEX CONCURRENTLY by_hand ON booking (reference)", "ferry")
        made = time.time()
        try:
            quick = f"/servers/1/statements/{row['query_id']}?last=40"

            def paid() -> bool:
                costs = [one for one in api(page, quick)["per_call"]["total_ms"] if one is not None]
                return bool(costs) and costs[-1] < row["mean_ms"] / 20

            wait_for(paid, "calls that use the index", seconds=90)
            # From when a reading of the counters lies behind that holds no call from before any more.
            # Three quarters of a minute hold two readings' spans whole, whatever the reading's beat; half a minute may not.
            after = f"from={(made + 16) * 1000:.0f}&to={(made + 61) * 1000:.0f}"

            def told() -> bool:
                covered = api(page, f"/servers/1/statements?{after}")["covered_ms"]
                return bool(covered > 29_000)

            wait_for(told, "counters of two readings after the index was made", seconds=90)
            page.goto(f"/servers/1/split?{after}")
            expect(page.get_by_role("heading", level=1)).to_contain_text("Time in statements")
            # Of the statement itself: how often it was called on the way is the demo's affair.
            found = api(page, f"/servers/1/split?{after}&query_id={row['query_id']}")
            assert found["cost"] < 0, found["sentence"]
            proven_by_itself(page)
        finally:
            ferry.run_sql("DROP INDEX by_hand", "ferry")


def test_calls_that_have_not_ended_are_told_beside_the_ranking(page: Page) -> None:
    with trouble("idle-console"):
        page.goto("/servers/1/statements?last=60")
        told = page.get_by_role("status").filter(has_text="Not in these figures")
        expect(told).to_contain_text("UPDATE deck_slot")
        told.get_by_role("link").first.click()
        expect(page.get_by_role("heading", level=1)).to_contain_text("mostly waiting: row and table locks")


def test_a_mark_on_the_rail_leads_to_what_it_tells(page: Page) -> None:
    server = server_id(page, "bookings-main")
    page.goto(f"/servers/{server}/load?{BEFORE_PLAN_FLIP.query()}")
    page.get_by_role("button", name=re.compile("switch of plan")).first.click()
    page.wait_for_url("**/statements/*")
    expect(page.get_by_role("heading", level=1)).to_contain_text("when its plan changed")


def test_the_tables_of_a_live_statement_come_with_their_indexes(page: Page) -> None:
    row = next(one for one in api(page, "/servers/1/statements?last=900")["rows"] if "FROM crew_roster" in one["label"])
    page.goto(f"/servers/1/statements/{row['query_id']}?last=900")
    tables = page.get_by_label("Tables", exact=True)
    expect(tables).to_contain_text("crew_roster_crew_id_idx")
    expect(tables).to_contain_text("(crew_id)")
    expect(tables).to_contain_text("MiB")


def test_axe_finds_nothing_serious_on_a_statement_and_its_plans(page: Page) -> None:
    server = server_id(page, "bookings-main")
    page.goto(f"/servers/{server}/statements?{PLAN_FLIP.query()}")
    page.get_by_role("row").nth(1).get_by_role("link").click()
    compare = page.get_by_role("button", name="compare the plans before and after")
    expect(page.get_by_label("Tables", exact=True)).to_contain_text("booking")
    page.get_by_role("button", name="show them one by one").click()
    expect(page.get_by_role("table", name="Executions")).to_be_visible()
    assert serious(page) == []
    compare.click()
    expect(page.get_by_role("table", name="Both plans, step by step")).to_be_visible()
    assert serious(page) == []
    page.get_by_role("link", name=re.compile("^First")).click()
    page.wait_for_url(re.compile(r"/plans/[^/]+\?"))
    expect(page.get_by_role("table", name="Ledger of the plan")).to_have_count(1)
    assert serious(page) == []
    page.get_by_role("link", name="another plan").click()
    expect(page.get_by_role("button", name="open the plan")).to_be_visible()
    assert serious(page) == []
