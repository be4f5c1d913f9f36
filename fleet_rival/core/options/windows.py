"""What counts for a verdict on a corner's option: the corner, and what follows it."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from fleet_rival.core.laps.marks import JudgedLap
from fleet_rival.core.options.samples import (
    FURTHER,
    LEAST_PASSES,
    Follow,
    Sample,
    detrended_pair,
    follows_of,
    samples_of,
)
from fleet_rival.core.options.shifts import hodges_lehmann
from fleet_rival.core.statistics import Z_95
from fleet_rival.core.track import Track

__all__ = ["Window", "Windows", "windows_of"]

Values = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Window:
    """What counts for a verdict: passes of both options, and times of those that worked, with slopes taken out."""

    sides: tuple[Sequence[Sample], Sequence[Sample]]
    worked: tuple[Values, Values]

    def with_failures(self) -> tuple[Values, Values]:
        first, second = (
            np.concatenate([good, np.asarray([item.time_us for item in some if item.failed], dtype=np.float64)])
            for some, good in zip(self.sides, self.worked, strict=True)
        )
        return first, second


@dataclass(frozen=True, slots=True)
class Windows:
    race: Window
    qualifying: Window


def windows_of(
    track: Track, judged: Sequence[JudgedLap], members: Sequence[int], where: str, labels: tuple[str, str]
) -> Windows:
    """A corner with the part behind it, and with the second one where it clearly matters; for qualifying no further
    than the line, since what is won behind it is won on another lap.
    """

    def window(follows: Sequence[Follow]) -> Window:
        first, second = (samples_of(track, judged, members, where, label, follows) for label in labels)
        return Window((first, second), detrended_pair(first, second))

    follows = follows_of(track, where)
    if not follows:
        whole = window(())
        return Windows(whole, whole)
    near, far = window(follows[:1]), window(follows)
    if _matters(near, far):
        race = far
    else:
        race, follows = near, follows[:1]
    if not any(follow.next_lap for follow in follows):
        return Windows(race, race)
    return Windows(race, window([follow for follow in follows if not follow.next_lap]))


def _matters(near: Window, far: Window) -> bool:
    """Whether an option clearly shifts the second part behind its corner: always counting it would only add noise."""
    pairs = []
    for some, more in zip(near.sides, far.sides, strict=True):
        before = {item.position: item.time_us for item in some}
        pairs.append([replace(item, time_us=item.time_us - before[item.position]) for item in more])
    one, other = detrended_pair(pairs[0], pairs[1])
    if min(len(one), len(other)) < LEAST_PASSES:
        return False
    shift = hodges_lehmann(one, other)
    return abs(shift.value_us) > FURTHER * (shift.high_us - shift.low_us) / (2 * Z_95) > 0
