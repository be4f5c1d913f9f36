"""Reference audit: a corner at which braking scatters much more than at the driver's others has a reference that is not really used."""

from collections.abc import Mapping
from dataclasses import dataclass
from statistics import median
from typing import Final

import numpy as np

from fleet_rival.core.corners.compare import Comparison
from fleet_rival.core.statistics import MAD_TO_SD

__all__ = ["BrakeScatter", "audited", "brake_scatter"]

_LEAST_PASSES: Final = 8
_WIDER: Final = 2.0
"""Twice as wide: of robust deviations of a dozen passes each, chance makes it so once in a hundred times."""
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
    """

    corner: str
    at_m: float
    scatter_m: float
    passes: int
    others_m: float | None = None
    unused: bool = False


def brake_scatter(comparison: Comparison, ordinary: np.ndarray) -> BrakeScatter | None:
    """Scatter of the braking place over ordinary passes; None where there are too few or nobody brakes.

    Args:
        ordinary: which of the passes are, shape (passes,).
    """
    shift = comparison.brake_shift_m
    known = shift[ordinary & comparison.usable & np.isfinite(shift)]
    if comparison.marks.brake is None or len(known) < _LEAST_PASSES:
        return None
    scatter = MAD_TO_SD * float(np.median(np.abs(known - np.median(known))))
    return BrakeScatter(comparison.road.code, float(comparison.at_m[comparison.marks.brake]), scatter, len(known))


def audited(found: Mapping[str, BrakeScatter]) -> tuple[BrakeScatter, ...]:
    """The corners, each held against the driver's others, the widest first."""
    out = []
    for code, item in found.items():
        others = [other.scatter_m for key, other in found.items() if key != code]
        usual = median(others) if len(others) > 1 else None
        unused = usual is not None and item.scatter_m > max(_WIDER * usual, _LEAST_M)
        out.append(BrakeScatter(code, item.at_m, item.scatter_m, item.passes, usual, unused))
    return tuple(sorted(out, key=lambda item: -item.scatter_m))
