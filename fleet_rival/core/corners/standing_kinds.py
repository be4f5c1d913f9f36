"""What stands against teammates, with what their good passes do otherwise."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from fleet_rival.core.corners.clinic import Clinic, good_passes, limiter_of
from fleet_rival.core.corners.compare import Comparison, compare, road_of
from fleet_rival.core.corners.inputs import Scatter, scatter_of
from fleet_rival.core.corners.kinds import cause_of
from fleet_rival.core.corners.standing_losses import StandingLoss, merged, standing_losses
from fleet_rival.core.laps.marks import JudgedLap
from fleet_rival.core.settings import Settings
from fleet_rival.core.telemetry.curves import LapCurves
from fleet_rival.core.track import Track

__all__ = ["Member", "standing_of"]


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
    found = standing_losses(driver.clinic.references, {item.name: item.clinic.references for item in others}, settings)
    kinds = [
        _standing_kind(track, item, driver, next(o for o in others if o.name == item.against), settings)
        for item in found
    ]
    return merged(
        [replace(item, kind=kind) for item, kind in zip(found, kinds, strict=True)],
        [part.code for part in track.segment_parts],
    )


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
