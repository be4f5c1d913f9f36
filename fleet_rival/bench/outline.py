"""How much script it takes until the outline of a long layout is first painted, in a real browser."""

from math import cos, pi, sin
from statistics import median
from typing import Any, Final

from fleet_rival.bench.load import cookie_of
from fleet_rival.bench.measure import Row
from fleet_rival.core.track import Corner, Sector, Track
from fleet_rival.demo.screenshots import BROWSER
from fleet_rival.formats.tracks import write_track
from fleet_rival.runtime.trial import Trial
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.track import tracks

__all__ = ["bench_outline", "long_layout"]

_STEP_M: Final = 5.0
_TIMES: Final = 7
_MOST_MS: Final = 100


def long_layout(length_m: float = 30_000.0, corners: int = 200) -> Track:
    """A wavy ring of a given length with many corners, its centreline in steps of 5 m."""
    count = round(length_m / _STEP_M)
    waves = corners // 2
    raw = []
    for index in range(count):
        turn = 2 * pi * index / count
        radius = 1 + 0.03 * sin(waves * turn)
        raw.append((radius * cos(turn), radius * sin(turn)))
    around = sum(
        ((x1 - x0) ** 2 + (y1 - y0) ** 2) ** 0.5 for (x0, y0), (x1, y1) in zip(raw, [*raw[1:], raw[0]], strict=True)
    )
    points = tuple((x * length_m / around, y * length_m / around) for x, y in raw)
    each = length_m / corners
    made = tuple(
        Corner(f"T{n + 1}", n * each + 20, n * each + 55, n * each + 90, f"Corner {n + 1}", ("left", "right")[n % 2])
        for n in range(corners)
    )
    sectors = tuple(Sector(f"S{n + 1}", n * length_m / 4) for n in range(4))
    return Track("Bench", f"Long {length_m:.0f} {corners}", "road", length_m, sectors, made, _STEP_M, points)


def bench_outline(whole: Trial, actor: Actor) -> list[Row]:
    """Script time of the outline from when its data are there until it is painted, for a long layout and for a short
    one.
    """
    from playwright.sync_api import sync_playwright

    long, short = long_layout(), long_layout(2_000.0, 10)
    for made in (long, short):
        tracks.add_track(whole.sessions, actor, write_track(made))
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(**BROWSER)
        context = browser.new_context(viewport={"width": 1280, "height": 800}, reduced_motion="reduce")
        name, _, value = cookie_of(whole.sessions, actor).partition("=")
        context.add_cookies(
            [{"name": name, "value": value, "url": whole.address, "httpOnly": True, "sameSite": "Strict"}]
        )
        page = context.new_page()
        page.goto(f"{whole.address}/tracks")
        drawn, least = (median([_drawing_ms(page, made.layout) for _ in range(_TIMES)]) for made in (long, short))
        browser.close()
    lap = f"{long.length_m / 1000:g} km in steps of {_STEP_M:g} m, {len(long.corners)} corners"
    other = f"{short.length_m / 1000:g} km, {len(short.corners)} corners"
    return [
        (
            f"script until the outline of {lap} is first painted",
            f"{drawn:.0f} ms",
            f"most: {_MOST_MS} ms",
            f"{drawn / _MOST_MS:.2f} (aim 1)",
        ),
        ("the same", f"{drawn:.0f} ms", f"the same of {other}: {least:.0f} ms", f"{drawn / least:.1f}"),
    ]


def _drawing_ms(page: Any, layout: str) -> float:
    """Script of the outline alone: what the page measures from its data to its drawing."""
    page.get_by_role("navigation", name="Steps of the work").get_by_role("link", name="Track").click()
    page.evaluate("performance.clearMeasures()")
    page.get_by_role("link", name=layout, exact=True).click()
    page.locator(".outline svg .road[d]").wait_for()
    page.wait_for_function("performance.getEntriesByName('outline').length > 0")
    return float(page.evaluate("performance.getEntriesByName('outline')[0].duration"))
