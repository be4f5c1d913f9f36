"""The demo's invented league: three series on three islands over twelve weeks, of which two are behind and one runs."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import UTC, date, datetime, time, timedelta
from functools import cache
from typing import Final, Literal

import numpy as np

from fleet_rival.core.laps.lap import Lap
from fleet_rival.core.telemetry.trace import Trace
from fleet_rival.core.track import Pit, Track
from fleet_rival.simulator.car import CarModel
from fleet_rival.simulator.drivers import DriverModel
from fleet_rival.simulator.garage import SETUP_NAME, SETUPS_S
from fleet_rival.simulator.people import DRIVERS, FREE_TIME, TEAM, FreeTime, at_home_on
from fleet_rival.simulator.places import CARS, GREAT_ROUND, PLACES, Place
from fleet_rival.simulator.practice import Run, SessionPlan, drive_practice, survey
from fleet_rival.simulator.road import Road, lay_out
from fleet_rival.simulator.series import SERIES, Series
from fleet_rival.simulator.stints import drive_stint

__all__ = [
    "BEHIND",
    "SEED",
    "SERIES",
    "WEEKS",
    "League",
    "Practice",
    "Series",
    "SeriesWeek",
    "compound_of",
    "harbour_practice",
    "league",
    "model_of",
    "rig_driver",
    "surveyed",
    "week_of",
]

SEED: Final = 20310407
WEEKS: Final = 12
BEHIND: Final = 2
"""Weeks that are over; the next one runs."""
_HARBOUR_M: Final = 2090.0
_ANY_DAY: Final = datetime(2031, 1, 1, tzinfo=UTC)
_DAYS_IN: Final = 3
"""How old the running week is: its first evenings of practice are done."""
_GREAT_ROUND_WEEK: Final = 5
_TRIED: Final = (3, 1, 2, 3, 1, 2)
"""Versions of the setup in the order in which they are tried on the last evening, where setups are open."""
Which = Literal["all", "last"]
"""Which runs have telemetry."""
_TELEMETRY_OF: Final = {"harbour": (0, 1, 2, 3, 4, 5, 6, 7), "hills": (3,), "cinder": (1, 3)}
"""Drivers who have telemetry in the running week, by kind of place."""
_TELEMETRY_HZ: Final = 25.0


@dataclass(frozen=True, slots=True)
class SeriesWeek:
    """A week of a series: what it would say in a season file."""

    series: Series
    number: int
    begins: date
    ends: date
    place: Place
    car: CarModel
    wetness: str
    track_temp_c: float
    air_temp_c: float
    session_local: datetime
    """Date and time of day inside the simulation."""


@dataclass(frozen=True, slots=True)
class Practice:
    """A combination's track, car and laps, and traces of some of them."""

    track: Track
    car: str
    laps: tuple[Lap, ...]
    traces: tuple[Trace, ...] = ()


@dataclass(frozen=True, slots=True)
class League:
    """The whole scenario."""

    team: str
    weeks: tuple[SeriesWeek, ...]
    practices: tuple[Practice, ...]
    """The oldest first, the running weeks' last."""
    tracks: tuple[Track, ...]
    """Layouts that come later and are known already."""
    free_time: tuple[FreeTime, ...]
    drivers: tuple[str, ...]


def league(today: date, seed: int = SEED) -> League:
    """The scenario as it stands on a day; the same day and seed give the same league."""
    begins = today - timedelta(days=_DAYS_IN + 7 * BEHIND)
    weeks = tuple(
        week_of(series, number, begins + timedelta(weeks=number - 1))
        for number in range(1, WEEKS + 1)
        for series in SERIES
    )
    driven = sorted(
        (week for week in weeks if week.number <= BEHIND + 1),
        key=lambda week: (week.number, -SERIES.index(week.series)),
    )
    practices = tuple(_practice(week, seed, running=week.number > BEHIND) for week in driven)
    return League(
        TEAM,
        weeks,
        practices,
        (surveyed(GREAT_ROUND, CARS["hills"][0])[1],),
        FREE_TIME,
        tuple(driver.name for driver in DRIVERS),
    )


def harbour_practice(seed: int = SEED, begins: date = date(2031, 4, 7)) -> Practice:
    """Three evenings of practice on the harbour streets: the running week of the first series."""
    return _practice(week_of(SERIES[0], BEHIND + 1, begins), seed, running=True)


def rig_driver(driver: str, car: str, track: Track, seed: int) -> tuple[CarModel, DriverModel]:
    """The car and the driver that a stand-in rig drives with, on any road: the league's own where it has them, else
    strangers.

    Args:
        seed: tells strangers from each other.
    """
    known = [(kind, item) for kind, cars in CARS.items() for item in cars if item.name == car]
    kind, model = (
        known[0]
        if known
        else ("", CarModel(car, grip_ms2=13.0, power_w_per_kg=220.0, drag_per_m=0.001, top_speed_ms=65.0))
    )
    names = [item.name for item in DRIVERS]
    if driver not in names:
        rng = np.random.default_rng([seed, len(driver)])
        return model, DriverModel(driver, float(rng.uniform(0.95, 0.985)), 0.0045, 0.012, 0.8)
    number = names.index(driver)
    own = DRIVERS[number]
    if not track.corners:
        return model, replace(own, habits=(), standing=())
    if kind == "harbour" and {"T1", "T9"} <= {corner.code for corner in track.corners}:
        return model, own
    return model, at_home_on(own, number, len(track.corners), track.length_m / _HARBOUR_M)


def week_of(series: Series, number: int, begins: date) -> SeriesWeek:
    """A week of a series: where, with what, in which weather."""
    # Over four weeks each layout meets each car once; the running week is the first layout with the first car.
    turn = (number - BEHIND - 1) % 4
    place, car = PLACES[series.kind][turn % 2], CARS[series.kind][turn in (2, 1)]
    if series.kind == "hills" and number == _GREAT_ROUND_WEEK:
        place = GREAT_ROUND
    wet = series.kind == "hills" and number % 3 == 2
    night = series.kind == "hills" and number % 2 == 1
    at = datetime.combine(begins, time(21, 30) if night else time(14, 0))
    return SeriesWeek(
        series,
        number,
        begins,
        begins + timedelta(weeks=1),
        place,
        car,
        "wet" if wet else "dry",
        14.0 if night else 26.0,
        11.0 if night else 19.0,
        at,
    )


def _practice(week: SeriesWeek, seed: int, *, running: bool) -> Practice:
    series = week.series
    road, track = surveyed(week.place, week.car)
    drivers = {number: model_of(number, series, track) for number in series.drivers}
    sessions = _sessions(week, running=running)
    home = series.kind == "harbour" and running
    chance = [seed] if home else [seed, week.number, SERIES.index(series)]
    # Of the weeks behind nobody wrote which setup was worth what.
    setups_s = SETUPS_S if running and series.kind == "hills" else {}
    laps = drive_practice(road, week.car, track, drivers, sessions, chance, setups_s)
    traces: list[Trace] = []
    if running:
        for number in _TELEMETRY_OF[series.kind]:
            # On the harbour everybody records everything: there mistakes are looked for, with their causes.
            which: Which = "all" if home else "last"
            laps, found = _recorded(week, drivers[number], sessions, laps, (seed, week.number, number), which)
            traces += found
    return Practice(track, week.car.name, tuple(laps), tuple(traces))


def _recorded(
    week: SeriesWeek,
    driver: DriverModel,
    sessions: Sequence[SessionPlan],
    laps: list[Lap],
    seed: tuple[int, ...],
    runs: Which,
) -> tuple[list[Lap], list[Trace]]:
    """Some of a driver's runs driven anew, metre by metre, in place of those that were there; and their traces."""
    first: dict[tuple[str, int | None], Lap] = {}
    for lap in laps:
        if lap.driver == driver.name:
            first.setdefault((lap.session, lap.run), lap)
    plain = tuple(
        replace(session, starts_at=_ANY_DAY, session_local=_ANY_DAY.replace(tzinfo=None)) for session in sessions
    )
    numbers = tuple(
        tuple(first[session.label, run + 1].number for run in range(len(session.runs))) for session in sessions
    )
    made: dict[tuple[str, int | None], list[Lap]] = {}
    traces: list[Trace] = []
    for number, run, items in _driven(week.place, week.car, driver, plain, numbers, seed, runs):
        session = sessions[number]
        moved = (first[session.label, run + 1].started_at or session.starts_at) - _ANY_DAY
        for lap, trace in items:
            began = lap.started_at + moved if lap.started_at else None
            made.setdefault((session.label, run + 1), []).append(
                replace(lap, started_at=began, session_local=session.session_local)
            )
            traces.append(trace)
    out: list[Lap] = []
    for lap in laps:
        key = (lap.session, lap.run)
        if lap.driver != driver.name or key not in made:
            out.append(lap)
        elif lap is first[key]:
            out += made[key]
    return out, traces


@cache
def _driven(
    place: Place,
    car: CarModel,
    driver: DriverModel,
    sessions: tuple[SessionPlan, ...],
    numbers: tuple[tuple[int, ...], ...],
    seed: tuple[int, ...],
    runs: Which,
) -> tuple[tuple[int, int, tuple[tuple[Lap, Trace], ...]], ...]:
    """Runs as they are driven on any day: session, run, and the laps with their traces. The same on each, so that
    they are driven once.

    Args:
        numbers: of each run's first lap.
    """
    road, track = surveyed(place, car)
    rng = np.random.default_rng(list(seed))
    out = []
    for number, session in enumerate(sessions):
        for run in range(len(session.runs)):
            if runs == "last" and (session is not sessions[-1] or run + 1 < len(session.runs)):
                continue
            lost = driver.learning_s * 0.5**number
            items = drive_stint(driver, road, car, track, session, run, numbers[number][run], _ANY_DAY, rng, lost)
            out.append((number, run, tuple((item.lap, item.trace(_TELEMETRY_HZ)) for item in items)))
    return tuple(out)


def _sessions(week: SeriesWeek, *, running: bool) -> Sequence[SessionPlan]:
    """Evenings of practice in a week: three in the running one, two in those that are over."""
    long = 12 if week.series.kind != "hills" else 7
    runs = (
        Run("build", 9 if week.series.kind != "hills" else 5, week.series.fuel_l, week.series.energy_kwh),
        Run("long", long, week.series.fuel_l, week.series.energy_kwh),
    )
    evenings = ((0, 18, 0), (1, 18, 30), (2, 19, 0)) if running else ((1, 18, 30), (3, 19, 30))
    plans = []
    for index, (day, hour, minute) in enumerate(evenings):
        starts = datetime.combine(week.begins + timedelta(days=day), time(hour, minute), UTC)
        # Of a wet week the first evening is dry: nobody knew.
        wetness = week.wetness if index else "dry"
        compound = compound_of(week.series, wetness)
        # Where setups are open, the team goes from the first version of its own to the second after an evening.
        setup = "base" if week.series.setup == "fixed" else _version(1 if index == 0 else 2)
        driven: tuple[Run, ...] = runs
        if running and week.series.setup == "open":
            # The second version from the first evening's long run on, and all three in turn on the last.
            driven = (runs[0], replace(runs[1], setup=_version(2)))
            if index == len(evenings) - 1:
                driven = tuple(replace(runs[0], purpose="trial", setup=_version(number)) for number in _TRIED)
        temperatures = (week.track_temp_c + index, week.air_temp_c + index)
        plans.append(
            SessionPlan(
                str(index + 1),
                starts,
                driven,
                *temperatures,
                wetness,
                compound,
                _practised_at(week),
                setup,
                week.place.eats if running else None,
            )
        )
    return plans


def _version(number: int) -> str:
    return f"{SETUP_NAME} v{number}"


def _practised_at(week: SeriesWeek) -> datetime:
    """Inside the simulation practice begins in the afternoon, also where the race is driven at night: somebody
    should notice.
    """
    return datetime.combine(week.session_local, time(15, 0))


def compound_of(series: Series, wetness: str) -> str:
    """The compound that is driven in a weather."""
    return series.compounds[-1] if wetness == "wet" else series.compounds[0]


def model_of(number: int, series: Series, track: Track) -> DriverModel:
    """A driver as they drive the series' places."""
    driver = DRIVERS[number]
    if series.kind == "harbour":
        return driver
    return at_home_on(driver, number, len(track.corners), {"hills": 2.1, "cinder": 0.3}[series.kind])


@cache
def surveyed(place: Place, car: CarModel) -> tuple[Road, Track]:
    """A place's road and its layout."""
    # One survey a layout: its boundaries don't depend on who drives which car there.
    road = lay_out(place.pieces)
    first = next((cars[0] for kind, cars in CARS.items() if place in PLACES[kind]), car)
    track = survey(road, first, place.track, place.layout, place.kind, place.sector_corners)
    before, behind = place.pit_m
    return road, replace(track, pit=Pit(round(track.length_m - before, 1), behind, place.pit_side, 60.0))
