"""One driver's corners in one group: slips with their causes, what recurs, what stands, what is paid back."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from math import ceil
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fleet_rival.core.corners.audit import BrakeScatter, audited, brake_scatter
from fleet_rival.core.corners.compare import Comparison, compare, road_of
from fleet_rival.core.corners.inputs import Cause, Scatter, scatter_of
from fleet_rival.core.corners.kinds import cause_of
from fleet_rival.core.corners.recurring import Mistake, mistakes_of
from fleet_rival.core.corners.references import PartFigures, part_figures
from fleet_rival.core.corners.slips import Correction, Slip, booked, cold_figures, cold_slips, warm_slips
from fleet_rival.core.corners.standing_losses import StandingLoss, merged, standing_losses
from fleet_rival.core.corners.thresholds import Levels, Threshold, levels_of, thresholds_of
from fleet_rival.core.corners.trades import Trade, trades_of
from fleet_rival.core.laps.marks import JudgedLap
from fleet_rival.core.laps.verdict import is_cold
from fleet_rival.core.settings import Settings
from fleet_rival.core.telemetry.curves import LapCurves
from fleet_rival.core.track import Part, Track

__all__ = ["Clinic", "Member", "Said", "clinic_of", "comparison_of", "good_passes", "limiter_of", "standing_of"]

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
    """

    depth: str
    parts: Mapping[str, PartFigures]
    thresholds: Mapping[str, Threshold]
    slips: tuple[Slip, ...]
    cold: tuple[Slip, ...]
    mistakes: tuple[Mistake, ...]
    cold_mistakes: tuple[Mistake, ...]
    trades: tuple[Trade, ...]
    braking: tuple[BrakeScatter, ...]
    with_traces: int

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
) -> Clinic:
    """Find one driver's slips in one group, what they cost, why they happened and which of them recur.

    Args:
        judged: all laps of the driver, in order.
        members: positions of the group's flying laps.
        curves: of laps whose traces are known, by position; of one layout.
        segments: figures of the segments, where somebody has them already.
    """
    said = said or Said()
    depth = "segments" if track.segment_parts and any(judged[index].lap.segments for index in members) else "sectors"
    ordered: Sequence[Part] = track.segment_parts if depth == "segments" else track.sector_parts
    parts = (
        segments
        if depth == "segments" and segments is not None
        else part_figures(track, judged, members, settings, depth)
    )
    mine = frozenset(members)
    traces = {lap: item for lap, item in curves.items() if lap in mine}
    levels = levels_of(parts, judged, settings)
    thresholds = thresholds_of(parts, judged, levels, settings)
    warm = warm_slips(parts, judged, thresholds, levels)
    cold_times = cold_figures(track, judged, members, ordered, depth)
    chill, cold_thresholds, cold_losses = cold_slips(cold_times, judged, levels, settings)
    slow = frozenset((item.lap, item.code) for item in (*warm, *chill))
    find = _Causes(track, judged, parts, slow, traces, settings)
    corrections = _corrections(said, judged, ordered)

    def excess(lap: int, code: str) -> float | None:
        loss, threshold = parts[code].losses_us.get(lap), thresholds.get(code)
        if is_cold(judged[lap]):
            loss, threshold = cold_losses.get(code, {}).get(lap), cold_thresholds.get(code)
        if loss is None or threshold is None:
            return None
        return threshold.excess(loss, levels.us(judged[lap].lap, code, threshold.reference_us))

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
        trades=tuple(trades_of(corners, losses, spoilt, judged, settings)) if depth == "segments" else (),
        braking=find.braking() if depth == "segments" and traces else (),
        with_traces=len(traces),
    )


def _levelled(
    parts: Mapping[str, PartFigures], judged: Sequence[JudgedLap], levels: Levels
) -> dict[str, dict[int, float]]:
    """Losses of passes without what their run, the setup and options that were tried are worth."""
    return {
        code: {
            lap: figures.losses_us[lap] - levels.us(judged[lap].lap, code, float(figures.reference.time_us))
            for lap in figures.passes
            if lap in figures.losses_us and levels.judges(judged[lap].lap, code)
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


@dataclass(frozen=True, slots=True)
class Member:
    """A driver among those whose references are compared."""

    name: str
    judged: Sequence[JudgedLap]
    clinic: Clinic
    curves: Mapping[int, LapCurves]


def standing_of(track: Track, driver: Member, others: Sequence[Member], settings: Settings) -> list[StandingLoss]:
    """A driver's standing losses against others in the same car and conditions, with kinds by the two median good
    passes.
    """
    others = [item for item in others if item.name != driver.name and item.clinic.depth == driver.clinic.depth]
    found = standing_losses(
        _references(driver.clinic), {item.name: _references(item.clinic) for item in others}, settings
    )
    kinds = [
        _standing_kind(track, item, driver, next(o for o in others if o.name == item.against), settings)
        for item in found
    ]
    return merged(
        [replace(item, kind=kind) for item, kind in zip(found, kinds, strict=True)],
        [part.code for part in track.segment_parts],
    )


def _references(clinic: Clinic) -> dict[str, float]:
    return {
        code: float(figures.reference.time_us)
        for code, figures in clinic.parts.items()
        if figures.reference and not figures.reference.candidate
    }


def _standing_kind(track: Track, loss: StandingLoss, driver: Member, best: Member, settings: Settings) -> str:
    """What the driver's good passes do otherwise than the other's."""
    mine, theirs = (
        [item.curves[lap] for lap in good_passes(item.clinic.parts[loss.corner], loss.corner, item.judged, item.curves)]
        for item in (driver, best)
    )
    if not mine or not theirs or mine[0].step_m != theirs[0].step_m:
        return "other"
    road = road_of(track, loss.corner)
    ours = compare(road, mine, range(len(mine)), settings)
    other = compare(road, theirs, range(len(theirs)), settings)
    if ours is None or other is None or len(ours.at_m) != len(other.at_m):
        return "other"
    median = LapCurves(mine[0].step_m, {name: values.astype(np.float32) for name, values in ours.good.items()})
    laid = _laid(median, ours, other, settings)
    scatter = (
        scatter_of(other, np.ones(len(theirs), dtype=bool))
        if len(theirs) >= 4
        else Scatter(0.7, 1.5, 0.8, 0.25, 0.25, 0)
    )
    cause = cause_of(laid, 0, scatter, settings, limiter_of([*mine, *theirs])) if laid else None
    return cause.kind if cause else "other"


def _laid(median: LapCurves, ours: Comparison, other: Comparison, settings: Settings) -> Comparison | None:
    """One driver's median good pass over the other's: both on the same stretch of road."""
    first = round(float(ours.at_m[0]) / median.step_m)
    channels = {}
    for name, values in median.channels.items():
        whole = np.full(first + len(values), np.nan, dtype=np.float32)
        whole[first:] = values
        channels[name] = whole
    return compare(ours.road, [LapCurves(median.step_m, channels)], (), settings, other.good)
