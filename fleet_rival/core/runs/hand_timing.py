"""Laps timed by hand while somebody's screen is watched: presses of a key at the lines, with how far they may be off.

A person presses late by a constant delay, which cancels between two presses and matters only for the moment a lap
began, and by a
scatter, which doesn't cancel: the difference of two presses scatters by the root of two.
"""

import itertools
from collections.abc import Sequence
from dataclasses import dataclass
from math import sqrt
from statistics import NormalDist
from typing import Final

import numpy as np

from fleet_rival.core.times import MICROSECONDS
from fleet_rival.core.track import Track

__all__ = ["LEAST_PRESSES", "UNCALIBRATED", "BadPresses", "Reaction", "TimedLap", "calibrate", "timed_lap"]

LEAST_PRESSES: Final = 6
"""Presses from which a reaction is known well enough to be used."""
_COVER: Final = NormalDist().inv_cdf(0.975)
_FARTHEST_US: Final = MICROSECONDS
"""A press further than this from its line belongs to no line."""


class BadPresses(ValueError):
    """Presses that make no lap; the message is a sentence."""


@dataclass(frozen=True, slots=True)
class Reaction:
    """How a person presses, in microseconds."""

    offset_us: int
    """By how much they press late (early: negative), in the middle."""
    spread_us: int
    """Standard deviation of a single press."""
    presses: int

    @property
    def plus_minus_us(self) -> int:
        """Within how much of the truth the time between two presses lies in 95 of 100."""
        return round(_COVER * sqrt(2) * self.spread_us)


UNCALIBRATED: Final = Reaction(0, 70_000, 0)
"""What is assumed of somebody who hasn't been measured: a spread of 0.07 s, so ± 0.19 s."""


@dataclass(frozen=True, slots=True)
class TimedLap:
    """A lap between two presses at the line. Microseconds."""

    time_us: int
    sectors: dict[str, int]
    """Only sectors with a press at both ends."""
    plus_minus_us: int
    shift_us: int
    """By how much the lap began earlier than its first press."""


def calibrate(truths_us: Sequence[int], presses_us: Sequence[int]) -> Reaction:
    """Measure a person against crossings whose moments are known.

    Args:
        truths_us: moments of the crossings, rising.
        presses_us: moments of the presses; each belongs to the nearest crossing, and only the nearest press to that
            counts.

    Raises:
        BadPresses: fewer than six crossings were met.

    >>> crossings = [2_000_000 * number for number in range(1, 9)]
    >>> calibrate(crossings, [moment + 120_000 + 1_000 * (moment % 7) for moment in crossings])
    Reaction(offset_us=122500, spread_us=2031, presses=8)
    """
    best: dict[int, int] = {}
    for press in presses_us:
        nearest = min(range(len(truths_us)), key=lambda index: abs(truths_us[index] - press), default=None)
        if nearest is None:
            break
        off = press - truths_us[nearest]
        if abs(off) <= _FARTHEST_US and abs(off) < abs(best.get(nearest, _FARTHEST_US + 1)):
            best[nearest] = off
    if len(best) < LEAST_PRESSES:
        raise BadPresses(
            f"{len(best)} of {len(truths_us)} lines were met within a second; {LEAST_PRESSES} are needed. Let the clip "
            "run again."
        )
    offs = np.array(list(best.values()), dtype=float)
    return Reaction(round(float(np.median(offs))), max(1000, round(float(np.std(offs, ddof=1)))), len(offs))


def timed_lap(track: Track, presses_us: Sequence[int | None], reaction: Reaction) -> TimedLap:
    """A lap from the presses at its lines.

    Args:
        track: gives the sectors.
        presses_us: at the line, at each sector line (None where it was missed), at the line again; or the two at the
            line alone.

    Raises:
        BadPresses: they don't rise, or the number doesn't fit.

    >>> from fleet_rival.core.example import TRACK
    >>> timed_lap(TRACK, [0, 25_000_000, 43_000_000, 60_000_000], Reaction(0, 10_000, 12)).sectors
    {'S1': 25000000, 'S2': 18000000, 'S3': 17000000}
    """
    codes = [sector.code for sector in track.sectors]
    if len(presses_us) not in (2, len(codes) + 1) or presses_us[0] is None or presses_us[-1] is None:
        raise BadPresses("A lap needs a press at the line when it begins and one when it ends.")
    known = [press for press in presses_us if press is not None]
    if any(after <= before for before, after in itertools.pairwise(known)):
        raise BadPresses("The presses of this lap aren't in the order of time.")
    sectors = {}
    if len(presses_us) == len(codes) + 1 and len(codes) > 1:
        for code, begin, end in zip(codes, presses_us, presses_us[1:], strict=False):
            if begin is not None and end is not None:
                sectors[code] = end - begin
    return TimedLap(known[-1] - known[0], sectors, reaction.plus_minus_us, reaction.offset_us)
