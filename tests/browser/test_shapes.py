"""Laps of other shapes than the demo's: long practice, sectors or times alone, wet and dry, guests; and work by keys
alone.
"""

from collections.abc import Callable
from uuid import UUID

from playwright.sync_api import Page, expect

from tests.browser.conftest import Desk, demo_row, told

Open = Callable[..., Page]
Check = Callable[[Page], None]


def segment_rows(driver: str, laps: int, **facts: str) -> list[str]:
    """Laps whose fourth segment is loose on every fifth."""
    rows = []
    for number in range(1, laps + 1):
        times = [2.7, 4.1, 6.2, 4.1 + (0.35 if number % 5 == 0 else 0.01 * (number % 3)), 3.7]
        told = ",".join(f"{time:.3f}" for time in (sum(times), *times))
        rows.append(f"{driver},{number},{facts.get('wetness', 'dry')},{told}")
    return rows


HEADER = "driver,lap,wetness,time,L0,T1,T2,T3,T4"


def test_long_practice_is_shown_in_pages_that_the_keys_turn(open_page: Open, accessible: Check, desk: Desk) -> None:
    page = open_page(desk.lay_out("Long Truck", "\n".join([HEADER, *segment_rows("Ysolde Farrand", 400)])))
    pages = page.locator(".pages")
    expect(pages).to_contain_text("laps 1 to 160 of 400")
    page.get_by_role("button", name="Later laps").click()
    expect(pages).to_contain_text("laps 161 to 320 of 400")
    grid = page.get_by_role("grid")
    grid.focus()
    page.keyboard.press("End")
    expect(pages).to_contain_text("laps 321 to 400 of 400")
    expect(page.locator(".readout")).to_contain_text("lap 400")
    page.keyboard.press("Home")
    page.keyboard.press("n")
    expect(page.locator(".readout")).to_contain_text("lap 5:")
    expect(page.locator(".readout")).to_contain_text("T3 Bramblegate: 4.450, +0.3")
    accessible(page)


def test_sectors_alone_are_woven_by_sectors_and_times_alone_say_what_would_help(
    open_page: Open, accessible: Check, desk: Desk
) -> None:
    rows = [f"Ysolde Farrand,{number},{20 + number % 4 / 10:.3f},21.000,22.000," for number in range(1, 13)]
    rows += [f"Corin Ashgrove,{number},,,,{64 + number / 10:.3f}" for number in range(1, 13)]
    page = open_page(desk.lay_out("Sector Truck", "\n".join(["driver,lap,S1,S2,S3,time", *rows])))
    page.get_by_role("button", name="Ysolde Farrand").click()
    expect(page.get_by_role("rowheader")).to_have_count(5)  # two drivers, three sectors
    expect(page.get_by_role("button", name="Segment ideal")).to_contain_text("Can't be told: no segment times")
    page.get_by_role("button", name="Corin Ashgrove").click()
    expect(page.get_by_text("Files with sector or segment times would show here")).to_be_visible()
    expect(page.get_by_role("row", name="Corin Ashgrove").get_by_role("cell").nth(3)).to_have_attribute(
        "title", "no sector times in these laps"
    )
    accessible(page)


def test_wet_and_dry_laps_are_groups_of_their_own(open_page: Open, accessible: Check, desk: Desk) -> None:
    wet = [row.replace(",", ",10", 1) for row in segment_rows("Ysolde Farrand", 7, wetness="wet")]  # laps 101 to 107
    page = open_page(desk.lay_out("Weather Truck", "\n".join([HEADER, *segment_rows("Ysolde Farrand", 12), *wet])))
    expect(page.get_by_role("button", name="practice, dry (12)")).to_have_attribute("aria-pressed", "true")
    page.get_by_role("button", name="practice, wet (7)").click()
    page.get_by_role("grid").focus()
    page.keyboard.press("Home")
    expect(page.locator(".readout")).to_contain_text("lap 101")
    accessible(page)


def test_one_lap_is_shown_without_a_figure_that_it_cannot_carry(open_page: Open, accessible: Check, desk: Desk) -> None:
    page = open_page(
        desk.lay_out("Single Truck", "driver,lap,time,S1,S2,S3\nYsolde Farrand,1,20.600,6.900,6.200,7.500\n")
    )
    cells = page.get_by_role("row", name="Ysolde Farrand").get_by_role("cell")
    expect(cells.nth(0)).to_have_text("1 of 1")
    expect(cells.nth(1)).to_have_text("20.600")
    expect(cells.nth(7)).to_contain_text("1 clean laps, 5 are needed")
    expect(page.get_by_role("row", name="Ysolde Farrand")).to_contain_text("thin")
    assert "NaN" not in page.locator("main").inner_text()
    accessible(page)


def test_a_whole_import_by_keys_alone(open_page: Open) -> None:
    page = open_page()
    laps = {
        "name": "keys.laps.csv",
        "mimeType": "text/csv",
        "buffer": b"driver,session,lap,time\nYsolde Farrand,keys,1,1:16.000\n",
    }
    # From the start: the browser needs a moment to hand its file dialogs over.
    page.on("filechooser", lambda chooser: chooser.set_files(laps))

    def tab_to(name: str) -> None:
        for _ in range(200):  # what other tests have laid out stands in the list too
            page.keyboard.press("Tab")
            if page.evaluate("document.activeElement.innerText").strip().startswith(name):
                return
        raise AssertionError(f"{name} can't be reached by Tab")

    expect(demo_row(page)).to_be_visible()
    tab_to("Port Skerrow, Fishmarket")
    page.keyboard.press("Enter")
    expect(page.get_by_role("grid")).to_be_visible()
    tab_to("Add laps")
    page.keyboard.press("Enter")
    tab_to("Choose lap files")
    page.keyboard.press("Enter")
    expect(page.get_by_text("1 new")).to_be_visible()
    tab_to("Import 1 lap")
    page.keyboard.press("Enter")
    told(page, "1 lap added")
    page.keyboard.press("?")
    expect(page.get_by_role("dialog")).to_contain_text("Go to a driver, week, combination, track, car, corner or run")
    page.keyboard.press("Escape")
    expect(page.get_by_role("dialog")).to_be_hidden()


def test_laps_added_since_the_look_ask_for_another_look(open_page: Open, desk: Desk) -> None:
    path = desk.lay_out("Shared Truck", "\n".join([HEADER, *segment_rows("Ysolde Farrand", 6)]))
    page = open_page(f"{path}/add-laps")
    page.locator("input[type=file]").set_input_files(
        {"name": "a.csv", "mimeType": "text/csv", "buffer": b"driver,session,lap,time\nYsolde Farrand,2,1,20.9\n"}
    )
    expect(page.get_by_text("1 new")).to_be_visible()
    desk.add_laps(UUID(path.rsplit("/", 1)[-1]), "b.csv", "driver,session,lap,time\nYsolde Farrand,3,1,20.8\n")
    page.get_by_role("button", name="Import 1 lap").click()
    expect(page.get_by_role("alert")).to_contain_text("changed since you looked")
    page.get_by_role("button", name="Import 1 lap").click()
    told(page, "1 lap added")


def test_a_server_that_does_not_answer_is_told_with_a_way_on(open_page: Open, accessible: Check) -> None:
    page = open_page()
    expect(demo_row(page)).to_be_visible()
    page.goto(page.url + "/new")
    expect(page.get_by_label("Name of the car")).to_be_visible()
    page.context.set_offline(True)
    page.locator("input[type=file]").set_input_files(
        {"name": "x.track.json", "mimeType": "application/json", "buffer": b"{}"}
    )
    told = page.get_by_role("alert").filter(has_text="The server does not answer")
    expect(told).to_have_count(2)
    expect(told.filter(has_text="every few seconds this page looks whether it is back")).to_be_visible()
    expect(page.get_by_role("alert").filter(has_not_text="The server does not answer")).to_have_count(0)
    accessible(page)
    page.context.set_offline(False)


def test_a_combination_that_is_gone_says_so(open_page: Open, accessible: Check) -> None:
    page = open_page("/combinations/01a21070-2265-7ddc-abed-48fc8abde1c6")
    expect(page.get_by_role("alert")).to_contain_text("This combination doesn't exist, or no longer does.")
    accessible(page)
