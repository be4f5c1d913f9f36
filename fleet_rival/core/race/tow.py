"""What a tow is worth in qualifying."""

from collections.abc import Sequence
from typing import Final

import numpy as np

__all__ = ["tow_worth"]

_LEAST: Final = 3


def tow_worth(clean_us: Sequence[int], towed_us: Sequence[int]) -> float | None:
    """What a tow wins on a lap, in microseconds, never less than nothing; None of fewer than three laps with one, or
    without clean ones.

    Args:
        clean_us: laps that count.
        towed_us: laps that had a tow and nothing else against them.

    >>> tow_worth([61_200_000, 61_300_000, 61_400_000], [61_000_000, 61_100_000, 61_050_000])
    250000.0
    >>> tow_worth([61_200_000], [61_000_000]) is None
    True
    """
    if len(towed_us) < _LEAST or not clean_us:
        return None
    return max(0.0, float(np.median(clean_us) - np.median(towed_us)))
