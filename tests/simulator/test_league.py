"""The demo's laps: repeatable, exact, and with the weaknesses that were put in."""

import numpy as np

from fleet_rival.core.analysis import analyse
from fleet_rival.simulator.league import harbour_practice


def test_the_same_seed_gives_the_same_laps_and_sums_are_exact() -> None:
    first, second, other = harbour_practice(), harbour_practice(), harbour_practice(seed=1)
    assert first.laps == second.laps and first.track == second.track and first.laps != other.laps
    for lap in first.laps:
        assert sum(lap.segments.values()) == sum(lap.sectors.values()) == lap.time_us
    assert len({lap.identity for lap in first.laps}) == len(first.laps) == 600


def test_the_road_closes_and_its_corners_ascend() -> None:
    track = harbour_practice().track
    points = np.asarray(track.centreline_xy_m)
    assert np.linalg.norm(points[0] - points[-1]) < 12
    assert all(corner.start_m < corner.apex_m < corner.end_m for corner in track.corners)


def test_named_weaknesses_show_where_they_were_put() -> None:
    practice = harbour_practice()
    analysis = analyse(practice.track, practice.laps)
    worst = {
        name: max(driver.main.segments.values(), key=lambda figures: figures.mean_loss_us or 0).code for name, driver in analysis.drivers.items()
    }
    assert worst["Ysolde Farrand"] == "T6" and worst["Corin Ashgrove"] == "T3" and worst["Nerys Callowhill"] == "T8"
