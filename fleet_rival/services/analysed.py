"""Laps analysed, driver by driver: who has no new lap and no new mark is not looked through again.

Nothing of a driver's analysis depends on anybody else's laps. What was found is remembered by all that it was found from, so that it is never wrong.
"""

import hashlib
import pickle
from collections import OrderedDict
from collections.abc import Sequence
from dataclasses import replace
from threading import Lock
from typing import Final

from fleet_rival.core.analysis import Analysis, DriverAnalysis, analyse, analyse_driver
from fleet_rival.core.laps.lap import Lap
from fleet_rival.core.settings import Settings
from fleet_rival.core.track import Track

__all__ = ["analysed", "without_intervals"]

_MOST_LAPS: Final = 4000
"""Of all that is remembered: some 20 MB."""
_lock = Lock()
_remembered: OrderedDict[bytes, DriverAnalysis] = OrderedDict()


def analysed(track: Track, laps: Sequence[Lap], settings: Settings) -> Analysis:
    """The analysis of a combination's laps, as `core.analysis.analyse` makes it."""
    return analyse(track, laps, settings, _of_driver)


def without_intervals(settings: Settings) -> Settings:
    """For where the intervals of the scatter's shares aren't shown: they take a quarter of the time."""
    return replace(settings, bootstrap_resamples=0)


def _of_driver(track: Track, name: str, laps: Sequence[Lap], settings: Settings) -> DriverAnalysis:
    key = hashlib.sha256(pickle.dumps((track, laps, settings), protocol=5)).digest()
    with _lock:
        if key in _remembered:
            _remembered.move_to_end(key)
            return _remembered[key]
    made = analyse_driver(track, name, laps, settings)
    with _lock:
        _remembered[key] = made
        while sum(len(item.laps) for item in _remembered.values()) > _MOST_LAPS:
            _remembered.popitem(last=False)
    return made
