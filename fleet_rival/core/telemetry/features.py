"""What a driver did on the way through each corner, read from a trace: where the brake began and ended, the slowest
place, where the throttle came.

Each figure needs its channels; where they are missing it is NaN. Thresholds are settings, so that a pedal that rests at
2 % isn't pressed.
"""

from collections.abc import Callable, Mapping
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fleet_rival.core.settings import Settings
from fleet_rival.core.telemetry.soundness import examine
from fleet_rival.core.telemetry.trace import Samples, Trace
from fleet_rival.core.track import Track

__all__ = ["FEATURES", "pass_features"]

_NEEDS: Final = {
    "brake_onset_m": ("brake_pct", "speed_kmh"),
    "brake_release_m": ("brake_pct", "speed_kmh"),
    "brake_peak_pct": ("brake_pct",),
    "slowest_kmh": ("speed_kmh",),
    "slowest_m": ("speed_kmh",),
    "pick_up_m": ("throttle_pct", "speed_kmh"),
    "full_throttle_m": ("throttle_pct", "speed_kmh"),
    "lifts": ("throttle_pct", "speed_kmh"),
    "coasting_s": ("throttle_pct", "brake_pct"),
    "overlap_s": ("brake_pct", "steering_deg", "gear"),
    "countersteer_s": ("steering_deg", "yaw_rate_dps"),
    "apex_gear": ("gear", "speed_kmh"),
    "apex_offset_m": ("offset_m", "speed_kmh"),
    "limiter_s": ("rpm",),
    "lock_peak_pct": ("lock_pct",),
    "slip_peak_pct": ("slip_pct",),
}
"""The channels that each feature is read from: where one of them is silent in a pass, the pass doesn't have the
feature.
"""
FEATURES: Final = tuple(_NEEDS)
Mask = NDArray[np.bool_]


def pass_features(track: Track, trace: Trace, settings: Settings | None = None) -> dict[str, Samples]:
    """Features of every pass of a lap.

    Args:
        track: its segments are the passes.
        trace: one lap.

    Returns:
        Name after `FEATURES` to an array of shape (segments,), places in metres from the line. NaN where channels are
        missing, where the stretch can't be used, or where it didn't happen (no braking, no lift).
    """
    settings = settings or Settings()
    parts = track.segment_parts
    sound = examine(trace, track.length_m)
    keep = sound.keep
    out = {name: np.full(len(parts), np.nan) for name in FEATURES}
    if len(keep) < 4 or not parts:
        return out
    whole = len(keep) == len(trace)
    channels = {name: values if whole else values[keep] for name, values in trace.channels.items()}
    where, time = channels["distance_m"], channels["time_s"]
    edges = np.searchsorted(where, [part.start_m for part in parts])
    last = np.append(edges[1:], len(where))
    filled = last > edges
    starts = np.minimum(edges, len(where) - 1)
    step = np.diff(time, append=time[-1] + sound.step_s)

    def reduced(function: np.ufunc, values: Samples) -> Samples:
        return np.where(filled, function.reduceat(values, starts), np.nan)

    def seconds(mask: Mask) -> Samples:
        return reduced(np.add, np.where(mask, step, 0.0))

    _Corners(out, channels, where, starts, last, filled, reduced, seconds, settings).read()
    for index, part in enumerate(parts):
        for item in sound.stretches:
            if item.start_m < part.end_m and part.start_m < max(item.end_m, item.start_m + 0.01):
                for name, values in out.items():
                    if not item.channels or not set(item.channels).isdisjoint(_NEEDS[name]):
                        values[index] = np.nan
    return out


class _Corners:
    """All corners of a lap at once."""

    def __init__(
        self,
        out: dict[str, Samples],
        channels: Mapping[str, Samples],
        where: Samples,
        starts: NDArray[np.intp],
        last: NDArray[np.intp],
        filled: Mask,
        reduced: Callable[[np.ufunc, Samples], Samples],
        seconds: Callable[[Mask], Samples],
        settings: Settings,
    ) -> None:
        self._out, self._channels, self._where = out, channels, where
        self._starts, self._last, self._filled = starts, last, filled
        self._reduced, self._seconds, self._settings = reduced, seconds, settings
        self._part = np.zeros(len(where), dtype=np.intp)
        self._part[starts[filled][1:]] = 1
        self._part = np.flatnonzero(filled)[np.cumsum(self._part)]

    def read(self) -> None:
        slowest = self._slowest()
        brake, throttle = self._channels.get("brake_pct"), self._channels.get("throttle_pct")
        if brake is not None:
            self._brake(brake, slowest)
        if throttle is not None:
            self._throttle(throttle, brake, slowest)
        self._hands(brake)
        self._rest(slowest)

    def _slowest(self) -> NDArray[np.intp]:
        """Position of each pass's slowest sample; the first of equals."""
        speed = self._channels["speed_kmh"]
        least = self._reduced(np.minimum, speed)
        is_least = speed == least[self._part]
        found = self._first(is_least)
        self._out["slowest_kmh"][:] = least
        self._out["slowest_m"][:] = self._at(found)
        return found

    def _first(self, mask: Mask) -> NDArray[np.intp]:
        """Position of the first True of each pass; the number of samples where there is none."""
        count = len(mask)
        positions = np.where(mask, np.arange(count), count)
        return np.where(self._filled, np.minimum.reduceat(positions, self._starts), count)

    def _final(self, mask: Mask) -> NDArray[np.intp]:
        positions = np.where(mask, np.arange(len(mask)), -1)
        return np.where(self._filled, np.maximum.reduceat(positions, self._starts), -1)

    def _at(self, positions: NDArray[np.intp]) -> Samples:
        known = (positions >= 0) & (positions < len(self._where))
        return np.where(known, self._where[np.clip(positions, 0, len(self._where) - 1)], np.nan)

    def _value(self, values: Samples, positions: NDArray[np.intp]) -> Samples:
        known = (positions >= 0) & (positions < len(values))
        return np.where(known, values[np.clip(positions, 0, len(values) - 1)], np.nan)

    def _before(self, slowest: NDArray[np.intp]) -> Mask:
        return np.arange(len(self._where)) <= slowest[self._part]

    def _brake(self, brake: Samples, slowest: NDArray[np.intp]) -> None:
        pressed = brake > self._settings.brake_on_pct
        self._out["brake_onset_m"][:] = self._at(self._first(pressed & self._before(slowest)))
        self._out["brake_release_m"][:] = self._at(self._final(pressed & self._before(slowest)))
        self._out["brake_peak_pct"][:] = self._reduced(np.maximum, brake)

    def _throttle(self, throttle: Samples, brake: Samples | None, slowest: NDArray[np.intp]) -> None:
        settings = self._settings
        opened = throttle > settings.throttle_on_pct
        after = np.arange(len(throttle)) >= slowest[self._part]
        picked = self._first(opened & after)
        self._out["pick_up_m"][:] = self._at(picked)
        self._out["full_throttle_m"][:] = self._at(self._first((throttle >= settings.throttle_full_pct) & after))
        # A lift is a fall by more than the threshold from where the throttle had been since the pick-up; one from which
        # it comes back before the next corner's braking begins, for else it belongs to that.
        since = np.arange(len(throttle)) >= picked[self._part]
        highest = np.maximum.accumulate(np.where(since, throttle, 0.0) + 1000.0 * self._part) - 1000.0 * self._part
        down = since & (highest - throttle > settings.lift_pct)
        comes_back = down[:-1] & ~down[1:] & (self._part[:-1] == self._part[1:])
        self._out["lifts"][:] = self._reduced(np.add, np.append(comes_back, False).astype(float))
        if brake is not None:
            self._out["coasting_s"][:] = self._seconds(~opened & (brake <= settings.brake_on_pct))

    def _hands(self, brake: Samples | None) -> None:
        steering = self._channels.get("steering_deg")
        if steering is None:
            return
        settings = self._settings
        turned = np.abs(steering) > settings.steering_on_deg
        gear = self._channels.get("gear")
        if brake is not None and gear is not None:
            shifting = np.concatenate([[False], np.diff(gear) < 0])
            self._out["overlap_s"][:] = self._seconds((brake > settings.brake_on_pct) & turned & _near(shifting, 6))
        yaw = self._channels.get("yaw_rate_dps")
        if yaw is not None:
            # Yaw is positive to the left, steering negative.
            self._out["countersteer_s"][:] = self._seconds(
                turned & (np.sign(yaw) == np.sign(steering)) & (np.abs(yaw) > settings.yaw_on_dps)
            )

    def _rest(self, slowest: NDArray[np.intp]) -> None:
        channels = self._channels
        if (gear := channels.get("gear")) is not None:
            self._out["apex_gear"][:] = self._value(gear, slowest)
        if (offset := channels.get("offset_m")) is not None:
            self._out["apex_offset_m"][:] = self._value(offset, slowest)
        if (rpm := channels.get("rpm")) is not None:
            highest = np.nanmax(rpm) if np.isfinite(rpm).any() else np.nan
            self._out["limiter_s"][:] = self._seconds(rpm >= self._settings.limiter_share * highest)
        for name, channel in (("lock_peak_pct", "lock_pct"), ("slip_peak_pct", "slip_pct")):
            if (values := channels.get(channel)) is not None:
                self._out[name][:] = self._reduced(np.maximum, values)


def _near(mask: Mask, samples: int) -> Mask:
    """Where the mask is True within so many samples."""
    counted = np.cumsum(np.concatenate([[0], mask.astype(int)]))
    at = np.arange(len(mask))
    return np.asarray(counted[np.minimum(at + samples + 1, len(mask))] - counted[np.maximum(at - samples, 0)] > 0)
