"""A real browser against the real server on a real database with the demo's data; one set of them a run."""

import json
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Browser, BrowserContext, ConsoleMessage, Page, expect, sync_playwright

from fleet_rival.cli.demo_data import load_demo
from fleet_rival.cli.mariadb import MariaDB
from fleet_rival.cli.processes import free_port
from fleet_rival.cli.screenshots import BROWSER
from fleet_rival.cli.serve import Server
from fleet_rival.db.migrate import upgrade
from fleet_rival.db.session import make_engine, make_sessions

# Generous: a machine that is busy with something else must not fail a test.
expect.set_options(timeout=15_000)
AXE = Path(__file__).parents[2] / "frontend" / "node_modules" / "axe-core" / "axe.min.js"


@pytest.fixture(scope="session")
def address(tmp_path_factory: pytest.TempPathFactory) -> Iterator[str]:
    folder = tmp_path_factory.mktemp("servers")
    database = MariaDB(folder / "mariadb", free_port())
    database.start()
    server = None
    try:
        upgrade(database.url)
        engine = make_engine(database.url)
        load_demo(make_sessions(engine))
        engine.dispose()
        server = Server(free_port(), database.url, folder / "server.log")
        server.wait()
        yield server.address
    finally:
        if server:
            server.stop()
        database.stop()


@pytest.fixture(scope="session")
def browser() -> Iterator[Browser]:
    with sync_playwright() as playwright:
        made = playwright.chromium.launch(**BROWSER)
        yield made
        made.close()


@pytest.fixture
def open_page(browser: Browser, address: str) -> Iterator[Callable[..., Page]]:
    """Opens a path in a fresh context; fails the test on anything that the browser complains of."""
    contexts: list[BrowserContext] = []
    complaints: list[str] = []

    def note(message: ConsoleMessage) -> None:
        # A refused request is part of some tests; the browser reports it as an error of its own.
        if message.type in ("error", "warning") and "Failed to load resource" not in message.text:
            complaints.append(message.text)

    def open_it(path: str = "/", **options: Any) -> Page:
        context = browser.new_context(**{"viewport": {"width": 1280, "height": 800}, "reduced_motion": "reduce", **options})
        contexts.append(context)
        page = context.new_page()
        page.set_default_timeout(15_000)
        page.on("console", note)
        page.on("pageerror", lambda error: complaints.append(str(error)))
        page.goto(f"{address}{path}")
        return page

    yield open_it
    for context in contexts:
        context.close()
    assert not complaints


@pytest.fixture
def accessible() -> Callable[[Page], None]:
    """Runs axe on a page as it stands: no violation of WCAG 2.2 AA or of axe's best practices."""

    def check(page: Page) -> None:
        # The policy forbids scripts from elsewhere; the test's own is run outside of the page's reach.
        page.evaluate(AXE.read_text(encoding="utf-8") + "; undefined")
        found = page.evaluate("axe.run(document, { resultTypes: ['violations'] })")
        problems = [f"{row['id']}: {row['help']}: {[node['html'][:160] for node in row['nodes'][:3]]}" for row in found["violations"]]
        assert not problems, json.dumps(problems, indent=1)

    return check
