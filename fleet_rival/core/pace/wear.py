"""Wear: what tread readings say of each wheel, when the tyre is through, and which end of the car gets there first."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from math import floor
from typing import Final

import numpy as np

__all__ = ["TreadReading", "Wear", "WheelWear", "wear_of"]


_WORN_PCT: Final = 1e-6
"""Tread lost a lap below which a tyre doesn't wear."""


@dataclass(frozen=True, slots=True)
class TreadReading:
    """Tread left in per cent by wheel, after so many laps on the set."""

    laps: float
    tread_pct: Mapping[str, float]


@dataclass(frozen=True, slots=True)
class WheelWear:
    """One wheel.

    Attributes:
        per_lap_pct: tread lost a lap.
        left_pct: tread left at the last reading.
        through_at: lap of the set at which the threshold is reached; None: it doesn't wear.
    """

    per_lap_pct: float
    left_pct: float
    through_at: int | None


@dataclass(frozen=True, slots=True)
class Wear:
    """All wheels.

    Attributes:
        wheels: by name, those with readings.
        through_at: lap of the set at which the first wheel is through.
        first_axle: `front`, `rear`, or None where both get there within a lap, or one isn't known.
    """

    wheels: Mapping[str, WheelWear]
    through_at: int | None
    first_axle: str | None


def wear_of(readings: Sequence[TreadReading], threshold_pct: float) -> Wear | str:
    """Wear of one tyre set or of several like ones.

    Args:
        readings: a new set counts as 100 % after 0 laps where no reading says otherwise.
        threshold_pct: tread at which the car's tyre is through.

    Returns:
        The wear, or the reason why it can't be told.

    >>> wear_of([], 30.0)
    'no tread reading after a lap of a set'
    """
    wheels: dict[str, WheelWear] = {}
    for name in sorted({wheel for reading in readings for wheel in reading.tread_pct}):
        known = [(reading.laps, reading.tread_pct[name]) for reading in readings if name in reading.tread_pct]
        if not any(laps > 0 for laps, _ in known):
            continue
        if all(laps > 0 for laps, _ in known):
            known.append((0.0, 100.0))
        laps, tread = (np.asarray(values, dtype=np.float64) for values in zip(*sorted(known), strict=True))
        slope = float(np.polyfit(laps, tread, 1)[0]) if len(set(laps)) > 1 else 0.0
        level = float(tread.mean() - slope * laps.mean())
        through = floor((level - threshold_pct) / -slope) if slope < -_WORN_PCT else None
        wheels[name] = WheelWear(-slope, float(tread[-1]), through)
    if not wheels:
        return "no tread reading after a lap of a set"
    ends = [wheel.through_at for wheel in wheels.values() if wheel.through_at is not None]
    axles = {
        axle: min(
            (
                wheel.through_at
                for name, wheel in wheels.items()
                if name.startswith(axle) and wheel.through_at is not None
            ),
            default=None,
        )
        for axle in ("front", "rear")
    }
    front, rear = axles["front"], axles["rear"]
    first = None
    if front is not None and rear is not None and abs(front - rear) > 1:
        first = "front" if front < rear else "rear"
    return Wear(wheels, min(ends, default=None), first)
