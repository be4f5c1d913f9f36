"""A clip of somebody's screen, to practise hand timing on and to be measured by: when a car crosses which line, and
nothing else.

It stands in for a stream or a replay: what a person sees of it is a car that comes up to lines, and a clock.
"""

import random
from dataclasses import dataclass
from typing import Final

from fleet_rival.core.track import Track

__all__ = ["Clip", "Crossing", "make_clip"]

_LAP_S: Final = 13.0
"""About how long a lap of the clip takes: long enough to look, short enough not to tire."""
_SCATTER: Final = 0.06
"""Of each sector's time, so that nobody can press by the rhythm."""
_RUN_UP_S: Final = 3.0


@dataclass(frozen=True, slots=True)
class Crossing:
    """The car crosses a line."""

    line: int
    """0 is the line; from 1 on the sector lines in their order."""
    at_us: int
    """Since the clip began."""


@dataclass(frozen=True, slots=True)
class Clip:
    """A few laps of a car, as crossings."""

    lines_m: tuple[float, ...]
    """Where the lines are, from the line on."""
    length_m: float
    crossings: tuple[Crossing, ...]
    """The first and the last are at the line."""


def make_clip(track: Track, seed: int, laps: int = 3) -> Clip:
    """Make a clip for a layout: laps of about 13 s, divided by the lengths of its sectors.

    Args:
        seed: the same seed gives the same clip.
    """
    rng = random.Random(seed)  # noqa: S311
    lines = tuple(sector.start_m for sector in track.sectors)
    ends = (*lines[1:], track.length_m)
    at = round(_RUN_UP_S * 1_000_000)
    crossings = [Crossing(0, at)]
    for _ in range(laps):
        for index, (begin, end) in enumerate(zip(lines, ends, strict=True)):
            share = (end - begin) / track.length_m
            at += round(_LAP_S * 1_000_000 * share * (1 + rng.uniform(-_SCATTER, _SCATTER)))
            crossings.append(Crossing((index + 1) % len(lines), at))
    return Clip(lines, track.length_m, tuple(crossings))
