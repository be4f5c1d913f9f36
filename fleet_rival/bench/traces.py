"""Ten laps of 20 km at 360 Hz over each other: how long the server takes for what is seen, and the browser for each
step nearer or on.
"""

import io
from statistics import median
from typing import Any

import numpy as np

from fleet_rival.bench.load import cookie_of
from fleet_rival.bench.measure import Row, ratio, repeat, seconds
from fleet_rival.core.telemetry.trace import Samples, Trace
from fleet_rival.core.track import Corner, Sector, Track
from fleet_rival.demo.screenshots import BROWSER
from fleet_rival.formats.telemetry_export import TelemetryWriter
from fleet_rival.formats.tracks import write_track
from fleet_rival.runtime.trial import Trial
from fleet_rival.services.drive.traces import imports, uploads, view
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.track import tracks
from fleet_rival.services.week import combinations, profiles

__all__ = ["bench_traces"]

_LENGTH_M, _LAPS, _RATE = 20_000.0, 10, 360.0
_STEPS = [
    "+",
    "+",
    "+",
    "PageDown",
    "PageDown",
    "]",
    "]",
    "+",
    "[",
    "PageUp",
    "-",
    "-",
    "]",
    "PageDown",
    "-",
    "-",
    "0",
    "+",
    "]",
    "]",
]
_SMOOTH_MS = 100.0
"""From a key to the next picture; what takes longer is felt."""


def _layout() -> Track:
    starts = [300 + 480.0 * number for number in range(40)]
    corners = tuple(
        Corner(f"T{number + 1}", at, at + 90, at + 160, None, "left" if number % 2 else "right")
        for number, at in enumerate(starts)
    )
    return Track(
        "Bench",
        "Long Traces",
        "road",
        _LENGTH_M,
        (Sector("S1", 0.0), Sector("S2", 7000.0), Sector("S3", 14_000.0)),
        corners,
    )


def _trace(number: int) -> Trace:
    rng = np.random.default_rng(number)
    where: Samples = np.arange(0, _LENGTH_M, 0.5)
    speed = 62 + 22 * np.sin(where / 76.4 + rng.normal(0, 0.05)) + rng.normal(0, 0.4, len(where)).cumsum() * 0.02
    speed = np.clip(speed, 18, 90)
    clock = np.concatenate([[0.0], np.cumsum(1 / (speed[1:] + speed[:-1]))])
    time: Samples = np.arange(0, float(clock[-1]), 1 / _RATE)
    distance = np.interp(time, clock, where)
    turned = 2 * np.pi * distance / _LENGTH_M
    channels = {
        "time_s": np.round(time, 4),
        "distance_m": distance,
        "speed_kmh": np.interp(distance, where, speed) * 3.6,
        "throttle_pct": np.clip(50 + 60 * np.sin(distance / 76.4), 0, 100),
        "brake_pct": np.clip(-40 - 90 * np.sin(distance / 76.4), 0, 100),
        "x_m": 3183 * np.sin(turned),
        "y_m": 3183 * (1 - np.cos(turned)),
    }
    return Trace("Ysolde Farrand", "bench", 1, number, channels)


def bench_traces(whole: Trial, actor: Actor) -> list[Row]:
    """What people wait for when they look at long laps."""
    layout_id = tracks.add_track(whole.sessions, actor, write_track(_layout())).id
    combination = combinations.add_combination(whole.sessions, actor, layout_id, "Long").id
    if "Ysolde Farrand" not in {item.name for item in profiles.profiles(whole.sessions, actor)}:
        profiles.add_driver(whole.sessions, actor, "Ysolde Farrand")
    out = io.BytesIO()
    traces = [_trace(number) for number in range(1, _LAPS + 1)]
    with TelemetryWriter(out, tuple(traces[0].channels)) as writer:
        for trace in traces:
            writer.add(trace)
    coming = uploads.begin_upload(whole.sessions, actor, combination, "long.telemetry.parquet", len(out.getvalue()))
    uploads.add_piece(whole.sessions, actor, coming.id, 0, io.BytesIO(out.getvalue()).read)
    assert imports.import_upload(whole.sessions, actor, coming.id).added == _LAPS
    keys = [lap.key for lap in view.traced_laps(whole.sessions, actor, combination)]
    samples = sum(len(trace) for trace in traces)

    def ask(low: float, high: float) -> Any:
        return view.overlay(whole.sessions, actor, combination, keys, "speed_kmh", low, high, 1400)

    whole_lap = repeat(lambda: ask(0, _LENGTH_M), 5)
    near = repeat(lambda: ask(4000, 5000), 5)
    steps = _in_the_browser(
        whole, actor, f"/combinations/{combination}/traces?{'&'.join(f'lap={key}' for key in keys)}"
    )
    worst = max(steps)
    return [
        (
            (
                f"{_LAPS} laps of 20 km at 360 Hz ({samples:,} samples) over each other, thinned on the server: the "
                "whole lap"
            ),
            seconds(whole_lap),
            "",
            "",
        ),
        ("the same, 1 km of it", seconds(near), "", ""),
        (
            f"from a key to the next picture of these {_LAPS} laps, {len(steps)} steps nearer, on and back: median",
            f"{median(steps):.0f} ms",
            f"most: {_SMOOTH_MS:.0f} ms",
            ratio(median(steps), _SMOOTH_MS, "1"),
        ),
        ("the slowest of these steps", f"{worst:.0f} ms", "the same", ratio(worst, _SMOOTH_MS, "1")),
    ]


def _in_the_browser(whole: Trial, actor: Actor, path: str) -> list[float]:
    from playwright.sync_api import sync_playwright

    name, _, value = cookie_of(whole.sessions, actor).partition("=")
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(**BROWSER)
        context = browser.new_context(viewport={"width": 1280, "height": 800}, reduced_motion="reduce")
        context.add_cookies(
            [{"name": name, "value": value, "url": whole.address, "httpOnly": True, "sameSite": "Strict"}]
        )
        page = context.new_page()
        page.goto(f"{whole.address}{path}")
        page.locator("path.trace").nth(_LAPS - 1).wait_for(state="attached", timeout=60_000)
        page.wait_for_timeout(1500)
        took = []
        for key in _STEPS:
            took.append(float(page.evaluate(_STEP, key)))
            page.wait_for_timeout(350)  # what is asked for meanwhile comes, and is drawn
        browser.close()
    return took


_STEP = """(key) => new Promise((done) => {
  const chart = document.querySelector('svg[role=slider]')
  const begin = performance.now()
  chart.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true }))
  requestAnimationFrame(() => requestAnimationFrame(() => done(performance.now() - begin)))
})"""
