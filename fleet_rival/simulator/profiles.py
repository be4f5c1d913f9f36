"""How fast a car can go through each metre of a lap."""

from dataclasses import dataclass
from math import sqrt
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fleet_rival.simulator.car import CarModel
from fleet_rival.simulator.road import Road

__all__ = ["SLOWEST_MS", "Limits", "Metres", "Profile", "in_the_way", "profile_of", "took"]

Metres = NDArray[np.float64]


SLOWEST_MS: Final = 3.0


@dataclass(slots=True)
class Limits:
    """What holds the car back at each metre."""

    grip: Metres
    cap: Metres
    power: Metres
    drag: Metres

    def copy(self) -> "Limits":
        return Limits(self.grip.copy(), self.cap.copy(), self.power.copy(), self.drag.copy())

    def apart(self, other: "Limits") -> tuple[int, int]:
        """The first metre at which two differ, and the one after the last; twice 0 where they don't."""
        differ = (
            (self.grip != other.grip)
            | (self.cap != other.cap)
            | (self.power != other.power)
            | (self.drag != other.drag)
        )
        found = np.flatnonzero(differ)
        return (int(found[0]), int(found[-1]) + 1) if len(found) else (0, 0)


@dataclass(frozen=True, slots=True)
class Profile:
    """How fast the car goes at each metre and at the end, and how fast it may go there to be able to brake for what
    comes.
    """

    speed: list[float]
    fastest: list[float]
    limits: Limits


def profile_of(
    road: Road, car: CarModel, limits: Limits, entry_ms: float | None, before: Profile | None = None
) -> Profile:
    """Speed at each metre and at the end: cornering limit, braking backwards, driving forwards.

    Args:
        before: of wider limits and the same entry: what the new ones don't touch is taken from there, number by number
            the same as if all were driven anew, so that a slip takes the time of its own stretch only.
    """
    count = len(road.curvature)
    step = road.length_m / count
    holds = (car.grip_ms2 * limits.grip).tolist()
    with np.errstate(divide="ignore"):
        top = np.minimum(
            np.minimum(np.sqrt(car.grip_ms2 * limits.grip / np.abs(road.curvature)), car.top_speed_ms), limits.cap
        ).tolist()
    bends = np.abs(road.curvature).tolist()
    power, drag = (car.power_w_per_kg * limits.power).tolist(), (car.drag_per_m * limits.drag).tolist()
    first, last = (0, count) if before is None else limits.apart(before.limits)
    if before is not None and first == last:
        return before
    # Plain lists: one number after the other depends on the last.
    fastest = None if before is None else _braked_for(before.fastest, top, holds, bends, step, first, last)
    if fastest is None:
        # A little over once round, so that the end has felt the beginning; nothing called, for it is done a million
        # times.
        before, fastest, here = None, top, min(count, 600) % count
        for index in range(count + min(count, 600) - 1, -1, -1):
            earlier = index % count
            arrives, sideways = fastest[here], fastest[here] ** 2 * bends[earlier]
            left = holds[earlier] ** 2 - sideways**2
            least = (0.15 * holds[earlier]) ** 2
            may = sqrt(arrives * arrives + 2 * step * sqrt(left if left > least else least))
            fastest[earlier] = min(fastest[earlier], may)
            here = earlier
    begin = 0
    out = [fastest[0] if entry_ms is None else entry_ms]
    if before is not None:
        begin = next(
            at for at, (new, old) in enumerate(zip(fastest, before.fastest, strict=True)) if new != old or at == first
        )
        # The speed there is bound by how fast the car may be there.
        begin = max(0, begin - 1)
        out = before.speed[: begin + 1] if begin else out
    speed, slowest = out[-1], SLOWEST_MS**2
    for here in range(begin, count):
        sideways = speed * speed * bends[here]
        left, least = holds[here] ** 2 - sideways**2, (0.15 * holds[here]) ** 2
        left = sqrt(left if left > least else least)
        driven = power[here] / (speed if speed > 5.0 else 5.0)
        square = speed * speed + 2 * step * ((driven if driven < left else left) - drag[here] * speed * speed)
        after = sqrt(square if square > slowest else slowest)
        limit = fastest[(here + 1) % count]
        # A car that comes faster than the limit brakes as well as it can.
        speed = after if after <= limit else max(limit, sqrt(max(speed * speed - 2 * step * holds[here], slowest)))
        out.append(speed)
        if before is not None and here >= last and speed == before.speed[here + 1]:
            out += before.speed[here + 2 :]
            break
    return Profile(out, fastest, limits)


def _may_arrive(next_ms: float, holds: float, bends: float, step: float) -> float:
    """How fast a car may be a metre earlier to be able to brake to this."""
    sideways = next_ms**2 * bends
    left = sqrt(max(holds**2 - sideways**2, (0.15 * holds) ** 2))
    return sqrt(next_ms * next_ms + 2 * step * left)


def _braked_for(
    before: list[float], top: list[float], holds: list[float], bends: list[float], step: float, first: int, last: int
) -> list[float] | None:
    """How fast the car may be, where limits changed from `first` to before `last`; None where that is felt back over
    the line.
    """
    fastest = before.copy()
    for earlier in range(last - 1, -1, -1):
        here = (earlier + 1) % len(fastest)
        told = min(top[earlier], _may_arrive(fastest[here], holds[earlier], bends[earlier], step))
        if earlier < first and told == fastest[earlier]:
            return fastest
        fastest[earlier] = told
    return None


def took(speed: Metres, step: float) -> float:
    return float((2 * step / (speed[1:] + speed[:-1])).sum())


def in_the_way(limits: Limits, speed: Metres, place: float) -> None:
    first = round(place * len(limits.cap))
    after = min(first + 130, len(limits.cap))
    limits.cap[first:after] = np.minimum(
        limits.cap[first:after], 0.9 * speed[first:after].min() + 0.02 * speed[first:after]
    )
