"""Consistency of the clean laps of a group: how alike they are, what is scatter and what is drift, and where it
comes from.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from fractions import Fraction
from math import ceil, floor, sqrt
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fleet_rival.core.laps.lap import Lap
from fleet_rival.core.laps.marks import JudgedLap
from fleet_rival.core.pace.runs import clean_runs
from fleet_rival.core.settings import Settings
from fleet_rival.core.statistics import (
    MAD_TO_SD,
    adjusted_deviation,
    mean,
    median,
    median_abs_deviation,
    percentile,
    standard_deviation,
)
from fleet_rival.core.times import MICROSECONDS
from fleet_rival.core.track import Track

__all__ = ["Consistency", "Share", "consistency_of", "ratio_to_team", "with_intervals"]

_DRAWN_AT_ONCE: Final = 64
_NEED_CLEAN_LAPS: Final = (
    "median_us",
    "mean_us",
    "sd_us",
    "robust_sd_us",
    "adjusted_sd_us",
    "spread_pct",
    "spread_s_per_sqrt_min",
    "p10_us",
    "p90_us",
    "within_half_pct",
    "longest_streak",
    "successive_difference_ratio",
    "share",
)


@dataclass(frozen=True, slots=True)
class Share:
    """A part's share of the scatter, with a 95 % interval (None where it wasn't asked for or can't be had)."""

    value: float
    low: float | None = None
    high: float | None = None


@dataclass(frozen=True, slots=True)
class Consistency:
    """Figures in microseconds (`_us`), per cent (`_pct`) or shares of one; None with a reason where the data can't
    support one.
    """

    n: int
    clean_rate: Fraction | None
    median_us: Fraction | None = None
    mean_us: Fraction | None = None
    sd_us: float | None = None
    robust_sd_us: float | None = None
    adjusted_sd_us: float | None = None
    spread_pct: float | None = None
    spread_s_per_sqrt_min: float | None = None
    p10_us: Fraction | None = None
    p90_us: Fraction | None = None
    within_half_pct: Fraction | None = None
    longest_streak: int | None = None
    successive_difference_ratio: float | None = None
    share: Mapping[str, Share] | None = None
    share_of: str | None = None
    """`segments` or `sectors`."""
    reasons: Mapping[str, str] = field(default_factory=dict)


def consistency_of(
    track: Track, judged: Sequence[JudgedLap], members: Sequence[int], settings: Settings
) -> Consistency:
    """Consistency of a group's clean laps.

    Args:
        judged: all laps of the driver, in order.
        members: positions of the group's flying laps in `judged`.

    >>> from fleet_rival.core.example import LAPS, TRACK
    >>> from fleet_rival.core.laps.marks import judge
    >>> found = consistency_of(TRACK, judge(TRACK, LAPS, Settings()), range(len(LAPS)), Settings())
    >>> found.n, found.clean_rate, found.longest_streak
    (12, Fraction(1, 1), 4)
    """
    clean = [index for index in members if judged[index].clean]
    eligible = sum(judged[index].eligible for index in members)
    clean_rate = Fraction(len(clean), eligible) if eligible else None
    reasons: dict[str, str] = {} if eligible else {"clean_rate": "no eligible lap"}
    if len(clean) < settings.min_clean_laps:
        few = f"{len(clean)} clean laps, {settings.min_clean_laps} are needed"
        return Consistency(len(clean), clean_rate, reasons=reasons | dict.fromkeys(_NEED_CLEAN_LAPS, few))
    times = [judged[index].lap.time_us for index in clean]
    middle = median(times)
    runs = clean_runs(judged, members, settings.min_clean_laps)
    adjusted = adjusted_deviation([([lap.number for lap in run.laps], run.times_us) for run in runs])
    if adjusted is None:
        reason = f"no run of {settings.min_clean_laps} clean laps"
        reasons |= {"adjusted_sd_us": reason, "spread_pct": reason, "spread_s_per_sqrt_min": reason}
    share, share_of, why_not = _shares(track, [run.laps for run in runs], settings)
    if share is None:
        reasons["share"] = why_not
    ratio = _successive_difference_ratio(judged, clean, times)
    if ratio is None:
        reasons["successive_difference_ratio"] = "too few clean laps that follow each other, or all alike"
    close = _band(middle, settings.within_pct)
    minutes = float(middle) / MICROSECONDS / 60
    return Consistency(
        n=len(times),
        clean_rate=clean_rate,
        median_us=middle,
        mean_us=mean(times),
        sd_us=standard_deviation(times),
        robust_sd_us=MAD_TO_SD * float(median_abs_deviation(times)),
        adjusted_sd_us=adjusted,
        spread_pct=None if adjusted is None else adjusted / float(middle) * 100,
        spread_s_per_sqrt_min=None if adjusted is None else adjusted / MICROSECONDS / sqrt(minutes),
        p10_us=percentile(times, Fraction(1, 10)),
        p90_us=percentile(times, Fraction(9, 10)),
        within_half_pct=Fraction(sum(time in close for time in times), len(times)),
        longest_streak=_longest_streak(judged, clean, middle, settings),
        successive_difference_ratio=ratio,
        share=share,
        share_of=share_of,
        reasons=reasons,
    )


def _band(middle: Fraction, within_pct: float) -> range:
    """The whole microseconds that lie within so many per cent of the middle, the ends included."""
    reach = middle * Fraction(str(within_pct)) / 100
    return range(ceil(middle - reach), floor(middle + reach) + 1)


def _longest_streak(judged: Sequence[JudgedLap], clean: Sequence[int], middle: Fraction, settings: Settings) -> int:
    """Longest chain of clean laps close to the median that follow each other in one run."""
    band = _band(middle, settings.streak_pct)
    near = {index for index in clean if judged[index].lap.time_us in band}
    longest = 0
    heads = near - {after for index in near if (after := judged[index].next_lap) is not None}
    for head in heads:
        length, at = 1, judged[head].next_lap
        while at is not None and at in near:
            length, at = length + 1, judged[at].next_lap
        longest = max(longest, length)
    return longest


def ratio_to_team(own: float | None, team: Sequence[float]) -> float | None:
    """A driver's spread against the team's median.

    Args:
        own: the driver's, in any unit; None: not known.
        team: everybody's in the same unit, the driver's too.

    Returns:
        None where it isn't known, where there is nobody to be compared with, or where half the team doesn't scatter at
        all: then no number says
        how much more somebody does. Who doesn't scatter in such a team is as the others.

    >>> ratio_to_team(3.0, [1.0, 2.0, 3.0]), ratio_to_team(0.0, [0.0, 0.0]), ratio_to_team(1.0, [0.0, 0.0, 1.0])
    (1.5, 1.0, None)
    """
    if own is None or len(team) < 2:
        return None
    middle = float(np.median(team))
    if middle == 0:
        return 1.0 if own == 0 else None
    return own / middle


def _successive_difference_ratio(
    judged: Sequence[JudgedLap], clean: Sequence[int], times: Sequence[int]
) -> float | None:
    """Mean square of successive differences over the variance (von Neumann 1941): near 2 for pure scatter, less for
    drift.
    """
    kept = set(clean)
    steps = [
        judged[after].lap.time_us - judged[index].lap.time_us
        for index in clean
        if (after := judged[index].next_lap) is not None and after in kept
    ]
    variance = standard_deviation(times) ** 2
    if len(steps) < 4 or variance == 0:
        return None
    return sum(step * step for step in steps) / len(steps) / variance


@dataclass(frozen=True, slots=True)
class _Residuals:
    """What is left of times behind a line over the lap number in each run (laps, parts)."""

    values: NDArray[np.float64]
    codes: tuple[str, ...]
    depth: str


def _residuals(track: Track, runs: Sequence[Sequence[Lap]], settings: Settings) -> _Residuals | str:
    """Residuals by the finest parts that enough laps have; else why there are none."""
    if not runs:
        return f"no run of {settings.min_clean_laps} clean laps"
    for depth, parts in (("segments", track.segment_parts), ("sectors", track.sector_parts)):
        codes = tuple(part.code for part in parts)
        if not codes:
            continue
        needed = set(codes)
        rows: list[NDArray[np.float64]] = []
        for run in runs:
            whole = [lap for lap in run if needed <= getattr(lap, depth).keys()]
            if len(whole) < settings.min_clean_laps:
                continue
            times = np.asarray([list(map(getattr(lap, depth).__getitem__, codes)) for lap in whole], dtype=np.int64)
            rows.append(
                _line_residuals(
                    np.asarray([lap.number for lap in whole], dtype=np.float64), (times - times[0]).astype(np.float64)
                )
            )
        if rows:
            return _Residuals(np.concatenate(rows), codes, depth)
    return f"no run of {settings.min_clean_laps} clean laps with all parts timed"


def _shares(
    track: Track, runs: Sequence[Sequence[Lap]], settings: Settings
) -> tuple[dict[str, Share] | None, str | None, str]:
    """Where the scatter comes from: cov(part, lap) / var(lap), both as residuals of a line over the lap number in
    each run.
    """
    found = _residuals(track, runs, settings)
    if isinstance(found, str):
        return None, None, found
    lap = found.values.sum(axis=1)
    variance = float(lap @ lap)
    if variance == 0:
        return None, None, "all laps alike"
    values = found.values.T @ lap / variance
    intervals = _share_intervals(found.values, settings)
    return (
        {code: Share(float(v), *interval) for code, v, interval in zip(found.codes, values, intervals, strict=True)},
        found.depth,
        "",
    )


def with_intervals(
    found: Consistency, track: Track, judged: Sequence[JudgedLap], members: Sequence[int], settings: Settings
) -> Consistency:
    """The same figures, with the intervals of the scatter's shares: they take as long as all the rest, and few look
    at them.

    Args:
        found: what `consistency_of` made of the same laps.
    """
    if found.share is None:
        return found
    runs = [run.laps for run in clean_runs(judged, members, settings.min_clean_laps)]
    share, _, _ = _shares(track, runs, settings)
    return replace(found, share=share)


def _line_residuals(numbers: NDArray[np.float64], values: NDArray[np.float64]) -> NDArray[np.float64]:
    """Residuals of a least-squares line over the lap number, for each column of `values` (laps, parts)."""
    centred = numbers - numbers.mean()
    values = values - values.mean(axis=0)
    spread = float(centred @ centred)
    if spread == 0:
        return values
    return np.asarray(values - np.outer(centred, centred @ values / spread), dtype=np.float64)


def _resampled(rows: NDArray[np.float64], count: int, seed: int) -> NDArray[np.float64]:
    """Sums of rows drawn anew with replacement, as many as there are: shape (count, columns)."""
    rng, laps = np.random.default_rng(seed), len(rows)
    sums = []
    # A few at once, so that they stay near the processor; how often each was drawn makes one product of all sums.
    for start in range(0, count, _DRAWN_AT_ONCE):
        some = min(_DRAWN_AT_ONCE, count - start)
        drawn = rng.integers(laps, size=(some, laps)) + laps * np.arange(some)[:, None]
        sums.append(np.bincount(drawn.ravel(), minlength=some * laps).reshape(some, laps).astype(np.float64) @ rows)
    return np.concatenate(sums)


def _share_intervals(residuals: NDArray[np.float64], settings: Settings) -> list[tuple[float | None, float | None]]:
    """95 % bias-corrected and accelerated bootstrap intervals (Efron 1987) by resampling laps, seeded."""
    from scipy.special import ndtr, ndtri  # noqa: PLC0415  takes a third of a second to import; not every process needs it

    parts = residuals.shape[1]
    if not settings.bootstrap_resamples:
        return [(None, None)] * parts
    total = residuals.sum(axis=1)
    products = residuals * total[:, None]
    squares = total * total
    point = products.sum(axis=0) / squares.sum()
    count = settings.bootstrap_resamples
    sums = _resampled(np.column_stack([products, squares]), count, settings.bootstrap_seed)
    with np.errstate(invalid="ignore", divide="ignore"):
        drawn = sums[:, :-1] / sums[:, -1:]
        without_one = (products.sum(axis=0) - products) / (squares.sum() - squares)[:, None]
        below = (drawn < point).mean(axis=0)
        deviations = without_one.mean(axis=0) - without_one
        denominator = 6 * (deviations**2).sum(axis=0) ** 1.5
        can = (below > 0) & (below < 1) & (denominator > 0) & np.isfinite(drawn).all(axis=0)
        bias, acceleration = ndtri(below), (deviations**3).sum(axis=0) / denominator
        moved = bias + ndtri(np.array([[0.025], [0.975]]))
        ends = ndtr(bias + moved / (1 - acceleration * moved))
    ordered = np.sort(drawn, axis=0)
    # By linear interpolation between neighbours in order (type 7 of Hyndman and Fan 1996).
    places = np.where(can, ends, 0.0) * (count - 1)
    lower = places.astype(np.intp)
    columns = np.arange(parts)
    low_values, high_values = ordered[lower, columns], ordered[np.minimum(lower + 1, count - 1), columns]
    values = low_values + (places - lower) * (high_values - low_values)
    return [(float(low), float(high)) if known else (None, None) for low, high, known in zip(*values, can, strict=True)]
