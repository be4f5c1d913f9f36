"""Where a run is: a driver's run in a session, whether it was declared or not; and who may touch it."""

from dataclasses import dataclass
from datetime import timedelta
from typing import Any, NamedTuple
from uuid import UUID

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from fleet_rival.clock import now
from fleet_rival.core.track import Track
from fleet_rival.db.tables import Combination, Driver, Lap, Layout, PracticeSession, Run
from fleet_rival.services.shared.base import Actor, find_row
from fleet_rival.services.shared.errors import NotThere, Refused
from fleet_rival.services.track.tracks import load_track

__all__ = [
    "Place",
    "RunKey",
    "driver_of",
    "find_place",
    "free_label",
    "laps_in",
    "open_session_for_hands",
    "refuse_strange_corners",
    "refuse_strange_parts",
    "run_row",
    "session_for_hands",
    "track_of",
]

_SAME_EVENING = timedelta(hours=5)
"""Laps that are typed or timed by hand belong to one session as long as no longer pause lies between them."""


class RunKey(NamedTuple):
    """A run by what tells it from others."""

    session_id: UUID
    driver_id: UUID
    number: int


@dataclass(frozen=True, slots=True)
class Place:
    """The rows that a run's key names."""

    combination: Combination
    practice: PracticeSession
    driver: Driver
    number: int


def driver_of(session: Session, actor: Actor, driver_id: UUID) -> Driver:
    """A driver whose runs the actor may declare and collect: anybody's for who sees all, else the own ones.

    Raises:
        NotThere: nobody, or not the actor's business.
    """
    driver = find_row(session, Driver, actor, driver_id, "driver")
    if not actor.sees_all and driver.id != actor.driver_id:
        raise NotThere("This driver doesn't exist, or no longer does.")
    return driver


def find_place(session: Session, actor: Actor, key: RunKey, *, lock: bool = False) -> Place:
    """The rows of a run; with `lock`, the session's is locked, so that one change of its laps goes on at a time.

    Raises:
        NotThere: no such session or driver, or another's run for who doesn't see all.
    """
    practice = find_row(session, PracticeSession, actor, key.session_id, "session", lock=lock)
    driver = driver_of(session, actor, key.driver_id)
    combination = session.get_one(Combination, practice.combination_id)
    return Place(combination, practice, driver, key.number)


def laps_in(session: Session, place: Place, numbers: list[int] | None = None) -> list[Lap]:
    """The laps of a run in their order."""
    query = select(Lap).where(
        Lap.team_id == place.practice.team_id,
        Lap.session_id == place.practice.id,
        Lap.driver_id == place.driver.id,
        Lap.run == place.number,
    )
    if numbers is not None:
        query = query.where(Lap.number.in_(numbers))
    return list(session.scalars(query.order_by(Lap.number)))


def run_row(session: Session, place: Place) -> Run | None:
    """What was declared of a run, where something was."""
    query = select(Run).where(
        Run.team_id == place.practice.team_id,
        Run.session_id == place.practice.id,
        Run.driver_id == place.driver.id,
        Run.number == place.number,
    )
    return session.scalar(query)


def track_of(session: Session, combination: Combination) -> Track:
    """The layout of a combination, as core knows it."""
    return load_track(session, session.get_one(Layout, combination.layout_id), centreline=False)


def session_for_hands(session: Session, actor: Actor, combination: Combination) -> PracticeSession | None:
    """The session to which laps belong that are typed or timed by hand now: the one of this evening, if there is
    one.
    """
    query: Any = (
        select(PracticeSession, func.max(Lap.started_at))
        .outerjoin(Lap, (Lap.team_id == PracticeSession.team_id) & (Lap.session_id == PracticeSession.id))
        .where(
            PracticeSession.team_id == actor.team_id,
            PracticeSession.combination_id == combination.id,
            PracticeSession.by_hand,
        )
        .group_by(PracticeSession.id)
        .order_by(PracticeSession.id.desc())
        .limit(1)
    )
    found = session.execute(query).first()
    if found is None or now() - max(found[0].created_at, found[1] or found[0].created_at) > _SAME_EVENING:
        return None
    practice: PracticeSession = found[0]
    return practice


def open_session_for_hands(session: Session, actor: Actor, combination: Combination) -> PracticeSession:
    """Make a session for laps by hand; its label is the day on which it begins. A change set must be open."""
    label = free_label(session, combination, now().date().isoformat())
    made = PracticeSession(team_id=actor.team_id, combination_id=combination.id, label=label, by_hand=True)
    session.add(made)
    session.flush()
    return made


def free_label(session: Session, combination: Combination, wanted: str) -> str:
    """A label that no session of the combination has: the one that is wanted, with a number behind it where that is
    taken.
    """
    own = (PracticeSession.team_id == combination.team_id, PracticeSession.combination_id == combination.id)
    labels = set(session.scalars(select(PracticeSession.label).where(*own)))
    label, number = wanted, 2
    while label in labels:
        label, number = f"{wanted} ({number})", number + 1
    return label


def refuse_strange_parts(track: Track, code: str) -> None:
    """Let pass what laps are timed through: segments and sectors.

    Raises:
        Refused: the layout has no such part.
    """
    if code not in {part.code for part in (*track.segment_parts, *track.sector_parts)}:
        raise Refused(f"This layout has no part {code}.")


def refuse_strange_corners(track: Track, corner: str | None) -> None:
    """Let pass what the layout has.

    Raises:
        Refused: it has no such corner.
    """
    if corner is not None and corner not in {part.code for part in track.segment_parts}:
        raise Refused(f"{track.name}, {track.layout} has no corner {corner}.")
