"""`./fleet screenshots`: the pictures of docs/screenshots, taken anew from the demo's data."""

import argparse
import os
import shutil
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import Any, Final

from fleet_rival.cli.console import say, step
from fleet_rival.cli.demo_data import load_demo
from fleet_rival.cli.mariadb import MariaDB
from fleet_rival.cli.processes import free_port
from fleet_rival.cli.serve import Server

__all__ = ["BROWSER", "add_arguments", "run"]

BROWSER: Final[dict[str, Any]] = {
    "executable_path": shutil.which("chromium"),
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

_UNREADABLE = """driver,session,run,lap,time,kind,S1,S2,S3
Ysolde Farrand,4,1,1,1:18.402,out,24.801,29.480,24.121
Ysolde Farrand,4,1,2,1:06.214,flying,20.911,24.902,20.401
Ysolde Farrand,4,1,3,1:06.1x1,flying,20.880,24.874,20.357
Ysolde Farrand,4,1,4,1:06.020,flying,20.842,24.861,20.317
Ysolde Farrand,4,1,4,1:05.997,flying,20.842,24.861,20.294
Corin Ashgrove,4,1,2,1:06.902,flying,21.102,25.201,20.599
Corin Ashgrove,4,1,three,1:06.740,flying,21.048,25.130,20.562
Corin Ashgrove,4,1,4,1:06.688,flying,21.030,25.120,20.558
Odalys Wrenwick,4,1,2,1:07.310,flying,21.202,25.400,20.708
"""
"""A file with something wrong in it, for the picture of the preview."""


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """None are needed."""


def run(arguments: argparse.Namespace) -> int:
    from playwright.sync_api import Page, sync_playwright

    from fleet_rival.db.migrate import upgrade
    from fleet_rival.db.session import make_engine, make_sessions

    out = Path(os.environ["FLEET_HOME"]) / "docs" / "screenshots"
    with tempfile.TemporaryDirectory() as folder:
        database = MariaDB(Path(folder) / "mariadb", free_port())
        server = None
        try:
            with step("Servers with the demo's data"):
                database.start()
                upgrade(database.url)
                engine = make_engine(database.url)
                load_demo(make_sessions(engine))
                engine.dispose()
                server = Server(free_port(), database.url, Path(folder) / "server.log")
                server.wait()
            with sync_playwright() as playwright, step("Pictures"):
                browser = playwright.chromium.launch(**BROWSER)

                def take(name: str, act: Callable[[Page], None], scheme: Any = "light", width: int = 1280) -> None:
                    page = browser.new_page(viewport={"width": width, "height": 800}, color_scheme=scheme, reduced_motion="reduce")
                    page.goto(server.address)
                    act(page)
                    page.wait_for_load_state("networkidle")
                    page.screenshot(path=out / f"{name}.png")
                    page.close()

                take("week", lambda page: page.get_by_role("heading", name="Week").wait_for())
                take("combination", _combination)
                take("combination-dark", _combination, "dark")
                take("ladder", _ladder)
                take("preview", _preview)
                take("files", _files)
                browser.close()
        finally:
            if server:
                server.stop()
            database.stop()
    say(f"Written: {out}")
    return 0


def _combination(page: Any) -> None:
    page.get_by_role("link", name="Port Skerrow, Fishmarket").click()
    page.get_by_role("button", name="Ysolde Farrand").click()
    page.get_by_role("grid").focus()
    page.keyboard.press("n")


def _ladder(page: Any) -> None:
    _combination(page)
    page.get_by_role("button", name="Linked ideal, qualifying").click()
    page.get_by_role("heading", name="From best lap").evaluate("element => element.scrollIntoView()")
    page.evaluate("window.scrollTo(0, document.body.scrollHeight)")


def _preview(page: Any) -> None:
    page.get_by_role("link", name="Add laps to Port Skerrow").click()
    page.locator("input[type=file]").set_input_files({"name": "thursday.laps.csv", "mimeType": "text/csv", "buffer": _UNREADABLE.encode()})
    page.get_by_role("heading", name="Rows set aside").wait_for()


def _files(page: Any) -> None:
    page.get_by_role("link", name="Add laps to Port Skerrow").click()
    page.get_by_role("heading", name="Files so far").wait_for()
