"""Races driven by the simulator: a few laps of qualifying, a start from a stand or rolling, and what a race's
pressure does to habits.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from math import ceil
from typing import Final

import numpy as np

from fleet_rival.core.laps.lap import Lap
from fleet_rival.simulator.drivers import DriverModel
from fleet_rival.simulator.league import SEED, SERIES, Series, compound_of, model_of, surveyed, week_of
from fleet_rival.simulator.people import DRIVERS
from fleet_rival.simulator.practice import GRIP_IN, Run, SessionPlan, drive_run, segment_times

__all__ = ["Raced", "drive_race"]

_QUALIFYING: Final = timedelta(minutes=25)
_SLOWER: Final = 1.004
"""A race is driven a little slower than practice: others are there."""
_MORE_USED: Final = 1.03
_PRESSURE: Final = 1.8
"""Habits come so much more often in a race, of drivers with an odd number; of the others less often."""
_CALM: Final = 0.6
_STAND_S: Final = 4.5
_ROLL_S: Final = 1.2
_FIELD_SPREAD: Final = 0.012
_POINTS: Final = (50, 44, 39, 35, 32, 29, 26, 24, 22, 20, 18, 16, 14, 12, 10, 8, 6, 4, 2, 1)


@dataclass(frozen=True, slots=True)
class Raced:
    """What one driver's start was like.

    Attributes:
        laps: of qualifying and race.
        incidents: corner, what happened, whose doing, and lap of the race.
    """

    laps: tuple[Lap, ...]
    qualifying_us: int
    grid: int
    finish: int
    points: float
    incidents: tuple[tuple[str, str, str, int], ...]


def drive_race(series_name: str, number: int, driver: str, starts_at: datetime, seed: int = SEED) -> Raced:
    """Let a driver of the demo's team drive one start of a week.

    Args:
        number: of the series' week.
        seed: the same seed and start give the same race.
    """
    series = next(item for item in SERIES if item.name == series_name)
    week = week_of(series, number, starts_at.date())
    road, track = surveyed(week.place, week.car)
    who = next(index for index, item in enumerate(DRIVERS) if item.name == driver)
    model = model_of(who, series, track)
    rng = np.random.default_rng([seed, number, SERIES.index(series), who, int(starts_at.timestamp()) % 2**31])
    base = segment_times(road, week.car, track, model.grip * GRIP_IN[week.wetness])
    lap_s = sum(base.values()) * _SLOWER
    laps = series.race_laps or ceil((series.race_minutes or 0) * 60 / lap_s)
    # A practice run uses nine tenths of what is on board over its laps: per lap a race uses a little more.
    usual = (12 if series.kind != "hills" else 7) + 2
    energy, fuel = (
        None if whole is None else 0.9 * whole / usual * _MORE_USED * (laps + 2) / 0.9
        for whole in (series.energy_kwh, series.fuel_l)
    )

    def plan(label: str, run: Run) -> SessionPlan:
        compound = compound_of(series, week.wetness)
        return SessionPlan(
            label,
            starts_at,
            (run,),
            week.track_temp_c,
            week.air_temp_c,
            week.wetness,
            compound,
            week.session_local,
            "base",
        )

    before = plan(f"Qualifying {starts_at:%a %H:%M}", Run("qualifying", 2, series.fuel_l, series.energy_kwh))
    raced = plan(f"Race {starts_at:%a %H:%M}", Run("rehearsal", laps, fuel, energy))
    calm = replace(model, strike_rate=0.0, spin_rate=0.0)
    qualifying = drive_run(calm, track, base, rng, before, 0, 1, starts_at - _QUALIFYING)
    pressed = _under_pressure(model, who)
    slower = {code: value * _SLOWER for code, value in base.items()}
    driven = drive_run(pressed, track, slower, rng, raced, 0, 0, starts_at)[1:-1]
    race = _started(driven, series, starts_at)
    best = min(lap.time_us for lap in qualifying if lap.kind == "flying")
    grid, finish = _places(series, best, race, lap_s, rng)
    incidents = [(item.corner, item.what, "own", lap.number) for lap in race for item in lap.incidents if item.corner]
    if rng.random() < 0.3:
        incidents.insert(0, (track.corners[0].code, "contact", "other", 1))
    car = week.car.name
    qualified = [replace(lap, session_kind="qualifying", purpose=None, car=car) for lap in qualifying]
    in_race = [
        replace(lap, session_kind="race", purpose=None, car=car, company="pack" if lap.number < 4 else lap.company)
        for lap in race
    ]
    return Raced(
        (*qualified, *in_race),
        best,
        grid,
        finish,
        float(_POINTS[finish - 1]) if finish <= len(_POINTS) else 0.0,
        tuple(incidents),
    )


def _under_pressure(model: DriverModel, who: int) -> DriverModel:
    by = _PRESSURE if who % 2 else _CALM
    return replace(
        model, tries=None, habits=tuple(replace(habit, rate=min(0.95, habit.rate * by)) for habit in model.habits)
    )


def _started(laps: Sequence[Lap], series: Series, starts_at: datetime) -> list[Lap]:
    """Laps of a race, from the first one: which begins at a stand, or rolling."""
    lost = round((_STAND_S if series.start == "standing" else _ROLL_S) * 1000) * 1000
    out: list[Lap] = []
    at = starts_at
    for number, lap in enumerate(laps, 1):
        made = replace(lap, number=number, started_at=at, kind="flying")
        if number == 1:
            first, sector = next(iter(made.segments)), next(iter(made.sectors))
            made = replace(
                made,
                time_us=made.time_us + lost,
                segments={**made.segments, first: made.segments[first] + lost},
                sectors={**made.sectors, sector: made.sectors[sector] + lost},
            )
        out.append(made)
        at += timedelta(microseconds=made.time_us)
    return out


def _places(
    series: Series, best_us: int, race: Sequence[Lap], lap_s: float, rng: np.random.Generator
) -> tuple[int, int]:
    """Places on the grid and at the end, in a field whose pace scatters around the driver's kind."""
    others = {"harbour": 23, "hills": 19, "cinder": 15}[series.kind]
    usual = lap_s * (1 + _FIELD_SPREAD * rng.standard_normal(others))
    grid = 1 + int((usual * (1 + 0.002 * rng.standard_normal(others)) / _SLOWER < best_us / 1e6).sum())
    mean = sum(lap.time_us for lap in race[1:]) / max(1, len(race) - 1) / 1e6
    finish = 1 + int((usual * (1 + 0.002 * rng.standard_normal(others)) < mean).sum())
    return grid, finish
