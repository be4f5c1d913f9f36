"""How late somebody presses when timing by hand."""

from collections.abc import Sequence
from dataclasses import asdict, dataclass
from datetime import datetime
from typing import Any

from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.clock import now
from fleet_rival.core.runs.hand_timing import UNCALIBRATED, BadPresses, Reaction, calibrate
from fleet_rival.db.tables import Person
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.shared.errors import Refused

__all__ = ["ReactionView", "reaction", "reaction_known", "remember_reaction"]


@dataclass(frozen=True, slots=True)
class ReactionView:
    """How the person presses."""

    offset_us: int
    spread_us: int
    presses: int
    plus_minus_us: int
    measured_at: datetime | None


def reaction(sessions: sessionmaker[Session], actor: Actor) -> ReactionView:
    """How the person presses, or what is supposed of somebody who wasn't measured."""
    with sessions() as session:
        kept = session.get_one(Person, actor.person_id).reaction or {}
        return _reaction_view(reaction_known(session, actor), kept.get("measured_at"))


def remember_reaction(
    sessions: sessionmaker[Session], actor: Actor, truths_us: Sequence[int], presses_us: Sequence[int]
) -> ReactionView:
    """Measure the person against a clip whose moments are known, and keep it.

    Raises:
        Refused: too few lines were met.
    """
    try:
        measured = calibrate(truths_us, presses_us)
    except BadPresses as error:
        raise Refused(str(error)) from error
    moment = now().isoformat()
    with sessions.begin() as session:
        person = session.get_one(Person, actor.person_id, with_for_update=True)
        person.reaction = {**asdict(measured), "measured_at": moment}
    return _reaction_view(measured, moment)


def reaction_known(session: Session, actor: Actor) -> Reaction:
    """How a person presses, as measured, or as people usually do."""
    kept = session.get_one(Person, actor.person_id).reaction
    return Reaction(kept["offset_us"], kept["spread_us"], kept["presses"]) if kept else UNCALIBRATED


def _reaction_view(of: Reaction, measured_at: Any) -> ReactionView:
    return ReactionView(
        of.offset_us,
        of.spread_us,
        of.presses,
        of.plus_minus_us,
        datetime.fromisoformat(measured_at) if isinstance(measured_at, str) else None,
    )
