"""The demo's laps: repeatable, exact, and with the weaknesses that were put in."""

import numpy as np
import pytest

from fleet_rival.core.analysis import analyse
from fleet_rival.core.options import option_pairs, option_trial
from fleet_rival.core.settings import Settings
from fleet_rival.simulator.league import Practice, harbour_practice


@pytest.fixture(scope="module")
def practice() -> Practice:
    return harbour_practice()


def test_the_same_seed_gives_the_same_laps_and_sums_are_exact(practice: Practice) -> None:
    first, second, other = practice, harbour_practice(), harbour_practice(seed=1)
    assert first.laps == second.laps and first.track == second.track and first.laps != other.laps
    for lap in first.laps:
        assert sum(lap.segments.values()) == sum(lap.sectors.values()) == lap.time_us
    assert len({lap.identity for lap in first.laps}) == len(first.laps) == 600


def test_the_road_closes_and_its_corners_ascend(practice: Practice) -> None:
    track = practice.track
    points = np.asarray(track.centreline_xy_m)
    assert np.linalg.norm(points[0] - points[-1]) < 12
    assert all(corner.start_m < corner.apex_m < corner.end_m for corner in track.corners)


def test_the_option_that_was_tried_is_told_with_what_it_is_worth(practice: Practice) -> None:
    driver = analyse(practice.track, practice.laps).drivers["Jorund Vetchley"]
    [(where, first, second)] = option_pairs(driver.laps, driver.main.members)
    trial = option_trial(practice.track, driver.laps, driver.main.members, where, (first, second), Settings(), best_of=3)
    assert (where, first, second) == ("T3", "early", "late") and trial.switches >= 15 and trial.race is not None
    assert trial.shift is not None and trial.shift.low_us <= -60_000 <= trial.shift.high_us and trial.race.winner == "second"


def test_named_weaknesses_show_where_they_were_put(practice: Practice) -> None:
    analysis = analyse(practice.track, practice.laps)
    worst = {
        name: max(driver.main.segments.values(), key=lambda figures: figures.mean_loss_us or 0).code for name, driver in analysis.drivers.items()
    }
    assert worst["Ysolde Farrand"] == "T6" and worst["Corin Ashgrove"] == "T3" and worst["Nerys Callowhill"] == "T8"
