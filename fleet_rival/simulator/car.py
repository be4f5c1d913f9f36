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
    # Plain lists, and nothing called: one number after the other depends on the last, and arrays are slow at that.
    fastest, bends = speed.tolist(), np.abs(road.curvature).tolist()
    # A little is always left for braking and driving, as the line gives way.
    circle, least = (holds * holds).tolist(), ((0.15 * holds) ** 2).tolist()
    # Twice round, so that the start has felt the end.
    here = 0
    for index in range(2 * count - 1, -1, -1):
        before = index % count
        sideways = fastest[here] * fastest[here] * bends[before]
        left = circle[before] - sideways * sideways
        arrives = sqrt(fastest[here] ** 2 + 2 * step * sqrt(left if left > least[before] else least[before]))
        fastest[before] = min(fastest[before], arrives)
        here = before
    for index in range(2 * count):
        here, after = index % count, (index + 1) % count
        now = fastest[here]
        sideways = now * now * bends[here]
        left = circle[here] - sideways * sideways
        left = sqrt(left if left > least[here] else least[here])
        driven = car.power_w_per_kg / (now if now > 5.0 else 5.0)
        push = (driven if driven < left else left) - car.drag_per_m * now**2
        square = now**2 + 2 * step * push
        reached = sqrt(square if square > 25.0 else 25.0)
        fastest[after] = min(fastest[after], reached)
    return np.asarray(fastest)
