"""`./fleet screenshots`: the pictures of docs/screenshots, taken anew from the demo's data."""

import argparse
import os
import re
import shutil
import tempfile
from collections.abc import Callable
from datetime import timedelta
from itertools import islice
from pathlib import Path
from typing import Any, Final

from fleet_rival.clock import now
from fleet_rival.demo.load import Account, load_demo, rig_token
from fleet_rival.runtime.console import say, step
from fleet_rival.runtime.trial import Trial, trial
from fleet_rival.services.drive.runs import declare
from fleet_rival.services.people.team import person_called
from fleet_rival.services.week import combinations, profiles
from fleet_rival.simulator.people import COACH
from fleet_rival.simulator.rig import Rig, Wishes

__all__ = ["BROWSER", "add_arguments", "run"]

BROWSER: Final[dict[str, Any]] = {
    "executable_path": shutil.which("chromium-headless-shell") or shutil.which("chromium"),
    "args": [
        "--no-sandbox",
        "--disable-gpu",
        "--disable-quic",
        "--no-first-run",
        "--disable-background-networking",
        "--disable-component-update",
        "--disable-sync",
    ],
}
"""How Debian's Chromium is started for tests and pictures."""


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """None are needed."""


def run(arguments: argparse.Namespace) -> int:
    from playwright.sync_api import Page, sync_playwright

    out = Path(os.environ["FLEET_HOME"]) / "docs" / "screenshots"
    with tempfile.TemporaryDirectory() as folder, trial(Path(folder)) as whole:
        with step("Demo data"):
            accounts = {account.role: account for account in load_demo(whole.sessions, whole.folder / "demo")}
        with sync_playwright() as playwright, step("Pictures"):
            browser = playwright.chromium.launch(**BROWSER)

            def take(name: str, act: Callable[[Page], None], scheme: Any = "light", role: str = "manager") -> None:
                context = browser.new_context(
                    viewport={"width": 1280, "height": 800}, color_scheme=scheme, reduced_motion="reduce"
                )
                page = context.new_page()
                page.goto(whole.address, wait_until="networkidle")
                _sign_in(page, accounts[role])
                act(page)
                page.wait_for_timeout(600)
                page.screenshot(path=out / f"{name}.png")
                context.close()

            take("week", _board)
            take("my-week", lambda page: page.get_by_role("heading", name="Where you stand").wait_for(), role="driver")
            take("track", _track)
            take("combination", _combination)
            take("run", _run)
            take("consistency", _consistency)
            take("accounts", _accounts)
            take("beside", _beside)
            take("traces", _traces)
            take("clinic", _clinic)
            take("mistake", _mistake)
            take("plan", _plan)
            take("readiness", _readiness)
            take("outlook", _outlook)
            take("race", _race)
            take("race-sheet", _race_sheet)
            take("debrief", _debrief)
            take("season", _season)
            # Last: what is driven here would be seen on other pages too.
            _drive_some(whole)
            take("live", _live)
            browser.close()
    say(f"Written: {out}")
    return 0


def _sign_in(page: Any, account: Account) -> None:
    page.get_by_label("Name").fill(account.sign_in_name)
    page.get_by_label("Password").fill(account.password or "")
    page.get_by_role("button", name="Sign in").click()
    page.get_by_role("navigation", name="Pages of the week").wait_for()


def _go(page: Any, path: str) -> None:
    page.goto(f"{page.evaluate('location.origin')}/{path}")


def _board(page: Any) -> None:
    page.get_by_role("grid").wait_for()
    page.get_by_role("gridcell", name=re.compile("^Teodora Wick, Port Skerrow")).click()


def _layout(page: Any, name: str) -> None:
    page.get_by_role("navigation", name="Steps of the work").get_by_role("link", name="Track").click()
    page.get_by_role("link", name=name, exact=True).click()
    page.locator(".outline svg").first.wait_for()


def _track(page: Any) -> None:
    _layout(page, "Great Round")


def _row(page: Any) -> Any:
    page.get_by_role("heading", name="The coming four weeks").wait_for()
    page.get_by_role("navigation", name="Pages of the week").get_by_role("link", name="Combinations").click()
    return page.get_by_role("row").filter(has_text="Port Skerrow, Fishmarket").filter(has_text="Wrenfield EC-2")


def _open_combination(page: Any) -> None:
    _row(page).get_by_role("link", name="Port Skerrow, Fishmarket").click()
    page.get_by_role("grid").wait_for()


def _combination(page: Any) -> None:
    _open_combination(page)
    page.get_by_role("button", name="Ysolde Farrand").click()
    page.get_by_role("grid").focus()
    page.keyboard.press("n")


def _consistency(page: Any, driver: str = "Ysolde Farrand") -> None:
    _open_combination(page)
    page.get_by_role("button", name=driver).click()
    page.get_by_role("link", name=re.compile("^Pace, consistency and options")).click()
    page.get_by_role("img", name=re.compile(f"flying laps of {driver}")).wait_for()
    page.get_by_role("heading", name="Week by week").wait_for()


def _accounts(page: Any) -> None:
    _consistency(page, "Jorund Vetchley")
    page.get_by_role("link", name="Where every thousandth went").click()
    page.get_by_role("heading", name="Lap by lap").wait_for()


def _beside(page: Any) -> None:
    _open_combination(page)
    page.get_by_role("link", name="side by side").click()
    page.get_by_role("heading", name="Who could show whom").wait_for()


def _drive(page: Any, way: str) -> None:
    _row(page).get_by_role("link", name=re.compile("Add laps")).click()
    page.get_by_role("navigation", name="Ways to collect laps").get_by_role("link", name=way, exact=True).click()


def _run(page: Any) -> None:
    _drive(page, "Runs")
    page.get_by_role("link", name="Ysolde Farrand, run 2").first.click()
    page.get_by_role("checkbox", name=re.compile("^Lap ")).nth(5).focus()


def _traces(page: Any) -> None:
    _open_combination(page)
    page.get_by_role("link", name="traces").click()
    page.get_by_role("button", name="Everybody’s fastest").click()
    page.get_by_role("slider").focus()
    page.keyboard.press("Home")
    for _ in range(6):
        page.keyboard.press("]")
    for _ in range(3):
        page.keyboard.press("+")
    page.get_by_role("heading", name=re.compile("Lantern Steps")).wait_for()
    page.get_by_role("radio", name=re.compile("Teodora Wick")).check()
    # All eight are read, and the band is drawn.
    page.get_by_role("row", name=re.compile(r"Teodora Wick.*\d [+−]?\d")).first.wait_for()


def _drive_some(whole: Trial) -> None:
    """Four drivers on the road at once, each with a purpose, as far as they have come."""
    coach = person_called(whole.sessions, COACH)
    assert coach is not None
    combination = next(
        item.id
        for item in combinations.combinations(whole.sessions, coach)
        if (item.layout, item.car) == ("Fishmarket", "Wrenfield EC-2")
    )
    drivers = {item.name: item.id for item in profiles.profiles(whole.sessions, coach)}
    rig = Rig(whole.address, rig_token(whole.folder / "demo") or "", lambda seconds: None)
    for driver, purpose, laps, so_far in (
        ("Corin Ashgrove", "learn", 10, 8),
        ("Ysolde Farrand", "qualifying", 5, 4),
        ("Nerys Callowhill", "long", 12, 12),
        ("Ilmar Soosaar", "build", 5, 7),
    ):
        context = {"purpose": purpose, "watch": ["one thing at a time"] if purpose == "learn" else []}
        declare.declare(whole.sessions, coach, combination, drivers[driver], context, [])
        for _ in islice(rig.drive(driver, Wishes(laps, 1e6, rate_hz=25)), so_far):
            pass


def _live(page: Any) -> None:
    _go(page, "live")
    page.get_by_role("article").nth(3).wait_for()


def _team_clinic(page: Any) -> None:
    page.get_by_role("navigation", name="Steps of the work").get_by_role("link", name="Fix").click()
    page.get_by_role("combobox").first.select_option(label="Port Skerrow, Fishmarket · Wrenfield EC-2")
    page.get_by_role("row", name=re.compile("^T6 Lantern Steps")).wait_for()


def _clinic(page: Any) -> None:
    _team_clinic(page)
    page.get_by_role("columnheader").get_by_role("link", name="Jorund Vetchley").click()
    page.get_by_role("link", name=re.compile("^Its passes")).first.wait_for()


def _mistake(page: Any) -> None:
    _clinic(page)
    page.get_by_role("link", name=re.compile("^Its passes")).first.click()
    page.get_by_role("region", name="Its passes").get_by_role("img").first.wait_for()


def _plan(page: Any) -> None:
    _go(page, f"plan?day={now().date() + timedelta(days=7)}")
    page.get_by_role("button", name="Make the plan").click()
    page.get_by_role("button", name="Plan again").wait_for(timeout=90_000)
    page.locator("button.block.build").nth(1).click()


def _race(page: Any) -> None:
    _go(page, "races")
    page.get_by_role("link", name=re.compile("^Ysolde Farrand ?, Port Skerrow, Fishmarket")).click()
    page.get_by_role("heading", name="Tyres and stops").wait_for()


def _race_sheet(page: Any) -> None:
    _race(page)
    page.get_by_role("link", name="Race sheet", exact=True).click()
    page.get_by_role("button", name="Hand it out").click()
    page.get_by_text(re.compile("sheet 1, handed out")).wait_for()


def _debrief(page: Any) -> None:
    _go(page, "log")
    page.get_by_role("link", name=re.compile("^Ysolde Farrand ?, Port Skerrow, Ebb Tide")).click()
    page.get_by_text(re.compile("^Mean lap of the race: ")).wait_for(timeout=60_000)


def _season(page: Any) -> None:
    _go(page, "log/books")
    page.get_by_role("link", name="Ysolde Farrand").click()
    page.get_by_text(re.compile(r"^\s*Mistakes: what they cost")).wait_for(timeout=90_000)


def _outlook(page: Any) -> None:
    _go(page, "outlook")
    page.get_by_role("columnheader", name="the week that runs").wait_for()


def _readiness(page: Any) -> None:
    _go(page, "readiness")
    page.get_by_role("row").nth(1).wait_for(timeout=60_000)
