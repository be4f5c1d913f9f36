"""What happens within runs, part by part: falloff and options, by one robust fit over all runs.

Each run keeps a level of its own, so that nothing which differs from run to run takes part. Slips mustn't pull, and a
habit mustn't widen the noise behind which it hides: weights are Tukey's bisquare (Beaton and Tukey, 1974), and their
scale comes from passes that were faster than usual, drawn towards that of all parts together.
"""

from dataclasses import dataclass
from math import log
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fleet_rival.core.statistics import MAD_TO_SD, medians

__all__ = ["Within", "within_runs"]

Values = NDArray[np.float64]
_BISQUARE: Final = 4.685
"""95 % efficient where nothing slips."""
_START: Final = 8
_ROUNDS: Final = 6
_LEAST_US: Final = 300.0
"""Times come in milliseconds: rounding alone scatters by this."""
_WIDEST: Final = log(1.5)
"""How much noisier than the middle one a part is believed to be when it is asked what is a slip: beyond it a habit on
every third lap would pass for noise."""
_HALF_MAD: Final = 2.7
"""Variance of the logarithm of a deviation that is read from the faster half of n normal values, times n."""
_MOST_BORROWED: Final = 200.0
_MOST_ALIKE: Final = 0.9


@dataclass(frozen=True, slots=True)
class Within:
    """A robust fit within runs.

    Attributes:
        effects: microseconds a unit of each column, shape (parts, columns).
        covariance: of them, shape (parts, columns, columns).
        variance: of a pass of full weight, microseconds squared, shape (parts,).
        weights: between 0 and 1, shape (laps, parts); 0 where nothing is known.
        scale_us: of ordinary passes, shape (parts,).
        freedom: degrees of freedom behind `variance`.
        correlation: of what is left of neighbouring laps of a run, over all parts; 0 where it seems negative.
    """

    effects: Values
    covariance: Values
    variance: Values
    weights: Values
    scale_us: Values
    freedom: float
    correlation: float = 0.0

    def slope_variance(self, column: int) -> Values:
        """Of a column that rises lap by lap, shape (parts,): neighbouring laps that resemble each other say less than
        so many independent ones.
        """
        widened = (1 + self.correlation) / (1 - self.correlation)
        return np.asarray(self.covariance[:, column, column] * widened, dtype=np.float64)


def within_runs(times_us: Values, columns: Values, runs: NDArray[np.int64], base_us: Values) -> Within:
    """Fit columns within runs.

    Args:
        times_us: shape (laps, parts); NaN where a pass tells nothing.
        columns: what may shift a pass, shape (parts, laps, columns); a column of zeros has no effect.
        runs: number of each lap's run, shape (laps,).
        base_us: typical times of the parts, shape (parts,).
    """
    known = np.isfinite(times_us)
    values = np.where(known, times_us - base_us, 0.0)
    inside = np.equal.outer(np.arange(runs.max() + 1), runs).astype(np.float64)
    count = known.sum(axis=0).astype(np.float64)
    used = (np.abs(columns).max(axis=1) > 0).sum(axis=1)
    free = np.maximum(count - (inside @ known > 0).sum(axis=0) - used, 1.0)

    def solved(weights: Values) -> tuple[Values, Values, Values]:
        """Effects, residuals, and the pseudo-inverse of the columns' squares, with these weights."""
        total = np.maximum(inside @ weights, 1e-12)
        about_y = values - inside.T @ ((inside @ (weights * values)) / total)
        weighted = weights.T[:, :, None] * columns
        means = np.einsum("rl,plc->prc", inside, weighted) / total.T[:, :, None]
        about_x = columns - np.einsum("rl,prc->plc", inside, means)
        across = weights.T[:, :, None] * about_x
        squares = np.einsum("pli,plj->pij", across, about_x)
        inverse = np.linalg.pinv(squares, rcond=1e-9, hermitian=True)
        effects = np.einsum("pij,plj,lp->pi", inverse, across, about_y)
        rest = np.where(known, about_y - np.einsum("plc,pc->lp", about_x, effects), np.nan)
        return effects, rest, inverse

    # From the least absolute residuals, which slips don't pull: medians of runs, where there are no columns.
    rest = np.where(known, values, np.nan)
    for run in range(len(inside)):
        own = runs == run
        rest[own] -= medians(rest[own])
    for _ in range(_START):
        least = np.maximum(0.1 * np.nan_to_num(medians(np.abs(rest))), _LEAST_US)
        effects, rest, inverse = solved(np.where(known, 1 / np.maximum(np.abs(rest), least), 0.0))
    rest = rest - np.nan_to_num(medians(rest))
    scale = _scales(rest, count, free, base_us)
    weights = np.zeros_like(values)
    for _ in range(_ROUNDS):
        weights = np.where(known, np.clip(1 - (rest / (_BISQUARE * scale)) ** 2, 0.0, 1.0) ** 2, 0.0)
        effects, rest, inverse = solved(weights)
    variance, freedom = _variances(rest, weights, scale, count, free, base_us)
    return Within(
        effects, inverse * variance[:, None, None], variance, weights, scale, freedom, _correlation(rest, weights, runs)
    )


def _correlation(rest: Values, weights: Values, runs: NDArray[np.int64]) -> float:
    """Of neighbours in a run, over all parts: a level taken out of n laps makes them seem less alike by 1/n."""
    left = weights * np.nan_to_num(rest)
    together = (runs[1:] == runs[:-1])[:, None] & (weights[1:] > 0) & (weights[:-1] > 0)
    squares = np.where(together, (left[1:] ** 2 + left[:-1] ** 2) / 2, 0.0).sum(axis=0)
    products = np.where(together, left[1:] * left[:-1], 0.0).sum(axis=0)
    some = squares > 0
    if not some.any():
        return 0.0
    usual = float(np.mean(np.bincount(runs)[runs]))
    return float(np.clip(float((products[some] / squares[some]).mean()) + 1 / usual, 0.0, _MOST_ALIKE))


def _scales(rest: Values, count: Values, free: Values, base_us: Values) -> Values:
    """Deviations of ordinary passes: from the faster half of each part, drawn towards the per cent of all parts."""
    faster = np.where(rest <= 0, -rest, np.nan)
    own = MAD_TO_SD * np.nan_to_num(medians(faster)) * np.sqrt(count / free)
    shares = np.log(np.maximum(own, _LEAST_US) / base_us)
    middle = float(np.median(shares))
    errors = _HALF_MAD / np.maximum(count, 1.0)
    between = max(0.0, float(((shares - middle) ** 2 - errors).mean()))
    kept = between / (between + errors)
    return np.asarray(np.exp(middle + np.minimum(kept * (shares - middle), _WIDEST)) * base_us, dtype=np.float64)


def _variances(
    rest: Values, weights: Values, scale: Values, count: Values, free: Values, base_us: Values
) -> tuple[Values, float]:
    """Variance of a pass of full weight, as the effects' errors need it (Huber's covariance of an M-estimate), drawn
    towards the per cent of all parts together; with its degrees of freedom.
    """
    apart = np.nan_to_num(rest) / (_BISQUARE * scale)
    inside = weights > 0
    squares = (np.where(inside, weights * np.nan_to_num(rest), 0.0) ** 2).sum(axis=0) / free
    bend = np.where(inside, (1 - apart**2) * (1 - 5 * apart**2), 0.0).sum(axis=0) / np.maximum(count, 1.0)
    variance = squares / np.maximum(bend, 0.1) ** 2 * weights.sum(axis=0) / np.maximum(count, 1.0)
    variance = np.maximum(variance, _LEAST_US**2)
    shares = np.log(variance / base_us**2)
    middle = float(np.median(shares))
    seen = float(((shares - middle) ** 2).mean()) if len(shares) > 1 else 0.0
    usual = float(np.median(free))
    # What the parts' variances differ by beyond chance tells how much each may borrow of the others (Smyth, 2004).
    borrowed = min(2 / max(seen - 2 / usual, 1e-9), _MOST_BORROWED) if len(shares) > 1 else 0.0
    common = np.exp(middle) * base_us**2
    return (free * variance + borrowed * common) / (free + borrowed), usual + borrowed
