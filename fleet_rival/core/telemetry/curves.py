"""A lap's channels at even metres: what passes are laid over each other by, small enough to be kept beside each
trace.
"""

import zlib
from collections.abc import Mapping
from dataclasses import dataclass
from struct import Struct
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fleet_rival.core.telemetry.soundness import examine
from fleet_rival.core.telemetry.trace import Trace

__all__ = ["LapCurves", "curves_of"]

_STEP_M: Final = 3.0
"""Finer than a car goes between two samples of a slow recorder, and than any place a driver can be told of."""
_MOST_POINTS: Final = 5000
_STEADY: Final = (
    "speed_kmh",
    "throttle_pct",
    "brake_pct",
    "steering_deg",
    "rpm",
    "offset_m",
    "yaw_rate_dps",
    "lock_pct",
    "slip_pct",
)
_STEPPED: Final = ("gear",)
_NAMES: Final = ("time_s", *_STEADY, *_STEPPED)
_HEAD: Final = Struct("<dIH")

Curve = NDArray[np.float32]


@dataclass(frozen=True, slots=True, eq=False)
class LapCurves:
    """Channels of one lap at 0, `step_m`, twice that, and so on from the line.

    Attributes:
        channels: name to an array of shape (points,); `time_s` since the start of the lap. NaN where the trace can't be
            used. A channel that wasn't recorded is absent.
    """

    step_m: float
    channels: Mapping[str, Curve]

    def __len__(self) -> int:
        return len(self.channels["time_s"])

    def packed(self) -> bytes:
        """As bytes, for keeping. Times keep their microseconds' order, all else three digits, which is more than
        recorders have.
        """
        held = [name for name in _NAMES if name in self.channels]
        head = _HEAD.pack(self.step_m, len(self), sum(1 << _NAMES.index(name) for name in held))
        body = b"".join(self.channels[name].astype("<f4" if name == "time_s" else "<f2").tobytes() for name in held)
        return head + zlib.compress(body, 6)

    @classmethod
    def unpacked(cls, kept: bytes) -> "LapCurves":
        """What `packed` made."""
        step, count, which = _HEAD.unpack_from(kept)
        body = zlib.decompress(kept[_HEAD.size :])
        channels: dict[str, Curve] = {}
        at = 0
        for index, name in enumerate(_NAMES):
            if which >> index & 1:
                kind = np.dtype("<f4" if name == "time_s" else "<f2")
                channels[name] = np.frombuffer(body, dtype=kind, count=count, offset=at).astype(np.float32)
                at += count * kind.itemsize
        return cls(step, channels)


def curves_of(length_m: float, trace: Trace) -> LapCurves | None:
    """A trace at even metres.

    Args:
        length_m: of the layout.

    Returns:
        None where too little of the trace can be used.
    """
    sound = examine(trace, length_m)
    if len(sound.keep) < 8:
        return None
    step = max(_STEP_M, length_m / _MOST_POINTS)
    at = np.arange(0.0, length_m, step)
    where = trace.channels["distance_m"][sound.keep]
    unusable = (at < where[0] - step) | (at > where[-1] + step)
    channels: dict[str, Curve] = {}
    for name in _NAMES:
        values = trace.channels.get(name)
        if values is None:
            continue
        values = values[sound.keep]
        known = np.isfinite(values)
        if known.sum() < 8:
            continue
        if name in _STEPPED:
            made = values[known][np.clip(np.searchsorted(where[known], at, side="right") - 1, 0, known.sum() - 1)]
        else:
            made = np.interp(at, where[known], values[known])
        made[unusable] = np.nan
        channels[name] = made.astype(np.float32)
    for item in sound.stretches:
        spoiled = (at >= item.start_m - step) & (at <= item.end_m + step)
        for name, curve in channels.items():
            # A clock that went on through a hole still tells what the stretch took.
            if name in item.channels or not (item.channels or (name == "time_s" and item.time_holds)):
                curve[spoiled] = np.nan
    _spoil_holes(channels, at, where, step)
    return LapCurves(float(step), channels) if "time_s" in channels and "speed_kmh" in channels else None


def _spoil_holes(
    channels: Mapping[str, Curve], at: NDArray[np.float64], where: NDArray[np.float64], step: float
) -> None:
    """Between samples much further apart than usual nothing is known but the time."""
    apart = np.diff(where)
    usual = float(np.median(apart))
    for index in np.flatnonzero(apart > max(6 * usual, 10 * step)):
        before, after = where[index], where[index + 1]
        hole = (at > before) & (at < after)
        for name, curve in channels.items():
            if name != "time_s":
                curve[hole] = np.nan
