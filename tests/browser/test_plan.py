"""The plan in a real browser: made from the board by keys alone, a block locked, an absence added, planned again; dragged; on a phone."""

import re
from collections.abc import Callable
from datetime import date, timedelta

import pytest
from playwright.sync_api import Locator, Page, expect

from fleet_rival.services import profiles
from tests.browser.conftest import Desk

Open = Callable[..., Page]
Check = Callable[[Page], None]
PHONE = {"viewport": {"width": 390, "height": 800}, "color_scheme": "dark"}


def coming() -> date:
    """Tuesday of the week after this one: whole evenings are still to come, on whatever day the test runs."""
    today = date.today()  # noqa: DTZ011  the demo's own days
    return today + timedelta(days=8 - today.weekday())


def tab_to(page: Page, wanted: str, most: int = 250) -> None:
    """Go on by Tab until a control whose name begins so has the focus."""
    for _ in range(most):
        page.keyboard.press("Tab")
        name = page.evaluate("(document.activeElement.getAttribute('aria-label') ?? document.activeElement.innerText ?? '').trim()")
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


def test_a_plan_is_made_by_keys_alone_locked_and_made_again_around_an_absence(made: Page, accessible: Check, desk: Desk) -> None:
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
    moved = page.get_by_role("button", name=re.compile(f"^{driver}, .*{minutes // 60 % 24:02}:{minutes % 60:02} .*stays"))
    expect(moved).to_be_focused()
    page.keyboard.press("Enter")
    pane = page.get_by_role("region", name=re.compile(f"^{driver}: "))
    expect(pane).to_contain_text("Worth")
    accessible(page)
    pane.get_by_role("button", name="Why this one?").press("Enter")
    expect(pane.get_by_role("status")).to_contain_text("Somebody put it there: it stays.", timeout=60_000)

    # Somebody else is away: what was theirs goes, and it is said; what was locked stays.
    sessions, manager = desk.whole.sessions, desk.actor("manager")
    other = next(item for item in profiles.profiles(sessions, manager) if item.name != driver and blocks_of(page, item.name).count())
    profile = f"{desk.whole.address}/team/{other.id}"
    plan = page.url
    page.goto(profile)
    tab_to(page, "Add days off")
    page.keyboard.press("Enter")
    group = page.get_by_role("group", name="Days off 1")
    group.get_by_label("first day").fill(str(coming() - timedelta(days=1)))
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
    expect(page.get_by_text(re.compile(f"^{other.name}, .* is out\\.")).first).to_be_visible()
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
