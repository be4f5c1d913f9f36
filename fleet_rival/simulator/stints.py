"""Runs driven metre by metre: each lap with its times, its channels and what really happened in it."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from functools import cache
from types import MappingProxyType
from typing import Any, Final

import numpy as np
from scipy.interpolate import CubicSpline
from scipy.ndimage import gaussian_filter1d

from fleet_rival.core.laps.lap import Incident, Lap
from fleet_rival.core.telemetry.trace import Trace
from fleet_rival.core.track import Track
from fleet_rival.simulator.car import CarModel
from fleet_rival.simulator.drivers import DriverModel, Tries
from fleet_rival.simulator.driving import DrivenLap, Slip, Stint, drive_lap
from fleet_rival.simulator.practice import GRIP_IN, SessionPlan
from fleet_rival.simulator.road import STEP_M, Road

__all__ = ["StintLap", "drive_stint", "road_of", "truth_of"]

_SETTLES: Final = 3.0
"""Metres over which a road's curvature is smoothed: points of a centreline are rounded."""
_SECONDS_PER_SHARE_OF_FUEL: Final = 0.002
"""How much faster a lap gets, as a share of it, when a full tank is empty."""
_PIT_KMH: Final = 60.0


@dataclass(frozen=True, slots=True, eq=False)
class StintLap:
    """A lap as it is told, and as it was driven."""

    lap: Lap
    driven: DrivenLap

    def trace(self, rate_hz: float) -> Trace:
        """What a recorder would have written of it."""
        lap = self.lap
        return Trace(lap.driver, lap.session, lap.run, lap.number, self.driven.samples(rate_hz))


def road_of(track: Track) -> Road:
    """The road that a track file describes: through its centreline where it has one, else bent at its corners alone."""
    count = round(track.length_m / STEP_M)
    if track.centreline_xy_m:
        points = np.asarray(track.centreline_xy_m)
        along = np.linspace(0.0, track.length_m, len(points) + 1)
        line = CubicSpline(along, np.vstack([points, points[:1]]), bc_type="periodic")
        at = np.arange(count) * track.length_m / count
        xy, (dx, dy), (ddx, ddy) = line(at), line(at, 1).T, line(at, 2).T
        curvature = (dx * ddy - dy * ddx) / np.maximum(np.hypot(dx, dy), 1e-9) ** 3
    else:
        curvature = np.zeros(count)
        for corner in track.corners:
            first, after = (
                round(corner.start_m / STEP_M),
                max(round(corner.end_m / STEP_M), round(corner.start_m / STEP_M) + 10),
            )
            middle = slice((first + after) // 2, after)
            curvature[middle] = (1 if corner.direction == "left" else -1) * 1.2 / ((after - first) / 2 * STEP_M)
        heading = np.cumsum(curvature) * track.length_m / count
        xy = np.cumsum(np.stack([np.cos(heading), np.sin(heading)], axis=1), axis=0) * track.length_m / count
    return Road((), (), track.length_m, gaussian_filter1d(curvature, _SETTLES / STEP_M, mode="wrap"), np.asarray(xy))


def drive_stint(
    driver: DriverModel,
    road: Road,
    car: CarModel,
    track: Track,
    session: SessionPlan,
    run: int,
    first_lap: int,
    clock: datetime,
    rng: np.random.Generator,
    lost_s: float = 0.0,
    company: int = 0,
) -> Iterator[StintLap]:
    """Drive a run, lap by lap: out lap, flying laps, in lap.

    Args:
        run: which of the session's runs, from 0.
        lost_s: what the driver still loses for not knowing the road.
        company: how many others are on the road.
    """
    road = replace(road, length_m=track.length_m)
    plan = session.runs[run]
    grip = driver.grip * GRIP_IN[session.wetness]
    ordinary = _seconds(road, car, track, grip)
    per_grip = (ordinary - _seconds(road, car, track, grip * 0.98)) / (0.02 * grip)

    @cache
    def per_grip_in(code: str) -> float:
        return (ordinary - _seconds(road, car, track, grip, {code: 0.98})) / 0.02

    count = plan.flying + 2
    speed: float | None = _PIT_KMH / 3.6
    for number in range(count):
        kind = "out" if number == 0 else "in" if number == count - 1 else "flying"
        left = 1 - 0.9 * number / count
        worn = driver.falloff_s * max(0, number - 1)
        shifts_s = {session.eats[0]: session.eats[1] * worn} if session.eats else {}
        extra = lost_s + worn - sum(shifts_s.values()) + (driver.cold_s if number == 1 else 0.0)
        extra -= _SECONDS_PER_SHARE_OF_FUEL * ordinary * (1 - left)
        if kind != "flying":
            extra += 0.04 * ordinary
        stint, facts = _meant(driver, track, rng, kind, number, company)
        if driver.tries and kind == "flying" and plan.purpose == "long" and session.label != "1":
            stint, facts = _trying(driver.tries, stint, facts, number)
        if driver.gives_up and kind == "flying":
            shifts_s |= driver.gives_up.shifts_s(number)
        for code, seconds in shifts_s.items():
            stint = _with_grip_in(stint, code, seconds / per_grip_in(code))
        stint = replace(
            stint,
            grip=max(grip + extra / per_grip, 0.3 * grip),
            entry_ms=speed,
            pit={"out": "out", "in": "in"}.get(kind),
        )
        driven = drive_lap(road, car, track, stint)
        speed = driven.end_ms
        context = {**session.context(run, first_lap, number, clock, left), "kind": kind}
        lap = Lap(driver=driver.name, **{**_times(track, driven), **facts, **context})
        clock += timedelta(microseconds=lap.time_us)
        yield StintLap(lap, driven)


def truth_of(item: StintLap, track: Track) -> dict[str, Any]:
    """What is true of a lap, to the microsecond: its exact times, and what went wrong in it."""
    lap, driven = item.lap, item.driven
    bounds = [part.start_m for part in track.segment_parts] + [track.length_m]
    moments = driven.moments(bounds)
    return {
        "driver": lap.driver,
        "session": lap.session,
        "run": lap.run,
        "lap": lap.number,
        "kind": lap.kind,
        "time_us": round(float(driven.time_s[-1]) * 1e6),
        "segments": {
            part.code: round(float(took) * 1e6)
            for part, took in zip(track.segment_parts, np.diff(moments), strict=True)
        },
        "grip": round(driven.stint.grip, 5),
        "flags": sorted(lap.flags),
        "slips": [
            {"corner": slip.corner, "kind": slip.kind, "loss_us": loss}
            for slip, loss in zip(driven.stint.slips, driven.losses_us, strict=True)
        ],
    }


def _seconds(
    road: Road, car: CarModel, track: Track, grip: float, segment_grip: Mapping[str, float] = MappingProxyType({})
) -> float:
    return float(drive_lap(road, car, track, Stint(grip, segment_grip)).time_s[-1])


def _with_grip_in(stint: Stint, code: str, grip: float) -> Stint:
    """The lap with so much more grip in a segment, as a share of it."""
    return replace(stint, segment_grip={**stint.segment_grip, code: stint.segment_grip.get(code, 1.0) * (1 + grip)})


def _times(track: Track, driven: DrivenLap) -> dict[str, object]:
    """Times in whole milliseconds that add up: each boundary's moment is rounded once."""

    def rounded(parts: Any) -> dict[str, int]:
        moments = [
            round(float(moment) * 1000) * 1000
            for moment in driven.moments([part.start_m for part in parts] + [track.length_m])
        ]
        return {part.code: after - before for part, before, after in zip(parts, moments[:-1], moments[1:], strict=True)}

    segments = rounded(track.segment_parts)
    return {
        "time_us": round(float(driven.time_s[-1]) * 1000) * 1000,
        "segments": segments,
        "sectors": rounded(track.sector_parts),
    }


def _trying(tries: Tries, stint: Stint, facts: dict[str, object], number: int) -> tuple[Stint, dict[str, object]]:
    """The lap with an option at one corner, the two in turn."""
    second = number % 2 == 1
    return _with_grip_in(stint, tries.corner, tries.worth if second else 0.0), {
        **facts,
        "options": ((tries.corner, tries.second if second else tries.first),),
    }


def _meant(
    driver: DriverModel, track: Track, rng: np.random.Generator, kind: str, number: int, company: int
) -> tuple[Stint, dict[str, object]]:
    """How a lap is going to be driven, and what will be said of it."""
    codes = [corner.code for corner in track.corners]
    # A lap's time hangs on the root of the grip in corners: twice the scatter of the time.
    scatter = {part.code: 1 + 2 * driver.scatter * float(rng.standard_normal()) for part in track.segment_parts}
    stint = Stint(
        1.0,
        scatter,
        tuple(Slip(corner, "early-brake", loss) for corner, loss in driver.standing if corner in codes),
        wander=int(rng.integers(1 << 30)),
    )
    facts: dict[str, object] = {"company": "solo" if company == 0 else "behind"}
    slips: list[Slip] = []
    chances = rng.random(len(driver.habits))
    if kind != "flying":
        return stint, facts
    for habit, chance in zip(driver.habits, chances, strict=True):
        applies = {"always": True, "late": number > 6, "cold": number == 1}[habit.when]
        if applies and chance < habit.rate and habit.corner in codes:
            slips.append(Slip(habit.corner, habit.kind, habit.loss_s * float(rng.lognormal(0.0, 0.25))))
            if habit.kind == "limits":
                facts |= {"strikes": (habit.corner,), "valid": False}
    happens, corner = float(rng.random()), str(rng.choice(codes)) if codes else ""
    if codes and happens < driver.spin_rate:
        slips.append(Slip(corner, "spin", float(rng.uniform(4.0, 9.0))))
        facts["incidents"] = (Incident("spin", corner),)
    elif codes and happens < driver.spin_rate + driver.strike_rate:
        slips.append(Slip(corner, "limits", 0.0))
        facts |= {"strikes": (corner,), "valid": False}
    stint = replace(stint, slips=(*stint.slips, *slips))
    if company and rng.random() < min(0.15 * company, 0.6):
        if rng.random() < 0.5:
            facts |= {"flags": frozenset({"traffic"}), "company": "pack" if company > 2 else "behind"}
            return replace(stint, behind_at=(float(rng.uniform(0.1, 0.85)),)), facts
        facts |= {"flags": frozenset({"tow"})}
        return replace(stint, tow_at=(float(rng.uniform(0.0, 0.8)),)), facts
    return stint, facts
