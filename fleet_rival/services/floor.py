"""Laps faster than anybody drives alone: a tow, or a record? The rule takes them for tow until somebody says."""

from dataclasses import dataclass
from typing import Any
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.core.laps.marks import asks
from fleet_rival.db.laps import laps_of
from fleet_rival.db.tables import Combination, Driver, Lap, PracticeSession
from fleet_rival.services.base import Actor, begin_change, find_row
from fleet_rival.services.errors import NotThere
from fleet_rival.services.revisions import raise_revisions
from fleet_rival.services.week import settings_of

__all__ = ["AskedLap", "answer_floor", "asked_laps"]


@dataclass(frozen=True, slots=True)
class AskedLap:
    """A lap of which nobody has said what it was."""

    driver_id: UUID
    driver: str
    session: str
    run: int
    lap: int
    time_us: int


def asked_laps(sessions: sessionmaker[Session], actor: Actor, combination_id: UUID) -> list[AskedLap]:
    """The laps of a combination that are asked about, the fastest first; a driver's own alone for who doesn't see all."""
    with sessions() as session:
        row = find_row(session, Combination, actor, combination_id, "combination")
        settings = settings_of(row)
        ids = {name: key for name, key in session.execute(select(Driver.name, Driver.public_id).where(Driver.team_id == actor.team_id))}
        own = None if actor.sees_all else [actor.driver_id or 0]
        laps = [item.lap for item in laps_of(session, actor.team_id, row.id, own)] if settings.solo_floor_s is not None else []
        found = [lap for lap in laps if asks(lap, settings)]
        return [AskedLap(ids[lap.driver], lap.driver, lap.session, lap.run or 0, lap.number, lap.time_us) for lap in sorted(found, key=_by_time)]


def answer_floor(sessions: sessionmaker[Session], actor: Actor, combination_id: UUID, lap: AskedLap, *, tow: bool) -> None:
    """Say of a lap whether a slipstream helped, or whether it is a record; what is said is a fact from then on.

    Args:
        lap: by driver, session, run and number.

    Raises:
        NotThere: no such lap, or not the actor's.
    """
    with sessions.begin() as session:
        row = find_row(session, Combination, actor, combination_id, "combination")
        driver = find_row(session, Driver, actor, lap.driver_id, "driver")
        query = (
            select(Lap)
            .join(PracticeSession, (PracticeSession.team_id == Lap.team_id) & (PracticeSession.id == Lap.session_id))
            .where(Lap.team_id == actor.team_id, Lap.combination_id == row.id, Lap.driver_id == driver.id)
            .where(PracticeSession.label == lap.session, Lap.run == lap.run, Lap.number == lap.lap)
            .with_for_update(of=Lap)
        )
        found = session.scalar(query)
        if found is None or (not actor.sees_all and driver.id != actor.driver_id):
            raise NotThere("This lap doesn't exist, or no longer does.")
        begin_change(session, actor, "lap.floor", f"Said that a lap of {driver.name} was {'in a tow' if tow else 'a record'}", row)
        flags = set((found.flags or "").split()) - {"tow"}
        found.flags = " ".join(sorted(flags | ({"tow"} if tow else set()))) or None
        found.alone = not tow
        found.version += 1
        raise_revisions(session, actor.team_id, [row.id])


def _by_time(lap: Any) -> int:
    time_us: int = lap.time_us
    return time_us
