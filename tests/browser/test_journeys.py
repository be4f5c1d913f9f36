"""Whole ways through the application, as a newcomer and a manager would go them."""

import re
from collections.abc import Callable
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import Desk, demo_row, open_demo, told
from tests.conftest import DATA, example

Open = Callable[..., Page]
Check = Callable[[Page], None]


def choose(page: Page, content: bytes | Path, name: str = "practice.laps.csv") -> None:
    page.locator("input[type=file]").set_input_files(
        content if isinstance(content, Path) else {"name": name, "mimeType": "text/csv", "buffer": content}
    )


def new_combination(page: Page, track: Path, car: str) -> None:
    page.get_by_role("link", name="New combination").click()
    choose(page, track)
    told(page, re.compile("chosen now"))
    page.get_by_label("Name of the car").fill(car)
    page.get_by_role("button", name="Create, then add laps").click()
    expect(page.get_by_role("heading", name="Add laps")).to_be_visible()


def row(page: Page, driver: str) -> list[str]:
    return page.get_by_role("row", name=driver).get_by_role("cell").all_inner_texts()


def test_the_demo_shows_where_a_driver_loses_time_by_mouse_and_by_keys(open_page: Open, accessible: Check) -> None:
    page = open_page()
    accessible(page)
    open_demo(page)
    expect(
        page.get_by_role("row", name=re.compile("Farrand|Ashgrove|Tull|Wick|Soosaar|Callowhill|Vetchley|Quillon"))
    ).to_have_count(8)
    page.get_by_role("button", name="Ysolde Farrand").click()
    strip = page.get_by_role("region", name=re.compile("Where the time goes: Ysolde Farrand"))
    expect(strip).to_contain_text("most at T6 Lantern Steps")
    readout = page.locator(".readout")
    expect(readout).to_contain_text("T6 Lantern Steps")
    grid = page.get_by_role("grid")
    grid.focus()
    page.keyboard.press("n")
    expect(readout).to_contain_text(re.compile(r"\+0\.[2-9]"))
    page.keyboard.press("Home")
    expect(readout).to_contain_text("lap 2")
    expect(readout).to_contain_text("cold tyres (by rule)")
    expect(readout).to_contain_text("no evidence")
    page.keyboard.press("ArrowRight")
    expect(readout).to_contain_text("lap 3")
    page.keyboard.press("ArrowUp")
    expect(readout).to_contain_text("T5 Slipway")
    active = grid.get_attribute("aria-activedescendant")
    chosen = page.locator(f"[id='{active}']")
    expect(chosen).to_have_attribute("aria-selected", "true")
    page.locator("[data-lap='9'][data-part='0']").hover()
    expect(readout).to_contain_text("L0:")
    accessible(page)


def test_each_rung_opens_to_the_laps_it_came_from(open_page: Open, accessible: Check) -> None:
    page = open_page()
    open_demo(page)
    page.get_by_role("button", name="Corin Ashgrove").click()
    rungs = page.locator("button.rung")
    expect(rungs).to_have_count(7)
    segment = page.get_by_role("button", name="Segment ideal")
    expect(segment).to_contain_text("on paper only: T4 and T5 can't both be had")
    segment.click()
    parts = page.locator(".origin button")
    expect(parts).to_have_count(10)
    accessible(page)
    came_from = parts.nth(6).inner_text()
    found = re.search(r"^(T6).*session (\d), run (\d), lap (\d+)$", came_from.replace("\n", " "))
    assert found
    parts.nth(6).click()
    expect(page.locator(".readout")).to_contain_text("T6 Lantern Steps")
    expect(page.locator(".readout")).to_contain_text(f"Session {found[2]}, run {found[3]}, lap {found[4]}:")
    assert sum(round(float(re.search(r"(\d+\.\d+)", text)[1]) * 1000) for text in parts.all_inner_texts()) > 60_000  # type: ignore[index]


def test_a_newcomers_own_track_and_laps(open_page: Open, accessible: Check) -> None:
    page = open_page()
    new_combination(page, DATA / "dirty" / "practice.track.json", "Cinder Truck")
    accessible(page)
    choose(page, DATA / "dirty" / "practice.unreadable.laps.csv")
    expect(page.get_by_text("65 new")).to_be_visible()
    aside = page.get_by_role("region", name="List of rows set aside")
    expect(aside.get_by_role("row")).to_have_count(8)
    expect(aside.get_by_role("row", name="1:9x.2")).to_contain_text("time")
    expect(aside.get_by_role("row", name="2l.417")).to_contain_text("S2")
    expect(page.get_by_label("Pavla Quintarrow (20 laps)")).to_have_value("add")
    accessible(page)
    page.get_by_role("button", name="Import 65 laps").click()
    told(page, "65 laps added, 7 rows set aside")
    page.get_by_role("link", name="See the result").click()
    expect(page.get_by_role("grid")).to_be_visible()
    assert row(page, "Keziah Umberlin")[1:7] == ["20.609", "20.609", "20.554", "20.604", "20.604", "20.550"]
    # The mended file brings the seven rows, and nothing twice.
    page.get_by_role("link", name="Add laps").click()
    choose(page, DATA / "dirty" / "practice.plain.laps.csv")
    expect(page.get_by_text("65 there already")).to_be_visible()
    page.get_by_role("button", name="Import 7 laps").click()
    page.get_by_role("link", name="See the result").click()
    expect(page.get_by_role("row", name="Pavla Quintarrow")).to_contain_text("20.405")


@pytest.mark.parametrize("folder", ["street-101", "oval-102"])
def test_each_plain_example_works_as_it_is(open_page: Open, folder: str) -> None:
    page = open_page()
    new_combination(page, next((DATA / folder).glob("*.track.json")), f"Car of {folder}")
    choose(page, next(path for path in (DATA / folder).glob("*.laps.csv") if "semicolon" not in path.name))
    page.get_by_role("button", name="Import 240 laps").click()
    page.get_by_role("link", name="See the result").click()
    expect(page.locator("tbody tr")).to_have_count(4)


def test_differences_are_shown_and_the_person_chooses_and_a_file_twice_is_offered_to_skip(
    open_page: Open, accessible: Check
) -> None:
    page = open_page()
    new_combination(page, DATA / "oval-102" / "oval-a-102.track.json", "Choosing Truck")
    plain = example("dirty/practice.plain.laps.csv")
    choose(page, plain)
    page.get_by_role("button", name=re.compile("^Import")).click()
    told(page, "added")
    choose(page, plain)
    expect(page.get_by_text("The same file was imported here")).to_be_visible()
    page.get_by_role("button", name="Skip it").click()
    choose(page, plain.replace(b",20.822,", b",20.522,", 1))
    difference = page.get_by_role("region", name="List of laps that differ").get_by_role("row").nth(1)
    expect(difference).to_contain_text("20.822")
    expect(difference).to_contain_text("20.522")
    accessible(page)
    page.get_by_label("Take the file's").check()
    page.get_by_role("button", name=re.compile("change 1")).click()
    told(page, "1 changed")
    page.get_by_role("link", name="See the result").click()
    expect(page.get_by_role("row", name="Keziah Umberlin")).to_contain_text("20.522")


@pytest.mark.parametrize(
    ("content", "words"),
    [
        (b"", "empty"),
        (b"\x00\x01", "not a plain-text"),
        (b"hello\n", "no header"),
        (b"driver,lap,time,S7\nA,1,60,1\n", "S7, which"),
    ],
)
def test_a_file_that_cannot_be_used_says_why_and_leaves_the_way_open(
    open_page: Open, accessible: Check, content: bytes, words: str
) -> None:
    page = open_page()
    demo_row(page).get_by_role("link", name="Add laps").click()
    choose(page, content)
    expect(page.get_by_role("alert")).to_contain_text(words)
    accessible(page)
    choose(page, b"driver,lap,time\nYsolde Farrand,900,1:05.9\n")
    expect(page.get_by_text("1 new")).to_be_visible()
    page.get_by_role("button", name="Discard the file").click()
    expect(page.get_by_role("button", name="Choose lap files")).to_be_visible()


def test_an_import_is_taken_back_and_put_in_again(open_page: Open, accessible: Check) -> None:
    page = open_page()
    new_combination(page, DATA / "oval-102" / "oval-a-102.track.json", "Returning Truck")
    choose(page, DATA / "dirty" / "practice.plain.laps.csv")
    page.get_by_role("button", name="Import 72 laps").click()
    told(page, "72 laps added")
    accessible(page)
    page.get_by_role("button", name=re.compile("Take back.*practice.plain")).click()
    told(page, "Took back: Imported practice.plain.laps.csv")
    page.get_by_role("link", name=re.compile("Returning Truck")).click()
    expect(page.get_by_role("heading", name="No laps yet")).to_be_visible()
    page.go_back()
    page.get_by_role("link", name="Put in again").click()
    page.get_by_role("button", name="Import 72 laps").click()
    told(page, "72 laps added")
    expect(page.get_by_role("button", name=re.compile("Take back.*practice.plain"))).to_have_count(1)


def test_laps_of_another_track_are_asked_about_before_they_are_in(open_page: Open, accessible: Check) -> None:
    page = open_page()
    demo_row(page).get_by_role("link", name="Add laps").click()
    choose(page, DATA / "oval-102" / "oval-a-102.laps.csv")
    question = page.get_by_role("alert").filter(has_text="Is this the right track?")
    expect(question).to_contain_text(
        re.compile(r"The median lap of the file takes 20\.\d+, that of the laps here 1:06\.\d+")
    )
    expect(question).to_contain_text("no column for T5, T6, T7, T8, T9")
    accessible(page)
    page.get_by_role("button", name="Discard the file").click()
    expect(question).to_be_hidden()


def test_a_file_over_the_limit_is_told_before_it_is_sent(open_page: Open, tmp_path: Path) -> None:
    page = open_page()
    demo_row(page).get_by_role("link", name="Add laps").click()
    large = tmp_path / "large.laps.csv"
    large.write_bytes(b"driver,lap,time\n" + b"A,1,60\n" * 7_200_000)
    choose(page, large)
    expect(page.get_by_role("alert")).to_contain_text("up to 50 MB are taken")


def test_an_empty_combination_says_what_to_do(open_page: Open, accessible: Check) -> None:
    page = open_page()
    new_combination(page, DATA / "street-101" / "street-a-101.track.json", "Empty Coupé")
    page.get_by_role("link", name=re.compile("Empty Coupé")).click()
    expect(page.get_by_role("heading", name="No laps yet")).to_be_visible()
    accessible(page)


def test_nothing_is_fetched_from_elsewhere(open_page: Open, desk: Desk) -> None:
    page = open_page()
    asked: list[str] = []
    page.on("request", lambda request: asked.append(request.url))
    page.reload()
    open_demo(page)
    assert asked and all(url.startswith((desk.whole.address, "data:")) for url in asked)


def test_the_week_board_of_the_demo_needs_no_scrolling(open_page: Open) -> None:
    page = open_page()
    open_demo(page)
    legend = page.locator(".legend")
    expect(legend).to_be_in_viewport(ratio=1)
