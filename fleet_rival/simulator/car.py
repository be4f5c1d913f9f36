"""A car as a point with grip, power and drag, and the fastest speed it can hold along a road."""

from dataclasses import dataclass
from math import sqrt

import numpy as np
from numpy.typing import NDArray

from fleet_rival.simulator.road import Road

__all__ = ["CarModel", "speed_profile"]


@dataclass(frozen=True, slots=True)
class CarModel:
    """A car."""

    name: str
    grip_ms2: float
    """Acceleration that the tyres hold in any direction."""
    power_w_per_kg: float
    drag_per_m: float
    """Deceleration by drag over the square of the speed."""
    top_speed_ms: float


def speed_profile(road: Road, car: CarModel, grip: float | NDArray[np.float64] = 1.0) -> NDArray[np.float64]:
    """Quasi-steady lap: cornering limit, then braking backwards and driving forwards within the friction circle.

    Args:
        grip: share of the car's grip that is used, for the whole lap or for each sample.

    Returns:
        Speed in m/s at each sample of the road; the lap is a flying one.
    """
    holds = car.grip_ms2 * grip * np.ones_like(road.curvature)
    with np.errstate(divide="ignore"):
        speed = np.minimum(np.sqrt(holds / np.abs(road.curvature)), car.top_speed_ms)
    step = road.length_m / len(speed)
    count = len(speed)
    # Plain lists: one number after the other depends on the last, and arrays are slow at that.
    fastest, bends, grips = speed.tolist(), road.curvature.tolist(), holds.tolist()
    # Twice round, so that the start has felt the end.
    for index in range(2 * count, 0, -1):
        here, before = index % count, (index - 1) % count
        fastest[before] = min(fastest[before], sqrt(fastest[here] ** 2 + 2 * step * _left(grips[before], fastest[here], bends[before])))
    for index in range(2 * count):
        here, after = index % count, (index + 1) % count
        push = min(car.power_w_per_kg / max(fastest[here], 5.0), _left(grips[here], fastest[here], bends[here]))
        push -= car.drag_per_m * fastest[here] ** 2
        fastest[after] = min(fastest[after], sqrt(max(fastest[here] ** 2 + 2 * step * push, 25.0)))
    return np.asarray(fastest)


def _left(grip: float, speed: float, curvature: float) -> float:
    """What the friction circle leaves for braking or driving; a little always, as the line gives way."""
    sideways = speed * speed * abs(curvature)
    return sqrt(max(grip * grip - sideways * sideways, (0.15 * grip) ** 2))
