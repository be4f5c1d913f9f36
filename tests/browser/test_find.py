"""Find in a real browser: from the board to a driver's pace, to the laps behind it and back, and every picture
follows a mark.
"""

import json
import re
from collections.abc import Callable
from datetime import timedelta
from pathlib import Path

from playwright.sync_api import Page, expect

from fleet_rival.clock import now
from fleet_rival.services.week import combinations as week
from tests.browser.conftest import Desk
from tests.browser.test_drive import laps

Open = Callable[..., Page]
Check = Callable[..., None]
PUSH = [24.0, 20.9, *(20.4 + 0.06 * at for at in range(10))]
SAVE = [24.0, 20.9, *(20.6 + 0.005 * at for at in range(10))]


def paced(desk: Desk, car: str) -> str:
    """A combination with two runs of one driver: one pushed, one saved."""
    monday, tuesday = now() - timedelta(hours=30), now() - timedelta(hours=6)
    path = desk.lay_out(car, laps("Ysolde Farrand", "Monday", PUSH, monday, options="lap=push", setup="base"))
    desk.add_laps(
        path.rsplit("/", 1)[1],
        "t.csv",
        laps("Ysolde Farrand", "Tuesday", SAVE, tuesday, options="lap=save", setup="base"),
    )
    return path


def test_a_figure_is_followed_to_its_laps_and_back_and_an_excluded_lap_is_gone_from_every_picture(
    open_page: Open, accessible: Check, desk: Desk
) -> None:
    page = open_page(paced(desk, "Pace Truck"))
    page.get_by_role("link", name="Pace, consistency and options of Ysolde Farrand").click()
    alike = page.get_by_role("region", name="How alike the laps are")
    expect(
        alike.get_by_role("img", name=re.compile("22 flying laps of Ysolde Farrand, 20 of them clean"))
    ).to_be_visible()
    expect(page.get_by_text("Likely: 20 clean laps; 10 more make it firm.")).to_be_visible()
    over = page.get_by_role("region", name="Pace over a run")
    expect(over).to_contain_text("told by 20 laps in 2 runs")
    expect(over.get_by_text(re.compile("save gets ahead of push on lap"))).to_be_visible()
    over.get_by_label(re.compile("^over")).fill("40")
    expect(over.get_by_text(re.compile("Over 40 laps save is .* ahead of push"))).to_be_visible()
    options = page.get_by_role("region", name="Options that were tried")
    expect(options).to_contain_text("order and option can't be told apart")
    accessible(page)
    # To the laps behind it: one of them had a tow.
    alike.get_by_role("link", name="session Monday, run 1").click()
    page.get_by_label("Lap 6", exact=True).focus()
    page.keyboard.press("x")
    expect(page.get_by_role("row").filter(has=page.get_by_label("Lap 6", exact=True))).to_contain_text("no")
    page.go_back()
    expect(
        alike.get_by_role("img", name=re.compile("22 flying laps of Ysolde Farrand, 19 of them clean"))
    ).to_be_visible()
    expect(alike.get_by_role("row").filter(has_text="session Monday, run 1")).to_contain_text("9 of 11")
    expect(alike).to_contain_text("19 of")
    expect(page.get_by_text("Likely: 19 clean laps; 11 more make it firm.")).to_be_visible()
    # And back to where it came from.
    page.get_by_role("link", name=re.compile("Pace Truck")).first.click()
    expect(page.get_by_role("heading", name=re.compile("From best lap to the ideals: Ysolde Farrand"))).to_be_visible()


def test_what_does_not_count_is_counted_along_and_figures_are_taken_along(
    open_page: Open, accessible: Check, desk: Desk
) -> None:
    page = open_page(paced(desk, "Taken Along Truck"))
    row = page.get_by_role("row", name="Ysolde Farrand")
    expect(row).to_contain_text("20 of 22")
    page.get_by_label("cold laps (2)").check()
    expect(row).to_contain_text("22 of 22")
    expect(page.get_by_role("heading", name=re.compile("From best lap to the ideals"))).to_contain_text(
        "with cold laps"
    )
    page.get_by_role("link", name="Pace, consistency and options of Ysolde Farrand").click()
    for heading in (
        "How alike the laps are",
        "Pace over a run",
        "What is likely, and what is left to learn",
        "Options that were tried",
    ):
        expect(page.get_by_role("heading", name=re.compile(f"^{heading}"))).to_contain_text("with cold laps")
    expect(page.get_by_text("Likely: 22 clean laps; 8 more make it firm.")).to_be_visible()
    page.get_by_role("button", name="Share", exact=True).click()
    page.get_by_role("button", name="As text for a chat").click()
    text = page.get_by_label("Text for a chat")
    expect(text).to_have_value(re.compile("Ysolde Farrand.*Counted along here: cold laps", re.DOTALL))
    assert len(text.input_value().strip().splitlines()) <= 15
    accessible(page, "'.v-overlay--active'")
    taken = {}
    for name in ("CSV of Pace and consistency", "JSON of Pace and consistency", "PDF"):
        with page.expect_download() as download:
            page.get_by_role("link", name=name, exact=True).click()
        taken[name] = Path(download.value.path()).read_bytes()
    assert json.loads(taken["JSON of Pace and consistency"])["figures"]["laps"]["clean"] == 22
    assert b",figures,,laps.clean,22\r\n" in taken["CSV of Pace and consistency"] and taken["PDF"].startswith(b"%PDF-")
    page.keyboard.press("Escape")
    expect(page.get_by_role("dialog")).to_be_hidden()
    pictures = page.get_by_role("group", name="Picture: laps and trends, Ysolde Farrand")
    for form, begins in (("SVG", b"<svg"), ("PNG", b"\x89PNG")):
        with page.expect_download() as download:
            pictures.get_by_role("button", name=form).click()
        assert Path(download.value.path()).read_bytes().startswith(
            begins
        ) and download.value.suggested_filename.endswith(form.lower())


def test_a_lap_that_comes_in_is_there_at_once(open_page: Open, desk: Desk) -> None:
    path = paced(desk, "Coming Truck")
    page = open_page(path)
    page.get_by_role("link", name="Pace, consistency and options of Ysolde Farrand").click()
    expect(page.get_by_role("img", name=re.compile("22 flying laps"))).to_be_visible()
    desk.add_laps(
        path.rsplit("/", 1)[1],
        "w.csv",
        laps("Ysolde Farrand", "Wednesday", [24.0, 20.9, 20.5], now() - timedelta(hours=1)),
    )
    expect(page.get_by_role("img", name=re.compile("24 flying laps"))).to_be_visible()


def test_where_every_thousandth_went_is_told_lap_by_lap_and_driver_by_driver(
    open_page: Open, accessible: Check, desk: Desk
) -> None:
    page = open_page(paced(desk, "Booked Truck"))
    page.get_by_role("link", name="Pace, consistency and options of Ysolde Farrand").click()
    page.get_by_role("link", name="Where every thousandth went").click()
    expect(page.get_by_role("heading", name="Ysolde Farrand: where every thousandth went")).to_be_visible()
    average = page.get_by_role("region", name="The average lap")
    expect(average).to_contain_text(re.compile(r"On average over 22 flying laps: .* own good lap"))
    expect(average.get_by_role("img")).to_be_visible()
    by_lap = page.get_by_role("region", name="Lap by lap")
    expect(by_lap.get_by_role("combobox").locator("option:checked")).to_contain_text("session Tuesday, run 1, base (11")
    expect(by_lap.get_by_role("row")).to_have_count(12)
    accessible(page)
    by_lap.get_by_role("combobox").select_option(label="session Monday, run 1, base (11 laps)")
    expect(by_lap.get_by_role("row").nth(1)).to_contain_text(re.compile(r"^\s*2"))
    with page.expect_download() as taken:
        page.get_by_role("link", name="CSV").click()
    assert len(taken.value.path().read_text().splitlines()) == 23
    # From the run there is a way here, to the laps of that run.
    by_lap.get_by_role("link", name="Run sheet").click()
    page.get_by_text("Where the laps of this run went").click()
    expect(page.get_by_role("img", name=re.compile("What 11 laps of this run are slower"))).to_be_visible()
    page.get_by_role("link", name="Where every thousandth went").first.click()
    expect(by_lap.get_by_role("combobox").locator("option:checked")).to_contain_text("session Monday")
    page.reload()
    expect(by_lap.get_by_role("combobox").locator("option:checked")).to_contain_text("session Monday")
    page.set_viewport_size({"width": 390, "height": 800})
    expect(page.get_by_role("heading", name="What each account holds")).to_be_visible()
    # The bars are drawn anew for the width.
    page.wait_for_function("document.documentElement.scrollWidth <= innerWidth")
    accessible(page)


def test_it_is_read_on_a_phone_in_the_dark_and_by_the_driver_alone(
    open_page: Open, accessible: Check, desk: Desk
) -> None:
    path = desk.lay_out(
        "Thin Truck",
        laps("Ysolde Farrand", "Monday", [24.0, 20.9, 20.7]) + laps("Corin Ashgrove", "Monday", PUSH).split("\n", 1)[1],
    )
    page = open_page(path, who="driver", color_scheme="dark", viewport={"width": 390, "height": 800})
    page.get_by_role("link", name="Pace, consistency and options of Ysolde Farrand").click()
    expect(page.get_by_text("Thin: 1 clean lap; 11 more make it likely.")).to_be_visible()
    expect(page.get_by_text("Falloff can't be told: no run of 5 clean laps.")).to_be_visible()
    expect(page.get_by_text("No option was tried yet")).to_be_visible()
    assert page.get_by_label("Driver", exact=True).count() == 0
    assert page.evaluate("document.documentElement.scrollWidth <= innerWidth")
    accessible(page)


def test_drivers_stand_side_by_side_and_each_leads_to_what_they_do_there(
    open_page: Open, accessible: Check, desk: Desk
) -> None:
    combinations = week.combinations(desk.whole.sessions, desk.actor("manager"))
    skerrow = next(item for item in combinations if (item.track, item.layout) == ("Port Skerrow", "Fishmarket"))
    page = open_page(f"/combinations/{skerrow.id}")
    page.get_by_role("link", name="side by side").click()
    expect(page.get_by_role("heading", name="Who could show whom")).to_be_visible()
    assert page.get_by_role("region", name="Who could show whom").get_by_role("listitem").count() >= 3
    table = page.get_by_role("region", name="Beyond each driver’s usual distance")
    assert table.get_by_role("columnheader").count() == 10
    accessible(page)
    # The best part at T5 is one's who gives T4 up for it; that is nothing to be shown to all the others.
    assert page.get_by_role("listitem").filter(has_text=re.compile("could show .* T5")).count() == 0
    expect(page.get_by_text("T4 Tar Yard is given up for T5 Slipway: they are judged together.")).to_be_visible()
    page.get_by_label("behind the best").check()
    expect(page.get_by_role("heading", name="Behind the team’s best reference")).to_be_visible()
    page.get_by_role("button", name="What is done at T5").click()
    expect(page.get_by_role("heading", name="T5 Slipway: what Ilmar Soosaar does there")).to_be_visible()
    expect(page.get_by_role("row", name=re.compile("^slowest"))).to_contain_text("km/h after")
    page.get_by_label("beside").select_option("Nerys Callowhill")
    expect(page.get_by_role("columnheader", name=re.compile("Nerys Callowhill, 1:0"))).to_be_visible()
    accessible(page)
    page.get_by_role("link", name="Lay these laps over each other here").click()
    expect(page.get_by_role("slider", name="Speed over the lap")).to_be_visible()
    with page.expect_download() as download:
        page.get_by_role("button", name="CSV of the lines").click()
    head, first, *rest = Path(download.value.path()).read_text(encoding="utf-8").splitlines()
    assert (
        head.startswith('distance_m,"Ilmar Soosaar')
        and head.count("behind_s") == 2
        and len(first.split(",")) == 5
        and len(rest) > 100
    )
    page.go_back()
    page.get_by_role("link", name="T5", exact=True).click()
    expect(page.get_by_role("heading", name="What one goes by")).to_be_visible()
    page.go_back()
    page.get_by_role("columnheader", name="Corin Ashgrove").get_by_role("link").click()
    expect(page.get_by_role("heading", name="Corin Ashgrove: pace and consistency")).to_be_visible()
