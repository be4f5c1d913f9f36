"""One driver's corners in one group: slips with their causes, what recurs, what is paid back."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from math import ceil
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fleet_rival.core.corners.audit import BrakeScatter, audited, brake_scatter
from fleet_rival.core.corners.compare import Comparison, compare, road_of
from fleet_rival.core.corners.inputs import Cause, Scatter, scatter_of
from fleet_rival.core.corners.joined import Together, together_in
from fleet_rival.core.corners.kinds import cause_of
from fleet_rival.core.corners.recurring import Mistake, mistakes_of
from fleet_rival.core.corners.references import PartFigures, References, comparable, depth_of, part_figures
from fleet_rival.core.corners.slips import Correction, Slip, booked, cold_figures, cold_slips, warm_slips
from fleet_rival.core.corners.temptations import Temptation, temptations_of
from fleet_rival.core.corners.thresholds import Levels, Threshold, levels_of, thresholds_of
from fleet_rival.core.corners.trades import Trade, trades_of
from fleet_rival.core.effects import Effects, effects_of
from fleet_rival.core.laps.marks import JudgedLap
from fleet_rival.core.laps.verdict import is_cold
from fleet_rival.core.pace.falloff import Falloff, falloff_of
from fleet_rival.core.settings import Settings
from fleet_rival.core.telemetry.curves import LapCurves
from fleet_rival.core.track import Part, Track
from fleet_rival.core.words import PartDepth

__all__ = [
    "Clinic",
    "Said",
    "clinic_of",
    "comparison_of",
    "good_passes",
    "limiter_of",
    "tried_effects",
]

_MOST_GOOD: Final = 15
"""Passes of which the median good pass is made: more don't make it smoother."""
_LIMITER_SHARE: Final = 0.99


@dataclass(frozen=True, slots=True)
class Said:
    """What people said of one driver's passes.

    Attributes:
        passes: by the lap's identity without the driver (session, run, number) and the part.
        like: kinds for all passes like one, by part and what rules make of it.
    """

    passes: Mapping[tuple[str, int | None, int, str], Correction] = field(default_factory=dict)
    like: Mapping[tuple[str, str], str] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Clinic:
    """What is found of one driver in one group.

    Attributes:
        depth: `segments` or `sectors`: where a loss can be located.
        parts: passes, references and losses by part.
        thresholds: from when on a warm pass is a slip.
        slips, cold: in the order in which they happened.
        mistakes, cold_mistakes: slips grouped by corner and kind, the costliest first.
        braking: how braking scatters, the widest corner first.
        with_traces: laps of the group of which curves are known.
        temptations: corners at which the limits are passed again and again.
        references: what others may be held against.
    """

    depth: PartDepth
    parts: Mapping[str, PartFigures]
    thresholds: Mapping[str, Threshold]
    slips: tuple[Slip, ...]
    cold: tuple[Slip, ...]
    mistakes: tuple[Mistake, ...]
    cold_mistakes: tuple[Mistake, ...]
    trades: tuple[Trade, ...]
    braking: tuple[BrakeScatter, ...]
    with_traces: int
    temptations: tuple[Temptation, ...] = ()
    references: References = field(default_factory=lambda: References({}))

    @property
    def recurring(self) -> tuple[Mistake, ...]:
        return tuple(item for item in self.mistakes if item.recurring)


def good_passes(
    figures: PartFigures, code: str, judged: Sequence[JudgedLap], known: Mapping[int, LapCurves]
) -> list[int]:
    """Laps whose way through a part makes the median good pass: the best third of those that make the reference, as
    far as traces are known.
    """
    spared = sorted(
        (figures.losses_us[index], index)
        for index in figures.passes
        if index in known and code not in judged[index].taken.own
    )
    return [index for _, index in spared[: min(_MOST_GOOD, max(1, ceil(len(spared) / 3)))]]


def limiter_of(curves: Sequence[LapCurves]) -> float | None:
    """Engine speed from which on it is at its limit: close to the highest that it was driven at with the foot down."""
    highest = 0.0
    for item in curves:
        rpm, throttle = item.channels.get("rpm"), item.channels.get("throttle_pct")
        if rpm is None or throttle is None:
            continue
        driven = rpm[(throttle >= 90) & np.isfinite(rpm)]
        if len(driven):
            highest = max(highest, float(driven.max()))
    return highest * _LIMITER_SHARE if highest else None


@dataclass(slots=True)
class _Corner:
    """A part's passes laid over the good one; made when somebody asks."""

    comparison: Comparison
    rows: Mapping[int, int]
    scatter: Scatter
    braking: BrakeScatter | None


class _Causes:
    """Causes of passes, each corner compared once."""

    def __init__(
        self,
        track: Track,
        judged: Sequence[JudgedLap],
        parts: Mapping[str, PartFigures],
        slow: frozenset[tuple[int, str]],
        curves: Mapping[int, LapCurves],
        settings: Settings,
    ) -> None:
        self._track, self._judged, self._parts, self._slow = track, judged, parts, slow
        self._curves, self._settings = curves, settings
        self._corners: dict[str, _Corner | None] = {}
        self._limiter = limiter_of(list(curves.values()))

    def __call__(self, lap: int, code: str) -> Cause | None:
        if lap not in self._curves:
            return None
        corner = self.corner(code)
        return (
            cause_of(corner.comparison, corner.rows[lap], corner.scatter, self._settings, self._limiter)
            if corner
            else None
        )

    def corner(self, code: str) -> _Corner | None:
        """A part's passes laid over the good one; None where nothing can be compared."""
        if code not in self._corners:
            self._corners[code] = self._compared(code)
        return self._corners[code]

    def braking(self) -> tuple[BrakeScatter, ...]:
        """How braking scatters, corner by corner."""
        made = {code: corner.braking for code in self._parts if (corner := self.corner(code))}
        return audited({code: item for code, item in made.items() if item})

    def _compared(self, code: str) -> _Corner | None:
        known = sorted(self._curves)
        comparison = comparison_of(self._track, code, self._judged, self._parts[code], self._curves, self._settings)
        if comparison is None:
            return None
        passes = self._parts[code].passes
        ordinary = np.asarray([lap in passes and (lap, code) not in self._slow for lap in known])
        rows = {lap: row for row, lap in enumerate(known)}
        return _Corner(comparison, rows, scatter_of(comparison, ordinary), brake_scatter(comparison, ordinary, known))


def comparison_of(
    track: Track,
    code: str,
    judged: Sequence[JudgedLap],
    figures: PartFigures,
    curves: Mapping[int, LapCurves],
    settings: Settings,
    model: Mapping[str, NDArray[np.float64]] | None = None,
) -> Comparison | None:
    """All laps that have traces, through one part, over the driver's median good pass.

    Args:
        curves: by the lap's position; rows of the answer go by ascending position.
        model: instead of the driver's own median good pass.
    """
    known = sorted(curves)
    if not known:
        return None
    rows = {lap: row for row, lap in enumerate(known)}
    good = [rows[lap] for lap in good_passes(figures, code, judged, curves)]
    if not good and model is None:
        return None
    return compare(road_of(track, code), [curves[lap] for lap in known], good, settings, model)


def clinic_of(
    track: Track,
    judged: Sequence[JudgedLap],
    members: Sequence[int],
    curves: Mapping[int, LapCurves],
    settings: Settings,
    said: Said | None = None,
    segments: Mapping[str, PartFigures] | None = None,
    falloff: Falloff | None = None,
) -> Clinic:
    """Find one driver's slips in one group, what they cost, why they happened and which of them recur.

    Args:
        judged: all laps of the driver, in order.
        members: positions of the group's flying laps.
        curves: of laps whose traces are known, by position; of one layout.
        segments, falloff: figures of the segments, and of the runs, where somebody has them already.
    """
    said = said or Said()
    depth = depth_of(track, judged, members)
    by_segment = depth == "segments"
    ordered: Sequence[Part] = track.segment_parts if by_segment else track.sector_parts
    parts = segments if by_segment and segments is not None else part_figures(track, judged, members, settings, depth)
    mine = frozenset(members)
    traces = {lap: item for lap, item in curves.items() if lap in mine}
    tried = tried_effects(track, judged, members, parts, depth, falloff or falloff_of(judged, members, settings))
    levels = levels_of(parts, judged, settings, tried)
    thresholds = thresholds_of(parts, judged, levels, settings)
    stretches = track.stretches if by_segment else ()
    together = together_in(stretches, parts, judged, levels, thresholds, settings)
    warm = warm_slips(parts, judged, thresholds, levels, together)
    cold_times = cold_figures(track, judged, members, ordered, depth)
    chill, cold_thresholds, cold_losses = cold_slips(cold_times, judged, levels, settings)
    slow = frozenset((item.lap, item.code) for item in (*warm, *chill))
    find = _Causes(track, judged, parts, slow, traces, settings)
    corrections = _corrections(said, judged, ordered)
    excess = _excess_of(judged, parts, levels, thresholds, together, cold_thresholds, cold_losses)
    # Warm and cold passes are told apart by pass, not by lap: on long tracks a lap may begin cold and end warm.
    slips, cold = (
        booked(track, ordered, judged, found, excess, find, corrections, said.like, settings) for found in (warm, chill)
    )
    counted = {code: figures.n for code, figures in parts.items()}
    cold_counted = {code: len(times) for code, times in cold_times.items()}
    corners = [part.code for part in ordered]
    losses = _levelled(parts, judged, levels)
    spoilt = frozenset(slow | {key for slip in (*slips, *cold) for key in slip.booked})
    return Clinic(
        depth=depth,
        parts=parts,
        thresholds=thresholds,
        slips=tuple(slips),
        cold=tuple(cold),
        mistakes=tuple(mistakes_of(slips, counted, judged, settings, corners)),
        cold_mistakes=tuple(mistakes_of(cold, cold_counted, judged, settings, corners)),
        trades=tuple(
            item
            for item in (trades_of(corners, losses, spoilt, judged, settings) if by_segment else ())
            if not any(item.first in stretch and item.second in stretch for stretch in stretches)
        ),
        braking=find.braking() if by_segment and traces else (),
        with_traces=len(traces),
        references=comparable(parts, judged, stretches, levels.moved),
        temptations=tuple(temptations_of(corners, parts, levels.moved, judged, members)) if by_segment else (),
    )


def _excess_of(
    judged: Sequence[JudgedLap],
    parts: Mapping[str, PartFigures],
    levels: Levels,
    warm: Mapping[str, Threshold],
    together: Together,
    cold: Mapping[str, Threshold],
    cold_losses_us: Mapping[str, Mapping[int, int]],
) -> Callable[[int, str], float | None]:
    """What a pass lost over the ordinary one, by the lap's position and the part: on cold tyres over the ordinary cold
    one, and of parts that are judged together told of the last of them.
    """

    def excess(lap: int, code: str) -> float | None:
        loss, threshold = parts[code].losses_us.get(lap), warm.get(code)
        if is_cold(judged[lap]):
            loss, threshold = cold_losses_us.get(code, {}).get(lap), cold.get(code)
        elif (passed := together.passed(lap, code)) is not None:
            return passed.excess_us if code == passed.stretch[-1] else None
        if loss is None or threshold is None:
            return None
        return threshold.excess(loss, levels.us(judged, lap, code, threshold.reference_us))

    return excess


def tried_effects(
    track: Track,
    judged: Sequence[JudgedLap],
    members: Sequence[int],
    parts: Mapping[str, PartFigures],
    depth: PartDepth,
    falloff: Falloff,
) -> Effects | None:
    """Effects of setups and options; None where there is one setup and nothing was tried, or nothing can be told."""
    laps = [judged[index].lap for index in members]
    if not any(lap.options for lap in laps) and len({lap.setup for lap in laps}) < 2:
        return None
    evidence = {code: figures.passes for code, figures in parts.items()}
    effects = effects_of(track, judged, members, evidence, depth, falloff) if evidence else ""
    return None if isinstance(effects, str) else effects


def _levelled(
    parts: Mapping[str, PartFigures], judged: Sequence[JudgedLap], levels: Levels
) -> dict[str, dict[int, float]]:
    """Losses of passes without what their run, the setup and options that were tried are worth."""
    return {
        code: {
            lap: figures.losses_us[lap] - levels.us(judged, lap, code, float(figures.reference.time_us))
            for lap in figures.passes
            if lap in figures.losses_us and (lap, code) not in levels.trials
        }
        for code, figures in parts.items()
        if figures.reference is not None
    }


def _corrections(said: Said, judged: Sequence[JudgedLap], parts: Sequence[Part]) -> dict[tuple[int, str], Correction]:
    if not said.passes:
        return {}
    at = {(item.lap.session, item.lap.run, item.lap.number): index for index, item in enumerate(judged)}
    codes = {part.code for part in parts}
    return {
        (at[key[:3]], key[3]): correction
        for key, correction in said.passes.items()
        if key[:3] in at and key[3] in codes
    }
