"""The track book in a real browser: written by keys, confirmed, contradictions resolved, checks that shrink,
boundaries that move.
"""

import io
import re
from collections.abc import Callable
from typing import Any
from uuid import UUID

import pytest
from PIL import Image
from playwright.sync_api import Page, expect

from fleet_rival.core.track import Corner, Sector, Track
from fleet_rival.formats.tracks import read_track
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.track import book, layouts, tracks
from fleet_rival.services.week import combinations
from tests.browser.conftest import Desk, told

Open = Callable[..., Page]
Check = Callable[[Page], None]


class Place:
    """A layout of the test's own with two cars and laps, and what its book says."""

    def __init__(self, desk: Desk, name: str) -> None:
        self.desk = desk
        self.sessions = desk.whole.sessions
        self.manager, self.driver = desk.actor("manager"), desk.actor("driver")
        corners = tuple(
            Corner(f"T{n}", 100.0 + 300 * n, 140.0 + 300 * n, 180.0 + 300 * n, kiln, way)
            for n, kiln, way in ((1, "Kiln", "left"), (2, "Flue", "right"), (3, "Damper", "left"))
        )
        made = Track(name, "Short", "street", 1400.0, (Sector("S1", 0.0), Sector("S2", 700.0)), corners)
        self.id = layouts.draw_up(self.sessions, self.manager, made)
        self.combinations = [
            combinations.add_combination(self.sessions, self.manager, self.id, f"{name} {car}")
            for car in ("Van", "Truck")
        ]
        self.path = f"/tracks/{self.id}"

    @property
    def view(self) -> Any:
        return book.book(self.sessions, self.manager, self.id)

    def corner(self, code: str) -> Any:
        return next(item for item in self.view.corners if item.code == code)

    def write(
        self, code: str, actor: Actor | None = None, confirmed: bool = True, car: str | None = None, **values: Any
    ) -> UUID:
        usual = {"point": "braking", "kind": "board", "thing": "", "variant": "usual", "sure": "likely"}
        car_id = next(item.id for item in self.view.cars if item.name.endswith(car)) if car else None
        return book.propose(
            self.sessions,
            actor or self.manager,
            self.corner(code).id,
            {**usual, **values, "car_id": car_id},
            confirmed=confirmed,
        )

    def read_limits(self) -> None:
        for item in self.view.corners:
            limits = [{"where": "exit", "part": "two wheels", "cost": "strike", "rules": ""}]
            book.change_corner(self.sessions, self.manager, item.id, item.version, {"limits": limits})


@pytest.fixture
def place(desk: Desk, request: pytest.FixtureRequest) -> Place:
    return Place(desk, f"Quern {request.node.name[5:].split('[')[0][:40]}")


def checks(page: Page) -> Any:
    return page.get_by_role("region", name=re.compile("^Before the race"))


def test_the_checks_shrink_as_references_are_written_confirmed_and_agreed_upon(
    open_page: Open, accessible: Check, place: Place
) -> None:
    place.read_limits()
    place.write("T1", place.driver, confirmed=False, thing="oak", kind="tree")
    place.write("T3", thing="hoarding", kind="building")
    place.write("T3", car="Van", point="apex", gear=2)
    place.write("T3", car="Van", point="apex", gear=3, confirmed=False)
    page = open_page(place.path)
    page.get_by_label("Seen with which car").select_option(
        label=next(item.name for item in place.view.cars if item.name.endswith("Van"))
    )
    expect(checks(page)).to_contain_text("4 things to see to")
    accessible(page)
    # A colleague's proposal is confirmed where the check leads.
    checks(page).get_by_role("link", name=re.compile("^T1 Kiln.*proposed")).click()
    page.get_by_role("button", name="Confirm : Brake at the oak").click()
    expect(page.get_by_text("confirmed by Maren Holloway")).to_be_visible()
    expect(page.get_by_role("region", name="To see to")).to_be_hidden()
    # A missing reference is written with keys alone.
    page.keyboard.press("ArrowRight")
    expect(page.get_by_role("heading", name="T2 Flue")).to_be_visible()
    page.keyboard.press("r")
    expect(page.get_by_role("dialog").get_by_role("combobox", name="For", exact=True)).to_be_focused()
    page.keyboard.press("Tab")
    page.keyboard.type("bridge")
    page.keyboard.press("Tab")
    page.keyboard.type("pipe over the road")
    page.keyboard.press("Tab")
    page.keyboard.type("above")
    page.keyboard.press("Tab")
    page.keyboard.type("7,5")
    accessible(page)
    page.keyboard.press("Enter")
    expect(page.get_by_text("Brake 7.5 m after the pipe over the road overhead.", exact=True)).to_be_visible()
    # Two gears for one apex: one is declined.
    page.keyboard.press("ArrowRight")
    expect(page.get_by_role("region", name="To see to")).to_contain_text("Two gears for one apex: 2nd and 3rd.")
    accessible(page)
    page.get_by_role("button", name="Decline : Apex: 3rd gear").click()
    expect(page.get_by_role("region", name="To see to")).to_be_hidden()
    page.get_by_role("navigation", name="Pages of the track book").get_by_role("link", name="Layout").click()
    expect(checks(page)).to_contain_text("1 thing to see to")
    checks(page).get_by_role("link", name=re.compile("pit exit goes")).click()
    page.get_by_label("Pit exit: how it goes").fill("Stay left of the line.")
    accessible(page)
    page.get_by_role("button", name="Keep").click()
    expect(checks(page)).to_contain_text("Nothing: each corner has a confirmed reference that lasts")
    page.keyboard.press("Control+z")
    expect(checks(page)).to_contain_text("1 thing to see to")


def test_another_car_sees_landmarks_and_takes_numbers_over_or_replaces_them(
    open_page: Open, accessible: Check, place: Place
) -> None:
    place.write("T1", thing="oak", kind="tree")
    place.write("T1", car="Van", point="apex", gear=2)
    place.write("T1", car="Van", point="exit", thing="kerb end", kind="kerb", gear=3)
    truck = next(item.id for item in place.view.cars if item.name.endswith("Truck"))
    page = open_page(f"{place.path}/corners/T1?car={truck}")
    expect(page.get_by_text("Brake at the oak.")).to_be_visible()
    expect(page.locator("li.carried")).to_have_count(2)
    accessible(page)
    page.get_by_role("button", name=re.compile("^Confirm for the .*Truck : Apex")).click()
    expect(page.locator("li.carried")).to_have_count(1)
    page.get_by_role("button", name=re.compile("^Replace : Run out")).click()
    page.get_by_role("dialog").get_by_label("Gear").fill("4")
    page.get_by_role("button", name="Write it").click()
    expect(page.locator("li.carried")).to_have_count(0)
    page.get_by_label("The other car").select_option(
        label=next(item.name for item in place.view.cars if item.name.endswith("Van"))
    )
    pair = page.get_by_role("region", name="Two cars side by side").get_by_role("row", name=re.compile("^Exit"))
    expect(pair.get_by_role("cell").nth(0)).to_contain_text("4th gear")
    expect(pair.get_by_role("cell").nth(1)).to_contain_text("3rd gear")
    accessible(page)


def test_a_driver_proposes_with_a_picture_and_asks_and_the_coach_makes_a_reference_of_the_answer(
    open_page: Open, accessible: Check, place: Place, desk: Desk
) -> None:
    page = open_page(f"{place.path}/corners/T2", who="driver")
    expect(page.get_by_role("button", name="Change", exact=True)).to_have_count(0)
    page.get_by_role("button", name="Propose a reference").click()
    page.get_by_role("dialog").get_by_label("What one goes by").fill("chimney shadow")
    page.get_by_role("dialog").get_by_role("combobox", name="Kind").select_option("shadow")
    expect(page.get_by_role("dialog")).to_contain_text("as its kind: moves with the time of day")
    page.get_by_role("button", name="Propose it", exact=True).click()
    out = io.BytesIO()
    Image.new("RGB", (300, 200), "teal").save(out, "PNG")
    sent = {"name": "chimney.png", "mimeType": "image/png", "buffer": out.getvalue()}
    page.get_by_label(re.compile("^Add a picture")).set_input_files(sent)
    expect(page.get_by_alt_text("Picture of: chimney shadow")).to_be_visible()
    page.get_by_label(re.compile("^Another picture")).set_input_files({**sent, "buffer": b"no picture"})
    expect(page.get_by_role("alert")).to_contain_text("This isn't a picture")
    page.keyboard.press("q")
    page.keyboard.type("What do you use when it is overcast?")
    page.keyboard.press("Enter")
    expect(page.locator("b", has_text="What do you use when it is overcast?")).to_be_visible()
    accessible(page)
    other = open_page(f"{place.path}/corners/T2", who="coach")
    other.get_by_label("Answer to: What do you use when it is overcast?").fill("the end of the hoarding")
    other.get_by_role("button", name="Answer", exact=True).click()
    expect(page.get_by_text("“the end of the hoarding”")).to_be_visible()  # without reloading
    other.get_by_role("button", name="Close, and make it a reference").click()
    other.get_by_role("dialog").get_by_role("combobox", name="Kind").select_option("building")
    other.get_by_role("button", name="Propose it", exact=True).click()
    expect(other.get_by_text("Brake at the end of the hoarding.")).to_be_visible()
    other.get_by_text("Closed (1)").click()
    expect(other.get_by_text("became a reference")).to_be_visible()
    expect(page.get_by_text("Brake at the end of the hoarding.")).to_be_visible()


def test_all_that_a_corner_has_is_written_and_two_who_write_are_told(
    open_page: Open, accessible: Check, place: Place
) -> None:
    page, other = open_page(f"{place.path}/corners/T1"), open_page(f"{place.path}/corners/T1")
    for one in (page, other):
        one.get_by_role("button", name="Change", exact=True).click()
    form = page.get_by_role("dialog")
    form.get_by_label("Other names").fill("Chimney, Stack")
    form.get_by_label("One move with others").fill("Works")
    form.get_by_label("Given up for").select_option("T2")
    form.get_by_label("Importance").select_option("high")
    for what in ("trait", "kerb", "limit", "way to pass"):
        form.get_by_role("button", name=f"Add {what}").click()
    form.get_by_label("trait 1: What").select_option("crest")
    form.get_by_label("kerb 1: Where").fill("exit")
    form.get_by_label("kerb 1: Use").select_option("never")
    form.get_by_label("limit 1: Where").fill("exit")
    form.get_by_label("way to pass 1: How it goes wrong").fill("no room")
    accessible(page)
    form.get_by_role("button", name="Keep").click()
    known = page.get_by_role("region", name=re.compile("^Quern"))
    for words in (
        "Chimney, Stack",
        "Works",
        "high By hand",
        "crest",
        "never exit",
        "costs a strike",
        "on the left, medium risk: no room",
    ):
        expect(known).to_contain_text(words)
    other.get_by_role("dialog").get_by_label("Note").fill("Bumpy.")
    other.get_by_role("button", name="Keep").click()
    expect(other.get_by_role("alert")).to_contain_text("Somebody else changed this corner meanwhile")
    other.get_by_role("button", name="Take theirs").click()
    expect(other.get_by_label("Other names")).to_have_value("Chimney, Stack")
    other.get_by_role("button", name="Leave it").click()
    page.get_by_text("Who changed this corner, and when").click()
    page.get_by_role("button", name=re.compile("^Take back : Changed T1 Kiln")).click()
    expect(known).not_to_contain_text("Chimney")


def test_boundaries_move_by_keys_and_by_drag_and_say_what_laps_lose(
    open_page: Open, accessible: Check, place: Place
) -> None:
    header = "driver,lap,kind,time,L0,T1,T2,T3"
    rows = [f"Ysolde Farrand,{n},flying,{50 + n},10,10,15,{15 + n}" for n in range(1, 4)]
    place.desk.add_laps(place.combinations[0].id, "a.laps.csv", "\n".join([header, *rows]))
    page = open_page(f"{place.path}/boundaries")
    page.get_by_role("button", name="T2 Flue").focus()
    page.keyboard.press("Enter")
    handle = page.get_by_role("slider", name="T2: braking begins")
    expect(handle).to_be_focused()
    page.keyboard.press("Shift+ArrowLeft")
    page.keyboard.press("ArrowRight")
    expect(page.get_by_role("textbox", name="T2: Braking")).to_have_value("691")
    apex = page.get_by_role("slider", name="T2: apex").bounding_box()
    assert apex
    x, y = apex["x"] + apex["width"] / 2, apex["y"] + apex["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + 20, y, steps=4)
    page.mouse.up()
    dragged = float(page.get_by_role("textbox", name="T2: Apex").input_value())
    assert 755 < dragged < 775
    accessible(page)
    page.get_by_role("button", name="See what it does").click()
    does = page.get_by_role("region", name="What it does to laps")
    expect(does).to_contain_text("Times of T1, T2 are lost")
    expect(does).to_contain_text("3 laps with the Quern")
    page.get_by_role("button", name="Change the boundaries").click()
    expect(does).to_contain_text("3 laps written anew")
    assert place.corner("T2").start_m == 691.0
    # A merged corner keeps exact sums.
    page.get_by_role("button", name="Merge T2 with the next").click()
    page.get_by_role("button", name="See what it does").click()
    expect(does).to_contain_text("Marks move along: T3 → T2")
    page.get_by_role("button", name="As it was").click()
    page.get_by_role("button", name="Split T3").click()
    expect(page.get_by_label("Code of corner 4")).to_have_value("T3b")
    page.get_by_role("button", name="As it was").click()
    page.get_by_role("textbox", name="T3: Apex").fill("9999")
    page.get_by_role("button", name="See what it does").click()
    expect(page.get_by_role("alert")).to_contain_text("the apex of corner T3 at 9999 m lies outside the lap")
    page.get_by_role("button", name="As it was").click()
    page.get_by_role("heading", name="Corners and sectors").click()
    page.keyboard.press("Control+z")
    expect(page.get_by_role("textbox", name="T2: Braking")).to_have_value("700")


def test_a_layout_is_drawn_up_from_rows_turned_round_and_taken_out_as_a_file(
    open_page: Open, accessible: Check
) -> None:
    page = open_page("/tracks")
    expect(page.get_by_role("region", name="Vardrum Hills")).to_contain_text("64 corners")
    accessible(page)
    page.get_by_role("button", name="Draw one up by hand").click()
    page.get_by_label("Track", exact=True).fill("Sallow Works")
    page.get_by_label("Layout", exact=True).fill("Inner")
    page.get_by_label("Length of the lap, m").fill("900")
    rows = "code\tname\tstart\tapex\tend\tbends\nT1\tKiln\t100\t120\t150\tleft\nT2\tFlue\t400\t42x\t450\tright"
    page.get_by_label("or rows of a spreadsheet").fill(rows)
    page.get_by_role("button", name="Take these rows").click()
    expect(page.get_by_role("alert")).to_contain_text("Line 3: “42x” is not a number of metres.")
    page.get_by_label("or rows of a spreadsheet").fill(rows.replace("42x", "420"))
    page.get_by_role("button", name="Take these rows").click()
    expect(page.get_by_label("Code of corner 2")).to_have_value("T2")
    accessible(page)
    page.get_by_role("button", name="Add it").click()
    expect(page.get_by_role("heading", name="Sallow Works, Inner")).to_be_visible()
    expect(page.get_by_text("The track file has no centreline")).to_be_visible()
    with page.expect_download() as download:
        page.get_by_role("link", name="Track file").click()
    assert read_track(download.value.path().read_bytes()).corners[1].name == "Flue"
    page.get_by_role("button", name="Another layout of it").click()
    page.get_by_label("Its name").fill("Outer")
    accessible(page)
    page.get_by_role("button", name="Make it").click()
    expect(page.get_by_role("heading", name="Sallow Works, Outer")).to_be_visible()
    expect(page.get_by_role("row", name=re.compile("^T1 Flue"))).to_be_visible()
    page.get_by_role("button", name="Remove this layout").click()
    expect(page.get_by_role("heading", name="Tracks")).to_be_visible()
    expect(page.get_by_role("region", name="Sallow Works")).not_to_contain_text("Outer")


def test_the_reading_card_is_learned_copied_and_printed_on_one_page(
    open_page: Open, accessible: Check, desk: Desk
) -> None:
    long_road = next(
        item for item in tracks.layouts(desk.whole.sessions, desk.actor("manager")) if item.layout == "Great Round"
    )
    page = open_page(f"/tracks/{long_road.id}/card", permissions=["clipboard-read", "clipboard-write"])
    lines = page.get_by_role("listitem")
    expect(lines).to_have_count(64)
    page.keyboard.press("h")
    expect(page.get_by_role("button", name=re.compile("^Show T"))).to_have_count(64)
    page.keyboard.press("n")
    page.keyboard.press("n")
    expect(page.get_by_role("button", name=re.compile("^Show T"))).to_have_count(62)
    page.get_by_role("button", name="Show T9", exact=True).click()
    expect(lines.nth(8)).to_contain_text("Brake")
    accessible(page)
    page.keyboard.press("h")
    page.get_by_label("When").select_option("wet")
    expect(page).to_have_url(re.compile("when=wet"))
    page.get_by_role("button", name="Copy as text").click()
    told(page, "Copied as plain text")
    text = page.evaluate("navigator.clipboard.readText()")
    assert text.startswith("Vardrum Hills, Great Round") and text.count("\n") == 66 and "T64 Home Croft: " in text
    page.emulate_media(media="print")
    printed = page.pdf(format="A4")
    assert (
        printed.count(b"/Type /Page\n")
        + printed.count(b"/Type /Page ")
        + len(re.findall(rb"/Type\s*/Page[^s]", printed))
        > 0
    )
    assert (
        len(set(re.findall(rb"/Type\s*/Page[^s]", printed))) <= 1
        and len(re.findall(rb"/Type\s*/Page[^s]", printed)) == 1
    )


def test_corners_are_walked_by_keys_and_one_that_is_gone_says_so(
    open_page: Open, accessible: Check, desk: Desk
) -> None:
    harbour = next(
        item for item in tracks.layouts(desk.whole.sessions, desk.actor("manager")) if item.layout == "Fishmarket"
    )
    page = open_page(f"/tracks/{harbour.id}")
    page.get_by_role("heading", name="From above").click()
    page.keyboard.press("c")
    for name in ("T1 Weighhouse", "T2 Chandlery"):
        expect(page.get_by_role("heading", name=name)).to_be_visible()
        page.keyboard.press("ArrowRight")
    expect(page.get_by_role("heading", name="T3 Net Loft")).to_be_visible()
    for name in ("T2 Chandlery", "T1 Weighhouse", "T9 Foghorn"):
        page.keyboard.press("ArrowLeft")
        expect(page.get_by_role("heading", name=name)).to_be_visible()
    page.get_by_role("button", name="T4 Tar Yard").focus()
    page.keyboard.press("ArrowRight")
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="T5 Slipway")).to_be_visible()
    page.goto(page.url.replace("/T5", "/T99"))
    expect(page.get_by_role("heading", name="No corner T99")).to_be_visible()
    accessible(page)


def test_the_track_book_says_which_corner_eats_tyres(open_page: Open, accessible: Check, desk: Desk) -> None:
    harbour = next(
        item for item in tracks.layouts(desk.whole.sessions, desk.actor("manager")) if item.layout == "Fishmarket"
    )
    # Who sees their own figures alone is told it too, without names.
    page = open_page(f"/tracks/{harbour.id}", who="driver")
    corners = page.get_by_role("region", name="Corners", exact=True)
    expect(corners).to_contain_text(re.compile(r"By \d drivers’ laps tyres fall off most at T7 \(\d+ % of it\)"))
    expect(corners.get_by_role("columnheader", name="Falloff")).to_be_visible()
    expect(corners.get_by_role("row", name=re.compile("^T7 ")).locator("b")).to_have_text(re.compile(r"\d+ %"))
    accessible(page)
    corners.get_by_role("link", name=re.compile("^T7 ")).click()
    expect(page.get_by_text("This corner eats tyres: spare them here.")).to_be_visible()
    accessible(page)
