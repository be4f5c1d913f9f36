"""References and losses: what a good pass through a segment takes this driver, and what each pass lost against it."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from fractions import Fraction
from math import ceil
from statistics import fmean

import numpy as np
from numpy.typing import NDArray

from fleet_rival.core.corners.aging import leans
from fleet_rival.core.laps.marks import JudgedLap
from fleet_rival.core.pace.runs import clean_runs
from fleet_rival.core.settings import Settings
from fleet_rival.core.statistics import median, standard_deviation, theil_sen_slope
from fleet_rival.core.track import Track

__all__ = ["PartFigures", "Reference", "part_figures"]


@dataclass(frozen=True, slots=True)
class Reference:
    """A driver's reference time of one segment in one group."""

    time_us: Fraction
    passes: int
    """Passes without an incident or strike in them, from which it was taken."""
    candidate: bool
    """Too few passes: the second-best time, and everything held against it is provisional."""


@dataclass(frozen=True, slots=True)
class PartFigures:
    """Passes, reference and losses of one segment, or of one sector where segments aren't known."""

    code: str
    n: int
    reference: Reference | None
    mean_loss_us: float | None
    sd_us: float | None
    losses_us: Mapping[int, int]
    """Loss of every flying lap that has a time here, by its position among the driver's laps; a pass or not."""
    passes: frozenset[int]
    """Positions of the laps whose way through here is a pass."""


def part_figures(
    track: Track, judged: Sequence[JudgedLap], members: Sequence[int], settings: Settings, depth: str = "segments"
) -> dict[str, PartFigures]:
    """References and losses of a group, part by part.

    The reference is the median of the best third, rounded up, of the passes without an incident or strike in them. It
    is raised on later laps of a run by the run's own upward trend (Theil-Sen over its clean laps): old tyres are no
    mistake. The trend sits where all runs together show it; as far as they show nothing, in proportion to the part's
    share of the lap.

    Args:
        judged: all laps of the driver, in order.
        members: positions of the group's flying laps in `judged`.
        depth: `segments` or `sectors`. A sector is passed when each segment in it is.

    >>> from fleet_rival.core.example import LAPS, TRACK
    >>> from fleet_rival.core.laps.marks import judge
    >>> judged = judge(TRACK, LAPS, Settings())
    >>> part_figures(TRACK, judged, range(len(LAPS)), Settings(), "segments")["T2"].reference.time_us
    Fraction(17985000, 1)
    """
    trends = _trends(judged, members, settings)
    parts = track.segment_parts if depth == "segments" else track.sector_parts
    inside = {part.code: track.segments_of(part) for part in parts}
    driven = [
        (index, judged[index].lap.segments if depth == "segments" else judged[index].lap.sectors) for index in members
    ]
    times = {
        part.code: {index: time for index, known in driven if (time := known.get(part.code)) is not None}
        for part in parts
    }
    # Once for all parts: most laps have nothing taken.
    evidence = {
        index: judged[index].taken.by_others | judged[index].cold_parts for index in members if judged[index].has_passes
    }
    passes = {
        code: [
            index for index in known if (lost := evidence.get(index)) is not None and not (lost and inside[code] & lost)
        ]
        for code, known in times.items()
    }
    happened = {index: own for index in members if (own := judged[index].taken.own)}
    references = {
        code: _reference(
            [times[code][index] for index in indices if not (index in happened and inside[code] & happened[index])],
            settings,
        )
        for code, indices in passes.items()
    }
    whole = sum((reference.time_us for reference in references.values() if reference), Fraction(0))
    shares = {code: float(reference.time_us / whole) for code, reference in references.items() if reference is not None}
    aging = leans(shares, times, passes, judged, trends)
    slopes, laps = np.zeros(len(judged)), np.zeros(len(judged))
    for index in members:
        lap = judged[index].lap
        if (trend := trends.get((lap.session, lap.run))) is not None:
            slopes[index], laps[index] = trend[0], max(0, lap.number - trend[1])
    return {
        code: _figures_of(
            code,
            reference,
            times[code],
            passes[code],
            laps * np.maximum(0.0, shares.get(code, 0.0) * slopes + aging.get(code, 0.0)),
        )
        for code, reference in references.items()
    }


def _figures_of(
    code: str,
    reference: Reference | None,
    timed: Mapping[int, int],
    passes: Sequence[int],
    aged: NDArray[np.float64],
) -> PartFigures:
    """Figures of one part.

    Args:
        timed: times in microseconds by the lap's position.
        passes: positions of laps whose way through it is evidence.
        aged: by how much a run's trend raises the part, in microseconds, at the lap's position.
    """
    losses: dict[int, int] = {}
    if reference:
        late = np.array(list(timed.values()), dtype=np.float64) - float(reference.time_us) - aged[list(timed)]
        losses = dict(zip(timed, np.rint(late).astype(np.int64).tolist(), strict=True))
    passed = [timed[index] for index in passes]
    return PartFigures(
        code,
        len(passed),
        reference,
        fmean([losses[index] for index in passes]) if passed and reference else None,
        standard_deviation(passed) if len(passed) > 1 else None,
        losses,
        frozenset(passes),
    )


def _reference(passes_us: Sequence[int], settings: Settings) -> Reference | None:
    times = sorted(passes_us)
    if not times:
        return None
    if len(times) < settings.reference_passes:
        return Reference(Fraction(times[min(1, len(times) - 1)]), len(times), candidate=True)
    return Reference(best_third(times), len(times), candidate=False)


def best_third(times_us: Sequence[int]) -> Fraction:
    """The median of the best third, rounded up.

    Args:
        times_us: ascending, at least one.
    """
    return median(times_us[: ceil(len(times_us) / 3)])


def _trends(
    judged: Sequence[JudgedLap], members: Sequence[int], settings: Settings
) -> dict[tuple[str, int | None], tuple[float, int]]:
    """For each run with enough clean laps its upward slope in microseconds a lap and its first clean lap."""
    trends = {}
    for run in clean_runs(judged, members, settings.min_clean_laps):
        numbers = [lap.number for lap in run.laps]
        trends[run.session, run.run] = (max(0.0, theil_sen_slope(numbers, run.times_us)), numbers[0])
    return trends
