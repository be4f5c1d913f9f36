"""What somebody wants to look at: whose week's laps, and which laps count along that don't by default."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime
from typing import Final
from uuid import UUID

from sqlalchemy import exists, or_, select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.core.analysis import DriverAnalysis
from fleet_rival.core.laps.lap import Lap as CoreLap
from fleet_rival.core.laps.marks import COUNTED_ALONG
from fleet_rival.core.settings import Settings
from fleet_rival.db.laps import laps_of
from fleet_rival.db.tables import Combination, Lap, SeriesWeekRow
from fleet_rival.services.shared.base import Actor, find_row
from fleet_rival.services.shared.errors import NotThere
from fleet_rival.services.week.combinations import settings_of
from fleet_rival.services.week.race_length import RaceLength
from fleet_rival.services.week.rows import load_weeks
from fleet_rival.services.week.stretches import ALL_TIME, Stretch, stretch_of, within

__all__ = ["ALSO", "Look", "asked_look", "countable"]

ALSO: Final = {
    "tow": "with_tow",
    "cold": "with_cold",
    "practice_only": "with_practice_only",
    "hand_timed": "hand_timed_ideals",
}
"""What can be counted along, and the setting that does it."""


@dataclass(frozen=True, slots=True)
class Look:
    """Which laps of a combination are looked at, and how they are counted."""

    stretch: Stretch | None = None
    """A week's own; None: all that there are."""
    also: frozenset[str] = frozenset()
    """After `ALSO`: what counts along."""
    race: RaceLength = field(default_factory=RaceLength)
    """Of the week that was asked for; no matter of which laps are looked at."""

    @property
    def tail(self) -> str:
        """What the name of a kept answer ends with: nothing where it is of all laps, counted as always."""
        when = f"@{self.stretch.since.timestamp():.0f}-{self.stretch.until.timestamp():.0f}" if self.stretch else ""
        return when + "".join(f"+{name}" for name in sorted(self.also))

    def settings(self, row: Combination) -> Settings:
        """The combination's, with what counts along."""
        return replace(settings_of(row), **{ALSO[name]: 1 for name in self.also})

    def laps(
        self, session: Session, actor: Actor, row: Combination, driver_ids: Sequence[int] | None = None
    ) -> list[CoreLap]:
        """A combination's laps, or some drivers', as people say they were."""
        laps = laps_of(session, actor.team_id, row.id, driver_ids, as_said=True)
        return [
            item.lap
            for item in (laps if self.stretch is None else within(session, actor.team_id, row.id, laps, self.stretch))
        ]


def countable(drivers: Iterable[DriverAnalysis]) -> dict[str, int]:
    """How many flying laps of some drivers would count along, by what."""
    flying = [item for driver in drivers for item in driver.laps if item.flying]
    by_mark = {mark: sum(mark in item.marks for item in flying) for mark in COUNTED_ALONG}
    return {**by_mark, "hand_timed": sum(item.lap.plus_minus_us is not None for item in flying)}


def asked_look(
    sessions: sessionmaker[Session],
    actor: Actor,
    combination_id: UUID,
    week_id: UUID | None,
    also: Iterable[str] = (),
    until: datetime | None = None,
) -> Look:
    """What is looked at where a week's laps are asked for, or all.

    Args:
        also: after `ALSO`.
        until: only laps before that, to see how it stood then.

    Raises:
        NotThere: no such combination or week, or the one isn't driven in the other.
    """
    counted = frozenset(also)
    if week_id is None:
        return Look(None if until is None else Stretch(ALL_TIME.since, until), counted)
    with sessions() as session:
        combination = find_row(session, Combination, actor, combination_id, "combination")
        row = find_row(session, SeriesWeekRow, actor, week_id, "week")
        weeks = load_weeks(session, actor, SeriesWeekRow.layout_id == combination.layout_id)
        this = next((item for item in weeks if item.row.id == row.id), None)
        if this is None or not this.has_car(combination.car_id):
            raise NotThere("This combination isn't driven in that week.")
        stretch = stretch_of(this, combination.car_id, weeks, settings_of(combination))
        race = RaceLength(this.facts.race_laps, this.facts.race_minutes)
        if until is not None:
            return Look(Stretch(stretch.since, min(stretch.until, until)), counted, race)
        outside = or_(Lap.started_at.is_(None), Lap.started_at < stretch.since, Lap.started_at >= stretch.until)
        any_outside = exists().where(Lap.team_id == actor.team_id, Lap.combination_id == combination.id, outside)
        return Look(stretch if session.scalar(select(any_outside)) else None, counted, race)
