"""A driver's ordinary pass through a part: where its times lie, and how far they scatter when nothing goes wrong.

A mistake on every second lap must not become the norm: where two normal components clearly fit the passes better than
    one, the faster one tells
what is ordinary.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from math import log, pi
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fleet_rival.core.settings import Settings
from fleet_rival.core.statistics import MAD_TO_SD

__all__ = ["Ordinary", "mirrored", "ordinary_of"]

_ROUNDS: Final = 60
_STEP_US: Final = 1000.0
"""Times come in milliseconds: no scatter below that can be seen, and no component may shrink onto a single value."""


@dataclass(frozen=True, slots=True)
class Ordinary:
    """Where ordinary passes lie, in microseconds.

    Attributes:
        centre_us, noise_us: middle and standard deviation.
        passes: from how many.
        mixed: whether it is the faster of two components.
    """

    centre_us: float
    noise_us: float
    passes: int
    mixed: bool = False


def ordinary_of(times_us: Sequence[float], settings: Settings) -> Ordinary | None:
    """What is ordinary among passes.

    Args:
        times_us: of passes without an incident or a strike, the trend of their run taken out.

    Returns:
        None without passes. Of few passes the noise is worth little: who asks pools it over all parts.

    >>> ordinary_of([15e6, 15.02e6, 14.99e6, 15.01e6, 15.9e6] * 3, Settings())
    Ordinary(centre_us=15005000.0, noise_us=11180.339887498949, passes=15, mixed=True)
    """
    if not times_us:
        return None
    values = np.sort(np.asarray(times_us, dtype=np.float64))
    two = _two_components(values, settings) if len(values) >= settings.mixture_passes else None
    return two or mirrored(values)


def mirrored(times_us: Sequence[float] | NDArray[np.float64]) -> Ordinary:
    """Median, and the scatter of the passes at or below it, mirrored: slow passes say nothing of what is ordinary.

    Args:
        times_us: at least one.
    """
    values = np.asarray(times_us, dtype=np.float64)
    middle = float(np.median(values))
    below = values[values <= middle]
    return Ordinary(
        middle, max(MAD_TO_SD * float(np.median(middle - below)), _STEP_US if len(values) > 1 else 0.0), len(values)
    )


def _two_components(values: NDArray[np.float64], settings: Settings) -> Ordinary | None:
    """The faster of two normal components, by expectation and maximisation (Dempster, Laird and Rubin, 1977), from
    several beginnings at once.

    Args:
        values: ascending.
    """
    count = len(values)
    spread = float(values.std())
    if spread < _STEP_US:
        return None
    centred = values - values.mean()
    # A beginning for every place at which the passes may fall into a faster and a slower part.
    cuts = np.unique(
        np.linspace(max(2, round(0.2 * count)), min(count - 2, round(0.92 * count)), 12).round().astype(int)
    )
    fast = np.arange(count)[None, :] < cuts[:, None]
    share = np.where(fast, 0.95, 0.05)
    least = (0.5 * _STEP_US) ** 2
    for _ in range(_ROUNDS):
        weight = np.stack([share.sum(axis=1), (1 - share).sum(axis=1)])
        weight = np.maximum(weight, 1e-9)
        middle = np.stack([(share * centred).sum(axis=1), ((1 - share) * centred).sum(axis=1)]) / weight
        square = (centred[None, None, :] - middle[:, :, None]) ** 2
        variance = np.maximum(
            np.stack([(share * square[0]).sum(axis=1), ((1 - share) * square[1]).sum(axis=1)]) / weight, least
        )
        density = (
            np.log(weight / count)[:, :, None]
            - 0.5 * np.log(2 * pi * variance)[:, :, None]
            - square / (2 * variance[:, :, None])
        )
        top = density.max(axis=0)
        whole = top + np.log(np.exp(density - top).sum(axis=0))
        new = np.exp(density[0] - whole)
        if np.abs(new - share).max() < 1e-4:
            share = new
            break
        share = new
    likelihood = whole.sum(axis=1)
    best = int(np.argmax(likelihood))
    # Five numbers against two; a component that is a single millisecond wide is no component.
    one = -0.5 * count * (log(2 * pi * max(spread**2, least)) + 1)
    gain = 2 * (float(likelihood[best]) - one) - 3 * log(count)
    quick = int(middle[1, best] < middle[0, best])
    part = (float(weight[quick, best]) / count, float(weight[1 - quick, best]) / count)
    deviation = float(np.sqrt(variance[quick, best]))
    apart = float(middle[1 - quick, best] - middle[quick, best])
    if gain < settings.mixture_bic or apart <= settings.mixture_apart * deviation:
        return None
    if part[0] < settings.mixture_fast_share or part[1] < settings.mixture_slow_share:
        return None
    return Ordinary(float(values.mean() + middle[quick, best]), max(deviation, _STEP_US), count, mixed=True)
