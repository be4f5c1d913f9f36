"""What every page offers: search by keys, undo from anywhere, background work, live changes, own settings, and a
backup.
"""

import re
import time
from collections.abc import Callable
from pathlib import Path
from uuid import UUID

import pytest
from playwright.sync_api import Page, expect

from fleet_rival.cli.backup import back_up, restore
from fleet_rival.services.people import rigs
from fleet_rival.simulator.rig import Rig, Wishes
from tests.browser.conftest import Desk, demo_row, open_demo, open_search, told, turn_to
from tests.browser.test_shapes import HEADER, segment_rows
from tests.conftest import example

Open = Callable[..., Page]
Check = Callable[..., None]


def test_any_driver_combination_corner_or_run_is_reached_by_keys_alone(open_page: Open, accessible: Check) -> None:
    page = open_page()
    expect(demo_row(page)).to_be_visible()

    def go(words: str, kind: str, downs: int = 0) -> None:
        open_search(page)
        page.keyboard.type(words)
        expect(page.locator("#found-list .kind").first).to_have_text(kind)
        for _ in range(downs):
            page.keyboard.press("ArrowDown")
        page.keyboard.press("Enter")
        expect(page.get_by_role("dialog")).to_be_hidden()

    go("ballast wrenfield fishmarket", "Corners")
    expect(page.locator(".readout")).to_contain_text("T8 Ballast Quay")
    go("ysolde farr", "Drivers")
    expect(page.get_by_role("region", name=re.compile("Where the time goes: Ysolde Farrand"))).to_be_visible()
    go("ysolde run 2 fishmarket wrenfield", "Runs")
    expect(page.locator(".readout")).to_contain_text("run 2, lap")
    go("black oval", "Combinations")
    expect(page.get_by_role("heading", name="Gantry Pit, Black Oval")).to_be_visible()
    open_search(page)
    page.keyboard.type("zzz")
    told(page, "Nothing here holds “zzz”")
    page.get_by_role("combobox", name="Go to").fill("ysolde")
    expect(page.locator("#found-0")).to_contain_text("Ysolde Farrand")
    accessible(page)
    page.keyboard.press("Escape")
    expect(page.get_by_role("dialog")).to_be_hidden()


def test_a_driver_finds_the_own_runs_alone(open_page: Open) -> None:
    page = open_page(who="driver")
    expect(demo_row(page)).to_be_visible()
    open_search(page)
    page.keyboard.type("run 1")
    expect(page.locator("#found-0")).to_contain_text("Ysolde Farrand")
    assert all("Ysolde Farrand" in text for text in page.locator("#found-list [role=option]").all_inner_texts())


def test_steps_are_taken_back_and_done_again_from_anywhere_but_not_while_one_types(
    open_page: Open, accessible: Check, desk: Desk
) -> None:
    page = open_page(desk.lay_out("Undone Truck"))
    for note in ("first", "second"):
        page.get_by_role("button", name="Note and settings").click()
        page.get_by_role("textbox", name="Note").fill(note)
        page.keyboard.press("Control+z")  # in a text field it is the field's own
        page.get_by_role("textbox", name="Note").fill(note)
        page.get_by_role("button", name="Keep").click()
        expect(page.get_by_role("dialog")).to_be_hidden()
        expect(page.locator(".note-text")).to_have_text(note)
    page.get_by_role("link", name="Week").click()
    page.keyboard.press("Control+z")
    told(page, "Took back: Changed Undone Truck")
    page.keyboard.press("Control+z")
    page.go_back()
    expect(page.get_by_role("heading", name=re.compile("Black Cinder|Oval|,")).first).to_be_visible()
    expect(page.locator(".note-text")).to_have_count(0)
    page.get_by_role("button", name="Do it again").first.click()
    expect(page.locator(".note-text")).to_have_text("first")
    page.keyboard.press("Control+y")
    expect(page.locator(".note-text")).to_have_text("second")
    page.get_by_role("button", name="History").click()
    dialog = page.get_by_role("dialog")
    expect(dialog.get_by_role("listitem")).to_have_count(7)  # added, two changes, two taken back, two done again
    dialog.get_by_role("button", name=re.compile("^Changed Undone Truck")).first.click()
    expect(dialog.get_by_text("note: first → second")).to_be_visible()
    accessible(page)


def test_an_import_waits_for_a_worker_is_cancelled_and_tried_again(
    open_page: Open, accessible: Check, desk: Desk
) -> None:
    path = desk.lay_out("Patient Truck")
    page = open_page(f"{path}/add-laps")
    page.locator("input[type=file]").set_input_files(
        {
            "name": "patient.laps.csv",
            "mimeType": "text/csv",
            "buffer": "\n".join([HEADER, *segment_rows("Ysolde Farrand", 60)]).encode(),
        }
    )
    expect(page.get_by_text("60 new")).to_be_visible()
    desk.whole.worker.stop()
    try:
        page.get_by_role("button", name="Import 60 laps").click()
        told(page, "waits its turn")
        accessible(page)
        page.get_by_role("button", name=re.compile("Cancel.*Import of patient")).click()
        expect(page.get_by_role("alert")).to_contain_text("cancelled; nothing of it is kept")
        page.goto(f"{desk.whole.address}/jobs")
        row = page.get_by_role("row", name="Import of patient.laps.csv")
        expect(row).to_contain_text("cancelled")
        row.get_by_role("button", name="Try again").click()
        expect(row).to_contain_text("waits its turn")
        expect(page.get_by_role("link", name="1 at work")).to_be_visible()
        accessible(page)
    finally:
        desk.whole.worker.start()
    expect(row).to_contain_text("60 laps added", timeout=60_000)
    row.get_by_role("link", name="Import of patient.laps.csv").click()
    expect(page.get_by_text("60 laps of 1 driver")).to_be_visible()


def test_a_large_file_is_looked_at_and_imported_in_the_background(open_page: Open, desk: Desk) -> None:
    path = desk.lay_out("Large Truck")
    page = open_page(f"{path}/add-laps")
    rows = "\n".join([HEADER, *segment_rows("Ysolde Farrand", 3000), *segment_rows("Corin Ashgrove", 3000)])
    page.locator("input[type=file]").set_input_files(
        {"name": "large.laps.csv", "mimeType": "text/csv", "buffer": rows.encode()}
    )
    expect(page.get_by_text("6,000 new").or_(page.get_by_text("6000 new"))).to_be_visible(timeout=60_000)
    page.get_by_role("button", name=re.compile("Import 6,?000 laps")).click()
    expect(page.get_by_role("status").filter(has_text=re.compile("6,?000 laps added"))).to_be_visible(timeout=60_000)
    # The whole of it is taken back, which is work for the background too.
    page.keyboard.press("Control+z")
    expect(page.get_by_text("Took back: Imported large.laps.csv")).to_be_visible(timeout=60_000)
    page.goto(f"{desk.whole.address}{path}")
    expect(page.get_by_role("heading", name="No laps yet")).to_be_visible()


def test_laps_of_a_rig_appear_while_somebody_looks(open_page: Open, desk: Desk) -> None:
    token = rigs.make_rig_token(desk.whole.sessions, desk.actor("manager"), "Test rig")[1]
    page = open_page()
    listed = page.locator("tbody tr td.number:nth-last-child(2)")
    expect(demo_row(page)).to_be_visible()
    before = listed.all_inner_texts()
    list(Rig(desk.whole.address, token).drive("Ilmar Soosaar", Wishes(2, 10_000, rate_hz=0)))
    expect(listed).not_to_have_text(before)  # without reloading
    page.goto(f"{desk.whole.address}/history")
    expect(page.get_by_text(re.compile("^rig Test rig")).first).to_be_visible()
    page.get_by_role("button", name=re.compile("Take back.*Laps of Ilmar Soosaar")).first.click()
    told(page, "Took back: Laps of Ilmar Soosaar")
    page.get_by_role("link", name="Week").click()
    expect(demo_row(page)).to_be_visible()
    expect(listed).to_have_text(before)


def test_laps_that_come_in_leave_the_reader_where_they_read(open_page: Open, desk: Desk) -> None:
    path = desk.lay_out("Read Truck", "\n".join([HEADER, *segment_rows("Ysolde Farrand", 12)]))
    page = open_page(path)
    page.get_by_role("grid").focus()
    page.keyboard.press("End")
    page.keyboard.press("ArrowUp")
    expect(page.locator(".readout")).to_contain_text("lap 12:")
    more = segment_rows("Ysolde Farrand", 14)[12:]
    desk.add_laps(UUID(path.rsplit("/", 1)[-1]), "more.csv", "\n".join([HEADER, *more]))
    expect(page.get_by_text("14 laps of 1 driver")).to_be_visible()
    expect(page.locator("[data-lap='13'][data-part='0']")).to_be_visible()
    expect(page.locator(".readout")).to_contain_text("lap 12:")
    page.keyboard.press("ArrowRight")
    expect(page.locator(".readout")).to_contain_text("lap 13:")


def test_what_others_change_appears_after_a_break_of_the_stream(open_page: Open, desk: Desk) -> None:
    path = desk.lay_out("Broken Off Truck", "\n".join([HEADER, *segment_rows("Ysolde Farrand", 6)]))
    page = open_page(path)
    expect(page.get_by_text("6 laps of 1 driver")).to_be_visible()
    desk.whole.server.stop()
    desk.add_laps(UUID(path.rsplit("/", 1)[-1]), "meanwhile.csv", "driver,session,lap,time\nYsolde Farrand,2,1,20.9\n")
    desk.whole.server.start()
    desk.whole.server.wait()
    expect(page.get_by_text("7 laps of 1 driver")).to_be_visible(timeout=40_000)


def test_own_settings_hold_in_every_browser(open_page: Open, accessible: Check) -> None:
    page = open_page("/account", who="driver")
    for choice in ("Lamplight", "With room", "mph and miles", "°F"):
        page.get_by_label(choice, exact=True).check()
    page.get_by_role("combobox", name="Time zone").fill("Pacific/Auckland")
    page.get_by_role("option", name="Pacific/Auckland").click()
    told(page, "Kept.")
    expect(page.get_by_text("Keeping …")).to_have_count(0)
    accessible(page)
    other = open_page(who="driver")
    expect(demo_row(other)).to_contain_text("1.299 mi")
    assert other.locator("html").get_attribute("data-density") == "roomy"
    assert other.evaluate("getComputedStyle(document.body).backgroundColor") == "rgb(29, 32, 37)"
    open_demo(other)
    expect(other.locator(".readout")).to_contain_text("°F")
    for choice in ("As the device", "Close together", "km/h and km", "°C"):
        page.get_by_label(choice, exact=True).check()
    page.get_by_role("button", name="Clear").first.click()


def test_a_backup_brings_back_what_was_there(open_page: Open, desk: Desk, tmp_path: Path) -> None:
    path = desk.lay_out("Kept Truck", example("dirty/practice.plain.laps.csv").decode())
    page = open_page(path)
    expect(page.get_by_text(re.compile("^Kept Truck · 72 laps"))).to_be_visible()
    assert back_up(desk.whole.database, tmp_path / "all.backup.zip") > 3000
    page.keyboard.press("Control+z")
    expect(page.get_by_role("heading", name="No laps yet")).to_be_visible()
    desk.whole.server.stop()
    desk.whole.worker.stop()
    restore(desk.whole.database, tmp_path / "all.backup.zip")
    desk.whole.worker.start()
    desk.whole.server.start()
    desk.whole.server.wait()
    page.reload()
    expect(page.get_by_text(re.compile("^Kept Truck · 72 laps"))).to_be_visible()
    expect(page.get_by_role("row", name="Keziah Umberlin")).to_be_visible()


def test_on_paper_stands_what_was_found_and_no_control(open_page: Open) -> None:
    page = open_page()
    open_demo(page)
    page.emulate_media(media="print")
    expect(page.get_by_role("heading", name="Port Skerrow, Fishmarket")).to_be_visible()
    expect(page.get_by_role("grid")).to_be_visible()
    for gone in (page.get_by_role("navigation"), page.get_by_role("link", name="Add laps"), page.locator(".person")):
        expect(gone).to_be_hidden()
    expect(page.locator("body")).to_have_css("background-color", "rgb(255, 255, 255)")


@pytest.mark.parametrize(
    ("scheme", "width"), [("light", 1280), ("dark", 390)]
)  # colours and widths don't bear on each other
def test_every_view_is_accessible_and_fits(open_page: Open, accessible: Check, scheme: str, width: int) -> None:
    page = open_page(color_scheme=scheme, viewport={"width": width, "height": 800})

    def look(within: str = "document") -> None:
        expect(page.locator(".skeleton")).to_have_count(0)
        accessible(page, within)
        assert page.evaluate("document.documentElement.scrollWidth <= window.innerWidth"), page.url

    expect(demo_row(page)).to_be_visible()
    look()
    open_demo(page)
    look()
    for name in ("Note and settings", "Target", "Sessions", "History", "Share"):
        page.get_by_role("button", name=name, exact=True).click()
        expect(page.get_by_role("dialog")).to_be_visible()
        time.sleep(0.3)
        look("'.v-overlay--active'")
        page.keyboard.press("Escape")
        expect(page.get_by_role("dialog")).to_be_hidden()
    page.keyboard.press("?")
    expect(page.get_by_role("dialog")).to_contain_text("In the strip")
    look("'.v-overlay--active'")
    page.keyboard.press("Escape")
    page.locator(".person").click()
    expect(page.get_by_text("Sign out")).to_be_visible()
    time.sleep(0.3)
    look("'#person-panel'")
    page.keyboard.press("Escape")
    page.get_by_role("link", name="Add laps", exact=True).click()
    expect(page.get_by_role("heading", name="Files so far")).to_be_visible()
    look()
    for path, title, link, heading in (
        ("/", None, None, "Needs you"),
        ("/seasons", "Seasons", "Port Skerrow, Ebb Tide", "What do we know?"),
        ("/cars", "Cars", "Halvane P7", "How it is"),
        ("/team", "Team", "Corin Ashgrove", "How they drive and see"),
    ):
        turn_to(page, path)
        if link:
            # The page before stands until this one has come, and has links and buttons of the same names.
            expect(page.get_by_role("heading", level=1)).to_have_text(title)
            if path == "/seasons":
                page.get_by_role("button", name=re.compile("Harbour Spark Cup")).click()
            expect(page.get_by_role("link", name=link).first).to_be_visible()
            look()
            page.get_by_role("link", name=link).first.click()
        expect(page.get_by_role("heading", name=heading)).to_be_visible()
        look()
    turn_to(page, "/tracks")
    expect(page.get_by_role("link", name="Great Round")).to_be_visible()
    look()
    for link, heading in (
        ("Fishmarket", "From above"),
        ("Corners", "What one goes by"),
        ("Reading card", "A lap as a script"),
        ("Boundaries", "What it does to laps"),
    ):
        page.get_by_role("link", name=link, exact=True).click()
        expect(page.get_by_role("heading", name=heading)).to_be_visible()
        look()
    for path, heading in (
        ("/combinations/new", "New combination"),
        ("/people", "In the team"),
        ("/history", "History"),
        ("/jobs", "Background work"),
        ("/account", "Your account"),
        ("/nowhere", "Nothing here"),
    ):
        turn_to(page, path)
        expect(page.get_by_role("heading", name=heading)).to_be_visible()
        look()
    gate = open_page("/sign-in", who=None, color_scheme=scheme, viewport={"width": width, "height": 800})
    expect(gate.get_by_role("heading", name="Sign in")).to_be_visible()
    accessible(gate)
