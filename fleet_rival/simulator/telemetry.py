"""Traces of laps: what a car's sensors would have written, in step with the lap's segment times."""

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from fleet_rival.core.laps.lap import Lap
from fleet_rival.core.track import Track
from fleet_rival.simulator.car import CarModel, speed_profile
from fleet_rival.simulator.road import Road

Samples = NDArray[np.floating[Any]]

__all__ = ["Trace", "trace"]

RATE_HZ = 25.0


@dataclass(frozen=True, slots=True, eq=False)
class Trace:
    """Samples of one lap, all of one shape (samples,)."""

    lap: Lap
    time_s: Samples
    distance_m: Samples
    speed_kmh: Samples
    throttle_pct: Samples
    brake_pct: Samples
    steering_deg: Samples
    x_m: Samples
    y_m: Samples


def trace(road: Road, car: CarModel, track: Track, grip: float, lap: Lap) -> Trace:
    """A lap as a trace: the driver's ordinary lap, stretched in each segment to the time that the lap took there."""
    speed = speed_profile(road, car, grip)
    step = road.length_m / len(speed)
    elapsed = np.concatenate([[0.0], np.cumsum(step / ((speed + np.roll(speed, -1)) / 2))])
    at = np.arange(len(elapsed)) * step
    bounds = np.asarray([part.start_m for part in track.segment_parts] + [road.length_m])
    ordinary = np.interp(bounds, at, elapsed)
    taken = np.concatenate([[0.0], np.cumsum([lap.segments[part.code] / 1e6 for part in track.segment_parts])])
    time_at = np.interp(elapsed, ordinary, taken)
    samples = np.arange(0.0, float(taken[-1]), 1 / RATE_HZ)
    distance = np.interp(samples, time_at, at)
    metres_per_second = np.gradient(distance, samples)
    push = np.gradient(metres_per_second, samples) + car.drag_per_m * metres_per_second**2
    most = car.power_w_per_kg / np.maximum(metres_per_second, 5.0)
    curvature = np.interp(distance, at[:-1], road.curvature)
    return Trace(
        lap,
        np.round(samples, 3),
        np.round(distance, 2),
        np.round(metres_per_second * 3.6, 2),
        np.round(np.clip(push / most, 0, 1) * 100, 1),
        np.round(np.clip(-push / car.grip_ms2, 0, 1) * 100, 1),
        np.round(np.degrees(np.arctan(2.6 * curvature)) * -14.0, 1),
        np.round(np.interp(distance, at[:-1], road.xy_m[:, 0]), 2),
        np.round(np.interp(distance, at[:-1], road.xy_m[:, 1]), 2),
    )
