"""Laps analysed, driver by driver: who has no new lap and no new mark is not looked through again.

Nothing of a driver's analysis depends on anybody else's laps.
"""

from collections.abc import Sequence
from dataclasses import replace
from typing import Final

from fleet_rival.core.analysis import Analysis, DriverAnalysis, analyse, analyse_driver
from fleet_rival.core.laps.lap import Lap
from fleet_rival.core.settings import Settings
from fleet_rival.core.track import Track
from fleet_rival.services.remembered import Remembered, key_of

__all__ = ["MOST_LAPS", "analysed", "without_intervals"]

MOST_LAPS: Final = 24_000
"""Of all that is remembered: some 120 MB, those of forty drivers who drive much."""
_remembered: Final = Remembered(MOST_LAPS, size=lambda driver: len(driver.laps))


def analysed(track: Track, laps: Sequence[Lap], settings: Settings) -> Analysis:
    """The analysis of a combination's laps, as `core.analysis.analyse` makes it."""
    return analyse(track, laps, settings, _of_driver)


def without_intervals(settings: Settings) -> Settings:
    """For where the intervals of the scatter's shares aren't shown: they take a quarter of the time."""
    return replace(settings, bootstrap_resamples=0)


def _of_driver(track: Track, name: str, laps: Sequence[Lap], settings: Settings) -> DriverAnalysis:
    return _remembered.get(key_of(track, laps, settings), lambda: analyse_driver(track, name, laps, settings))
