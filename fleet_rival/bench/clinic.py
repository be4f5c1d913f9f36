"""The part of `./fleet bench` that looks corners through: a group of 1,000 laps with traces, and one more lap in it."""

import time
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from typing import Final

import numpy as np

from fleet_rival.bench.corners import road_of
from fleet_rival.bench.measure import Row, ratio, seconds
from fleet_rival.core.laps.lap import Identity, Lap
from fleet_rival.core.settings import Settings
from fleet_rival.core.telemetry.curves import LapCurves, curves_of
from fleet_rival.core.track import Track
from fleet_rival.services.find.analyses import analysed, without_intervals
from fleet_rival.services.fix.passes import remembered_clinics
from fleet_rival.simulator.drivers import DriverModel, Habit
from fleet_rival.simulator.practice import Run, SessionPlan
from fleet_rival.simulator.stints import drive_stint

__all__ = ["bench_clinic"]

_DRIVERS: Final = 8
_RUNS: Final = 9
_FLYING: Final = 13
"""And an out lap and an in lap: 1,080 laps in all, 936 of them flying."""
_TIMES: Final = 5
_START: Final = datetime(2031, 4, 8, 18, tzinfo=UTC)


def bench_clinic() -> list[Row]:
    """What one more lap costs beside the whole: the medians of some laps that come in one after the other."""
    track, laps, curves = _practice()
    settings = without_intervals(Settings())
    later = [lap for lap in laps if lap.driver == "Driver 1"][-1 - _TIMES : -1]
    known = [lap for lap in laps if lap not in later]

    def look(at: list[Lap]) -> float:
        begin = time.perf_counter()
        analysis = analysed(track, at, settings)
        positions = {
            name: {index: item.lap.identity for index, item in enumerate(driver.laps) if item.lap.identity in curves}
            for name, driver in analysis.drivers.items()
        }
        theirs = {
            name: {index: curves[identity] for index, identity in found.items()} for name, found in positions.items()
        }
        remembered_clinics(track, analysis, settings, {}, theirs, positions)
        return time.perf_counter() - begin

    whole = look(known)
    again = look(known)
    took = []
    for lap in later:
        known = [*known, lap]
        took.append(look(known))
    one = float(np.median(took))
    name = f"corners of {len(laps):,} laps with traces looked through ({_DRIVERS} drivers)"
    return [
        (name, seconds(whole), "", ""),
        ("once one more lap is in", seconds(one), f"all of it: {seconds(whole)}", ratio(one, whole)),
        ("and with no new lap", seconds(again), f"all of it: {seconds(whole)}", ratio(again, whole)),
    ]


def _practice() -> tuple[Track, list[Lap], dict[Identity, LapCurves]]:
    """Laps of drivers with a habit each, and their traces at even metres."""
    road, car, track = road_of("harbour")
    laps: list[Lap] = []
    curves: dict[Identity, LapCurves] = {}
    for number in range(_DRIVERS):
        rng = np.random.default_rng([11, number])
        model = DriverModel(
            f"Driver {number + 1}", 0.97, 0.004, 0.012, 0.8, 0.5, (Habit("T3", "early-brake", 0.25, 0.3),)
        )
        moment, first = _START + timedelta(hours=number), 1
        plan = SessionPlan(
            f"s{number}",
            moment,
            (Run("long", _FLYING),) * _RUNS,
            20.0,
            15.0,
            "dry",
            "street",
            moment.replace(tzinfo=None),
        )
        for run in range(_RUNS):
            for item in drive_stint(model, road, car, track, plan, run, first, moment, rng):
                laps.append(replace(item.lap, car=None))
                if (made := curves_of(track.length_m, item.trace(25.0))) is not None:
                    curves[laps[-1].identity] = made
                first += 1
            moment += timedelta(minutes=40)
    return track, laps, curves
