"""How far two samples of passes are apart, how unlike they scatter, and by chance or not."""

from collections.abc import Sequence
from math import sqrt
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fleet_rival.core.options.results import Shift
from fleet_rival.core.options.samples import LEAST_PASSES, Sample
from fleet_rival.core.pace.slope import pooled_slope
from fleet_rival.core.statistics import Z_95

__all__ = ["from_age", "hodges_lehmann", "permuted", "spreads"]

Values = NDArray[np.float64]
_RESAMPLES: Final = 2000


def hodges_lehmann(one: Values, other: Values) -> Shift:
    """Median of all differences, with the interval of the rank-sum test turned round (Hodges and Lehmann 1963).

    >>> hodges_lehmann(np.arange(9) * 1e3, np.arange(9) * 1e3 - 50e3).value_us
    -50000.0
    """
    differences = np.sort((other[:, None] - one[None, :]).ravel())
    count = len(differences)
    spread = Z_95 * sqrt(count * (len(one) + len(other) + 1) / 12)
    low, high = max(int(np.floor(count / 2 - spread)), 0), min(int(np.ceil(count / 2 + spread)), count - 1)
    return Shift(float(np.median(differences)), float(differences[low]), float(differences[high]))


def spreads(one: Values, other: Values) -> tuple[float | None, float | None]:
    """Ratio of mean distances from the median, and Brown and Forsythe's test (1974): an analysis of variance of
    these distances.

    >>> ratio, chance = spreads(np.arange(20) * 1e3, np.arange(20) * 4e3)
    >>> ratio, chance < 0.001
    (4.0, True)
    """
    from scipy.special import fdtrc  # noqa: PLC0415  takes a third of a second to import; not every process needs it

    apart = [np.abs(values - np.median(values)) for values in (one, other)]
    near, far = (float(distances.mean()) for distances in apart)
    within = sum(float(((distances - distances.mean()) ** 2).sum()) for distances in apart)
    if near == 0 or far == 0 or within == 0:
        return None, None
    every = np.concatenate(apart)
    between = sum(len(distances) * (float(distances.mean()) - float(every.mean())) ** 2 for distances in apart)
    free = len(every) - 2
    return far / near, float(fdtrc(1, free, between / (within / free)))


def permuted(first: Sequence[Sample], second: Sequence[Sample], seed: int) -> float | None:
    """How often labels dealt anew within each run would tell at least as large a difference of means; two-sided."""
    rng = np.random.default_rng(seed)
    blocks: dict[tuple[str, int | None], tuple[list[int], list[bool]]] = {}
    for some, is_second in ((first, False), (second, True)):
        for item in some:
            if not item.failed:
                times, whose = blocks.setdefault(item.block, ([], []))
                times.append(item.time_us)
                whose.append(is_second)
    mixed = [
        (np.asarray(times, dtype=np.float64), np.asarray(whose))
        for times, whose in blocks.values()
        if 0 < sum(whose) < len(whose)
    ]
    if not mixed:
        return None
    seen = 0.0
    drawn = np.zeros(_RESAMPLES)
    for values, theirs in mixed:
        about = values - values.mean()
        seen += float(about[theirs].sum())
        order = rng.permuted(np.tile(about, (_RESAMPLES, 1)), axis=1)
        drawn += order[:, : int(theirs.sum())].sum(axis=1)
    return float((1 + np.sum(np.abs(drawn) >= abs(seen) - 1e-9)) / (_RESAMPLES + 1))


def from_age(first: Sequence[Sample], second: Sequence[Sample]) -> float | None:
    """Tyre age at which the faster one changes, where it lies among the ages driven with both."""
    lines = []
    ages: list[Values] = []
    for some in (first, second):
        known = [item for item in some if item.age is not None and not item.failed]
        x, y = (
            np.asarray([item.age for item in known], dtype=np.float64),
            np.asarray([item.time_us for item in known], dtype=np.float64),
        )
        if len(known) < 2 * LEAST_PASSES or np.ptp(x) < 4:
            return None
        order = np.argsort(x, kind="stable")
        slope = pooled_slope([(x[order], y[order])])
        if slope is None:
            return None
        lines.append((slope, float(np.median(y - slope.value * x))))
        ages.append(x)
    (slope, level), (slope_other, level_other) = lines
    apart = slope_other.value - slope.value
    error = sqrt((slope.high - slope.low) ** 2 + (slope_other.high - slope_other.low) ** 2) / 2
    if abs(apart) <= error:
        return None
    age = (level - level_other) / apart
    low, high = max(float(x.min()) for x in ages), min(float(x.max()) for x in ages)
    return age if low <= age <= high else None
