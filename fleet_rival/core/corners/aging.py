"""Where on the lap old tyres show: what each part loses a lap of a run, beyond its share of the lap's trend."""

from collections.abc import Mapping, Sequence
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fleet_rival.core.laps.marks import JudgedLap
from fleet_rival.core.statistics import MAD_TO_SD, medians, pairs_of

__all__ = ["leans"]

_ROUNDS: Final = 4
_BISQUARE: Final = 4.685
"""Of Tukey's weights: 95 % efficient where nothing slips."""
_MOST_PAIRS: Final = 800
"""More of them tell no more of where to begin."""
_LEAST_US: Final = 1000.0
"""Times come in milliseconds: no scatter below that can be seen."""


def leans(
    shares: Mapping[str, float],
    times_us: Mapping[str, Mapping[int, int]],
    passes: Mapping[str, Sequence[int]],
    judged: Sequence[JudgedLap],
    trends: Mapping[tuple[str, int | None], tuple[float, int]],
) -> dict[str, float]:
    """How much more each part loses a lap of a run than its share of the lap's trend, in microseconds.

    A slope of a part is worth little by itself: each is shrunk towards its share by how much the parts differ beyond
    their errors (empirical Bayes; Robinson, That BLUP is a good thing, 1991). Where they don't, nothing is left.

    Args:
        shares: of the lap, by part.
        times_us: by part and by the lap's position, microseconds.
        passes: positions of the laps whose way through a part is evidence.
    """
    runs = {key: number for number, key in enumerate(trends)}
    of_run = np.asarray([runs.get((item.lap.session, item.lap.run), -1) for item in judged], dtype=np.int64)
    codes = [code for code in shares if passes[code]]
    times = np.full((len(judged), len(codes)), np.nan)
    for column, code in enumerate(codes):
        known = times_us[code]
        times[passes[code], column] = [known[index] for index in passes[code]]
    laps = np.flatnonzero((of_run >= 0) & np.isfinite(times).any(axis=1))
    out = dict.fromkeys(shares, 0.0)
    if not len(laps):
        return out
    of_run, times = of_run[laps], times[laps]
    slope, first = (np.asarray(side, dtype=np.float64)[of_run] for side in zip(*trends.values(), strict=True))
    since = np.maximum(0.0, np.asarray([judged[index].lap.number for index in laps.tolist()]) - first)
    trend = since * slope
    share = np.asarray([shares[code] for code in codes])
    slopes, errors = _slopes(since, (times - np.outer(trend, share)) / share, of_run)
    told = np.isfinite(slopes) & np.isfinite(errors)
    # By moments, in shares of the part.
    between = max(0.0, float((slopes[told] ** 2 - errors[told] ** 2).mean())) if told.any() else 0.0
    if between:
        slopes = np.where(told, slopes * between / (between + errors**2), 0.0)
        out |= dict(zip(codes, (slopes * share).tolist(), strict=True))
    return out


def _slopes(
    since: NDArray[np.float64], times: NDArray[np.float64], runs: NDArray[np.int64]
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """One slope for all runs, a level for each, part by part, and its standard error: least squares with bisquare
    weights (Beaton and Tukey, 1974), so that slips don't pull.

    Args:
        since: laps of the run, shape (laps,).
        times: shape (laps, parts); NaN where a lap has none.
        runs: number of each lap's run, shape (laps,).

    Returns:
        Slopes and errors, shape (parts,); NaN where no run tells.
    """
    inside = np.equal.outer(np.arange(runs.max() + 1), runs).astype(np.float64)
    known = np.isfinite(times)
    values = np.where(known, times, 0.0)
    slopes = _median_slopes(since, times, runs)
    rest = times - np.outer(since, slopes)
    for run in range(len(inside)):
        own = runs == run
        rest[own] -= medians(rest[own])
    with np.errstate(divide="ignore", invalid="ignore"):
        for _ in range(_ROUNDS):
            scale = np.maximum(MAD_TO_SD * medians(np.abs(rest)), _LEAST_US)
            weights = np.where(known, np.clip(1 - (rest / (_BISQUARE * scale)) ** 2, 0.0, 1.0) ** 2, 0.0)
            total = inside @ weights
            about_x = since[:, None] - (inside.T @ np.nan_to_num((inside @ (weights * since[:, None])) / total))
            about_y = values - inside.T @ np.nan_to_num((inside @ (weights * values)) / total)
            spread = (weights * about_x**2).sum(axis=0)
            slopes = (weights * about_x * about_y).sum(axis=0) / spread
            rest = np.where(known, about_y - np.nan_to_num(slopes) * about_x, np.nan)
        free = weights.sum(axis=0) - (inside @ weights > 0).sum(axis=0) - 1
        squares = np.nansum(weights * rest**2, axis=0)
        errors = np.sqrt(squares / np.where(free > 0, free, np.nan) / spread)
    return slopes, errors


def _median_slopes(
    since: NDArray[np.float64], times: NDArray[np.float64], runs: NDArray[np.int64]
) -> NDArray[np.float64]:
    """Medians of the slopes between laps of a run (Theil, 1950), part by part: who slips on the last laps of each run
    has no tyres that fall off.
    """
    pairs = [
        (own[first], own[second])
        for run in range(runs.max() + 1)
        if len(own := np.flatnonzero(runs == run)) > 1
        for first, second in [pairs_of(len(own))]
    ]
    if not pairs:
        return np.zeros(times.shape[1])
    first, second = (np.concatenate(side) for side in zip(*pairs, strict=True))
    thin = -(-len(first) // _MOST_PAIRS)
    first, second = first[::thin], second[::thin]
    apart = since[second] - since[first]
    some = apart != 0
    return np.nan_to_num(medians((times[second] - times[first])[some] / apart[some, None]))
