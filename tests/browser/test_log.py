"""What was learned, in a real browser: proposed by a driver, confirmed by the coach, back on the next visit."""

import re
from collections.abc import Callable

from playwright.sync_api import Page, expect

from tests.browser.conftest import demo_row, open_search

Open = Callable[..., Page]
Check = Callable[[Page], None]
PHONE = {"viewport": {"width": 390, "height": 800}, "color_scheme": "dark"}
WORDS = "The bollard at the scales marks the braking when the board is hidden"


def test_a_lesson_is_proposed_confirmed_and_comes_back(open_page: Open, accessible: Check) -> None:
    own = open_page("/log/learned", who="driver", **PHONE)
    own.get_by_label("In one sentence").fill(WORDS)
    write = own.get_by_role("form", name="Write down what was learned")
    write.get_by_label("Track").select_option("Port Skerrow, Fishmarket")
    write.get_by_label("Corner").fill("T1")
    own.get_by_role("button", name="Propose it").click()
    mine = own.get_by_role("listitem").filter(has_text=WORDS)
    expect(mine).to_contain_text("proposed by Ysolde Farrand")
    assert own.evaluate("document.documentElement.scrollWidth <= window.innerWidth")
    accessible(own)

    coach = open_page("/log/learned", who="coach")
    search = coach.get_by_role("search", name="Lessons")
    search.get_by_label("Words").fill("bollard board")
    found = coach.get_by_role("listitem").filter(has_text=WORDS)
    expect(coach.get_by_role("listitem")).to_have_count(1)
    accessible(coach)
    found.get_by_role("button", name="Confirm").press("Enter")
    expect(found).not_to_contain_text("proposed")
    search.get_by_label("Words").fill("nothing of the kind")
    expect(coach.get_by_text("Nothing that was learned says that.")).to_be_visible()

    # The next visit to that track.
    board = open_page("/")
    board.get_by_role("columnheader").get_by_role("link", name="Port Skerrow, Fishmarket").click()
    back = board.get_by_role("region", name="Learned before")
    expect(back.get_by_role("listitem").filter(has_text=WORDS)).to_be_visible()
    accessible(board)
    expect(own.get_by_role("listitem").filter(has_text=WORDS)).not_to_contain_text("proposed")
    expect(mine.get_by_role("button")).to_have_count(0)


def test_what_was_written_is_found_wherever_it_stands(open_page: Open, accessible: Check) -> None:
    page = open_page("/")
    expect(demo_row(page)).to_be_visible()
    open_search(page)
    page.get_by_role("combobox", name="Go to").fill("groove")
    page.get_by_role("link", name="“groove” in all that was written").click()
    asked = page.get_by_role("search", name="All that was written")
    expect(asked.get_by_label("Words")).to_have_value("groove")
    found = page.get_by_role("main").get_by_role("listitem")
    expect(found.filter(has_text="Question")).to_contain_text("Do we run the second groove from lap ten on, or later?")
    accessible(page)
    asked.get_by_label("Kind").select_option("Corner")
    expect(found.filter(has_text="Question")).to_have_count(0)
    lanes = found.filter(has_text="lane: second groove, from lap ten on")
    expect(lanes.locator("mark").first).to_have_text("groove")
    lanes.get_by_role("link").click()
    expect(page.get_by_role("heading", name="T2 Clinker")).to_be_visible()
    expect(page.get_by_text("middle of the race: middle, second groove, from lap ten on")).to_be_visible()
    # What was asked for stands in the address.
    page.go_back()
    expect(asked.get_by_label("Kind")).to_have_value("corner")
    asked.get_by_label("Words").fill("nothing of the kind")
    expect(page.get_by_text("Nothing that was written holds all of that.")).to_be_visible()

    # What was said of a run leads to that run.
    asked.get_by_label("Kind").select_option("")
    for words, kind in (("second lantern", "Said of a lap"), ("later turn-in", "Note of a run")):
        asked.get_by_label("Words").fill(words)
        found.filter(has_text=kind).get_by_role("link").first.click()
        expect(page.get_by_role("heading", name=re.compile(r", run \d+$"), level=1)).to_be_visible()
        page.go_back()

    own = open_page("/log/written?q=exit", who="driver", **PHONE)
    expect(own.get_by_role("main").get_by_role("listitem").first).to_be_visible()
    assert own.evaluate("document.documentElement.scrollWidth <= window.innerWidth")
    accessible(own)


def test_a_result_is_written_down_held_against_the_sheet_and_teaches(open_page: Open, accessible: Check) -> None:
    page = open_page("/")
    page.get_by_role("navigation").get_by_role("link", name="Log").click()
    expect(page.get_by_role("heading", name="Races behind")).to_be_visible()
    expect(
        page.get_by_role("region", name="How good our expectations were").get_by_role("listitem").first
    ).to_be_visible(timeout=60_000)
    accessible(page)
    page.get_by_role("link", name=re.compile("^Ysolde Farrand ?, Port Skerrow, Ebb Tide")).click()
    # The demo's last race: what the sheet expected is held against its laps.
    start = page.get_by_role("region", name=re.compile("^Start of"))
    expect(start.get_by_text(re.compile("^Mean lap of the race: "))).to_be_visible(timeout=60_000)
    expect(start.get_by_text(re.compile(r"^T\d.* passes in the race"))).not_to_have_count(0)
    with page.expect_download() as download:
        start.get_by_role("group", name=re.compile("^Picture: expected and came")).get_by_role(
            "button", name="SVG"
        ).click()
    drawn = download.value.path().read_text()
    assert drawn.startswith("<svg") and "Mean lap of the race:" in drawn
    accessible(page)

    # Another start of the same week, as the driver saw it.
    page.get_by_text("Write down another start").click()
    form = page.get_by_role("form")
    form.get_by_label("When, by this clock").fill(page.get_by_label("When, by this clock").get_attribute("min") or "")
    form.get_by_label("Lap of qualifying").fill("1:05.999")
    form.get_by_label("Started from").fill("6")
    form.get_by_label("Finished").fill("3")
    form.get_by_label("Points").fill("39")
    form.get_by_role("button", name="Add an incident").click()
    form.get_by_label(re.compile("^at no corner")).select_option(label="T1 Foghorn")
    form.get_by_label("came from").select_option("other")
    accessible(page)
    form.get_by_role("button", name="Write it down").click()
    expect(
        page.get_by_text(re.compile("Qualified with 1:05.999 · started from 6 · finished 3 · 39 points"))
    ).to_be_visible()
    expect(page.get_by_text("contact at T1 Foghorn, another’s doing").first).to_be_visible()
    # The best start counts.
    expect(page.get_by_text(re.compile("week 2 · 39 points"))).to_be_visible()

    # A lesson that the figures propose is confirmed, and comes back.
    proposed = page.get_by_role("region", name="What there is to be learned").get_by_role("listitem").first
    words = (proposed.locator("span").first.text_content() or "").split("  ")[0].split(" Port Skerrow")[0]
    proposed.get_by_role("button", name=re.compile("^Confirm")).click()
    expect(page.get_by_role("button", name=re.compile(f"^Confirm ?: {re.escape(words)}"))).to_have_count(0)
    page.get_by_role("link", name="All races behind").click()
    page.get_by_role("link", name="Learned").click()
    expect(page.get_by_text(words).first).to_be_visible()


def test_a_season_on_a_page(open_page: Open, accessible: Check) -> None:
    own = open_page("/log/books", who="driver", **PHONE)
    expect(own.get_by_role("listitem")).to_have_count(1)
    own.get_by_role("link", name="Ysolde Farrand").click()
    weeks = own.get_by_role("region", name="Week by week")
    expect(weeks.get_by_role("row", name=re.compile("^Spread"))).to_be_visible(timeout=60_000)
    expect(own.get_by_text(re.compile(r"^\s*Mistakes: what they cost"))).to_be_visible(timeout=60_000)
    expect(own.get_by_text(re.compile(r"Harbour Spark Cup, \d weeks: spread"))).to_be_visible()
    assert own.evaluate("document.documentElement.scrollWidth <= window.innerWidth")
    accessible(own)
    # What a driver writes of the own race, on the way home.
    own.goto(own.url.split("/log/")[0] + "/log")
    own.get_by_role("link", name=re.compile("^Ysolde Farrand ?, Port Skerrow, Ebb Tide")).click()
    expect(own.get_by_role("region", name=re.compile("^Start of")).first).to_be_visible(timeout=60_000)
    own.get_by_text("Write down another start").click()
    expect(own.get_by_role("button", name="Write it down")).to_be_visible()
    assert own.evaluate("document.documentElement.scrollWidth <= window.innerWidth")
    accessible(own)
    expect(own.get_by_role("button", name=re.compile("^Confirm"))).to_have_count(0)
