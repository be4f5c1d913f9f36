"""From when to when laps count as a week's own."""

from collections.abc import Iterable, Sequence
from datetime import UTC, datetime, timedelta
from typing import Final, NamedTuple

from sqlalchemy import select
from sqlalchemy.orm import Session

from fleet_rival.core.settings import Settings
from fleet_rival.db.laps import StoredLap
from fleet_rival.db.tables import ChangeSet, Lap
from fleet_rival.services.week.rows import LoadedWeek

__all__ = ["ALL_TIME", "Stretch", "dated_laps", "stretch_of", "within"]


class Stretch(NamedTuple):
    """From when to when laps count; the end is not in it."""

    since: datetime
    until: datetime


ALL_TIME: Final = Stretch(datetime(1970, 1, 1, tzinfo=UTC), datetime(9999, 1, 1, tzinfo=UTC))


def stretch_of(week: LoadedWeek, car_key: int, weeks: Iterable[LoadedWeek], settings: Settings) -> Stretch:
    """The stretch of time whose laps with a car are a week's own: to its end, from `lead_days` before it, but not from
    before the last week in which the same combination was driven ended.

    Args:
        weeks: of any series, with the week itself or without.
        settings: the combination's.
    """
    begins, ends = week.facts.window
    since = begins - timedelta(days=settings.lead_days)
    ended = [
        end
        for other in weeks
        if other.row.layout_id == week.row.layout_id
        and other.has_car(car_key)
        and (end := other.facts.window[1]) <= begins
    ]
    return Stretch(max([since, *ended]), ends)


def within(
    session: Session, team_id: int, combination_id: int, laps: Sequence[StoredLap], stretch: Stretch
) -> list[StoredLap]:
    """The laps of a stretch of time; of a lap that doesn't say when it was driven, when it came in counts."""
    return [
        item
        for item, moment in dated_laps(session, team_id, combination_id, laps)
        if stretch.since <= moment < stretch.until
    ]


def dated_laps(
    session: Session, team_id: int, combination_id: int, laps: Sequence[StoredLap]
) -> list[tuple[StoredLap, datetime]]:
    """Laps with the moments at which they count as driven: their own, else when they came in."""
    arrived = _arrived(session, team_id, combination_id) if any(item.lap.started_at is None for item in laps) else {}
    return [(item, item.lap.started_at or arrived.get(item.id, ALL_TIME.since)) for item in laps]


def _arrived(session: Session, team_id: int, combination_id: int) -> dict[int, datetime]:
    """When laps came in that don't say when they were driven."""
    query = (
        select(Lap.id, ChangeSet.made_at)
        .join(ChangeSet, (ChangeSet.team_id == Lap.team_id) & (ChangeSet.id == Lap.change_set_id))
        .where(Lap.team_id == team_id, Lap.combination_id == combination_id, Lap.started_at.is_(None))
    )
    return {key: moment for key, moment in session.execute(query)}
