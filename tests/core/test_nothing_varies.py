"""Values that are all equal, one alone, none, or evenly rising: each figure of core says a finite number, or that
there is none.
"""

import json
import math
from collections.abc import Callable
from dataclasses import asdict, is_dataclass
from itertools import product
from typing import Any

import numpy as np
import pytest

from fleet_rival.core.analysis import analyse
from fleet_rival.core.clinics import clinics_of, curves_by_driver
from fleet_rival.core.consistency import ratio_to_team
from fleet_rival.core.ideals.best_of import best_of, odds_of
from fleet_rival.core.laps.lap import Lap
from fleet_rival.core.pace.learning import Point, learning_curve
from fleet_rival.core.pace.looks import setup_changes
from fleet_rival.core.pace.runs import clean_runs
from fleet_rival.core.pace.slope import level_of, pooled_slope, widening
from fleet_rival.core.pace.versus import project, versus
from fleet_rival.core.race.consumption import consumption_of, start_load
from fleet_rival.core.race.opening import opening
from fleet_rival.core.race.tow import tow_worth
from fleet_rival.core.report import report
from fleet_rival.core.settings import Settings
from fleet_rival.core.statistics import adjusted_deviation
from fleet_rival.formats.laps import read_laps
from fleet_rival.formats.tracks import read_track
from tests.conftest import DATA
from tests.unvarying import KINDS, lap_file

TRACK = read_track(next((DATA / "oval-102").glob("*.track.json")).read_bytes())
SERIES: dict[str, list[float]] = {
    "none": [],
    "one": [20.7e6],
    "two equal": [20.7e6] * 2,
    "equal": [20.7e6] * 12,
    "evenly rising": [20.7e6 + 10_000 * step for step in range(12)],
    "evenly falling": [20.7e6 - 10_000 * step for step in range(12)],
    "one apart": [20.7e6] * 6 + [24e6] + [20.7e6] * 6,
}
PLACES: dict[str, Callable[[int], list[float]]] = {
    "in order": lambda count: [float(step) for step in range(count)],
    "all at one": lambda count: [3.0] * count,
}


def finite(value: Any) -> None:
    if is_dataclass(value) and not isinstance(value, type):
        value = asdict(value)
    if isinstance(value, dict):
        for item in value.values():
            finite(item)
    elif isinstance(value, list | tuple):
        for item in value:
            finite(item)
    elif isinstance(value, float | np.floating):
        assert math.isfinite(value)


def laps_of(kind: str) -> list[Lap]:
    return [lap for _, lap in read_laps(lap_file(kind), TRACK).laps]


@pytest.mark.parametrize("kind", KINDS)
def test_a_report_is_made_of_finite_figures(kind: str) -> None:
    analysis = analyse(TRACK, laps_of(kind), Settings())
    told = report(analysis, clinics_of(TRACK, analysis, curves_by_driver(analysis, {}), Settings()), [], [])
    assert json.dumps(told, allow_nan=False)


@pytest.mark.parametrize("kind", KINDS)
def test_pace_and_the_race_follow_from_such_runs(kind: str) -> None:
    settings = Settings()
    analysis = analyse(TRACK, laps_of(kind), settings)
    for driver in analysis.drivers.values():
        runs = clean_runs(driver.laps, driver.main.members, 2)
        finite(driver.main)
        if not runs:
            continue
        finite(project(runs, 20, settings))
        finite(versus(runs, runs, 20, settings))
        finite(opening(runs, 0.0, 5))
        net = driver.main.falloff.net
        finite(setup_changes(runs, net) if net is not None else [])


@pytest.mark.parametrize(("name", "place"), list(product(SERIES, PLACES)))
def test_slopes_levels_and_deviations(name: str, place: str) -> None:
    values = SERIES[name]
    runs = [(np.asarray(PLACES[place](len(values))), np.asarray(values))] if values else []
    for pooled in (runs, runs * 2):
        slope = pooled_slope(pooled)
        finite(slope)
        if slope is not None and pooled:
            finite(widening(pooled, slope.correlation))
            finite(level_of(pooled, slope))
    finite(adjusted_deviation([([int(x) for x in xs], [int(y) for y in ys]) for xs, ys in runs if len(ys) > 2]))


@pytest.mark.parametrize("name", SERIES)
def test_odds_curves_and_use(name: str) -> None:
    whole = [int(value) for value in SERIES[name]]
    # Both ask for a lap and a rate: who has none of them has no odds.
    for rate in (0.01, 0.5, 1.0) if whole else ():
        finite(best_of(whole, rate))
        finite(odds_of(whole, rate, 20, whole[0]))
    finite(tow_worth(whole, whole))
    finite(learning_curve([Point(step + 1, value) for step, value in enumerate(whole)], None) if whole else None)
    used = consumption_of([[value / 1e7 for value in SERIES[name]]])
    finite(used)
    if used is not None:
        finite(start_load(used, 20.0))


@pytest.mark.parametrize(
    ("own", "team"),
    [(None, [1.0, 2.0]), (0.0, [0.0, 0.0]), (1.0, [0.0, 0.0, 1.0]), (1.0, [1.0]), (1.0, []), (2.0, [1.0, 2.0])],
)
def test_no_ratio_to_a_team_that_does_not_scatter(own: float | None, team: list[float]) -> None:
    finite(ratio_to_team(own, team))
