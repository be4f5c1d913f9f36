"""What a race was like, from its laps: pace, falloff, consumption, slips by corner, beside the practice before it."""

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime, timedelta
from itertools import pairwise
from typing import Final

import numpy as np

from fleet_rival.core.analysis import analyse_driver
from fleet_rival.core.corners.clinic import clinic_of
from fleet_rival.core.laps.lap import Lap
from fleet_rival.core.laps.marks import judge
from fleet_rival.core.laps.verdict import race_goes_on
from fleet_rival.core.settings import Settings
from fleet_rival.core.track import Track

__all__ = ["RaceDriven", "driven_race", "laps_of_start", "used_in"]

_EARLY: Final = timedelta(minutes=10)
"""A race may begin so much before its hour: clocks differ."""
_QUALIFYING: Final = timedelta(hours=3)
_LONGEST: Final = timedelta(hours=12)
_LEAST_LAPS: Final = 3


@dataclass(frozen=True, slots=True)
class RaceDriven:
    """A race as its laps tell it; None: they don't.

    Attributes:
        laps: of the race.
        qualifying_us: the best one in qualifying.
        race_lap_us: mean of the laps at pace, without the first one, stops and cautions.
        falloff_us: a lap and lap.
        fuel_l, energy_kwh: mean of a lap.
        slips: laps with one.
        strikes: in all.
        practice, race: slips and passes by corner.
    """

    laps: int = 0
    qualifying_us: float | None = None
    race_lap_us: float | None = None
    falloff_us: float | None = None
    fuel_l: float | None = None
    energy_kwh: float | None = None
    slips: float | None = None
    strikes: float | None = None
    practice: Mapping[str, tuple[int, int]] = field(default_factory=dict)
    race: Mapping[str, tuple[int, int]] = field(default_factory=dict)

    @property
    def figures(self) -> dict[str, float | None]:
        """By the names of `afterwards.FIGURES`."""
        names = ("qualifying_us", "race_lap_us", "falloff_us", "fuel_l", "energy_kwh", "slips", "strikes")
        return {name: getattr(self, name) for name in names}


def laps_of_start(
    laps: Sequence[Lap], starts_at: datetime, next_at: datetime | None = None
) -> tuple[list[Lap], list[Lap]]:
    """Laps of one start: those of its qualifying, and those of its race.

    Args:
        laps: of one driver; those that don't say when they began belong to no start.
        next_at: the start behind it, of which the laps are its own.
    """
    ends = min(starts_at + _LONGEST, (next_at - _EARLY) if next_at else starts_at + _LONGEST)
    qualifying = [
        lap
        for lap in laps
        if lap.session_kind == "qualifying"
        and lap.started_at
        and starts_at - _QUALIFYING <= lap.started_at < starts_at + _EARLY
    ]
    race = [
        lap
        for lap in laps
        if lap.session_kind == "race" and lap.started_at and starts_at - _EARLY <= lap.started_at < ends
    ]
    return qualifying, sorted(race, key=lambda lap: (lap.started_at or starts_at, lap.number))


def used_in(laps: Sequence[Lap], name: str) -> list[float]:
    """What each lap used, of neighbours that both say what was on board.

    Args:
        name: `fuel_l` or `energy_kwh`.
    """
    out = []
    for lap, after in pairwise(laps):
        before, left = getattr(lap, name), getattr(after, name)
        same = (lap.session, lap.run, lap.number + 1) == (after.session, after.run, after.number)
        if same and before is not None and left is not None and left < before:
            out.append(float(before - left))
    return out


def driven_race(
    track: Track, name: str, practice: Sequence[Lap], qualifying: Sequence[Lap], race: Sequence[Lap], settings: Settings
) -> RaceDriven:
    """A race as its laps tell it, beside the practice before it.

    Args:
        name: of the driver.
        practice: laps before the race that weren't raced.
    """
    timed = [item.lap.time_us for item in judge(track, qualifying, settings) if item.may_be_best]
    best = float(min(timed)) if timed else None
    if not race:
        return RaceDriven(qualifying_us=best)
    found = analyse_driver(track, name, race, settings)
    pace = [
        item.lap.time_us
        for item in found.laps
        if item.flying and item.lap is not found.laps[0].lap and race_goes_on(item)
    ]
    net = found.main.falloff.net
    fuel, energy = used_in(race, "fuel_l"), used_in(race, "energy_kwh")
    lap_slips, before, by_corner = _slips(track, name, practice, race, settings)
    return RaceDriven(
        laps=len(race),
        qualifying_us=best,
        race_lap_us=float(np.mean(pace)) if len(pace) >= _LEAST_LAPS else None,
        falloff_us=net.value if net is not None else None,
        fuel_l=float(np.mean(fuel)) if len(fuel) >= _LEAST_LAPS else None,
        energy_kwh=float(np.mean(energy)) if len(energy) >= _LEAST_LAPS else None,
        slips=float(lap_slips) if by_corner else None,
        strikes=float(sum(len(item.strikes) for item in found.laps)),
        practice=before,
        race=by_corner,
    )


def _slips(
    track: Track, name: str, practice: Sequence[Lap], race: Sequence[Lap], settings: Settings
) -> tuple[int, dict[str, tuple[int, int]], dict[str, tuple[int, int]]]:
    """Laps of the race with a slip, and slips and passes by corner, in practice and in the race.

    Both are measured by one reference: what goes wrong on most laps of a race would make its own the usual. Without the
        race's first lap, which
    begins at a stand or in a pack.
    """
    race = race[1:]
    raced = {lap.identity for lap in race}
    both = analyse_driver(track, name, [*practice, *(replace(lap, session_kind="practice") for lap in race)], settings)
    is_race = [item.lap.identity in raced for item in both.laps]
    group = max((both.main, *both.others), key=lambda item: sum(is_race[index] for index in item.members))
    clinic = clinic_of(track, both.laps, group.members, {}, settings, segments=group.segments)
    passes, slips = Counter[tuple[str, bool]](), Counter[tuple[str, bool]]()
    for code, figures in clinic.parts.items():
        passes.update((code, is_race[index]) for index in figures.passes)
    slips.update((slip.corner, is_race[slip.lap]) for slip in clinic.slips)
    counted = [
        {code: (slips[code, when], passes[code, when]) for code in clinic.parts if passes[code, when]}
        for when in (False, True)
    ]
    return len({slip.lap for slip in clinic.slips if is_race[slip.lap]}), counted[0], counted[1]
