"""A real browser against the whole real application with the demo's data; one of each a run."""

import json
import os
import re
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Browser, BrowserContext, ConsoleMessage, Page, expect, sync_playwright

from fleet_rival.api.access import COOKIE
from fleet_rival.clock import AHEAD
from fleet_rival.demo.load import Account, load_demo
from fleet_rival.demo.screenshots import BROWSER
from fleet_rival.runtime.trial import Trial, trial
from fleet_rival.services.drive import files, importing
from fleet_rival.services.people import sign_in
from fleet_rival.services.people.team import person_called
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.track import tracks
from fleet_rival.services.week import combinations
from tests.conftest import DATA, DEMO

# Generous: a machine that is busy with something else must not fail a test.
expect.set_options(timeout=60_000)
# The servers that are started here don't describe themselves.
os.environ.pop("FLEET_DESCRIBE", None)
AXE = Path(__file__).parents[2] / "frontend" / "node_modules" / "axe-core" / "axe.min.js"


@dataclass
class Desk:
    """The application that runs, and who is in the demo."""

    whole: Trial
    accounts: dict[str, Account]

    def actor(self, role: str) -> Actor:
        found = person_called(self.whole.sessions, self.accounts[role].name)
        assert found is not None
        return found

    def cookie(self, actor: Actor) -> Any:
        """What a browser has in which somebody signed in."""
        with self.whole.sessions.begin() as session:
            token = sign_in.start(session, actor.person_id, actor.team_id, "a test")
        return {"name": COOKIE, "value": token, "url": self.whole.address, "httpOnly": True, "sameSite": "Strict"}

    def add_laps(self, combination: Any, name: str, laps: str) -> None:
        """Put a file in past the browser, as another manager would."""
        manager = self.actor("manager")
        file_id = files.upload(self.whole.sessions, manager, combination, name, laps.encode())
        revision = combinations.combination(self.whole.sessions, manager, combination).revision
        importing.confirm(self.whole.sessions, manager, file_id, importing.Wishes(revision))

    def lay_out(self, car: str, laps: str = "") -> str:
        """Make a combination with these laps; the path of its page."""
        manager = self.actor("manager")
        layout = tracks.add_track(
            self.whole.sessions, manager, next((DATA / "oval-102").glob("*.track.json")).read_bytes()
        )
        combination = combinations.add_combination(self.whole.sessions, manager, layout.id, car).id
        if laps:
            self.add_laps(combination, "laid-out.laps.csv", laps)
        return f"/combinations/{combination}"


CLOCK = """(() => {
  const Real = Date
  const ahead = %d
  class Shifted extends Real {
    constructor(...given) {
      super(...(given.length ? given : [Real.now() + ahead]))
    }
    static now() {
      return Real.now() + ahead
    }
  }
  window.Date = Shifted
})()"""
"""The browser's clock, as far ahead as the application's."""
ZONE = {"timezone_id": os.environ["TZ"]} if os.environ.get("TZ") else {}


@pytest.fixture(scope="session")
def desk(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Desk]:
    with trial(tmp_path_factory.mktemp("whole")) as whole:
        yield Desk(whole, {account.role: account for account in load_demo(whole.sessions, DEMO)})


@pytest.fixture(scope="session")
def browser() -> Iterator[Browser]:
    with sync_playwright() as playwright:
        made = playwright.chromium.launch(**BROWSER)
        yield made
        made.close()


@pytest.fixture
def open_page(browser: Browser, desk: Desk) -> Iterator[Callable[..., Page]]:
    """Opens a path in a fresh browser of somebody; fails the test on anything that the browser complains of."""
    contexts: list[BrowserContext] = []
    complaints: list[str] = []

    def note(message: ConsoleMessage) -> None:
        # A refused request is part of some tests; the browser reports it as an error of its own.
        if message.type in ("error", "warning") and "Failed to load resource" not in message.text:
            complaints.append(message.text)

    def open_it(path: str = "/combinations", who: str | Actor | None = "manager", **options: Any) -> Page:
        context = browser.new_context(
            **{"viewport": {"width": 1280, "height": 800}, "reduced_motion": "reduce", **ZONE, **options}
        )
        contexts.append(context)
        if AHEAD:
            context.add_init_script(CLOCK % round(AHEAD.total_seconds() * 1000))
        if who is not None:
            context.add_cookies([desk.cookie(desk.actor(who) if isinstance(who, str) else who)])
        page = context.new_page()
        page.set_default_timeout(60_000)
        page.on("console", note)
        page.on("pageerror", lambda error: complaints.append(str(error)))
        page.goto(f"{desk.whole.address}{path}")
        return page

    yield open_it
    for context in contexts:
        context.close()
    assert not complaints


@pytest.fixture
def accessible() -> Callable[[Page], None]:
    """Runs axe on a page as it stands, or on a part of it where the rest was looked at: no violation of WCAG 2.2 AA
    or of axe's best practices.
    """

    def check(page: Page, within: str = "document") -> None:
        # The policy forbids scripts from elsewhere; the test's own is run outside of the page's reach.
        if not page.evaluate("'axe' in window"):
            page.evaluate(AXE.read_text(encoding="utf-8") + "; undefined")
        # No rule that is on needs style sheets or media fetched anew.
        found = page.evaluate("axe.run(" + within + ", { resultTypes: ['violations'], preload: false })")
        problems = [
            f"{row['id']}: {row['help']}: {[node['html'][:160] for node in row['nodes'][:3]]}"
            for row in found["violations"]
        ]
        assert not problems, json.dumps(problems, indent=1)

    return check


def demo_row(page: Page) -> Any:
    """The row of the demo's fullest combination, in the list of combinations; the page goes there first."""
    if not page.url.split("?")[0].endswith("/combinations"):
        page.get_by_role("navigation", name="Pages of the week").get_by_role("link", name="Combinations").click()
    return page.get_by_role("row").filter(has_text="Port Skerrow, Fishmarket").filter(has_text="Wrenfield EC-2")


def turn_to(page: Page, path: str) -> None:
    """Go to another page of the application without loading it anew, as a link does."""
    page.evaluate(
        "path => { history.pushState(null, '', path); dispatchEvent(new PopStateEvent('popstate', { state: null })) }",
        path,
    )


def open_demo(page: Page) -> None:
    demo_row(page).get_by_role("link", name="Port Skerrow, Fishmarket").click()
    expect(page.get_by_role("grid")).to_be_visible()


def open_search(page: Page) -> None:
    page.keyboard.press("Control+k")
    expect(page.get_by_role("combobox", name="Go to")).to_be_focused()


def told(page: Page, words: str | re.Pattern[str]) -> None:
    """Wait until the page says something, where it says what becomes of things."""
    expect(page.get_by_role("status").filter(has_text=words).first).to_be_visible()
