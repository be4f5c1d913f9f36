"""Which corner matters: by the time at full throttle that it feeds."""

from collections.abc import Collection, Mapping
from dataclasses import dataclass
from typing import Final

from fleet_rival.core.track import Corner, Track
from fleet_rival.core.words import Level

__all__ = ["Importance", "importances"]

_HIGH_SHARE: Final = 0.5
_MEDIUM_SHARE: Final = 0.8


@dataclass(frozen=True, slots=True)
class Importance:
    """How much a corner matters, and why."""

    code: str
    level: Level
    derived: Level
    stretch_m: float
    """From its end to where the next corner's braking begins; corners taken flat don't end it."""
    seconds: float | None
    """About how long that takes; None without segment times."""
    feeds: str
    """Code of the corner at which the stretch ends."""
    rank: int
    """1 for the longest stretch."""


def importances(
    track: Track,
    segment_us: Mapping[str, float],
    flat: Collection[str] = (),
    said: Mapping[str, Level | None] | None = None,
) -> dict[str, Importance]:
    """How much each corner matters.

    A stretch's time is its length at the mean speed of the segments that it lies in. Sorted by it (by metres, where
    times are missing), the corners that hold the first half of all such time are of high importance, those up to four
    fifths of medium.

    Args:
        segment_us: a typical time of each segment, in microseconds; may be empty.
        flat: codes of corners that are taken without a lift.
        said: what people say; it counts before the derived level.

    Returns:
        By the corner's code, in the order of the track.

    >>> from fleet_rival.core.example import TRACK
    >>> found = importances(TRACK, {"L0": 10e6, "T1": 15e6, "T2": 18e6, "T3": 17e6})
    >>> sorted(found)
    ['T1', 'T2', 'T3']
    """
    corners = track.corners
    stretches = [_stretch(track, index, flat) for index in range(len(corners))]
    times = [_seconds(track, start, metres, segment_us) for start, metres, _ in stretches]
    whole = all(time is not None for time in times)
    weights = [time or 0.0 if whole else metres for time, (_, metres, _) in zip(times, stretches, strict=True)]
    total = sum(weights)
    order = sorted(range(len(corners)), key=lambda index: (-weights[index], index))
    levels: dict[int, Level] = {}
    before = 0.0
    for index in order:
        share = before / total if total else 1.0
        levels[index] = (
            "low"
            if not weights[index]
            else "high"
            if share < _HIGH_SHARE
            else "medium"
            if share < _MEDIUM_SHARE
            else "low"
        )
        before += weights[index]
    ranks = {index: place for place, index in enumerate(order, 1)}
    out = {}
    for index, corner in enumerate(corners):
        _, metres, feeds = stretches[index]
        level = (said or {}).get(corner.code) or levels[index]
        out[corner.code] = Importance(corner.code, level, levels[index], metres, times[index], feeds, ranks[index])
    return out


def _stretch(track: Track, index: int, flat: Collection[str]) -> tuple[float, float, str]:
    """Where a corner's stretch starts, how long it is, and which corner ends it."""
    corners = track.corners
    corner = corners[index]
    for step in range(1, len(corners) + 1):
        other: Corner = corners[(index + step) % len(corners)]
        if other.code not in flat or other is corner:
            metres = other.start_m - corner.end_m
            # Across the line; a corner whose exit runs into the next one's braking feeds nothing.
            if index + step >= len(corners) and metres < 0 and corner.end_m >= corner.start_m:
                metres += track.length_m
            return corner.end_m, max(0.0, metres), other.code
    raise AssertionError("a corner always comes round to itself")


def _seconds(track: Track, start_m: float, metres: float, segment_us: Mapping[str, float]) -> float | None:
    """Time for a stretch, each metre at the mean speed of its segment."""
    seconds = 0.0
    for lap in (0.0, track.length_m):
        for part in track.segment_parts:
            inside = min(part.end_m + lap, start_m + metres) - max(part.start_m + lap, start_m)
            if inside <= 0:
                continue
            if part.code not in segment_us:
                return None
            seconds += segment_us[part.code] / 1e6 * inside / (part.end_m - part.start_m)
    return seconds
