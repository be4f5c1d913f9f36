"""Where a lap was at full throttle, and how its speed grew there: by that a slipstream is told.

With the throttle full, a car's speed depends on the place, on how fast it came, and on the air: who comes as fast and
gains more had less of it.
"""

from collections.abc import Mapping
from typing import Final

import numpy as np

from fleet_rival.core.laps.lap import Pull
from fleet_rival.core.settings import Settings
from fleet_rival.core.telemetry.soundness import Sound
from fleet_rival.core.telemetry.trace import Trace
from fleet_rival.core.track import Track

__all__ = ["STEP_M", "plain_pulls", "pulls_of"]

STEP_M: Final = 50.0
"""Speeds are read at every so many metres from the line, so that laps can be compared place by place."""
_LEAST_STEPS: Final = 2


def pulls_of(track: Track, trace: Trace, sound: Sound, settings: Settings | None = None) -> dict[str, Pull]:
    """The longest stretch at full throttle within each segment.

    Args:
        track: its segments are looked at.
        trace: one lap, with speed and throttle.
        sound: what can be used of it.

    Returns:
        By segment: the first place's number, counted from the line in steps of `STEP_M`, and speeds in km/h from there
            on. Without those that are
        shorter than two steps, or that a stretch which can't be used lies in; nothing where the throttle wasn't
        recorded.
    """
    settings = settings or Settings()
    throttle = trace.channels.get("throttle_pct")
    keep = sound.keep
    if throttle is None or len(keep) < 4:
        return {}
    where, speed, full = (
        trace.channels["distance_m"][keep],
        trace.channels["speed_kmh"][keep],
        throttle[keep] >= settings.throttle_full_pct,
    )
    places = np.arange(0.0, track.length_m, STEP_M)
    edges = np.searchsorted(where, places)
    counted = np.concatenate([[0], np.cumsum(full)])
    inside = np.diff(edges)
    # A step counts where each sample in it is at full throttle, and there is one.
    held = (inside > 0) & (counted[edges[1:]] - counted[edges[:-1]] == inside)
    for item in sound.stretches:
        if not item.channels or {"throttle_pct", "speed_kmh"} & set(item.channels):
            held &= ~((places[:-1] < item.end_m) & (places[1:] > item.start_m))
    speeds = np.interp(places, where, speed)
    out = {}
    for part in track.segment_parts:
        first, last = int(np.ceil(part.start_m / STEP_M)), min(int(part.end_m // STEP_M), len(held))
        begin, length = _longest(held[first:last])
        if length >= _LEAST_STEPS:
            out[part.code] = Pull(
                first + begin,
                tuple(round(float(value), 2) for value in speeds[first + begin : first + begin + length + 1]),
            )
    return out


def _longest(mask: np.ndarray) -> tuple[int, int]:
    """Where the longest run of True begins, and how long it is."""
    padded = np.concatenate([[False], mask, [False]])
    turns = np.flatnonzero(padded[1:] != padded[:-1])
    begins, ends = turns[::2], turns[1::2]
    if not len(begins):
        return 0, 0
    best = int(np.argmax(ends - begins))
    return int(begins[best]), int(ends[best] - begins[best])


def plain_pulls(pulls: Mapping[str, Pull]) -> dict[str, list[object]]:
    """As it is stored."""
    return {code: [pull.first, list(pull.speeds_kmh)] for code, pull in pulls.items()}
