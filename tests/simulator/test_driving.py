"""Runs driven metre by metre: exact, repeatable, with what was put in, on any road."""

from dataclasses import replace
from datetime import UTC, datetime
from itertools import pairwise

import numpy as np
import pytest

from fleet_rival.core.telemetry.cutting import cut
from fleet_rival.simulator.drivers import DriverModel, Habit
from fleet_rival.simulator.driving import Slip, Stint, drive_lap
from fleet_rival.simulator.league import rig_driver
from fleet_rival.simulator.practice import Run, SessionPlan
from fleet_rival.simulator.stints import StintLap, drive_stint, road_of, truth_of
from tests.core.test_telemetry import place
from tests.making import track

NOW = datetime(2031, 4, 10, 19, 0, tzinfo=UTC)
HABITS = DriverModel(
    "Ysolde Farrand", 0.97, 0.003, 0.05, 0.6, 0.0, (Habit("T6", "late-throttle", 1.0, 0.3),), (("T3", 0.2),), 0.0, 0.0
)


def stint(seed: int = 1, company: int = 0, laps: int = 4, wetness: str = "dry") -> list[StintLap]:
    road, car, layout = place("harbour")
    session = SessionPlan("1", NOW, (Run("build", laps, 40.0),), wetness=wetness)
    return list(
        drive_stint(HABITS, road, car, layout, session, 0, 1, NOW, np.random.default_rng(seed), company=company)
    )


def test_a_run_is_repeatable_and_its_told_times_are_the_exact_ones_rounded() -> None:
    layout = place("harbour")[2]
    first, again, other = stint(), stint(), stint(2)
    assert [item.lap for item in first] == [item.lap for item in again] != [item.lap for item in other]
    assert [item.lap.kind for item in first] == ["out", "flying", "flying", "flying", "flying", "in"]
    for item in first:
        truth = truth_of(item, layout)
        assert abs(truth["time_us"] - item.lap.time_us) <= 500
        assert sum(item.lap.segments.values()) == sum(item.lap.sectors.values()) == item.lap.time_us
        assert all(abs(truth["segments"][code] - time) <= 1000 for code, time in item.lap.segments.items())
    clocks = [item.lap.started_at for item in first]
    assert all(before is not None and after is not None and before < after for before, after in pairwise(clocks))


def test_habits_and_standing_losses_cost_what_they_shall_and_stand_in_the_truth() -> None:
    layout = place("harbour")[2]
    for item in stint()[2:5]:
        slips = {(slip["corner"], slip["kind"]): slip["loss_us"] for slip in truth_of(item, layout)["slips"]}
        assert slips["T3", "early-brake"] == pytest.approx(200_000, abs=30_000)
        assert 120_000 < slips["T6", "late-throttle"] < 700_000


def test_a_slip_costs_what_it_says_against_the_same_lap_without_it() -> None:
    road, car, layout = place("harbour")
    plain = drive_lap(road, car, layout, Stint(0.97, wander=1))
    for kind in ("early-brake", "over-slow", "late-throttle", "lock-up", "wrong-gear", "missed-apex"):
        slipped = drive_lap(road, car, layout, Stint(0.97, slips=(Slip("T6", kind, 0.25),), wander=1))
        assert round((slipped.time_s[-1] - plain.time_s[-1]) * 1e6) == pytest.approx(slipped.losses_us[0], abs=2)
        assert slipped.losses_us[0] == pytest.approx(250_000, abs=60_000), kind


def test_rain_tyres_cold_and_company_show() -> None:
    dry, wet = stint(), stint(wetness="wet")
    assert min(item.lap.time_us for item in wet[2:5]) > max(item.lap.time_us for item in dry[2:5])
    assert dry[1].lap.time_us > dry[2].lap.time_us  # the cold one
    crowded = [item.lap for item in stint(seed=3, company=5, laps=12)]
    assert {"traffic", "tow"} & {flag for lap in crowded for flag in lap.flags} and {
        lap.company for lap in crowded
    } <= {"behind", "pack"}
    assert any(lap.fuel_l is not None and lap.fuel_l < 20 for lap in crowded)


def test_a_rig_drives_what_a_track_file_describes() -> None:
    road, car, layout = place("harbour")
    points = road.xy_m[:: max(1, round(5 / (road.length_m / len(road.xy_m))))]
    filed = replace(
        layout,
        centreline_step_m=round(road.length_m / len(points), 4),
        centreline_xy_m=tuple((round(float(x), 2), round(float(y), 2)) for x, y in points),
    )
    lap = drive_lap(road_of(filed), car, filed, Stint(0.97))
    exact = drive_lap(road, car, layout, Stint(0.97))
    assert lap.time_s[-1] == pytest.approx(exact.time_s[-1], rel=0.03)
    bare = track(4)
    model, driver = rig_driver("Somebody Else", "A Car Nobody Knows", bare, 3)
    assert rig_driver("Somebody Else", "A Car Nobody Knows", bare, 3) == (model, driver)
    driven = drive_lap(road_of(bare), model, bare, Stint(driver.grip))
    trace = StintLap(stint()[1].lap, driven).trace(50)
    found = cut(bare, trace)
    assert found.time_us is not None and abs(found.time_us / 1e6 - driven.time_s[-1]) < 0.003
