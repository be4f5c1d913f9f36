"""A lap's samples as a value."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

__all__ = ["CHANNELS", "OPTIONAL", "REQUIRED", "Samples", "Trace", "even_times"]

Samples = NDArray[np.float64]

REQUIRED: Final = ("time_s", "distance_m", "speed_kmh")
OPTIONAL: Final = (
    "throttle_pct",
    "brake_pct",
    "steering_deg",
    "gear",
    "rpm",
    "x_m",
    "y_m",
    "offset_m",
    "yaw_rate_dps",
    "lock_pct",
    "slip_pct",
)
CHANNELS: Final = REQUIRED + OPTIONAL

_CLOCK_ROUNDS_S = 0.0006
"""Clocks are written to the millisecond at best: times this close to an even beat are that beat, rounded."""


@dataclass(frozen=True, slots=True, eq=False)
class Trace:
    """Samples of one lap in the order of time.

    Attributes:
        channels: name to an array of shape (samples,); the unit is in the name, unknown values are NaN. `REQUIRED` are
            there.
        run: None where the source doesn't tell runs apart.
    """

    driver: str
    session: str
    run: int | None
    lap: int
    channels: Mapping[str, Samples]

    def __len__(self) -> int:
        return len(self.channels["time_s"])

    @property
    def missing(self) -> tuple[str, ...]:
        """Optional channels without any value."""
        return tuple(
            name for name in OPTIONAL if name not in self.channels or not np.isfinite(self.channels[name]).any()
        )


def even_times(time_s: Samples) -> Samples:
    """The beat behind a clock that was rounded when it was written.

    At 60 Hz a clock of milliseconds says 0.017, 0.033, 0.050: each up to half a millisecond off. Where all samples lie
    on one even beat to within that rounding, the beat is returned, else the times as they are.

    Args:
        time_s: shape (samples,), ascending, without NaN.
    """
    steps = np.diff(time_s)
    if len(steps) < 8 or not (steps > 0).all():
        return time_s
    usual = steps[steps < 1.5 * np.median(steps)].mean()
    beat = np.concatenate([[0.0], np.cumsum(np.round(steps / usual))])
    centred = beat - beat.mean()
    slope = float(centred @ (time_s - time_s.mean()) / (centred @ centred))
    fitted = time_s.mean() + slope * centred
    return fitted if np.abs(fitted - time_s).max() <= _CLOCK_ROUNDS_S else time_s
