"""Points of a week, which follow from those of its starts."""

from collections.abc import Sequence

from sqlalchemy import select
from sqlalchemy.orm import Session

from fleet_rival.core.race.afterwards import counted
from fleet_rival.db.tables import Entry, RaceResult, Series, SeriesWeekRow
from fleet_rival.services.shared.base import Actor

__all__ = ["count_points"]


def count_points(session: Session, actor: Actor, entries: Sequence[Entry]) -> None:
    """Let the points of some entries' weeks follow from those of their starts; where no start has any, what somebody
    entered stays.
    """
    query = (
        select(RaceResult.entry_id, RaceResult.points, Series.starts_count)
        .join(Entry, (Entry.team_id == RaceResult.team_id) & (Entry.id == RaceResult.entry_id))
        .join(SeriesWeekRow, (SeriesWeekRow.team_id == Entry.team_id) & (SeriesWeekRow.id == Entry.week_id))
        .join(Series, (Series.team_id == Entry.team_id) & (Series.id == SeriesWeekRow.series_id))
        .where(
            RaceResult.team_id == actor.team_id,
            RaceResult.entry_id.in_([entry.id for entry in entries]),
            RaceResult.points.is_not(None),
        )
        .order_by(RaceResult.starts_at)
    )
    points: dict[int, list[float]] = {}
    rules: dict[int, str] = {}
    for key, own, rule in session.execute(query):
        points.setdefault(key, []).append(float(own or 0.0))
        rules[key] = rule
    for entry in entries:
        if entry.id in points and entry.points != (told := counted(points[entry.id], rules[entry.id])):
            entry.points = told
