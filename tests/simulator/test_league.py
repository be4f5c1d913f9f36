"""The demo's laps: repeatable, exact, and with the weaknesses that were put in."""

from datetime import UTC, datetime

import numpy as np
import pytest

from fleet_rival.core.analysis import analyse
from fleet_rival.core.clinics import clinics_of, curves_by_driver
from fleet_rival.core.laps.lap import Lap
from fleet_rival.core.options import option_pairs, option_trial
from fleet_rival.core.settings import Settings
from fleet_rival.simulator.driving import Stint, drive_lap
from fleet_rival.simulator.league import Practice, harbour_practice
from fleet_rival.simulator.people import DRIVERS
from fleet_rival.simulator.places import CARS, PLACES
from fleet_rival.simulator.practice import Run, SessionPlan
from fleet_rival.simulator.road import lay_out
from fleet_rival.simulator.stints import drive_stint


@pytest.fixture(scope="module")
def practice() -> Practice:
    return harbour_practice()


def test_sums_are_exact(practice: Practice) -> None:
    for lap in practice.laps:
        assert sum(lap.segments.values()) == sum(lap.sectors.values()) == lap.time_us
    assert len({lap.identity for lap in practice.laps}) == len(practice.laps) == 600


def test_the_same_seed_drives_the_same_laps(practice: Practice) -> None:
    road, car, moment = lay_out(PLACES["harbour"][0].pieces), CARS["harbour"][0], datetime(2031, 4, 8, tzinfo=UTC)
    plan = SessionPlan("1", moment, (Run("long", 4),), 20.0, 15.0, "dry", "street", moment.replace(tzinfo=None))

    def driven(seed: int) -> list[Lap]:
        return [
            item.lap
            for item in drive_stint(
                DRIVERS[1], road, car, practice.track, plan, 0, 1, moment, np.random.default_rng(seed)
            )
        ]

    assert driven(1) == driven(1) != driven(2)


def test_the_road_closes_and_its_corners_ascend(practice: Practice) -> None:
    track = practice.track
    points = np.asarray(track.centreline_xy_m)
    assert np.linalg.norm(points[0] - points[-1]) < 12
    assert all(corner.start_m < corner.apex_m < corner.end_m for corner in track.corners)


def test_the_option_that_was_tried_is_told_with_what_it_is_worth(practice: Practice) -> None:
    driver = analyse(practice.track, practice.laps).drivers["Jorund Vetchley"]
    [(where, first, second)] = option_pairs(driver.laps, driver.main.members)
    trial = option_trial(
        practice.track, driver.laps, driver.main.members, where, (first, second), Settings(), best_of=3
    )
    assert (where, first, second) == ("T3", "early", "late") and trial.switches >= 15 and trial.race is not None
    model = next(item for item in DRIVERS if item.name == "Jorund Vetchley")
    assert model.tries is not None
    road, car = lay_out(PLACES["harbour"][0].pieces), CARS["harbour"][0]
    plain, tried = (
        drive_lap(road, car, practice.track, Stint(model.grip, {"T3": 1 + worth})).time_s[-1]
        for worth in (0.0, model.tries.worth)
    )
    assert (
        trial.shift is not None
        and trial.shift.low_us <= round((tried - plain) * 1e6) <= trial.shift.high_us
        and trial.race.winner == "second"
    )


def test_named_weaknesses_show_where_they_were_put(practice: Practice) -> None:
    analysis = analyse(practice.track, practice.laps)
    clinics = clinics_of(practice.track, analysis, curves_by_driver(analysis, {}))
    for driver in DRIVERS:
        listed = {item.corner for item in clinics[driver.name].main.recurring}
        assert {habit.corner for habit in driver.habits if habit.when == "always" and habit.rate > 0.2} <= listed
        assert {item.corner for item in clinics[driver.name].standing} >= {corner for corner, _ in driver.standing}
