"""Where everybody stands, with figures that are made anew where they are out of date."""

from collections.abc import Iterable
from datetime import UTC, date, datetime

from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.clock import now
from fleet_rival.services.find import standing
from fleet_rival.services.find.overview.load import COMING_WEEKS, Loaded, load
from fleet_rival.services.find.standing import Kept
from fleet_rival.services.shared.base import Actor

__all__ = ["catch_up", "loaded_with_old", "moment_on", "refresh", "up_to_date"]


def moment_on(day: date, local: datetime) -> datetime:
    """A day at the time of day that it is where somebody looks from."""
    return datetime.combine(day, local.time(), local.tzinfo).astimezone(UTC)


def catch_up(sessions: sessionmaker[Session], actor: Actor, day: date | None = None) -> None:
    """Make all figures anew that are out of date, however long it takes.

    Args:
        day: whose board is meant; today's where missing.
    """
    moment = now()
    up_to_date(sessions, actor, moment_on(day, moment) if day else moment)


def up_to_date(sessions: sessionmaker[Session], actor: Actor, moment: datetime, coming: int = COMING_WEEKS) -> Loaded:
    """The board as it stands at a moment, with figures that are right, however long they take, and with so many
    weeks to come.
    """
    loaded, sizes = loaded_with_old(sessions, actor, moment, coming)
    if not sizes:
        return loaded
    refresh(sessions, actor, loaded, sizes.keys())
    return loaded_with_old(sessions, actor, moment, coming)[0]


def loaded_with_old(
    sessions: sessionmaker[Session], actor: Actor, moment: datetime, coming: int = COMING_WEEKS
) -> tuple[Loaded, dict[int, int]]:
    """The board, and how many laps the combinations have whose figures are out of date."""
    with sessions() as session:
        loaded = load(session, actor, moment, coming)
        old = {
            combination.key
            for week in loaded.weeks
            for combination in week.combinations
            if _is_old(loaded.figures(combination, week))
        }
        return loaded, {key: 0 for key in old} | standing.sizes(session, actor.team_id, old)


def _is_old(kept: Kept | None) -> bool:
    return kept is None or not kept.right


def refresh(sessions: sessionmaker[Session], actor: Actor, loaded: Loaded, keys: Iterable[int]) -> None:
    """Make combinations' figures anew, for all weeks in which they are driven."""
    for key in sorted(keys):
        stretches = {week.stretches[key] for week in loaded.weeks if key in week.stretches}
        standing.refresh(sessions, actor.team_id, key, stretches)
