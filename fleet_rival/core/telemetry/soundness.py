"""Where a trace can be believed.

Real recordings have holes, clocks that run on while the car stands still in a pause, cars put back on the road, sensors
that stick. Each such
stretch is named with its reason; what lies outside is used. The one question asked everywhere: does the distance go on
as the speed says?
"""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any, Final

import numpy as np

from fleet_rival.core.telemetry.trace import OPTIONAL, Samples, Trace

__all__ = ["REASONS", "Sound", "Stretch", "examine"]

REASONS: Final = (
    "gap",
    "pause",
    "not_a_number",
    "repeated_distance",
    "falling_distance",
    "teleport",
    "clock",
    "begins_late",
    "ends_early",
)
_GAP_STEPS, _GAP_S = 3.5, 0.05
"""A hole is longer than this many usual steps, and than this."""
_JUMP_M, _JUMP_SHARE = 2.0, 0.3
"""How far the distance may lie beside what the speed says."""
_STUCK_M = 1.0
"""A distance that stays the same while the car moves on by this is stuck."""
_ROLLS_BACK_M = 0.05
_RETURNS_WITHIN_S = 3.0
"""A distance that is right again after this long was a fault of the sensor; else the car was put somewhere else."""


@dataclass(frozen=True, slots=True)
class Stretch:
    """A part of a lap whose samples can't be used.

    Attributes:
        reason: one of `REASONS`.
        start_m, end_m: from the line; what lies between is unknown.
        time_holds: whether the clock went on with the car, so that a time taken across the stretch is right.
        channels: what can't be used there; empty: nothing can.
    """

    reason: str
    start_m: float
    end_m: float
    time_holds: bool
    channels: tuple[str, ...] = ()

    @classmethod
    def from_plain(cls, plain: Mapping[str, Any]) -> "Stretch":
        """From what `dataclasses.asdict` made of one, also where JSON lay between."""
        return cls(**{**plain, "channels": tuple(plain["channels"])})


@dataclass(frozen=True, slots=True, eq=False)
class Sound:
    """A trace, looked through.

    Attributes:
        keep: positions of the samples that can be used; their distance and time ascend.
        stretches: what can't be used, by where it begins.
        step_s: the usual time between two samples.
    """

    keep: np.ndarray
    stretches: tuple[Stretch, ...]
    step_s: float


def examine(trace: Trace, length_m: float) -> Sound:
    """Look a trace through.

    Args:
        length_m: of the lap, to tell whether the trace begins late or ends early.
    """
    time, distance = trace.channels["time_s"], trace.channels["distance_m"]
    known = np.flatnonzero(np.isfinite(time) & np.isfinite(distance))
    if len(known) < 4:
        return Sound(
            known[:0], (Stretch("not_a_number" if len(time) else "gap", 0.0, length_m, time_holds=False),), 0.0
        )
    stretches: list[Stretch] = []
    ascending = np.concatenate([[True], time[known][1:] > np.maximum.accumulate(time[known])[:-1]])
    fell = np.zeros(len(time), dtype=bool)
    if not ascending.all():
        stretches += _clock(time, distance, known, ascending)
        fell[known[~ascending]] = True
        known = known[ascending]
    kept_time, kept_distance = time[known], distance[known]
    speed = _speed(trace.channels["speed_kmh"][known], kept_time) / 3.6
    steps = np.diff(kept_time)
    # A clock of milliseconds has steps of 2 and 3 ms at 360 Hz: their mean is the beat, their median isn't.
    step = float(steps[steps < 1.6 * np.median(steps)].mean())
    keep = np.ones(len(known), dtype=bool)
    for first, after, reason, holds in _anomalies(known, kept_time, kept_distance, speed, step):
        keep[first + 1 : after] = False
        if fell[known[first] : known[after]].any():
            # The clock's fall, told already.
            continue
        low, high = min(kept_distance[first], kept_distance[after]), max(kept_distance[first], kept_distance[after])
        if reason in ("falling_distance", "teleport"):
            low = min(low, float(kept_distance[first : after + 1].min()))
        stretches.append(Stretch(reason, float(low), float(high), holds))
    # What was driven twice counts once it is new again.
    behind = kept_distance < np.maximum.accumulate(np.where(keep, kept_distance, -np.inf)) - 1e-9
    keep &= ~behind
    keep[1:] &= ~((np.diff(kept_distance) <= 0) & keep[:-1])
    usable = known[keep]
    stretches += _ends(distance[usable], speed[keep], step, length_m)
    stretches += _silent(trace, usable, distance)
    stretches += _strays(trace, usable, distance[usable])
    return Sound(usable, tuple(sorted(stretches, key=lambda item: (item.start_m, item.end_m))), step)


def _speed(speed: Samples, time: Samples) -> Samples:
    """Speed without holes; where it is unknown, between its neighbours."""
    good = np.isfinite(speed)
    if good.all():
        return speed
    return np.interp(time, time[good], speed[good]) if good.any() else np.zeros_like(time)


def _clock(time: Samples, distance: Samples, known: np.ndarray, ascending: np.ndarray) -> Iterator[Stretch]:
    """Samples whose clock stands still or falls. Whole repetitions of the sample before say nothing new and aren't
    told.
    """
    for first, last in _runs(~ascending):
        same = all(
            time[known[i]] == time[known[first - 1]] and distance[known[i]] == distance[known[first - 1]]
            for i in range(first, last + 1)
        )
        if not same:
            end = distance[known[min(last + 1, len(known) - 1)]]
            low, high = sorted((float(distance[known[first - 1]]), float(end)))
            yield Stretch("clock", low, high, time_holds=False)


def _runs(mask: np.ndarray) -> Iterator[tuple[int, int]]:
    """First and last position of each run of True."""
    edges = np.flatnonzero(np.diff(np.concatenate([[False], mask, [False]]).astype(np.int8)))
    for first, after in zip(edges[::2], edges[1::2], strict=True):
        yield int(first), int(after) - 1


def _anomalies(
    known: np.ndarray, time: Samples, distance: Samples, speed: Samples, step: float
) -> Iterator[tuple[int, int, str, bool]]:
    """Pairs of samples between which something is wrong: the last that can be believed and the next; the reason;
    whether time holds.
    """
    dt, moved = np.diff(time), np.diff(distance)
    driven = np.concatenate([[0.0], np.cumsum(dt * (speed[1:] + speed[:-1]) / 2)])
    hole = (dt > max(_GAP_STEPS * step, _GAP_S)) | (np.diff(known) > 1)
    fastest = np.maximum(speed[1:], speed[:-1])
    jump = (moved > fastest * dt * (1 + _JUMP_SHARE) + _JUMP_M) | (moved < -_ROLLS_BACK_M)
    stuck = np.zeros(len(dt), dtype=bool)
    for first, last in _runs(moved == 0):
        stuck[first] = driven[last + 1] - driven[first] > _STUCK_M
    at = -1
    for index in np.flatnonzero(hole | jump | stuck):
        first = int(index)
        if first < at:
            continue
        at, reason, holds = _judge(first, known, time, distance, speed, driven, hole=bool(hole[index]))
        yield first, at, reason, holds


def _judge(
    first: int, known: np.ndarray, time: Samples, distance: Samples, speed: Samples, driven: Samples, *, hole: bool
) -> tuple[int, str, bool]:
    after = first + 1
    moved, dt = distance[after] - distance[first], time[after] - time[first]
    if hole:
        slow, fast = min(speed[first], speed[after]), max(speed[first], speed[after])
        reason = "not_a_number" if known[after] - known[first] > 1 else "gap"
        if moved > fast * dt * (1 + _JUMP_SHARE) + _JUMP_M or moved < -_ROLLS_BACK_M:
            return after, "teleport", False
        if moved < 0.5 * slow * dt - _JUMP_M:
            return after, "pause", False
        return after, reason, True
    limit = int(np.searchsorted(time, time[first] + _RETURNS_WITHIN_S, side="right"))
    ahead = slice(after, max(limit, after + 1))
    gone = distance[ahead] - distance[first]
    by_speed = driven[ahead] - driven[first]
    rolls = _ROLLS_BACK_M < -moved <= speed[first : after + 1].max() * dt * (1 + _JUMP_SHARE) + _ROLLS_BACK_M
    right = gone > 0 if rolls else (gone > 0) & (np.abs(gone - by_speed) <= _JUMP_M / 2 + 0.1 * by_speed)
    found = np.flatnonzero(right)
    if len(found):
        back = after + int(found[0])
        between = distance[after:back]
        if len(between) and (between == distance[first]).all():
            return back, "repeated_distance", True
        return back, "falling_distance" if len(between) and between.min() < distance[first] else "teleport", True
    if rolls:
        # The car rolled back for longer than a sensor errs: until it is where it was.
        past = np.flatnonzero(distance[after:] > distance[first])
        return (after + int(past[0]) if len(past) else len(distance) - 1), "falling_distance", True
    if moved == 0:
        last = (
            after + int(np.argmax(distance[after:] != distance[first]))
            if (distance[after:] != distance[first]).any()
            else len(distance) - 1
        )
        return last, "repeated_distance", False
    return after, "teleport", False


def _ends(distance: Samples, speed: Samples, step: float, length_m: float) -> Iterator[Stretch]:
    if not len(distance):
        return
    # What a car covers in two steps may lie before the first and behind the last sample of a whole lap.
    if distance[0] > 2 * speed[0] * step + 0.5:
        yield Stretch("begins_late", 0.0, float(distance[0]), time_holds=True)
    if length_m - distance[-1] > 2 * speed[-1] * step + 0.5:
        yield Stretch("ends_early", float(distance[-1]), length_m, time_holds=False)


def _silent(trace: Trace, usable: np.ndarray, distance: Samples) -> Iterator[Stretch]:
    """Stretches on which channels have no value."""
    found: dict[tuple[float, float], list[str]] = {}
    missing = set(trace.missing)
    for name in ("speed_kmh", *OPTIONAL):
        values = trace.channels.get(name)
        if values is None or name in missing:
            continue
        unknown = ~np.isfinite(values[usable])
        if unknown.any():
            for first, last in _runs(unknown):
                low, high = usable[max(first - 1, 0)], usable[min(last + 1, len(usable) - 1)]
                found.setdefault((float(distance[low]), float(distance[high])), []).append(name)
    for (low, high), names in found.items():
        yield Stretch("not_a_number", low, high, time_holds=True, channels=tuple(names))


def _strays(trace: Trace, usable: np.ndarray, distance: Samples) -> Iterator[Stretch]:
    """Stretches on which the place in the plane leaps although the distance doesn't."""
    if len(usable) < 2 or not {"x_m", "y_m"} <= trace.channels.keys():
        return
    x, y = (trace.channels[name][usable] for name in ("x_m", "y_m"))
    moved = np.hypot(np.diff(x), np.diff(y))
    leaps = moved > np.diff(distance) * (1 + _JUMP_SHARE) + _JUMP_M
    places = np.flatnonzero(leaps)
    if len(places):
        # A leap and the leap back are one stretch.
        for first, last in zip(places[::2], [*places[1::2], *([places[-1]] if len(places) % 2 else [])], strict=True):
            yield Stretch(
                "teleport", float(distance[first]), float(distance[last + 1]), time_holds=True, channels=("x_m", "y_m")
            )
