"""References and losses: what a good pass through a segment takes this driver, and what each pass lost against it."""

from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from fractions import Fraction
from math import ceil
from statistics import fmean

from fleet_rival.core.laps.marks import JudgedLap
from fleet_rival.core.settings import Settings
from fleet_rival.core.statistics import median, standard_deviation, theil_sen_slope
from fleet_rival.core.track import Track

__all__ = ["Reference", "SegmentFigures", "segment_figures"]


@dataclass(frozen=True, slots=True)
class Reference:
    """A driver's reference time of one segment in one group."""

    time_us: Fraction
    passes: int
    """Passes without an incident or strike in them, from which it was taken."""
    candidate: bool
    """Too few passes: the second-best time, and everything held against it is provisional."""


@dataclass(frozen=True, slots=True)
class SegmentFigures:
    """Passes, reference and losses of one segment."""

    code: str
    n: int
    reference: Reference | None
    mean_loss_us: float | None
    sd_us: float | None
    losses_us: Mapping[int, int]
    """Loss of every flying lap that has a time here, by its position among the driver's laps; a pass or not."""
    passes: frozenset[int]
    """Positions of the laps whose way through here is a pass."""


def segment_figures(track: Track, judged: Sequence[JudgedLap], members: Sequence[int], settings: Settings) -> dict[str, SegmentFigures]:
    """References and losses of a group, segment by segment.

    The reference is the median of the best third, rounded up, of the passes without an incident or strike in them. It is raised
    on later laps of a run by the run's own upward trend (Theil-Sen over its clean laps), in proportion to the segment's share of
    the lap: old tyres are no mistake.

    Args:
        judged: all laps of the driver, in order.
        members: positions of the group's flying laps in `judged`.
    """
    trends = _trends(judged, members, settings)
    figures: dict[str, SegmentFigures] = {}
    references = {part.code: _reference(part.code, judged, members, settings) for part in track.segment_parts}
    whole = sum((reference.time_us for reference in references.values() if reference), Fraction(0))
    for code, reference in references.items():
        passes = frozenset(index for index in members if judged[index].is_pass(code))
        times = [judged[index].lap.segments[code] for index in passes]
        losses: dict[int, int] = {}
        if reference:
            centre = float(reference.time_us)
            share = float(reference.time_us / whole)
            for index in members:
                lap = judged[index].lap
                time = lap.segments.get(code)
                if time is not None:
                    slope, first = trends.get((lap.session, lap.run), (0.0, lap.number))
                    losses[index] = round(time - centre - slope * share * max(0, lap.number - first))
        figures[code] = SegmentFigures(
            code,
            len(passes),
            reference,
            fmean(losses[index] for index in passes) if passes and reference else None,
            standard_deviation(times) if len(times) > 1 else None,
            losses,
            passes,
        )
    return figures


def _reference(code: str, judged: Sequence[JudgedLap], members: Sequence[int], settings: Settings) -> Reference | None:
    times = sorted(judged[index].lap.segments[code] for index in members if judged[index].is_pass(code) and code not in judged[index].taken.own)
    if not times:
        return None
    if len(times) < settings.reference_passes:
        return Reference(Fraction(times[min(1, len(times) - 1)]), len(times), candidate=True)
    return Reference(median(times[: ceil(len(times) / 3)]), len(times), candidate=False)


def _trends(judged: Sequence[JudgedLap], members: Sequence[int], settings: Settings) -> dict[tuple[str, int | None], tuple[float, int]]:
    """For each run with enough clean laps its upward slope in microseconds a lap and its first clean lap."""
    runs: dict[tuple[str, int | None], list[int]] = defaultdict(list)
    for index in members:
        if judged[index].clean:
            runs[judged[index].lap.session, judged[index].lap.run].append(index)
    trends = {}
    for run, indices in runs.items():
        if len(indices) >= settings.min_clean_laps:
            numbers = [judged[index].lap.number for index in indices]
            slope = theil_sen_slope(numbers, [judged[index].lap.time_us for index in indices])
            trends[run] = (max(0.0, slope), min(numbers))
    return trends
