"""The week in a real browser: a season comes in, drivers are entered by keys, clashes show, targets move the gaps,
earlier laps are a step away.
"""

import re
from collections.abc import Callable, Iterator
from datetime import datetime, timedelta
from typing import Any
from uuid import UUID

import orjson
import pytest
from playwright.sync_api import Page, expect
from sqlalchemy import select

from fleet_rival.clock import now
from fleet_rival.core.season.targets import Target
from fleet_rival.core.season.weeks import SeriesWeek
from fleet_rival.core.times import format_time
from fleet_rival.db.tables import Driver, Entry
from fleet_rival.formats.season_export import write_season
from fleet_rival.services.find import figures
from fleet_rival.services.week import combinations, entries, profiles, series
from fleet_rival.services.week.rows import load_weeks
from fleet_rival.services.week.series import WeekView
from tests.browser.conftest import Desk, told

Open = Callable[..., Page]
Check = Callable[[Page], None]


class Stage:
    """Series of the test's own, which run now on the demo's tracks; gone when the test ends."""

    def __init__(self, desk: Desk) -> None:
        self.desk = desk
        self.sessions = desk.whole.sessions
        self.manager = desk.actor("manager")
        self.made: list[UUID] = []

    def week(self, name: str, starts: str, **changes: Any) -> WeekView:
        today = now().date()
        made = series.add_series(self.sessions, self.manager, name)
        self.made.append(made.id)
        values = {
            "cars": ("Wrenfield EC-2",),
            "track": "Port Skerrow",
            "layout": "Ebb Tide",
            "race_minutes": 30.0,
            "starts": starts,
            **changes,
        }
        facts = SeriesWeek(name, 1, "UTC", today - timedelta(days=1), today + timedelta(days=6), **values)
        return series.add_week(self.sessions, self.manager, made.id, facts)

    def free_moments(self, driver: str, count: int) -> list[datetime]:
        """So many moments from tomorrow on, hours apart, around which a driver starts nowhere: the demo's own starts
        lie on other days each week.
        """
        with self.sessions() as session:
            rows = session.execute(
                select(Entry.starts).join(Driver, Driver.id == Entry.driver_id).where(Driver.name == driver)
            )
            taken = [datetime.fromisoformat(start) for (starts,) in rows for start in starts]
        first = now().replace(minute=0, second=0, microsecond=0) + timedelta(hours=24)
        hours = [first + timedelta(hours=3 * step) for step in range(24)]
        free = [
            moment for moment in hours if all(abs(moment - start) > timedelta(hours=2, minutes=30) for start in taken)
        ]
        return free[:count]

    def clear(self) -> None:
        for key in self.made:
            for view in series.weeks(self.sessions, self.manager, key):
                with self.sessions() as session:
                    inner = [item.row.id for item in load_weeks(session, self.manager) if item.row.public_id == view.id]
                    found = entries.entries_of_weeks(session, self.manager, inner)
                entries.remove_entries(self.sessions, self.manager, [entry.id for entry in found])
            series.remove_series(self.sessions, self.manager, key)


@pytest.fixture
def stage(desk: Desk) -> Iterator[Stage]:
    made = Stage(desk)
    yield made
    made.clear()


def tomorrow(hour: int, minute: int = 0) -> str:
    day = now().date() + timedelta(days=1)
    return f"{day}T{hour:02}:{minute:02}Z"


def clock_of(moment: str | datetime) -> str:
    """The time of day of a moment as the browser shows it: in the zone of this machine."""
    return f"{(datetime.fromisoformat(moment) if isinstance(moment, str) else moment).astimezone():%H:%M}"


def board_cell(page: Page, driver: str, place: str, text: str = "") -> Any:
    return page.get_by_role("gridcell", name=re.compile(f"^{driver}, {place}: {text}"))


def test_a_season_comes_in_with_what_is_wrong_told_and_goes_out_as_a_whole(open_page: Open, accessible: Check) -> None:
    weeks = [
        SeriesWeek(
            "Tide Trophy",
            number,
            "UTC",
            datetime(2040, 1, 7 * number).date(),
            datetime(2040, 1, 7 * number + 7).date(),
            ("Ostelind Volant",),
        )
        for number in (1, 2)
    ]
    content = (
        write_season(weeks)
        + b"Tide Trophy,3,UTC,2040-01-20,2040-01-27\r\n"
        + b"Tide Trophy,4,UTC,2040-13-01,2040-02-08"
        + b"," * 29
        + b"\r\n"
    )
    page = open_page("/seasons")
    page.get_by_role("button", name="Season file", exact=True).click()
    page.locator("input[type=file]").set_input_files(
        {"name": "tide.season.csv", "mimeType": "text/csv", "buffer": content}
    )
    expect(page.get_by_role("heading", name="Rows set aside")).to_be_visible()
    expect(page.get_by_text("Line 4: ends after 5 of 34 cells")).to_be_visible()
    expect(page.get_by_text("Line 5, from “2040-13-01”: not a date")).to_be_visible()
    expect(page.get_by_text("Line 2: has no track and layout yet")).to_be_visible()
    accessible(page)
    page.get_by_role("button", name="Import 2 weeks").click()
    told(page, "2 weeks added")
    page.get_by_role("button", name="Tide Trophy").click()
    expect(page.get_by_role("region", name="Weeks", exact=True).get_by_role("row")).to_have_count(3)
    with page.expect_download() as download:
        page.get_by_role("link", name="CSV").click()
    assert download.value.path().read_bytes() == write_season(weeks)
    page.locator("body").press("Control+z")
    told(page, "Took back")
    expect(page.get_by_role("button", name="Tide Trophy")).to_have_count(0)


def test_a_week_is_written_by_hand_and_a_second_writer_is_told(
    open_page: Open, accessible: Check, stage: Stage
) -> None:
    made = stage.week("Hand Cup", "at 18:00")
    page, other = open_page(f"/weeks/{made.id}"), open_page(f"/weeks/{made.id}", who="coach")
    for one in (page, other):
        expect(one.get_by_role("heading", level=1)).to_have_text("Port Skerrow, Ebb Tide")
        one.get_by_role("button", name="Change", exact=True).click()
    accessible(page)
    page.get_by_label("Starts", exact=True).fill("at 18:00 21:15 on sat sun")
    page.get_by_role("button", name="Add a setting").click()
    page.get_by_label("Name of setting 1").fill("Brake balance")
    for name, value in (("Unit", "%"), ("From", "50"), ("To", "60"), ("Step", "0,5"), ("Default", "56")):
        page.get_by_label(f"Brake balance: {name}", exact=True).fill(value)
    accessible(page)
    page.get_by_role("button", name="Keep").click()
    expect(page.get_by_text("4 races")).to_be_visible()
    expect(page.get_by_text("Brake balance: 56 % (50 to 60 by 0.5)")).to_be_visible()
    other.get_by_label("Note", exact=True).fill("Mind the ferry.")
    other.get_by_role("button", name="Keep").click()
    expect(other.get_by_role("alert")).to_contain_text("Somebody else changed this week meanwhile")
    other.get_by_role("button", name="Leave theirs").click()
    expect(other.get_by_text("4 races")).to_be_visible()
    page.get_by_role("button", name="Change", exact=True).click()
    page.get_by_label("Starts", exact=True).fill("every 60min from 20:00 to 18:00")
    page.get_by_role("button", name="Keep").click()
    expect(page.get_by_role("alert")).to_contain_text("never fires")


def test_drivers_are_entered_moved_and_taken_out_by_keys_alone(open_page: Open, stage: Stage) -> None:
    stage.week("Aaa Keys Cup", f"{tomorrow(6)} {tomorrow(19, 30)}")
    page = open_page("/")
    expect(page.get_by_role("grid")).to_be_visible()
    for _ in range(60):
        page.keyboard.press("Tab")
        if page.evaluate("document.activeElement.getAttribute('role')") == "gridcell":
            break
    names = page.get_by_role("rowheader").all_inner_texts()  # other tests bring drivers of their own
    page.keyboard.press("Home")
    for _ in range(names.index("Amparo Quillon")):
        page.keyboard.press("ArrowDown")
    focused = page.locator("td:focus")
    expect(focused).to_have_accessible_name(re.compile("Amparo Quillon, Port Skerrow, Ebb Tide: not entered"))
    page.keyboard.press("Enter")
    told(page, "Entered Amparo Quillon in Aaa Keys Cup")
    expect(focused).to_have_accessible_name(re.compile("entered, want"))
    page.keyboard.press("m")
    told(page, "Picked up Amparo Quillon")
    for _ in range(names.index("Brannoc Tull") - names.index("Amparo Quillon")):
        page.keyboard.press("ArrowDown")
    page.keyboard.press("Enter")
    told(page, "Moved the entry to Brannoc Tull")
    expect(focused).to_have_accessible_name(re.compile("Brannoc Tull, Port Skerrow, Ebb Tide: entered, want, no lap"))
    page.keyboard.press("Enter")
    dialog = page.get_by_role("dialog")
    expect(dialog.get_by_role("heading", name="Brannoc Tull in Aaa Keys Cup")).to_be_visible()
    dialog.get_by_label("Only those").press("Space")
    for _ in range(30):
        page.keyboard.press("Tab")
        if page.evaluate("document.activeElement.innerText").startswith(clock_of(tomorrow(6))):
            break
    page.keyboard.press("Enter")
    dialog.get_by_role("button", name="Keep").press("Enter")
    expect(dialog).to_be_hidden()
    expect(board_cell(page, "Brannoc Tull", "Port Skerrow, Ebb Tide")).not_to_have_accessible_name(
        re.compile("no start (chosen|fits)")
    )
    board_cell(page, "Brannoc Tull", "Port Skerrow, Ebb Tide").press("Delete")
    told(page, "Took Brannoc Tull out")
    expect(board_cell(page, "Brannoc Tull", "Port Skerrow, Ebb Tide", "not entered")).to_be_visible()


def test_an_entry_is_dragged_to_another_driver_and_a_season_entered_at_once(
    open_page: Open, accessible: Check, stage: Stage
) -> None:
    made = stage.week("Aaa Drag Cup", tomorrow(19, 30))
    entries.enter(stage.sessions, stage.manager, [made.id], [_driver(stage, "Corin Ashgrove")], "must")
    page = open_page("/")
    place = "Port Skerrow, Ebb Tide"
    board_cell(page, "Corin Ashgrove", place, "entered, must").first.drag_to(
        board_cell(page, "Jorund Vetchley", place).first
    )
    expect(board_cell(page, "Jorund Vetchley", place, "entered, must")).to_be_visible()
    page.get_by_role("button", name="Enter drivers").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("Series").select_option("Aaa Drag Cup")
    dialog.get_by_role("button", name="All that run or come").click()
    dialog.get_by_role("button", name="All", exact=True).click()
    accessible(page)
    dialog.get_by_role("button", name=re.compile(r"^Enter \d+ in 1")).click()
    told(page, re.compile(r"\d+ entries made"))
    dialog.get_by_role("button", name="Close").click()
    expect(board_cell(page, "Ysolde Farrand", place, "entered, want")).to_be_visible()
    page.locator("body").press("Control+z")
    told(page, re.compile(r"Took back: Entered \d+ drivers"))
    expect(board_cell(page, "Ysolde Farrand", place, "not entered")).to_be_visible()


def _driver(stage: Stage, name: str) -> UUID:
    return next(item.id for item in profiles.profiles(stage.sessions, stage.manager) if item.name == name)


def test_a_clash_is_found_where_a_manager_looks_and_goes_when_it_is_mended(
    open_page: Open, accessible: Check, stage: Stage
) -> None:
    clashing, apart = stage.free_moments("Nerys Callowhill", 2)
    one = stage.week("Aaa Clash Cup", f"{clashing:%Y-%m-%dT%H:%MZ} {apart:%Y-%m-%dT%H:%MZ}")
    other = stage.week("Aab Clash Trophy", f"{clashing + timedelta(minutes=15):%Y-%m-%dT%H:%MZ}")
    entries.enter(stage.sessions, stage.manager, [one.id, other.id], [_driver(stage, "Nerys Callowhill")], "must")
    with stage.sessions() as session:
        inner = [item.row.id for item in load_weeks(session, stage.manager) if item.row.public_id in (one.id, other.id)]
        found = entries.entries_of_weeks(session, stage.manager, inner)
    for entry in found:
        start = (one if entry.week_id == one.id else other).start_times[0]
        entries.change_entry(stage.sessions, stage.manager, entry.id, entry.version, {"starts": [start]})
    page = open_page("/")
    expect(page.get_by_role("heading", name="Needs you")).to_be_visible()
    need = page.get_by_role("listitem").filter(has_text="Nerys Callowhill is entered for two starts at once")
    expect(need).to_be_visible()
    accessible(page)
    need.get_by_role("button").click()
    dialog = page.get_by_role("dialog")
    expect(dialog).to_contain_text("At the same time as another start of the same driver.")
    dialog.get_by_label("Only those").uncheck()
    dialog.get_by_role("button", name=re.compile(f"^{clock_of(clashing)}")).click()
    dialog.get_by_role("button", name=re.compile(f"^{clock_of(apart)}")).click()
    dialog.get_by_role("button", name="Keep").click()
    expect(dialog).to_be_hidden()
    expect(need).to_have_count(0)


def test_a_changed_target_moves_the_gaps_and_two_who_change_it_are_told(open_page: Open, desk: Desk) -> None:
    sessions, manager = desk.whole.sessions, desk.actor("manager")
    place = "Gantry Pit, Black Oval"
    page = open_page("/")
    cell = board_cell(page, "Corin Ashgrove", place).first
    expect(cell).to_have_accessible_name(re.compile("best lap"))
    found = next(
        item
        for item in combinations.combinations(sessions, manager)
        if item.car == "Grindle Hauler" and item.layout == "Black Oval"
    )
    need = page.get_by_role("listitem").filter(has_text=f"{place}, Grindle Hauler has no target")
    if need.count():
        need.get_by_role("button").click()
    else:
        # Late in the week eight other things press more, and stand in its place.
        page.goto(f"{desk.whole.address}/combinations/{found.id}")
        page.get_by_role("button", name="Target").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("Target time").fill("29.100")
    dialog.get_by_role("button", name="Keep").click()
    expect(dialog).to_be_hidden()
    page.goto(desk.whole.address)
    expect(cell).to_have_accessible_name(re.compile(r"\+0\.\d{3} s to the target"))
    page.goto(f"{desk.whole.address}/combinations/{found.id}")
    page.get_by_role("button", name="Target").click()
    expect(dialog.get_by_label("Target time")).to_have_value("29.100")
    seen = combinations.combination(sessions, manager, found.id)
    combinations.set_target(
        sessions, desk.actor("coach"), found.id, seen.version, Target("time", time_us=29_000_000), None, (None, None)
    )
    dialog.get_by_label("Target time").fill("40.000")
    dialog.get_by_role("button", name="Keep").click()
    expect(dialog.get_by_role("alert")).to_contain_text("Somebody else set this meanwhile: time 29.000")
    dialog.get_by_role("button", name="Write mine over it").click()
    expect(dialog).to_be_hidden()
    page.goto(desk.whole.address)
    expect(cell).to_have_accessible_name(re.compile(r"−1\d\.\d{3} s to the target"))
    seen = combinations.combination(sessions, manager, found.id)
    combinations.set_target(
        sessions, manager, found.id, seen.version, None, None, (None, None)
    )  # as the other tests expect it


def test_earlier_laps_are_one_step_away_and_stay_out_of_the_weeks_figures(open_page: Open, accessible: Check) -> None:
    page = open_page("/")
    board_cell(page, "Corin Ashgrove", "Port Skerrow, Fishmarket").click()
    page.get_by_role("link", name="What do we know?").click()
    known = page.locator("#known")
    expect(known.get_by_role("heading", name=re.compile("This layout with another car"))).to_be_visible()
    expect(known.get_by_role("combobox")).to_have_value(re.compile("."))
    row = known.get_by_role("row").filter(has_text="Corin Ashgrove").first
    expect(row).to_contain_text("like the race")
    assert known.get_by_role("row").filter(has_text="Ysolde Farrand").count() == 0, "the driver that was looked at"
    accessible(page)
    page.go_back()
    board_cell(page, "Corin Ashgrove", "Port Skerrow, Fishmarket").click()
    page.get_by_role("link", name="Laps", exact=True).click()
    chosen = page.get_by_label("Laps of")
    expect(chosen.locator("option:checked")).to_have_text(re.compile("Harbour Spark Cup, week 3"))
    chosen.select_option(label="all times")
    expect(page.get_by_text("Earlier laps are among these.")).to_be_visible()


def test_weeks_turn_by_arrow_keys_and_order_and_filter_stand_in_the_address(open_page: Open, desk: Desk) -> None:
    page = open_page("/")
    expect(page.get_by_role("grid")).to_be_visible()
    page.locator("h1").click()
    page.keyboard.press("ArrowRight")
    expect(page).to_have_url(re.compile(r"week=\d{4}-\d\d-\d\d"))
    expect(page.get_by_role("columnheader", name=re.compile("Port Skerrow, Ebb Tide"))).to_be_visible()
    page.keyboard.press("ArrowLeft")
    expect(page.get_by_role("columnheader", name=re.compile("Port Skerrow, Fishmarket"))).to_be_visible()
    page.get_by_label("Order").select_option("gap")
    expect(page).to_have_url(re.compile("order=gap"))
    page.get_by_label("Show").select_option("open")
    expect(page).to_have_url(re.compile("show=open"))
    page.goto(desk.whole.address)
    expect(page.get_by_label("Order")).to_have_value("gap")
    expect(page.get_by_label("Show")).to_have_value("open")
    page.get_by_label("Order").select_option("name")
    page.get_by_label("Show").select_option("all")


def test_a_driver_has_an_own_first_page_and_writes_the_own_hours(open_page: Open, accessible: Check) -> None:
    page = open_page("/", who="driver")
    expect(page.get_by_role("heading", name="My week")).to_be_visible()
    expect(page.get_by_role("heading", name="Harbour Spark Cup")).to_be_visible()
    assert "Corin" not in page.locator("main").inner_text()
    accessible(page)
    page.get_by_role("button", name="Choose your starts").first.click()
    dialog = page.get_by_role("dialog")
    expect(dialog.get_by_role("button", name="Keep")).to_be_visible()
    assert dialog.get_by_label("Importance").count() == 0
    page.keyboard.press("Escape")
    page.get_by_role("link", name="My profile").click()
    expect(page.get_by_role("heading", name="How you drive and see")).to_be_visible()
    page.get_by_role("button", name="Add a window").click()
    page.get_by_role("group", name="Weekly window 2").get_by_label("to").fill("23:45")
    page.get_by_role("button", name="Keep").click()
    told(page, "Kept.")
    accessible(page)
    page.locator("body").press("Control+z")
    told(page, "Took back: Changed the profile")
    expect(page.get_by_role("group", name="Weekly window 2")).to_have_count(0)


def test_a_lap_too_fast_to_be_driven_alone_is_asked_about_and_the_driver_answers(
    open_page: Open, accessible: Check, desk: Desk
) -> None:
    sessions, manager = desk.whole.sessions, desk.actor("manager")
    found = next(
        item
        for item in combinations.combinations(sessions, manager)
        if item.car == "Wrenfield EC-2" and item.layout == "Fishmarket"
    )
    body = orjson.loads(figures.summary(sessions, manager, found.id)[0])
    best_us = next(item["figures"]["best_us"] for item in body["drivers"] if item["name"] == "Ysolde Farrand")
    best = format_time(best_us)
    combinations.change_combination(
        sessions, manager, found.id, found.version, found.note, {"solo_floor_s": best_us / 1e6 + 0.0005}
    )
    page = open_page("/", who="driver")
    asked = page.get_by_role("listitem").filter(has_text="faster than anybody drives alone")
    asked.get_by_role("button").click()
    dialog = page.get_by_role("dialog")
    expect(dialog).to_contain_text(best)
    accessible(page)
    dialog.get_by_role("button", name=re.compile(f"^A record ?: {best}")).click()
    told(page, "All answered.")
    dialog.get_by_role("button", name="Close").click()
    expect(asked).to_have_count(0)
    expect(page.get_by_role("complementary", name="Harbour Spark Cup")).to_contain_text(best)
    seen = combinations.combination(sessions, manager, found.id)
    combinations.change_combination(sessions, manager, found.id, seen.version, seen.note, {})


def test_a_car_and_a_shared_rig_are_written_down(open_page: Open, accessible: Check, desk: Desk) -> None:
    page = open_page("/cars")
    page.get_by_label("Name of a new car").fill("Thornbury Lark")
    page.get_by_role("button", name="Add", exact=True).click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Thornbury Lark")
    page.get_by_role("button", name="Change", exact=True).click()
    page.get_by_label("How it is, one sentence a line").fill("Turns round when braked and steered at once.")
    page.get_by_role("button", name="Add a setting").click()
    page.get_by_label("Name of setting 1").fill("Brake balance")
    page.get_by_label("Brake balance: From").fill("60")
    page.get_by_label("Brake balance: To").fill("50")
    page.get_by_role("button", name="Keep").click()
    expect(page.get_by_role("alert")).to_contain_text("Brake balance has an empty range")
    page.get_by_label("Brake balance: To").fill("70")
    page.get_by_label("Only these drivers").check()
    page.get_by_label("Corin Ashgrove").check()
    accessible(page)
    page.get_by_role("button", name="Keep").click()
    expect(page.get_by_text("Turns round when braked and steered at once.")).to_be_visible()
    expect(page.get_by_text("60 to 70")).to_be_visible()
    page.get_by_role("button", name="Remove").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Cars")
    page.goto(f"{desk.whole.address}/team")
    page.get_by_label("Name of the shared rig or coach").fill("Attic rig")
    page.get_by_role("button", name="Add", exact=True).last.click()
    page.get_by_role("button", name="Add a window").click()
    accessible(page)
    page.get_by_role("button", name="Keep").click()
    rig = page.get_by_role("listitem").filter(has_text="Attic rig")
    expect(rig).to_contain_text("Mon 19:00–22:00")
    rig.get_by_role("button", name="Remove Attic rig").click()
    expect(rig).to_have_count(0)


def test_a_calendar_address_is_shown_once_and_can_be_revoked(open_page: Open, desk: Desk) -> None:
    page = open_page("/account", who="driver")
    page.get_by_label("Where it is for").fill("Phone")
    page.get_by_role("button", name="Make an address").click()
    address = page.get_by_text(re.compile("/api/calendar/cal_")).first.text_content() or ""
    found = re.search(r"http\S+\.ics", address)
    assert found
    nobody = open_page("/sign-in", who=None)
    assert "BEGIN:VCALENDAR" in nobody.request.get(found[0]).text()
    page.get_by_role("button", name="Revoke Phone").click()
    expect(page.get_by_role("button", name="Revoke Phone")).to_have_count(0)
    assert nobody.request.get(found[0]).status == 404
