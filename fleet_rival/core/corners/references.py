"""References and losses: what a good pass through a segment takes this driver, and what each pass lost against it."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from fractions import Fraction
from math import ceil
from statistics import fmean
from types import MappingProxyType

import numpy as np
from numpy.typing import NDArray

from fleet_rival.core.corners.aging import leans
from fleet_rival.core.laps.marks import JudgedLap
from fleet_rival.core.pace.runs import clean_runs
from fleet_rival.core.settings import Settings
from fleet_rival.core.statistics import median, standard_deviation, theil_sen_slope
from fleet_rival.core.track import Track
from fleet_rival.core.words import PartDepth

__all__ = ["PartFigures", "Reference", "References", "comparable", "depth_of", "part_figures"]


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


def depth_of(track: Track, judged: Sequence[JudgedLap], members: Sequence[int]) -> PartDepth:
    """By which parts a group's laps are looked at: segments, as soon as one of them is timed by these.

    >>> from fleet_rival.core.example import LAPS, TRACK
    >>> from fleet_rival.core.laps.marks import judge
    >>> depth_of(TRACK, judge(TRACK, LAPS, Settings()), [1, 2])
    'segments'
    """
    timed = track.segment_parts and any(judged[index].lap.segments for index in members)
    return "segments" if timed else "sectors"


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


@dataclass(frozen=True, slots=True)
class References:
    """One driver's references as others are held against them, in microseconds: without what setups and options moved,
    so that who drives with less wing isn't better where there is none to be felt.

    Attributes:
        parts: of single parts, by code.
        joined: of parts that are judged together, as one is given up for another, by their codes. What a driver gives
            up on some laps alone is never both given up and won back in the sum of the parts' own references.
    """

    parts: Mapping[str, float]
    joined: Mapping[tuple[str, ...], float] = field(default_factory=dict)

    def beyond(self, others: Sequence["References"], gap: float) -> dict[str, tuple[float, int]]:
        """What each part loses against the fastest of others, beyond what is between them as a rule.

        Parts that are judged together are held against whoever is fastest through all of them. Where more than half of
        what some of them lose is won back in the others it was given up: then no more is lost than by all together.

        Args:
            gap: how much slower this driver is as a rule, as a share.

        Returns:
            By part, where somebody else has a reference: microseconds, and which of the others it is held against.

        >>> own = References({"T1": 10.3e6, "T2": 9.6e6}, {("T1", "T2"): 19.9e6})
        >>> her = References({"T1": 9.9e6, "T2": 9.9e6}, {("T1", "T2"): 19.8e6})
        >>> {code: round(loss) for code, (loss, _) in own.beyond([her], 0.0).items()}
        {'T1': 100000, 'T2': -300000}
        """
        out = {}
        for code, time in self.parts.items():
            known = [(item.parts[code], number) for number, item in enumerate(others) if code in item.parts]
            if known:
                best, fastest = min(known)
                out[code] = (time - best * (1 + gap), fastest)
        for stretch, time in self.joined.items():
            through = [(item.joined[stretch], number) for number, item in enumerate(others) if stretch in item.joined]
            if not through:
                continue
            best, fastest = min(through)
            together = time - best * (1 + gap)
            losses = {code: self.parts[code] - others[fastest].parts[code] * (1 + gap) for code in stretch}
            lost = sum(loss for loss in losses.values() if loss > 0)
            kept = max(together, 0.0) / lost if lost and together < lost / 2 else 1.0
            out |= {code: (loss * kept if loss > 0 else loss, fastest) for code, loss in losses.items()}
        return out

    def gaps(self, others: Sequence["References"]) -> dict[str, float]:
        """How much slower each part is than with the fastest of others, as a share of it; where somebody else has a
        reference. A part for which somebody gives another one up is no gap of those who don't.

        >>> given_up = References({"T1": 10.1e6, "T2": 9.7e6}, {("T1", "T2"): 19.85e6})
        >>> her = References({"T1": 9.9e6, "T2": 9.9e6}, {("T1", "T2"): 19.8e6})
        >>> References({"T1": 10.0e6, "T2": 10.0e6}, {("T1", "T2"): 20.0e6}).gaps([given_up, her])["T2"] < 0.011
        True
        """
        return {code: loss / others[number].parts[code] for code, (loss, number) in self.beyond(others, 0.0).items()}


def comparable(
    parts: Mapping[str, PartFigures],
    judged: Sequence[JudgedLap],
    stretches: Sequence[Sequence[str]] = (),
    moved_us: Mapping[str, Mapping[int, float]] = MappingProxyType({}),
    *,
    candidates: bool = False,
) -> References:
    """References that others may be held against.

    Args:
        stretches: parts by how they are judged, in the order of the lap.
        moved_us: what setups and options are worth, by part and the lap's position; nothing where nothing was tried.
        candidates: whether those of too few passes are wanted too.
    """
    known = {
        code: float(figures.reference.time_us)
        for code, figures in parts.items()
        if figures.reference is not None and (candidates or not figures.reference.candidate)
    }

    def levelled(codes: Sequence[str]) -> float | None:
        indices = frozenset.intersection(*(parts[code].passes for code in codes))
        times = sorted(
            sum(parts[code].losses_us[index] + known[code] - moved_us.get(code, {}).get(index, 0.0) for code in codes)
            for index in indices
            if judged[index].taken.own.isdisjoint(codes)
        )
        return float(np.median(times[: ceil(len(times) / 3)])) if times else None

    own = {code: levelled([code]) if moved_us.get(code) else None for code in known}
    joined = {
        tuple(stretch): levelled(stretch)
        for stretch in stretches
        if len(stretch) > 1 and all(code in known for code in stretch)
    }
    return References(
        {code: known[code] if time is None else time for code, time in own.items()},
        {stretch: time for stretch, time in joined.items() if time is not None},
    )


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
