"""Where on the lap an effect sits: each part's own estimate, drawn towards its share of the lap's."""

from typing import Final

import numpy as np
from numpy.typing import NDArray

__all__ = ["placed"]

Values = NDArray[np.float64]
_LEAST_PARTS: Final = 6
"""Parts from which on it can be told by how much they differ beyond chance."""


def placed(
    estimates: Values,
    variances: Values,
    base_us: Values,
    common: Values | float = 0.0,
    total: tuple[float, float] | None = None,
) -> tuple[Values, Values]:
    """Draw estimates of the parts towards their shares of the lap's total, as far as they don't differ beyond their
    errors (empirical Bayes; Robinson, That BLUP is a good thing, 1991): with little data an effect lies in proportion,
    with much data each part speaks for itself.

    Args:
        estimates: microseconds, shape (..., parts); each row is an effect of its own, placed like the others.
        variances: of their errors, those that parts don't share.
        base_us: typical times of the parts, shape (parts,).
        common: variances of errors that all parts share, in proportion.
        total: of the lap, and its variance, where it is known by more than the sum of the parts; the values add up to
            it then.

    Returns:
        Values and their variances, as the estimates' shape.

    >>> base = np.full(8, 10e6)
    >>> values, _ = placed(np.asarray([9.0, 11, 10, 10, 9, 11, 10, 10]) * 1e3, np.full(8, 4e6), base)
    >>> values.tolist() == [10e3] * 8
    True
    """
    own = np.asarray(variances, dtype=np.float64)
    share = base_us / base_us.sum()
    if len(base_us) < _LEAST_PARTS:
        values, errors = _told_by_lap(estimates, own, total)
        return values, errors + common
    means = (estimates.sum(axis=-1, keepdims=True) if total is None else total[0]) * share
    errors = (own.sum(axis=-1, keepdims=True) if total is None else total[1]) * share**2
    # Drawing the mean from the same parts takes some of what they differ by.
    found = ((estimates - means) / base_us) ** 2 * len(base_us) / (len(base_us) - 1) - own / base_us**2
    between = max(0.0, float(found.mean()))
    kept = between * base_us**2 / (between * base_us**2 + own) if between else np.zeros_like(own)
    errors = kept * own + (1 - kept) ** 2 * errors
    values, errors = _told_by_lap(means + kept * (estimates - means), errors, total)
    return values, errors + common


def _told_by_lap(values: Values, variances: Values, total: tuple[float, float] | None) -> tuple[Values, Values]:
    """Values brought to the lap's total, so that a reader who adds them up finds it: those most that are known least;
    and their variances then.
    """
    if total is None:
        return values, variances
    portions = variances / variances.sum(axis=-1, keepdims=True)
    apart = total[0] - values.sum(axis=-1, keepdims=True)
    return values + apart * portions, variances * (1 - portions) + portions**2 * total[1]
