"""What traces add to laps that are known from elsewhere: the times of a lap file win, telemetry fills what it lacks."""

from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from typing import Final

from fleet_rival.core.laps.lap import Lap
from fleet_rival.core.telemetry.curves import LapCurves, curves_of
from fleet_rival.core.telemetry.cutting import CutLap, cut
from fleet_rival.core.telemetry.laps import cut_at_line, same_samples
from fleet_rival.core.telemetry.trace import REQUIRED, Trace
from fleet_rival.core.track import Track

__all__ = ["ANOTHER_LAP_US", "Filled", "LapFinder", "fill_laps", "filled"]

ANOTHER_LAP_US: Final = 50_000
"""A trace whose lap took this much longer or shorter is of another lap."""


@dataclass(frozen=True, slots=True)
class Filled:
    """Laps with what their traces say, and sentences' worth of what didn't fit.

    Attributes:
        laps: in the order given.
        strange: driver, session, lap number of traces that aren't used, and the reason: `unknown`, `ambiguous`,
            `differs`, `twice`.
        cuts: by position of the lap.
    """

    laps: tuple[Lap, ...]
    strange: tuple[tuple[str, str, int, str], ...]
    cuts: dict[int, CutLap]
    curves: dict[int, LapCurves]
    """By position of the lap, as far as a trace can be used."""


class LapFinder:
    """Finds the lap that a trace is of."""

    def __init__(self, laps: Sequence[Lap]) -> None:
        self._by_number: dict[tuple[str, str, int], list[int]] = defaultdict(list)
        self._laps = laps
        for index, lap in enumerate(laps):
            self._by_number[lap.driver, lap.session, lap.number].append(index)

    def find(self, driver: str, session: str, run: int | None, number: int) -> list[int]:
        """Positions of the laps that it may be of: by driver, session and number, and by run where the trace has
        one.
        """
        found = self._by_number.get((driver, session, number), [])
        if run is not None and len(found) > 1:
            return [index for index in found if self._laps[index].run == run]
        return found


def filled(lap: Lap, cut_lap: CutLap) -> Lap | None:
    """A lap with what its trace says, its last parts ending with the lap's own time; None where another time shows
    that it is another lap's trace.
    """
    if cut_lap.time_us is not None and abs(cut_lap.time_us - lap.time_us) > ANOTHER_LAP_US:
        return None
    ended = cut_lap.ending_at(lap.time_us)
    return replace(
        lap,
        sectors={**ended.sectors, **lap.sectors},
        segments={**ended.segments, **lap.segments},
        crossings=ended.crossings,
        pulls=ended.pulls,
    )


def fill_laps(track: Track, laps: Sequence[Lap], traces: Iterable[Trace]) -> Filled:
    """Give laps what their traces say.

    Args:
        laps: runs told apart.
        traces: as they come from one file or several; a lap that comes twice is used once if its samples agree, else
            not at all.
    """
    finder = LapFinder(laps)
    first: dict[tuple[str, str, int | None, int], Trace] = {}
    twice: set[tuple[str, str, int | None, int]] = set()
    owner: dict[tuple[str, str, int | None, int], int] = {}
    cuts: dict[int, CutLap] = {}
    curves: dict[int, LapCurves] = {}
    strange: list[tuple[str, str, int, str]] = []
    for trace in cut_at_line(traces, track.length_m):
        key = (trace.driver, trace.session, trace.run, trace.lap)
        if key in first:
            if key not in twice and not same_samples(first[key], trace):
                twice.add(key)
                strange.append((trace.driver, trace.session, trace.lap, "twice"))
                cuts.pop(owner.get(key, -1), None)
                curves.pop(owner.get(key, -1), None)
            continue
        # Only what a second one is compared by.
        first[key] = replace(trace, channels={name: trace.channels[name] for name in REQUIRED})
        found = finder.find(trace.driver, trace.session, trace.run, trace.lap)
        if len(found) != 1:
            strange.append((trace.driver, trace.session, trace.lap, "ambiguous" if found else "unknown"))
            continue
        index = found[0]
        what = cut(track, trace)
        if filled(laps[index], what) is None:
            strange.append((trace.driver, trace.session, trace.lap, "differs"))
            continue
        owner[key], cuts[index] = index, what
        if (made := curves_of(track.length_m, trace)) is not None:
            curves[index] = made
    out = tuple((filled(lap, cuts[index]) or lap) if index in cuts else lap for index, lap in enumerate(laps))
    return Filled(out, tuple(strange), cuts, curves)
