"""Faults of recordings, put into a clean trace, and what should be said of each."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

__all__ = ["SOILS", "Soiled", "soil"]

Channels = Mapping[str, NDArray[np.float64]]

SOILS: Final = (
    "gap",
    "pause",
    "not_a_number",
    "repeated_distance",
    "falling_distance",
    "teleport",
    "ends_early",
    "begins_late",
    "clock",
)


@dataclass(frozen=True, slots=True, eq=False)
class Soiled:
    """A trace with one fault.

    Attributes:
        reason: what is wrong.
        start_m, end_m: where, by the true distance.
        time_holds: whether a time taken across it is right.
    """

    channels: Channels
    reason: str
    start_m: float
    end_m: float
    time_holds: bool


def soil(channels: Channels, reason: str, rng: np.random.Generator) -> Soiled:
    """Put one fault into a trace.

    Args:
        channels: of one lap, clean; arrays of shape (samples,).
        reason: one of `SOILS`.
        rng: where chance comes from.
    """
    out = {name: values.astype(float).copy() for name, values in channels.items()}
    time, distance = out["time_s"], out["distance_m"]
    count = len(time)
    step = float(np.median(np.diff(time)))
    # Long enough to matter at any rate, in the middle of the lap.
    long = max(8, round(float(rng.uniform(0.4, 1.6)) / step))
    first = int(rng.integers(count // 8, count - count // 8 - long))
    after = first + long
    start, end = float(distance[first]), float(distance[after])
    if reason == "gap":
        keep = np.concatenate([np.arange(first + 1), np.arange(after, count)])
        return Soiled({name: values[keep] for name, values in out.items()}, reason, start, end, time_holds=True)
    if reason == "pause":
        time[first + 1 :] += float(rng.uniform(5, 60))
        return Soiled(out, reason, start, float(distance[first + 1]), time_holds=False)
    if reason == "not_a_number":
        for name in ("distance_m", "speed_kmh") if rng.random() < 0.5 else ("distance_m",):
            out[name][first + 1 : after] = np.nan
        return Soiled(out, reason, start, end, time_holds=True)
    if reason == "repeated_distance":
        distance[first + 1 : after] = distance[first]
        return Soiled(out, reason, start, end, time_holds=True)
    if reason == "falling_distance":
        back = float(rng.uniform(3, 40))
        distance[first + 1 : after] -= back + (distance[first + 1 : after] - distance[first])
        return Soiled(out, reason, start - back, end, time_holds=True)
    if reason == "teleport":
        # Put further on at once: what was driven between never was.
        after = min(int(np.searchsorted(distance, start + float(rng.uniform(40, 120)))), count - 2)
        keep = np.concatenate([np.arange(first + 1), np.arange(after, count)])
        time[after:] -= time[after] - time[first] - step
        return Soiled(
            {name: values[keep] for name, values in out.items()},
            reason,
            start,
            float(distance[after]),
            time_holds=False,
        )
    if reason == "clock":
        back = float(rng.uniform(0.5, 2.0))
        time[first + 1 :] -= back + step
        again = int(np.argmax((time > time[first]) & (np.arange(count) > first)))
        return Soiled(out, reason, start, float(distance[again]), time_holds=False)
    if reason == "begins_late":
        return Soiled({name: values[first:] for name, values in out.items()}, reason, 0.0, start, time_holds=True)
    if reason == "ends_early":
        last = float(channels["distance_m"][-1])
        return Soiled(
            {name: values[:first] for name, values in out.items()},
            reason,
            float(distance[first - 1]),
            last,
            time_holds=False,
        )
    raise ValueError(f"there is no fault called {reason}")
