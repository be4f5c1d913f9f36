"""What a team's plans go by: read by every step that tells of it, changed on the page of the rules."""

from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from fleet_rival.core.settings import Planning
from fleet_rival.db.tables import PlanRules

__all__ = ["team_planning", "usual_care"]


def team_planning(session: Session, team_id: int) -> Planning:
    """A team's settings of planning: the usual ones with what it has changed."""
    told = session.scalar(select(PlanRules.planning).where(PlanRules.team_id == team_id))
    return Planning.from_mapping(told or {})


def usual_care(session: Session, team_id: int) -> dict[str, Any]:
    """Limits at the seat and quiet hours of who has none of their own, named as a driver's own are."""
    planning = team_planning(session, team_id)
    begins, ends = (f"{moment:%H:%M}" for moment in planning.quiet)
    limits = {name: getattr(planning, name) for name in ("seat_limit_minutes", "break_minutes", "day_limit_minutes")}
    return {**limits, "quiet_from": begins, "quiet_to": ends}
