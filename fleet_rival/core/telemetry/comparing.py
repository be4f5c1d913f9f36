"""Laps laid over each other: aligned by distance, or by place where that is known, and the time that one gains on
the other.

The difference at a place is when the one lap was there less when the other was, each since its own line: how far behind
    it has fallen so far.
"""

from dataclasses import dataclass
from typing import Final

import numpy as np
from scipy.spatial import cKDTree

from fleet_rival.core.telemetry.soundness import Stretch, examine
from fleet_rival.core.telemetry.trace import Samples, Trace, even_times

__all__ = ["Aligned", "aligned", "difference"]

_TOO_FAR_M: Final = 30.0
"""A place further than this from the reference's line says nothing of the distance."""
_FEW: Final = 8
_EVERY_M: Final = 2.0
_AT_LINE_M: Final = 40.0
_MOVES_M: Final = 60.0
"""How far alignment may move a sample along the lap."""


@dataclass(frozen=True, slots=True, eq=False)
class Aligned:
    """A lap's usable samples over the reference's distance.

    Attributes:
        distance_m, time_s: shape (samples,), ascending.
        channels: the other channels, of the same shape.
        stretches: what can't be used.
        by: `distance` or `place`.
    """

    distance_m: Samples
    time_s: Samples
    channels: dict[str, Samples]
    stretches: tuple[Stretch, ...]
    by: str


def aligned(trace: Trace, length_m: float, reference: Aligned | None = None) -> Aligned:
    """Lay a lap over another.

    Args:
        length_m: of the lap.
        reference: the lap that tells the distance; None: this one's own.
    """
    sound = examine(trace, length_m)
    keep = sound.keep
    channels = {name: values[keep] for name, values in trace.channels.items() if name not in ("time_s", "distance_m")}
    distance = trace.channels["distance_m"][keep]
    time = even_times(trace.channels["time_s"][keep]) if len(keep) > _FEW else trace.channels["time_s"][keep]
    by = "distance"
    if reference is not None and _placed(channels) and _placed(reference.channels):
        moved = _by_place(distance, channels, reference, length_m)
        if moved is not None:
            distance, by = moved, "place"
    return Aligned(distance, time, channels, sound.stretches, by)


def _placed(channels: dict[str, Samples]) -> bool:
    if not {"x_m", "y_m"} <= channels.keys() or len(channels["x_m"]) <= _FEW:
        return False
    return bool(np.isfinite(channels["x_m"]).all() and np.isfinite(channels["y_m"]).all())


def _by_place(distance: Samples, channels: dict[str, Samples], reference: Aligned, length_m: float) -> Samples | None:
    """Distances on the reference's line: the foot of each place on it."""
    # A place every metre or two says as much as one every centimetre.
    coarse = _thinned(reference.distance_m)
    line = np.stack([reference.channels["x_m"], reference.channels["y_m"]], axis=1)[coarse]
    some = _thinned(distance)
    own = np.stack([channels["x_m"], channels["y_m"]], axis=1)[some]
    along_reference, along_own = reference.distance_m[coarse], distance[some]
    if len(line) <= _FEW or len(own) <= _FEW:
        return None
    away, nearest = cKDTree(line).query(own)
    if float(np.max(away)) > _TOO_FAR_M:
        return None
    nearest = np.clip(nearest, 1, len(line) - 2)
    along = line[nearest + 1] - line[nearest - 1]
    reach = np.maximum((along**2).sum(axis=1), 1e-9)
    share = ((own - line[nearest]) * along).sum(axis=1) / reach
    found = along_reference[nearest] + share * (along_reference[nearest + 1] - along_reference[nearest - 1])
    # Where a road crosses itself or comes near, the nearest place is another part of the lap: there the own distance
    # stands.
    shift = np.where(np.abs(found - along_own) <= _MOVES_M, found - along_own, 0.0)
    # Both laps begin and end at the line, wherever across it.
    ends = np.minimum(np.clip(along_own / _AT_LINE_M, 0, 1), np.clip((length_m - along_own) / _AT_LINE_M, 0, 1))
    return np.asarray(np.maximum.accumulate(distance + np.interp(distance, along_own, ends * shift)))


def _thinned(distance: Samples) -> np.ndarray:
    """Positions of samples about `_EVERY_M` apart."""
    span = float(distance[-1] - distance[0]) if len(distance) else 0.0
    return np.arange(0, len(distance), max(1, int(len(distance) * _EVERY_M / max(span, 1.0))))


def difference(reference: Aligned, other: Aligned, places: Samples) -> Samples:
    """Seconds by which the other has fallen behind the reference since the line, at each place.

    Args:
        places: metres from the line, shape (places,).

    Returns:
        Shape (places,); NaN where either can't be used.
    """
    behind = _at(other, places) - _at(reference, places)
    for item in (*reference.stretches, *other.stretches):
        if not item.channels:
            behind[(places > item.start_m) & (places < item.end_m)] = np.nan
            # From a clock that stood still or a jump on, the difference says nothing any more.
            if not item.time_holds:
                behind[places >= item.end_m] = np.nan
    return behind


def _at(lap: Aligned, places: Samples) -> Samples:
    distance, time = lap.distance_m, lap.time_s
    rising = np.concatenate([[True], np.diff(distance) > 0])
    distance, time = distance[rising], time[rising]
    if len(distance) < 2:
        return np.full(len(places), np.nan)
    found = np.interp(places, distance, time)
    # A step beyond either end goes on at the speed there.
    before, behind = places < distance[0], places > distance[-1]
    found[before] = time[0] + (places[before] - distance[0]) * (time[1] - time[0]) / (distance[1] - distance[0])
    found[behind] = time[-1] + (places[behind] - distance[-1]) * (time[-1] - time[-2]) / (distance[-1] - distance[-2])
    return np.asarray(found)
