"""A slipstream told by traces: on full throttle more speed gained than the driver gains alone from the same speed."""

from collections import defaultdict
from collections.abc import Sequence
from typing import Final

import numpy as np

from fleet_rival.core.laps.lap import Lap
from fleet_rival.core.settings import Settings
from fleet_rival.core.statistics import MAD_TO_SD, theil_sen_slope

__all__ = ["towed"]

_LEAST_SOLO: Final = 8
"""Solo passes from which on it is known what a driver gains alone."""
_LEAST_STEPS: Final = 2
_WHOLE: Final = 1000
"""Speeds in whole thousandths of km/h, for the slope."""


def towed(laps: Sequence[Lap], crowded: Sequence[bool], settings: Settings) -> list[bool]:
    """Which laps had a tow.

    Args:
        laps: of one driver in one group; those without traces are never towed.
        crowded: whether each is known not to be driven alone (a tow or others were said): it says nothing of what the
            driver gains alone.
    """
    out = [False] * len(laps)
    by_segment: dict[str, list[int]] = defaultdict(list)
    for index, lap in enumerate(laps):
        for code in lap.pulls:
            by_segment[code].append(index)
    for code, indices in by_segment.items():
        alone = [index for index in indices if not crowded[index] and laps[index].company in (None, "solo")]
        if len(alone) < _LEAST_SOLO:
            continue
        # The stretch that nearly all have at full throttle.
        first = round(float(np.quantile([laps[index].pulls[code].first for index in alone], 0.75)))
        last = round(float(np.quantile([laps[index].pulls[code].last for index in alone], 0.25)))
        if last - first < _LEAST_STEPS:
            continue
        covering = [
            index
            for index in indices
            if laps[index].pulls[code].first <= first and laps[index].pulls[code].last >= last
        ]
        entry = {index: laps[index].pulls[code].at(first) for index in covering}
        gained = {index: laps[index].pulls[code].at(last) - entry[index] for index in covering}
        solo = [index for index in alone if index in entry]
        if len(solo) < _LEAST_SOLO:
            continue
        slope = theil_sen_slope(
            [round(entry[index] * _WHOLE) for index in solo], [round(gained[index] * _WHOLE) for index in solo]
        )
        rest = {index: gained[index] - slope * entry[index] for index in covering}
        usual = [rest[index] for index in solo]
        middle = float(np.median(usual))
        scatter = MAD_TO_SD * float(np.median(np.abs(np.asarray(usual) - middle)))
        # The same entry speed is meant: who comes much slower or faster than usual gains otherwise, and the line says
        # nothing of it.
        slowest, fastest = (float(np.quantile([entry[index] for index in solo], share)) for share in (0.05, 0.95))
        for index in covering:
            alike = slowest - settings.tow_entry_kmh <= entry[index] <= fastest + settings.tow_entry_kmh
            if alike and rest[index] - middle > max(settings.tow_deviations * scatter, settings.tow_kmh):
                out[index] = True
    return out
