"""All drivers' corners: each in each group, and against the others in the same car and conditions."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import partial

from fleet_rival.core.analysis import Analysis, DriverAnalysis, GroupAnalysis
from fleet_rival.core.corners.clinic import Clinic, Said, clinic_of, tried_effects
from fleet_rival.core.corners.references import References, comparable
from fleet_rival.core.corners.standing_kinds import Member, standing_of
from fleet_rival.core.corners.standing_losses import StandingLoss
from fleet_rival.core.corners.thresholds import levels_of
from fleet_rival.core.laps.lap import Identity
from fleet_rival.core.laps.marks import JudgedLap
from fleet_rival.core.settings import Settings
from fleet_rival.core.telemetry.curves import LapCurves
from fleet_rival.core.track import Track

__all__ = ["Clinics", "DriverClinics", "StandingLosses", "clinics_of", "curves_by_driver", "references_of"]

Clinics = list[Clinic]
"""One driver's, of the main group and of the others, in the order of the analysis."""
StandingLosses = list[StandingLoss]


@dataclass(frozen=True, slots=True)
class DriverClinics:
    """One driver: the main group and the others, in the order of the analysis, and standing losses in the main
    group.
    """

    main: Clinic
    others: tuple[Clinic, ...]
    standing: tuple[StandingLoss, ...]


def curves_by_driver(analysis: Analysis, curves: Mapping[Identity, LapCurves]) -> dict[str, dict[int, LapCurves]]:
    """Curves by driver and by position of the lap among the driver's laps."""
    return {
        name: {index: found for index, item in enumerate(driver.laps) if (found := curves.get(item.lap.identity))}
        for name, driver in analysis.drivers.items()
    }


def clinics_of(
    track: Track,
    analysis: Analysis,
    curves: Mapping[str, Mapping[int, LapCurves]],
    settings: Settings | None = None,
    said: Mapping[str, Said] | None = None,
    once: Callable[[DriverAnalysis, Callable[[], Clinics]], Clinics] = lambda _, make: make(),
    once_against: Callable[[str, Sequence[str], Callable[[], StandingLosses]], StandingLosses] = lambda _, __, make: (
        make()
    ),
) -> dict[str, DriverClinics]:
    """Find everybody's slips, mistakes and standing losses.

    Args:
        analysis: of the same laps.
        curves: of laps whose traces are known, by driver and position.
        said: what people said, by driver.
        once: lets a driver's clinics be made, or remembers them.
        once_against: the same of a driver's standing losses against some drivers.
    """
    settings, said = settings or Settings(), said or {}

    def own(driver: DriverAnalysis) -> Clinics:
        groups = (driver.main, *driver.others)
        told = said.get(driver.name)
        return [
            clinic_of(
                track, driver.laps, group.members, curves[driver.name], settings, told, group.segments, group.falloff
            )
            for group in groups
        ]

    made = {name: once(driver, partial(own, driver)) for name, driver in analysis.drivers.items()}
    out = {}
    for name, driver in analysis.drivers.items():
        alike = [
            Member(other.name, other.laps, clinic, curves[other.name])
            for other in analysis.drivers.values()
            for group, clinic in zip((other.main, *other.others), made[other.name], strict=True)
            if group.group == driver.main.group
        ]
        me = next(item for item in alike if item.name == name)
        standing = once_against(name, [item.name for item in alike], partial(standing_of, track, me, alike, settings))
        out[name] = DriverClinics(made[name][0], tuple(made[name][1:]), tuple(standing))
    return out


def references_of(track: Track, judged: Sequence[JudgedLap], group: GroupAnalysis, settings: Settings) -> References:
    """References by segments of one driver in one group, as the clinic holds others against them; those of candidates
    too.

    Args:
        judged: all laps of the driver, in order.
    """
    tried = tried_effects(track, judged, group.members, group.segments, "segments", group.falloff)
    moved = levels_of(group.segments, judged, settings, tried).moved
    return comparable(group.segments, judged, track.stretches, moved, candidates=True)
