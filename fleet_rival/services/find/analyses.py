"""The analysis of all laps, or of a driver's, that somebody looks at, remembered by the state of their combination."""

from collections.abc import Sequence
from dataclasses import replace
from typing import Final

from sqlalchemy.orm import Session

from fleet_rival.core.analysis import Analysis, DriverAnalysis, analyse, analyse_driver
from fleet_rival.core.laps.lap import Lap
from fleet_rival.core.pace.par import AgainstPar, Par, session_pars
from fleet_rival.core.settings import Settings
from fleet_rival.core.track import Track
from fleet_rival.db.tables import Combination, Driver
from fleet_rival.services.find.look import Look
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.shared.cache.memory import Remembered, key_of

__all__ = ["analysed", "analysis_of", "driver_analysis_of", "pars_of", "without_intervals"]

MOST_LAPS: Final = 24_000
"""Of all that is remembered: some 120 MB, those of forty drivers who drive much."""


_drivers: Final = Remembered(MOST_LAPS, size=lambda driver: len(driver.laps))


def analysed(track: Track, laps: Sequence[Lap], settings: Settings) -> Analysis:
    """The analysis of a combination's laps, as `core.analysis.analyse` makes it."""
    return analyse(track, laps, settings, _of_driver)


def without_intervals(settings: Settings) -> Settings:
    """For where the intervals of the scatter's shares aren't shown: they take a quarter of the time."""
    return replace(settings, bootstrap_resamples=0)


def _of_driver(track: Track, name: str, laps: Sequence[Lap], settings: Settings) -> DriverAnalysis:
    return _drivers.get(key_of(track, laps, settings), lambda: analyse_driver(track, name, laps, settings))


_remembered: Final = Remembered(
    MOST_LAPS, size=lambda analysis: sum(len(driver.laps) for driver in analysis.drivers.values())
)

_pars: Final = Remembered(
    MOST_LAPS, size=lambda pars: sum(len(own) for _, against in pars.values() for own in against.values())
)


def analysis_of(look: Look, session: Session, actor: Actor, row: Combination, track: Track) -> Analysis:
    """The analysis of all laps that somebody looks at, without the intervals of the scatter's shares.

    Remembered by the combination's revision, which rises whenever something changes that figures depend on: several
    answers are made of it.
    """
    settings = without_intervals(look.settings(row))
    return _remembered.get(
        _key(look, row, track, settings), lambda: analysed(track, look.laps(session, actor, row), settings)
    )


def driver_analysis_of(
    look: Look, session: Session, actor: Actor, row: Combination, track: Track, driver: Driver
) -> DriverAnalysis | None:
    """One driver's part of `analysis_of`: nobody else's laps are looked through for it. None: no laps."""
    settings = without_intervals(look.settings(row))
    whole: Analysis | None = _remembered.known(_key(look, row, track, settings))
    analysis = whole or analysed(track, look.laps(session, actor, row, [driver.id]), settings)
    return analysis.drivers.get(driver.name)


def pars_of(
    look: Look, row: Combination, track: Track, analysis: Analysis
) -> dict[str, tuple[Par | str, dict[str, list[AgainstPar]]]]:
    """Par of each session, as `core.pace.par.session_pars` makes it of everybody's laps: the same for each of the
    drivers.

    Args:
        analysis: after `analysis_of`.
    """
    settings = without_intervals(look.settings(row))
    laps = {name: driver.laps for name, driver in analysis.drivers.items()}
    return _pars.get(_key(look, row, track, settings), lambda: session_pars(laps, settings.par_moves_pct))


def _key(look: Look, row: Combination, track: Track, settings: Settings) -> bytes:
    return key_of(row.public_id, row.revision, look.stretch, track, settings)
