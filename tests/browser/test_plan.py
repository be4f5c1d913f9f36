"""The plan in a real browser: made from the board by keys alone, a block locked, an absence added, planned again;
dragged; on a phone.
"""

import re
from collections.abc import Callable
from datetime import date, timedelta

import pytest
from playwright.sync_api import Locator, Page, expect

from fleet_rival.clock import now
from fleet_rival.services.week import profiles
from tests.browser.conftest import Desk

Open = Callable[..., Page]
Check = Callable[[Page], None]
PHONE = {"viewport": {"width": 390, "height": 800}, "color_scheme": "dark"}


def coming() -> date:
    """A day of the week after the one that runs, in whose middle the demo has today: whole evenings are still to
    come.
    """
    return now().astimezone().date() + timedelta(days=7)


def tab_to(page: Page, wanted: str, most: int = 250) -> None:
    """Go on by Tab until a control whose name begins so has the focus."""
    for _ in range(most):
        page.keyboard.press("Tab")
        name = page.evaluate(
            "(document.activeElement.getAttribute('aria-label') ?? document.activeElement.innerText ?? '').trim()"
        )
        name = " ".join(name.split())
        if name.startswith(wanted):
            return
    raise AssertionError(f"{wanted} can't be reached by Tab")


def spoken(block: Locator) -> str:
    """What a block is called."""
    return " ".join(block.inner_text().split())


def blocks_of(page: Page, driver: str) -> Locator:
    return page.get_by_role("button", name=re.compile(f"^{driver}, .* min( |$)"))


@pytest.fixture
def made(open_page: Open) -> Page:
    """The page of a plan that was just made from the board."""
    page = open_page(f"/?week={coming()}")
    expect(page.get_by_role("grid")).to_be_visible()
    tab_to(page, "Make the plan")
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="Plan", exact=True)).to_be_visible()
    expect(page.get_by_role("status").filter(has_text=re.compile("Made .* worth"))).to_be_visible(timeout=90_000)
    expect(page.get_by_role("button", name="Plan again")).to_be_enabled(timeout=90_000)
    return page


def test_a_plan_is_made_by_keys_alone_locked_and_made_again_around_an_absence(
    made: Page, accessible: Check, desk: Desk
) -> None:
    page = made
    accessible(page)
    label = spoken(page.locator("button.block").first)
    driver = label.split(",")[0]
    tab_to(page, label)
    # Later by a quarter of an hour: it stays where it was put.
    at = re.search(r"(\d\d):(\d\d) (.*?) \S+ · ", label)
    assert at is not None
    page.keyboard.press("ArrowDown")
    minutes = int(at[1]) * 60 + int(at[2]) + 15
    moved = page.get_by_role(
        "button", name=re.compile(f"^{driver}, .*{minutes // 60 % 24:02}:{minutes % 60:02} .*stays")
    )
    expect(moved).to_be_focused()
    page.keyboard.press("Enter")
    pane = page.get_by_role("region", name=re.compile(f"^{driver}: "))
    expect(pane).to_contain_text("Worth")
    accessible(page)
    pane.get_by_role("button", name="Why this one?").press("Enter")
    expect(pane.get_by_role("status")).to_contain_text("Somebody put it there: it stays.", timeout=60_000)

    # Somebody else is away: what was theirs goes, and it is said; what was locked stays.
    sessions, manager = desk.whole.sessions, desk.actor("manager")
    other = next(
        item
        for item in profiles.profiles(sessions, manager)
        if item.name != driver and blocks_of(page, item.name).count()
    )
    profile = f"{desk.whole.address}/team/{other.id}"
    plan = page.url
    page.goto(profile)
    tab_to(page, "Add days off")
    page.keyboard.press("Enter")
    group = page.get_by_role("group", name="Days off 1")
    group.get_by_label("first day").fill(str(coming() - timedelta(days=6)))
    group.get_by_label("last day").fill(str(coming() + timedelta(days=8)))
    tab_to(page, "Keep")
    page.keyboard.press("Enter")
    expect(page.get_by_role("status").filter(has_text="Kept.").first).to_be_visible()
    page.goto(plan)
    expect(moved).to_be_visible(timeout=60_000)
    tab_to(page, "Plan again")
    page.keyboard.press("Enter")
    changed = page.get_by_text(re.compile("^What changed against the plan before"))
    expect(changed).to_be_visible(timeout=90_000)
    expect(blocks_of(page, other.name)).to_have_count(0)
    expect(moved).to_be_visible()
    tab_to(page, "What changed")
    page.keyboard.press("Enter")
    expect(page.get_by_text(re.compile(rf"^{other.name}, .* is out\.")).first).to_be_visible()
    accessible(page)
    page.keyboard.press("Control+z")
    expect(blocks_of(page, other.name).first).to_be_visible(timeout=60_000)


def test_blocks_are_dragged_and_taken_out(made: Page) -> None:
    page = made
    block = page.locator("button.block").first
    label = spoken(block)
    driver, day = label.split(",")[0], label.split(", ")[1].split(" ")[0]
    row = page.get_by_role("row").filter(has=page.get_by_role("rowheader", name=re.compile(f"^{driver}")))
    heads = page.get_by_role("columnheader").all_inner_texts()
    at = next(index for index, head in enumerate(heads) if head.startswith(day))
    to = at + 1 if at + 1 < len(heads) else at - 1
    block.drag_to(row.get_by_role("cell").nth(to - 1))
    moved = page.get_by_role("button", name=re.compile(f"^{driver}, {heads[to].split(' ')[0]} .*stays"))
    expect(moved.first).to_be_visible()
    moved.first.click()
    pane = page.get_by_role("region", name=re.compile(f"^{driver}: "))
    before = blocks_of(page, driver).count()
    pane.get_by_role("button", name="Longer").click()
    pane.get_by_role("button", name="Take it out").click()
    expect(blocks_of(page, driver)).to_have_count(before - 1)
    expect(pane).to_have_count(0)


def test_readiness_and_the_own_lane_fit_a_phone(made: Page, open_page: Open, accessible: Check) -> None:
    ready = open_page("/readiness")
    expect(ready.get_by_role("row").nth(1)).to_be_visible(timeout=60_000)
    expect(ready.get_by_role("columnheader", name="open mistakes")).to_be_visible()
    accessible(ready)
    for path in (f"/plan?day={coming()}", "/readiness", "/"):
        page = open_page(path, who="driver", **PHONE)
        expect(page.get_by_role("heading", level=1)).to_be_visible()
        expect(page.locator(".skeleton")).to_have_count(0, timeout=60_000)
        assert page.evaluate("document.documentElement.scrollWidth <= window.innerWidth"), path
        accessible(page)
        assert "Corin" not in page.locator("main").inner_text()
        expect(page.get_by_role("button", name=re.compile("Plan again|Make the plan"))).to_have_count(0)
    expect(page.get_by_role("heading", name="Your practice")).to_be_visible()


def test_what_if_stands_beside_the_plan_and_what_would_make_room_is_said(made: Page, accessible: Check) -> None:
    page = made
    page.get_by_role("button", name="What if…").click()
    part = page.get_by_role("region", name="What if")
    part.get_by_label(re.compile("^What")).select_option("no time then")
    driver = spoken(page.locator("button.block").first).split(",")[0]
    part.get_by_label(re.compile("^Driver")).select_option(driver)
    for day in part.get_by_label(re.compile("^Day")).locator("option").all():
        part.get_by_label(re.compile("^Day")).select_option(day.inner_text())
        part.get_by_label(re.compile("^From")).fill("00:00")
        part.get_by_label(re.compile("^To")).fill("23:59")
        part.get_by_role("button", name="Add it").click()
    part.get_by_role("button", name="Plan it beside the present one").click()
    expect(part.get_by_text(re.compile("^The plan would be worth .* less: .* out"))).to_be_visible(timeout=90_000)
    sides = part.get_by_role("row").filter(has=page.get_by_role("rowheader", name=re.compile(f"^{driver}")))
    expect(sides).to_have_count(2)
    accessible(page)
    # Nothing of it is kept.
    page.reload()
    expect(blocks_of(page, driver).first).to_be_visible(timeout=60_000)

    left = page.get_by_role("region", name="What found no place")
    left.get_by_role("button", name=re.compile("^What would make room")).first.click()
    expect(left.get_by_role("status").first).to_contain_text(
        re.compile("would make room|No evening more"), timeout=90_000
    )


def test_the_manager_changes_what_counts_and_looks_back(open_page: Open, accessible: Check) -> None:
    rules = open_page("/plan/rules")
    expect(rules.get_by_role("heading", name="When a driver is ready")).to_be_visible()
    accessible(rules)
    rules.get_by_label("laps driven: met").fill("10")
    rules.get_by_label("laps driven: close").fill("20")
    rules.get_by_role("button", name="Keep it").click()
    expect(rules.get_by_role("alert")).to_contain_text("what is close can't be better")
    rules.get_by_label("laps driven: close").fill("5")
    rules.get_by_role("button", name="Add a kind").click()
    rules.get_by_label("Name of the block").fill("standing starts")
    setting = rules.get_by_role("row").filter(has_text="nobody needs to walk the track")
    setting.get_by_role("spinbutton").fill("20")
    expect(setting.get_by_role("button", name=re.compile("As usual"))).to_be_visible()
    quiet = rules.get_by_label("Nobody is asked to practise from", exact=True)
    expect(quiet).to_have_value("00:30")
    quiet.fill("01:15")
    expect(rules.get_by_role("button", name="As usual: Nobody is asked to practise from")).to_be_visible()
    rules.get_by_role("button", name="Keep it").click()
    expect(rules.get_by_role("status").filter(has_text="Kept.")).to_be_visible()
    accessible(rules)
    ready = open_page("/readiness")
    # Almost everybody has driven ten laps.
    cells = ready.get_by_role("row").filter(has_text="there")
    expect(cells.first).to_be_visible(timeout=60_000)
    ready.locator("summary").last.click()
    ready.get_by_role("button", name="How it came about").last.click()
    week = ready.get_by_role("table", name="Over the week")
    expect(week.get_by_role("row").nth(1)).to_contain_text("%", timeout=120_000)
    expect(ready.get_by_role("table", name="At the race in earlier weeks").get_by_role("row").nth(1)).to_contain_text(
        "week 1"
    )
    accessible(ready)
    ready.keyboard.press("Control+z")
    again = open_page("/plan/rules")
    expect(again.get_by_label("laps driven: met")).to_have_value("60")
    expect(again.get_by_label("Name of the block")).to_have_count(0)


def test_who_drives_which_race_and_the_weeks_to_come(open_page: Open, accessible: Check) -> None:
    page = open_page("/plan/lineup")
    expect(page.get_by_role("heading", name="Proposal")).to_be_visible(timeout=90_000)
    drives = page.locator("button.cell.chosen")
    everybody = drives.count()
    drives.first.click()
    expect(page.get_by_role("status").filter(has_text="The team would have")).to_be_visible()
    accessible(page)
    page.get_by_label("Races a driver and week").fill("1")
    expect(drives).not_to_have_count(everybody)
    assert drives.count() < everybody
    # A week's points are put right, and what counts follows.
    points = page.get_by_label(re.compile(", week 1: points$")).first
    points.fill("500")
    points.press("Tab")
    large = page.locator(".total").filter(has_text=re.compile(r"^5\d\d$"))
    expect(large).to_have_count(1)
    # Inside a field the same keys take back what was typed.
    drives.first.focus()
    page.keyboard.press("Control+z")
    expect(large).to_have_count(0, timeout=30_000)
    ahead = open_page("/outlook")
    expect(ahead.get_by_role("columnheader", name="the week that runs")).to_be_visible(timeout=60_000)
    expect(ahead.get_by_role("row").filter(has_text="Ysolde Farrand")).to_contain_text(
        re.compile(r"needs \d+\.\d h, has \d+\.\d h")
    )
    accessible(ahead)
    own = open_page("/outlook", who="driver", **PHONE)
    expect(own.get_by_role("rowheader", name="Ysolde Farrand")).to_be_visible(timeout=60_000)
    assert own.evaluate("document.documentElement.scrollWidth <= window.innerWidth")
    assert "Corin" not in own.locator("main").inner_text()
    accessible(own)
