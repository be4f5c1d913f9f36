"""Reference audit: a corner at which braking scatters much more than at the driver's others has a reference that is
not really used.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from statistics import median
from typing import Final

import numpy as np

from fleet_rival.core.corners.compare import Comparison
from fleet_rival.core.laps.marks import JudgedLap
from fleet_rival.core.statistics import MAD_TO_SD

__all__ = ["BrakeScatter", "Sides", "audited", "brake_scatter", "sides_of"]

_LEAST_PASSES: Final = 8
_WIDER: Final = 2.0
"""Twice as wide: of robust deviations of a dozen passes each, chance makes it so once in a hundred times."""
_CLEAR: Final = 0.1
"""As for trends: one change in ten that is told is none, and nobody loses by looking."""
_DEALS: Final = 999
_LEAST_M: Final = 3.0
"""Under three metres nobody needs a better mark."""


@dataclass(frozen=True, slots=True)
class BrakeScatter:
    """Where a driver brakes for a corner.

    Attributes:
        at_m: the median good pass's braking place, from the line.
        scatter_m: robust deviation of the ordinary passes.
        others_m: median of the driver's other corners; None with fewer than two.
        unused: much wider than there: the reference is not really used.
        shifts: of each ordinary pass: the lap's position, and how much later than the good pass it brakes, in metres.
    """

    corner: str
    at_m: float
    scatter_m: float
    passes: int
    others_m: float | None = None
    unused: bool = False
    shifts: tuple[tuple[int, float], ...] = ()


@dataclass(frozen=True, slots=True)
class Sides:
    """Braking before and after a moment at which the reference was confirmed or changed.

    Attributes:
        before_m, after_m: robust deviations; None with too few passes.
        before, after: passes on either side.
        moved_m: how much later the median pass brakes since; None where either side is unknown.
        chance: how often passes dealt out at random differ as much in scatter; None where either side is unknown.
    """

    before_m: float | None
    before: int
    after_m: float | None
    after: int
    moved_m: float | None
    chance: float | None

    @property
    def clear(self) -> bool:
        """Whether scatter changed more than chance makes it."""
        return self.chance is not None and self.chance < _CLEAR


def brake_scatter(comparison: Comparison, ordinary: np.ndarray, laps: Sequence[int]) -> BrakeScatter | None:
    """Scatter of the braking place over ordinary passes; None where there are too few or nobody brakes.

    Args:
        ordinary: which of the passes are, shape (passes,).
        laps: the position of each pass's lap among the driver's laps.
    """
    shift = comparison.brake_shift_m
    which = ordinary & comparison.usable & np.isfinite(shift)
    known = shift[which]
    if comparison.marks.brake is None or len(known) < _LEAST_PASSES:
        return None
    shifts = tuple((laps[int(row)], float(shift[row])) for row in np.flatnonzero(which))
    return BrakeScatter(
        comparison.road.code, float(comparison.at_m[comparison.marks.brake]), _scatter(known), len(known), shifts=shifts
    )


def _scatter(shifts: np.ndarray) -> float:
    return MAD_TO_SD * float(np.median(np.abs(shifts - np.median(shifts))))


def sides_of(item: BrakeScatter, judged: Sequence[JudgedLap], moment: datetime) -> Sides:
    """Braking for a corner before and since a moment.

    Whether scatter changed is asked of distances from either side's median, dealt out again 999 times (Good,
    Permutation, Parametric and Bootstrap Tests, 2005, section 3.7): no distribution has to be supposed.

    Args:
        judged: the driver's laps; those without a time of day are left out.
    """
    dated = [(judged[lap].lap.started_at, shift) for lap, shift in item.shifts]
    before = np.array([shift for at, shift in dated if at is not None and at < moment])
    after = np.array([shift for at, shift in dated if at is not None and at >= moment])
    sides = [_scatter(shifts) if len(shifts) >= _LEAST_PASSES else None for shifts in (before, after)]
    if sides[0] is None or sides[1] is None:
        return Sides(sides[0], len(before), sides[1], len(after), None, None)
    away = np.concatenate([np.abs(before - np.median(before)), np.abs(after - np.median(after))])
    seen = abs(away[: len(before)].mean() - away[len(before) :].mean())
    random = np.random.default_rng(len(away))
    dealt = random.permuted(np.tile(away, (_DEALS, 1)), axis=1)
    differs = np.abs(dealt[:, : len(before)].mean(axis=1) - dealt[:, len(before) :].mean(axis=1))
    chance = (1 + int(np.count_nonzero(differs >= seen - 1e-12))) / (1 + _DEALS)
    return Sides(sides[0], len(before), sides[1], len(after), float(np.median(after) - np.median(before)), chance)


def audited(found: Mapping[str, BrakeScatter]) -> tuple[BrakeScatter, ...]:
    """The corners, each held against the driver's others, the widest first."""
    out = []
    for code, item in found.items():
        others = [other.scatter_m for key, other in found.items() if key != code]
        usual = median(others) if len(others) > 1 else None
        unused = usual is not None and item.scatter_m > max(_WIDER * usual, _LEAST_M)
        out.append(replace(item, others_m=usual, unused=unused))
    return tuple(sorted(out, key=lambda item: -item.scatter_m))
