"""Clips for hand timing: simulated, since nobody's real screen is at hand for practice."""

from uuid import UUID

from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.db.tables import Combination
from fleet_rival.services.drive.runs.places import track_of
from fleet_rival.services.shared.base import Actor, find_row
from fleet_rival.simulator.clip import Clip, make_clip

__all__ = ["clip"]


def clip(sessions: sessionmaker[Session], actor: Actor, combination_id: UUID, seed: int) -> Clip:
    """A clip of a car on a combination's layout; the same seed gives the same clip."""
    with sessions() as session:
        return make_clip(track_of(session, find_row(session, Combination, actor, combination_id, "combination")), seed)
