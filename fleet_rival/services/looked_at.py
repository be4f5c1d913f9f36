"""The analysis of all laps that somebody looks at, remembered by the state of their combination."""

from typing import Final

from sqlalchemy.orm import Session

from fleet_rival.core.analysis import Analysis
from fleet_rival.core.track import Track
from fleet_rival.db.tables import Combination
from fleet_rival.services.analysed import MOST_LAPS, analysed, without_intervals
from fleet_rival.services.base import Actor
from fleet_rival.services.look import Look
from fleet_rival.services.remembered import Remembered, key_of

__all__ = ["analysis_of"]

_remembered: Final = Remembered(MOST_LAPS, size=lambda analysis: sum(len(driver.laps) for driver in analysis.drivers.values()))


def analysis_of(look: Look, session: Session, actor: Actor, row: Combination, track: Track) -> Analysis:
    """The analysis of all laps that somebody looks at, without the intervals of the scatter's shares.

    Remembered by the combination's revision, which rises whenever something changes that figures depend on: several answers are made of it.
    """
    settings = without_intervals(look.settings(row))
    key = key_of(row.public_id, row.revision, look.stretch, track, settings)
    return _remembered.get(key, lambda: analysed(track, look.laps(session, actor, row), settings))
