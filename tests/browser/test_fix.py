"""From the board to a mistake and its passes; a kind corrected, an exercise given, driven by the stand-in rig,
judged by itself.
"""

import re
from collections.abc import Callable
from uuid import UUID

import pytest
from playwright.sync_api import Page, expect

from fleet_rival.services.drive.runs import declare
from fleet_rival.services.people import rigs
from fleet_rival.services.shared import history
from fleet_rival.services.week import profiles
from fleet_rival.simulator.rig import Rig, Wishes
from tests.browser.conftest import Desk

Open = Callable[..., Page]
Check = Callable[[Page], None]
PHONE = {"viewport": {"width": 390, "height": 800}, "color_scheme": "dark"}


def fits(page: Page) -> bool:
    return bool(page.evaluate("document.documentElement.scrollWidth <= window.innerWidth"))


def test_from_the_board_to_a_passed_exercise(open_page: Open, accessible: Check, desk: Desk) -> None:
    page = open_page("/")
    page.get_by_role("navigation", name="Steps of the work").get_by_role("link", name="Fix").click()
    expect(page.get_by_role("heading", name="Corner clinic")).to_be_visible()
    page.get_by_role("combobox").first.select_option(label="Port Skerrow, Fishmarket · Wrenfield EC-2")
    expect(page.get_by_role("row", name=re.compile("^T6 Lantern Steps"))).to_contain_text(
        "throttle too late", timeout=60_000
    )
    accessible(page)
    combination = UUID(page.url.split("/combinations/")[1].split("/")[0])

    page.get_by_role("columnheader").get_by_role("link", name="Ysolde Farrand").click()
    three = page.get_by_role("region", name="The week’s three")
    expect(three).to_contain_text(re.compile(r"The throttle comes too late at T6 Lantern Steps .* in the race\."))
    expect(three).to_contain_text("than on good passes")
    account = page.get_by_role("region", name="Where an average lap goes")
    expect(account).to_contain_text(re.compile(r"On average over \d+ flying laps: .* own good lap"))
    accessible(page)
    row = page.get_by_role("region", name="Recurring mistakes", exact=True).get_by_role("row").filter(has_text="T6")
    before = int(row.get_by_role("cell").first.inner_text().split(" of ")[0])
    clinic_url = page.url

    three.get_by_role("link", name=re.compile("^Its passes")).first.click()
    pictures = page.get_by_role("region", name="Its passes").get_by_role("img")
    expect(pictures).to_have_count(min(before, 12))
    accessible(page)
    page.get_by_role("button", name=re.compile("^It was something else")).first.click()
    page.get_by_label("Kind").select_option(label="slower than needed")
    accessible(page)
    page.get_by_role("button", name="Say so").click()
    expect(pictures).to_have_count(min(before - 1, 12))

    page.get_by_role("button", name=re.compile("^Give the exercise")).click()
    expect(page.get_by_text("Not driven yet: runs that begin from now on judge it.")).to_be_visible()
    page.get_by_role("link", name="Declare the run").click()
    expect(page.get_by_label("Purpose")).to_have_value("corner")
    expect(page.get_by_role("textbox", name=re.compile("^To watch"))).to_have_value("T6")
    page.go_back()
    manager, sessions = desk.actor("manager"), desk.whole.sessions
    driver = next(item.id for item in profiles.profiles(sessions, manager) if item.name == "Ysolde Farrand")
    declare.declare(sessions, manager, combination, driver, {"purpose": "corner", "compound": "street"}, [])
    token = rigs.make_rig_token(sessions, manager, "Clinic rig")[1]
    wishes = Wishes(laps=13, speed=100_000.0, rate_hz=25.0, seed=3, habits=0.5)
    slips = [
        slip
        for item in Rig(desk.whole.address, token, sleep=lambda _: None).drive("Ysolde Farrand", wishes)
        for slip in item.truth["slips"]
    ]
    assert sum(slip["corner"] == "T6" for slip in slips) <= 2, "half the weakness"
    # What came in while the page stood open judges the exercise, and the trend follows.
    expect(page.get_by_text(re.compile(r"of 10 without it: passed\."))).to_be_visible(timeout=60_000)
    page.goto(clinic_url)
    work = page.get_by_role("region", name="Exercises", exact=True)
    expect(work.get_by_role("row").nth(1)).to_contain_text("passed.")
    cells = work.get_by_role("row").nth(1).get_by_role("cell").all_inner_texts()
    assert int(cells[-1].split(" ")[0]) < int(cells[-2].split(" ")[0]), "fewer than before"

    # What it brought stands in the library, and feeds what more of such work is worth.
    page.goto(f"{desk.whole.address}/exercises")
    library = page.get_by_role("region", name=re.compile("^Foot down by the object"))
    expect(library.get_by_text(re.compile("Driven by 1 of 1 who were given it, passed by 1"))).to_be_visible()
    expect(library.get_by_text(re.compile(r"Ysolde Farrand at T6, Port Skerrow.*since, passed"))).to_be_visible()
    accessible(page)
    page.goto(clinic_url)
    expect(page.get_by_text(re.compile("as such work took away once before"))).to_be_visible()
    page.get_by_role("button", name=re.compile("^End it")).click()
    expect(work.get_by_role("row").nth(1)).to_contain_text("(ended)")
    expect(page.get_by_role("button", name=re.compile("^End it"))).to_have_count(0)
    page.keyboard.press("Control+z")
    expect(page.get_by_role("button", name=re.compile("^End it"))).to_have_count(1)

    page.get_by_role("link", name="Card of three").click()
    expect(page.get_by_role("heading", name="1 T6 Lantern Steps")).to_be_visible()
    accessible(page)
    page.get_by_text("As plain text").click()
    expect(page.get_by_label("The card as plain text")).to_contain_text(
        "Ysolde Farrand: Port Skerrow, Fishmarket, Wrenfield EC-2"
    )

    # The demo's laps are again those that other tests know.
    for entry in history.history(sessions, manager).items:
        if entry.summary.startswith("Laps of Ysolde Farrand"):
            history.undo(sessions, manager, entry.id)


def test_the_clinic_fits_a_phone_and_a_driver_sees_the_own(open_page: Open, accessible: Check, desk: Desk) -> None:
    page = open_page("/fix", who="driver", **PHONE)
    page.get_by_role("combobox").first.select_option(label="Port Skerrow, Fishmarket · Wrenfield EC-2")
    names = page.get_by_role("columnheader").get_by_role("link")
    expect(names).to_have_count(1)
    assert fits(page)
    accessible(page)
    names.first.click()
    expect(page.get_by_role("heading", name="The week’s three")).to_be_visible()
    expect(page.get_by_role("button", name=re.compile("^Give the exercise"))).to_have_count(0)
    expect(page.get_by_role("region", name="Where an average lap goes").get_by_role("img")).to_be_visible()
    assert fits(page)
    accessible(page)
    page.get_by_role("link", name=re.compile("^Its passes")).first.click()
    expect(page.get_by_role("region", name="Its passes").get_by_role("img").first).to_be_visible()
    assert fits(page)
    accessible(page)
    page.go_back()
    page.get_by_role("link", name="Card of three").click()
    expect(page.get_by_role("heading", name=re.compile("^1 T"))).to_be_visible()
    assert fits(page)
    accessible(page)


@pytest.mark.parametrize("options", [{}, PHONE], ids=["desk", "phone"])
def test_the_library_is_read_and_changed(open_page: Open, accessible: Check, options: dict[str, object]) -> None:
    page = open_page("/exercises", **options)
    expect(page.get_by_role("heading", name=re.compile("^Walk the mark in"))).to_be_visible()
    assert fits(page)
    accessible(page)
    page.get_by_role("button", name=re.compile("^Change.*Walk the mark in")).click()
    page.get_by_label("What to drive").fill("Brake at the post, ten times.")
    accessible(page)
    page.get_by_role("button", name="Keep it").click()
    expect(page.get_by_text("Brake at the post, ten times.")).to_be_visible()
    page.get_by_role("button", name=re.compile("^As it ships")).click()
    expect(page.get_by_text("Brake at the post, ten times.")).to_have_count(0)


@pytest.mark.parametrize("options", [{}, PHONE], ids=["desk", "phone"])
def test_a_setup_is_changed_and_its_versions_stand_side_by_side(
    open_page: Open, accessible: Check, options: dict[str, object]
) -> None:
    page = open_page("/setups", **options)
    page.get_by_role("combobox", name="Setup", exact=True).select_option(label="Halvane P7: Long road")
    expect(page.get_by_role("region", name="What it brought")).to_contain_text(
        "Long road v1 or Long road v2? Long road v2, by"
    )
    page.get_by_role("button", name="Change it").click()
    page.get_by_label("Value 1", exact=True).fill("8")
    page.get_by_role("textbox", name="Why").fill("More wing for the wind.")
    assert fits(page)
    accessible(page)
    page.get_by_role("button", name="Keep it").click()
    record = page.get_by_role("region", name="What was changed, and why").get_by_role("listitem").first
    expect(record).to_contain_text(re.compile(r"Rear wing \d → 8\. More wing for the wind\."))
    page.get_by_role("combobox", name="Beside").select_option(value="1")
    expect(page.get_by_role("row", name=re.compile("^Rear wing 7 8 ")).last).to_be_visible()
    assert fits(page)
    accessible(page)
    page.keyboard.press("Escape")
    page.keyboard.press("Control+z")
    expect(record).not_to_contain_text("More wing")
