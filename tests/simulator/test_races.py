"""Races of the demo: laps that add up, a start that costs, habits under pressure, places in a field, the same again
from the same seed.
"""

from collections.abc import Sequence
from datetime import UTC, datetime, timedelta
from itertools import pairwise

import numpy as np
import pytest

from fleet_rival.core.laps.lap import Lap
from fleet_rival.core.race.driven import driven_race, laps_of_start, used_in
from fleet_rival.core.settings import Settings
from fleet_rival.simulator.league import SERIES, surveyed, week_of
from fleet_rival.simulator.people import DRIVERS
from fleet_rival.simulator.races import drive_race

START = datetime(2031, 4, 4, 20, 20, tzinfo=UTC)
WEEK = 2


def of_kind(laps: Sequence[Lap], kind: str) -> list[Lap]:
    return [lap for lap in laps if lap.session_kind == kind]


@pytest.mark.parametrize("series", SERIES, ids=lambda item: item.kind)
def test_laps_add_up_and_follow_each_other(series: object) -> None:
    own = next(item for item in SERIES if item is series)
    raced = drive_race(own.name, WEEK, DRIVERS[own.drivers[1]].name, START)
    race = of_kind(raced.laps, "race")
    assert [lap.number for lap in race] == list(range(1, len(race) + 1)) and race[0].started_at == START
    for lap in raced.laps:
        assert sum(lap.segments.values()) == sum(lap.sectors.values()) == lap.time_us
    for lap, after in pairwise(race):
        assert lap.started_at is not None and after.started_at == lap.started_at + timedelta(microseconds=lap.time_us)
    assert len({lap.identity for lap in raced.laps}) == len(raced.laps)
    if own.race_laps:
        assert len(race) == own.race_laps
    else:
        assert sum(lap.time_us for lap in race) >= (own.race_minutes or 0) * 60e6 * 0.97


def test_the_same_start_is_the_same_race_and_another_one_isnt() -> None:
    one, again, later = (
        drive_race("Harbour Spark Cup", WEEK, DRIVERS[3].name, START + timedelta(hours=hours)) for hours in (0, 0, 3)
    )
    assert one == again and one.laps != later.laps


def test_qualifying_is_before_and_its_best_lap_is_told() -> None:
    raced = drive_race("Harbour Spark Cup", WEEK, DRIVERS[0].name, START)
    qualifying, race = laps_of_start(raced.laps, START)
    assert qualifying == of_kind(raced.laps, "qualifying") and race == of_kind(raced.laps, "race")
    assert raced.qualifying_us == min(lap.time_us for lap in qualifying if lap.kind == "flying")


def test_a_stand_costs_more_than_rolling() -> None:
    def lost(name: str) -> float:
        race = of_kind(drive_race(name, WEEK, DRIVERS[1].name, START).laps, "race")
        return race[0].segments["L0"] - float(np.median([lap.segments["L0"] for lap in race[1:]]))

    assert lost("Harbour Spark Cup") > 3e6
    assert 0.8e6 < lost("Black Cinder League") < 3e6


def test_places_and_points_belong_together() -> None:
    fields = {"Harbour Spark Cup": 24, "Long Hills Open": 20, "Black Cinder League": 16}
    for item in SERIES:
        for number in item.drivers:
            raced = drive_race(item.name, WEEK, DRIVERS[number].name, START)
            assert 1 <= raced.grid <= fields[item.name] and 1 <= raced.finish <= fields[item.name]
            assert (raced.points == 0) == (raced.finish > 20) and raced.points <= 50
            corners = {
                corner.code
                for corner in surveyed(week_of(item, WEEK, START.date()).place, week_of(item, WEEK, START.date()).car)[
                    1
                ].corners
            }
            assert {corner for corner, *_ in raced.incidents} <= corners


def test_a_race_uses_a_little_more_than_practice() -> None:
    raced = drive_race("Harbour Spark Cup", WEEK, DRIVERS[0].name, START)
    practice = 0.9 * 38.0 / 14
    used = used_in(of_kind(raced.laps, "race"), "energy_kwh")
    assert float(np.mean(used)) == pytest.approx(1.03 * practice, rel=0.01)
    assert min(lap.energy_kwh for lap in raced.laps if lap.energy_kwh is not None) > 0


def test_pressure_brings_habits_out_where_it_should() -> None:
    """Of many starts, since one race is chance: more slips for drivers of odd numbers than for the others, by their
    own measure of calm.
    """

    def slips(number: int) -> float:
        model = DRIVERS[number]
        week = week_of(SERIES[0], WEEK, START.date())
        _, track = surveyed(week.place, week.car)
        told = []
        for hours in range(6):
            at = START + timedelta(hours=3 * hours)
            qualifying, race = laps_of_start(drive_race(SERIES[0].name, WEEK, model.name, at).laps, at)
            found = driven_race(track, model.name, [], qualifying, race, Settings(bootstrap_resamples=0))
            corners = {habit.corner for habit in model.habits}
            told.append(sum(found.race[corner][0] for corner in corners if corner in found.race) / max(1, len(race)))
        return float(np.mean(told)) / max(1e-9, sum(habit.rate for habit in model.habits))

    assert slips(1) > slips(0)
