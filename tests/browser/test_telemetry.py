"""Telemetry in a real browser: a run driven live over a bad line, files in pieces, traces compared, a layout found,
laps cut anew.
"""

import re
from collections.abc import Callable
from uuid import UUID

from playwright.sync_api import Page, expect

from fleet_rival.services.drive.runs import declare
from fleet_rival.services.drive.traces import view
from fleet_rival.services.people import rigs
from fleet_rival.services.week import combinations, profiles
from fleet_rival.simulator.rig import Rig, Wishes
from tests.browser.conftest import Desk, told
from tests.conftest import DATA

Open = Callable[..., Page]
Check = Callable[[Page], None]
PHONE = {"viewport": {"width": 390, "height": 780}, "color_scheme": "dark"}
FILES = sorted((DATA / "oval-102").glob("*.telemetry.parquet"))
LAPS = (DATA / "oval-102" / "oval-a-102.laps.csv").read_text(encoding="utf-8")


def overflows(page: Page) -> bool:
    return bool(page.evaluate("document.documentElement.scrollWidth > innerWidth + 1"))


def test_a_declared_run_is_driven_live_over_a_line_that_breaks(open_page: Open, accessible: Check, desk: Desk) -> None:
    sessions, manager = desk.whole.sessions, desk.actor("manager")
    path = desk.lay_out("Live Truck")
    combination = UUID(path.rsplit("/", 1)[1])
    driver = next(item.id for item in profiles.profiles(sessions, manager) if item.name == "Brannoc Tull")
    declare.declare(
        sessions, manager, combination, driver, {"purpose": "learn", "watch": ["look ahead"], "compound": "hard"}, []
    )
    page = open_page("/live")
    expect(page.get_by_role("region", name="About to drive")).to_contain_text("Brannoc Tull")
    rig = Rig(desk.whole.address, rigs.make_rig_token(sessions, manager, "Loft")[1], lambda seconds: None)
    driven = []
    run = page.get_by_role("article", name=re.compile("Brannoc Tull"))
    for done in rig.drive("Brannoc Tull", Wishes(7, 1000.0, flaky=True, rate_hz=50, seed=11)):
        driven.append(done.item)
        if len(driven) == 1:
            # It appears by itself, while the rig is still driving.
            expect(run).to_contain_text("Lap ", timeout=20_000) if not done.waiting else None
    expect(run).to_contain_text("7 laps without a fault; 6 were wanted")
    expect(run).to_contain_text("learn the track")
    expect(run).to_contain_text("look ahead")
    expect(run.get_by_role("img")).to_have_attribute("aria-label", re.compile("lap 9: "))
    accessible(page)
    phone = open_page("/live", **PHONE)
    expect(phone.get_by_role("article", name=re.compile("Brannoc Tull"))).to_contain_text("were wanted")
    assert not overflows(phone)
    accessible(phone)
    # Who watches says what was seen, by keys alone: on a lap before the last, and where it began.
    page.keyboard.press(run.get_by_role("button", name=re.compile("^Remark on")).locator("kbd").inner_text())
    form = page.get_by_role("form", name="Remark")
    expect(form.get_by_role("combobox", name="Corner")).to_be_focused()
    form.get_by_role("combobox", name=re.compile("^Lap")).select_option("7")
    page.keyboard.type("T2")
    page.keyboard.press("Tab")
    page.keyboard.type("ran wide")
    expect(form.get_by_role("combobox", name="What")).to_have_value("wide-exit")
    page.keyboard.press("Tab")
    page.keyboard.type("T1")
    accessible(page)
    form.get_by_label("In your own words").press("Enter")
    expect(form).to_have_count(0)
    expect(page.get_by_role("button", name=re.compile("^Remark on Brannoc Tull"))).to_be_focused()
    # None is missing, none is there twice, each has its trace; the sheet knows what was declared.
    run.get_by_role("link", name="Brannoc Tull").click()
    rows = page.get_by_role("table").first.get_by_role("row")
    expect(rows).to_have_count(1 + 9)
    expect(rows.filter(has_text="ran wide at the exit begun at T1")).to_have_count(1)
    expect(page.get_by_role("link", name="Its trace")).to_be_visible()
    expect(page.get_by_text("hard").first).to_be_visible()
    found = view.traced_laps(sessions, manager, combination)
    assert [(lap.number, lap.time_us) for lap in found] == [(item.lap.number, item.lap.time_us) for item in driven]
    assert combinations.combination(sessions, manager, combination).laps == 9


def test_a_driver_sees_the_own_run_alone(open_page: Open, desk: Desk) -> None:
    page = open_page("/live", who="driver")
    expect(page.get_by_role("heading", name="Live")).to_be_visible()
    expect(page.get_by_role("article", name=re.compile("Brannoc Tull"))).to_have_count(0)


def test_telemetry_comes_in_and_two_laps_are_compared_at_a_place(
    open_page: Open, accessible: Check, desk: Desk
) -> None:
    path = desk.lay_out("Trace Truck", LAPS)
    page = open_page(f"{path}/telemetry")
    expect(page.get_by_text("No telemetry file yet")).to_be_visible()
    accessible(page)
    page.locator("input[type=file]").set_input_files([FILES[0], FILES[1]])
    expect(page.get_by_role("region", name=FILES[1].name)).to_contain_text("60 laps got their traces", timeout=60_000)
    expect(page.get_by_role("region", name=FILES[0].name)).to_contain_text("60 laps got their traces")
    accessible(page)
    page.get_by_role("link", name="Look at traces").click()
    slider = page.get_by_role("slider")
    expect(slider).to_be_visible()
    readings = page.get_by_role("region", name=re.compile("^At "))
    expect(readings.get_by_role("row")).to_have_count(3)
    page.get_by_role("button", name="Everybody’s fastest").click()
    expect(readings.get_by_role("row").nth(2)).to_contain_text(re.compile("[+−]"))
    # Read by keys: nearer, on to the next corner, and what is said at the place is the difference that was driven
    # there.
    slider.focus()
    page.keyboard.press("Home")
    page.keyboard.press("]")
    page.keyboard.press("]")
    page.keyboard.press("+")
    page.keyboard.press("+")
    expect(page.get_by_role("heading", name="At 327 m, T2")).to_be_visible()
    expect(page).to_have_url(re.compile("from=.*to="))
    manager, sessions = desk.actor("manager"), desk.whole.sessions
    combination = UUID(path.rsplit("/", 1)[1])
    best: dict[str, view.TracedLap] = {}
    for lap in view.traced_laps(sessions, manager, combination):
        if lap.counts and lap.time_us < best.get(lap.driver, lap).time_us + 1:
            best[lap.driver] = lap
    first, second = sorted(best.values(), key=lambda lap: lap.time_us)
    told_there = view.overlay(sessions, manager, combination, [first.key, second.key], "speed_kmh", 300, 350)
    at = min(range(len(told_there.places_m)), key=lambda index: abs(told_there.places_m[index] - 327.1))
    exact = told_there.laps[1].behind_s[at]
    assert exact is not None
    shown = readings.locator("[data-behind]").inner_text().replace("−", "-")
    assert abs(float(shown) - exact) <= 0.002, (shown, exact)
    page.get_by_role("combobox", name="Channel").select_option(label="Brake")
    expect(readings).to_contain_text("Brake, %")
    page.get_by_role("button", name="Whole lap").click()
    expect(page).not_to_have_url(re.compile("from="))
    accessible(page)
    phone = open_page(page.url.replace(desk.whole.address, ""), **PHONE)
    expect(phone.get_by_role("slider")).to_be_visible()
    assert not overflows(phone)
    accessible(phone)


def test_a_layout_is_found_named_moved_kept_and_taken_over(open_page: Open, accessible: Check, desk: Desk) -> None:
    page = open_page("/tracks/find")
    expect(page.get_by_role("button", name="Choose a telemetry file")).to_be_visible()
    accessible(page)
    page.locator("input[type=file]").set_input_files(FILES[2])
    expect(page.get_by_text(re.compile("2 corners on 804.* m, from .* laps by the places driven"))).to_be_visible(
        timeout=60_000
    )
    page.get_by_label("T1: name").fill("Kiln Bend")
    handle = page.get_by_role("slider", name="T1: braking begins")
    before = float(handle.get_attribute("aria-valuenow") or 0)
    handle.focus()
    for _ in range(3):
        page.keyboard.press("ArrowLeft")
    expect(page.get_by_role("textbox", name="T1: Braking")).to_have_value(re.compile(f"^{before - 3:g}"))
    page.get_by_label("Track", exact=True).fill("Quernholm")
    page.get_by_label("Layout", exact=True).fill("Found Bowl")
    accessible(page)
    page.get_by_role("button", name="Add this layout").click()
    expect(page.get_by_role("heading", name="Quernholm, Found Bowl")).to_be_visible()
    expect(page.get_by_role("table").get_by_text("Kiln Bend").first).to_be_visible()


def test_what_traces_say_of_a_layout_is_taken_over_and_laps_are_cut_anew(open_page: Open, desk: Desk) -> None:
    page = open_page("/tracks")
    page.get_by_role("link", name="Fishmarket").first.click()
    expect(page.get_by_role("link", name="What traces say")).to_be_visible()
    layout = page.url.split("?")[0]
    page.goto(f"{layout}/boundaries")
    rows = page.get_by_role("textbox", name=re.compile("^T[0-9]: "))
    expect(rows.first).to_be_visible()
    before = [(row.get_attribute("aria-label") or "", row.input_value()) for row in rows.all()]
    page.goto(layout)
    page.get_by_role("link", name="What traces say").click()
    expect(page.get_by_text(re.compile("9 corners on 2090"))).to_be_visible(timeout=60_000)
    expect(page.get_by_text(re.compile("Pit lane on the right"))).to_be_visible()
    page.get_by_role("button", name="Take these boundaries into Fishmarket").click()
    page.get_by_role("button", name="See what it does").click()
    does = page.get_by_role("region", name="What it does to laps")
    expect(does).to_contain_text(re.compile(r"\d+ laps with traces: cut anew"))
    page.get_by_role("button", name="Change the boundaries").click()
    told(page, re.compile("laps written anew"))
    after = [(row.get_attribute("aria-label") or "", row.input_value()) for row in rows.all()]
    # One of them may come out at the same decimetre; hardly most of them.
    assert sum(pair not in before for pair in after) >= len(before) // 2
    page.get_by_role("button", name="Take back the last step").click()
    for name, there in before:
        expect(page.get_by_role("textbox", name=name, exact=True)).to_have_value(there, timeout=60_000)
