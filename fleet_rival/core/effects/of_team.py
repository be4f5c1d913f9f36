"""Where on the lap tyres fall off, told by all who drove the same car there."""

from collections.abc import Sequence
from math import sqrt

import numpy as np

from fleet_rival.core.effects.together import Tyres
from fleet_rival.core.statistics import Z_95

__all__ = ["tyres_of_team"]


def tyres_of_team(found: Sequence[Tyres]) -> Tyres | None:
    """What a lap more costs each part, whoever drives: the drivers' figures averaged by how surely each is told
    (inverse variances), with intervals widened where they differ by more than that (Birge, 1932). Parts that not
    everybody has a figure of are left out.

    Args:
        found: of drivers in the same car, on the same layout, in the same conditions.

    Returns:
        None where nobody's laps tell it.

    >>> own = Tyres(None, {"T1": 30.0, "T2": 10.0}, {"T1": 20.0, "T2": 0.0}, {"T1": 40.0, "T2": 20.0}, {})
    >>> her = Tyres(None, {"T1": 34.0, "T2": 10.0}, {"T1": 24.0, "T2": 0.0}, {"T1": 44.0, "T2": 20.0}, {})
    >>> both = tyres_of_team([own, her])
    >>> both.us_per_lap["T1"], round(both.low_us["T1"], 1), round(both.weights["T1"], 2)
    (32.0, 24.9, 0.76)
    >>> tyres_of_team([]) is None
    True
    """
    if not found:
        return None
    codes = [code for code in found[0].us_per_lap if all(code in item.us_per_lap for item in found)]
    if not codes:
        return None
    values = np.array([[item.us_per_lap[code] for code in codes] for item in found])
    reach = np.array([[(item.high_us[code] - item.low_us[code]) / 2 for code in codes] for item in found])
    # Who drove so alike that nothing is left to chance weighs most, not everything.
    weights = 1 / np.maximum(reach / Z_95, 1.0) ** 2
    pooled = (weights * values).sum(axis=0) / weights.sum(axis=0)
    errors = 1 / np.sqrt(weights.sum(axis=0))
    if len(found) > 1:
        differ = (weights * (values - pooled) ** 2).sum() / ((len(found) - 1) * len(codes))
        errors = errors * max(1.0, sqrt(differ))
    whole = float(pooled.sum())
    rows = (pooled, pooled - Z_95 * errors, pooled + Z_95 * errors, pooled / whole if whole else pooled)
    return Tyres(None, *(dict(zip(codes, row.tolist(), strict=True)) for row in rows))
