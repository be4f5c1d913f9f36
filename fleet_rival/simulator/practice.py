"""Practice driven by the simulator: laps with context, times that add up exactly, marks as a person would set them."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from itertools import pairwise
from types import MappingProxyType
from typing import Any

import numpy as np

from fleet_rival.core.laps.lap import Incident, Lap
from fleet_rival.core.track import Corner, Sector, Track
from fleet_rival.simulator.car import CarModel, speed_profile
from fleet_rival.simulator.drivers import DriverModel
from fleet_rival.simulator.road import Road

__all__ = ["GRIP_IN", "Run", "SessionPlan", "drive_practice", "drive_run", "segment_times", "survey"]


@dataclass(frozen=True, slots=True)
class Run:
    """A run: what for, and how many flying laps between its out lap and its in lap."""

    purpose: str
    flying: int
    fuel_l: float | None = None
    energy_kwh: float | None = None
    """On board at its start; the flying laps use most of it."""
    setup: str | None = None
    """Where it isn't the evening's."""


@dataclass(frozen=True, slots=True)
class SessionPlan:
    """An evening of practice: when, in which weather, which runs."""

    label: str
    starts_at: datetime
    runs: tuple[Run, ...]
    track_temp_c: float = 26.0
    air_temp_c: float = 19.0
    wetness: str = "dry"
    compound: str = "street"
    session_local: datetime | None = None
    """Date and time of day inside the simulation when it begins."""
    setup: str = "base"
    eats: tuple[str, float] | None = None
    """The corner that wears the tyres, and its share of the falloff; None: every part in proportion."""

    def setup_of(self, run: int) -> str:
        """What a run is driven with."""
        return self.runs[run].setup or self.setup

    def context(self, run: int, first_lap: int, lap_of_run: int, started_at: datetime, left: float) -> dict[str, Any]:
        """What stands at a lap beside its times.

        Args:
            left: share of fuel or energy that is left.
        """
        plan = self.runs[run]
        return {
            "session": self.label,
            "session_local": self.session_local,
            "run": run + 1,
            "number": first_lap + lap_of_run,
            "started_at": started_at,
            "purpose": plan.purpose,
            "compound": self.compound,
            "tyre_set": f"{self.label}-{run + 1}",
            "tyre_age": float(lap_of_run),
            "fuel_l": None if plan.fuel_l is None else round(plan.fuel_l * left, 1),
            "energy_kwh": None if plan.energy_kwh is None else round(plan.energy_kwh * left, 2),
            "track_temp_c": self.track_temp_c,
            "air_temp_c": self.air_temp_c,
            "wetness": self.wetness,
            "setup": self.setup_of(run),
        }


GRIP_IN = {"dry": 1.0, "damp": 0.93, "wet": 0.85}
"""Share of the grip that is left."""


def survey(road: Road, car: CarModel, name: str, layout: str, kind: str, sector_corners: Sequence[str]) -> Track:
    """Draw up a road as a track: corners begin where this car brakes for them, sectors at the corners named."""
    speed = speed_profile(road, car)
    step = road.length_m / len(speed)
    corners: list[Corner] = []
    for index, piece in enumerate(road.pieces):
        if piece.code is None:
            continue
        begin = road.starts_m[index]
        apex = begin + piece.run_m / 2
        brake = round(begin / step)
        floor = corners[-1].end_m / step if corners else 0.0
        while brake - 1 > floor and speed[brake - 1] > speed[brake] + 1e-9:
            brake -= 1
        direction = "left" if piece.turn_deg > 0 else "right"
        corners.append(
            Corner(
                piece.code,
                round(brake * step, 1),
                round(apex, 1),
                round(begin + piece.run_m, 1),
                piece.name,
                direction,
                piece.linked_to_next,
            )
        )
    starts = {corner.code: corner.start_m for corner in corners}
    sectors = [
        Sector("S1", 0.0),
        *(Sector(f"S{number + 2}", starts[code]) for number, code in enumerate(sector_corners)),
    ]
    points = road.xy_m[:: max(1, round(5 / step))]
    return Track(
        name=name,
        layout=layout,
        kind=kind,
        length_m=round(road.length_m, 1),
        sectors=tuple(sectors),
        corners=tuple(corners),
        centreline_step_m=round(road.length_m / len(points), 4),
        centreline_xy_m=tuple((round(float(x), 2), round(float(y), 2)) for x, y in points),
    )


def segment_times(road: Road, car: CarModel, track: Track, grip: float) -> dict[str, float]:
    """Seconds through each segment at a share of the car's grip."""
    speed = speed_profile(road, car, grip)
    step = road.length_m / len(speed)
    elapsed = np.concatenate([[0.0], np.cumsum(step / ((speed + np.roll(speed, -1)) / 2))])
    at = np.arange(len(elapsed)) * step
    bounds = [part.start_m for part in track.segment_parts] + [road.length_m]
    splits = np.interp(bounds, at, elapsed)
    return {
        part.code: float(end - start)
        for part, start, end in zip(track.segment_parts, splits[:-1], splits[1:], strict=True)
    }


def drive_practice(
    road: Road,
    car: CarModel,
    track: Track,
    drivers: Mapping[int, DriverModel],
    sessions: Sequence[SessionPlan],
    seed: Sequence[int],
    setups_s: Mapping[str, Mapping[str, float]] = MappingProxyType({}),
) -> list[Lap]:
    """Let every driver drive the runs of each session.

    Args:
        drivers: by their number, which is part of what their chance is drawn from.
        setups_s: seconds that a setup costs in a segment; nothing where it isn't named.
        seed: the same seed gives the same laps.

    Returns:
        Laps in the order of driving, driver by driver; times in whole milliseconds.
    """
    laps: list[Lap] = []
    for number, driver in drivers.items():
        base = {
            wetness: segment_times(road, car, track, driver.grip * GRIP_IN[wetness])
            for wetness in {session.wetness for session in sessions}
        }
        # Each driver has a stream of numbers of their own, so that changing one leaves the others as they were.
        rng = np.random.default_rng([*seed, number])
        for index, session in enumerate(sessions):
            clock = session.starts_at + timedelta(minutes=2 * number)
            lap_number = 1
            for run in range(len(session.runs)):
                moved = setups_s.get(session.setup_of(run), {})
                made = drive_run(
                    driver,
                    track,
                    {code: time + moved.get(code, 0.0) for code, time in base[session.wetness].items()},
                    rng,
                    session,
                    run,
                    lap_number,
                    clock,
                    driver.learning_s * 0.5**index,
                )
                laps += made
                lap_number += len(made)
                clock += sum((timedelta(microseconds=lap.time_us) for lap in made), timedelta(minutes=6))
    return laps


def drive_run(
    driver: DriverModel,
    track: Track,
    base: dict[str, float],
    rng: np.random.Generator,
    session: SessionPlan,
    run: int,
    first_lap: int,
    clock: datetime,
    lost_s: float = 0.0,
) -> list[Lap]:
    """One run of one driver.

    Args:
        base: seconds through each segment.
        run: which of the session's runs, from 0.
        lost_s: what the driver still loses for not knowing the road.
    """
    plan = session.runs[run]
    laps: list[Lap] = []
    count = plan.flying + 2
    for lap_of_run in range(count):
        kind = "out" if lap_of_run == 0 else "in" if lap_of_run == count - 1 else "flying"
        left = 1 - 0.9 * lap_of_run / count
        facts = {**session.context(run, first_lap, lap_of_run, clock, left), "company": "solo"}
        made = Lap(
            driver=driver.name,
            **{**_drive_lap(driver, track, base, rng, kind, lap_of_run, lost_s, session.eats), **facts},
        )
        laps.append(made)
        clock += timedelta(microseconds=made.time_us)
    return laps


def _drive_lap(
    driver: DriverModel,
    track: Track,
    base: dict[str, float],
    rng: np.random.Generator,
    kind: str,
    lap_of_run: int,
    lost_s: float,
    eats: tuple[str, float] | None,
) -> dict[str, object]:
    codes = [part.code for part in track.segment_parts]
    whole = sum(base.values())
    seconds = {code: base[code] * (1 + driver.scatter * float(rng.standard_normal())) for code in codes}
    _trade(track, seconds, base, rng)
    worn = driver.falloff_s * max(0, lap_of_run - 1)
    placed = {eats[0]: eats[1] * worn} if eats else {}
    extra = lost_s + worn - sum(placed.values()) + (driver.cold_s if lap_of_run == 1 else 0.0)
    for code in codes:
        seconds[code] += extra * base[code] / whole + placed.get(code, 0.0)
    for corner, loss in (*driver.standing, *(driver.gives_up.shifts_s(lap_of_run).items() if driver.gives_up else ())):
        seconds[corner] += loss
    facts: dict[str, object] = {"kind": kind}
    if kind == "flying":
        _habits(driver, codes, seconds, rng, lap_of_run)
        facts |= _events(driver, codes, seconds, base, rng)
    else:
        slow = 1.16 if kind == "out" else 1.1
        seconds = {code: time * slow for code, time in seconds.items()}
    segments = {code: round(time * 1000) * 1000 for code, time in seconds.items()}
    sectors = {
        sector.code: sum(segments[part.code] for part in track.overlapping(sector, track.segment_parts))
        for sector in track.sector_parts
    }
    return {**facts, "time_us": sum(segments.values()), "segments": segments, "sectors": sectors}


def _trade(track: Track, seconds: dict[str, float], base: dict[str, float], rng: np.random.Generator) -> None:
    """Through linked corners, what is won in the first is paid back in the second."""
    for corner, after in pairwise(track.corners):
        if corner.linked_to_next:
            moved = base[corner.code] * 0.012 * float(rng.standard_normal())
            seconds[corner.code] -= moved
            seconds[after.code] += moved * 1.05


def _habits(
    driver: DriverModel, codes: list[str], seconds: dict[str, float], rng: np.random.Generator, lap_of_run: int
) -> None:
    for habit in driver.habits:
        applies = habit.when == "always" or (habit.when == "late") == (lap_of_run > 6)
        if habit.when == "cold":
            applies = lap_of_run == 1
        if applies and rng.random() < habit.rate:
            loss = habit.loss_s * float(rng.lognormal(0.0, 0.25))
            seconds[habit.corner] += loss
            after = codes.index(habit.corner) + 1
            if after < len(codes):
                seconds[codes[after]] += 0.15 * loss


def _events(
    driver: DriverModel, codes: list[str], seconds: dict[str, float], base: dict[str, float], rng: np.random.Generator
) -> dict[str, object]:
    """What happens once: a strike, a spin, others on the track."""
    chance = float(rng.random())
    corner = str(rng.choice(codes[1:]))
    if chance < driver.spin_rate:
        seconds[corner] += float(rng.uniform(4.0, 9.0))
        return {"incidents": (Incident("spin", corner),)}
    if chance < driver.spin_rate + driver.strike_rate:
        seconds[corner] -= 0.05
        return {"strikes": (corner,), "valid": False}
    if chance > 0.985:
        seconds[corner] += float(rng.uniform(0.3, 1.2))
        return {"flags": frozenset({"traffic"})}
    if chance > 0.975:
        seconds[codes[0]] -= min(0.15, 0.2 * base[codes[0]])
        return {"flags": frozenset({"tow"})}
    return {}
