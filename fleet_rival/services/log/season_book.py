"""A driver's season on one page: spread, clean rate, gap to the target and points by week; mistakes that were closed
and that returned.
"""

from collections import defaultdict
from collections.abc import Mapping
from datetime import UTC, datetime
from itertools import groupby
from typing import Any, Final
from uuid import UUID

import orjson
from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.core.corners.season import over_season
from fleet_rival.db.tables import Driver, Entry, SeriesWeekRow
from fleet_rival.services.find.figures import may_see
from fleet_rival.services.find.steadiness import DrivenWeek, driven_weeks
from fleet_rival.services.fix.clinic import driver_clinic
from fleet_rival.services.log.lessons import lessons
from fleet_rival.services.shared.base import Actor, find_row
from fleet_rival.services.shared.errors import NotThere
from fleet_rival.services.week.combinations import target_of
from fleet_rival.wording.debrief import mistakes_words, season_words
from fleet_rival.wording.mistakes import MISTAKE_WORDS

__all__ = ["season_book", "season_mistakes"]

_LEAST_CLEAN: Final = 8
"""Clean laps of a week from which it tells what recurs."""


def season_book(sessions: sessionmaker[Session], actor: Actor, driver_id: UUID) -> dict[str, Any]:
    """One driver's season; a driver's own alone, unless the team opened the rest.

    Raises:
        NotThere: no such driver, or not the actor's business.
    """
    may_see(sessions, actor, driver_id)
    weeks, behind = _weeks(sessions, actor, driver_id)
    by_series = [
        (name, list(own)) for name, own in groupby(weeks, key=lambda item: item.week.series) if name is not None
    ]
    with sessions() as session:
        driver = find_row(session, Driver, actor, driver_id, "driver")
        points = _points(session, actor, driver)
        name = driver.name
    learned = [item for item in lessons(sessions, actor, driver_id=driver_id) if item.confirmed_at is not None]
    return {
        "driver_id": driver_id,
        "driver": name,
        "behind": behind,
        "words": [
            season_words(series, [(item.main.spread_pct, item.main.clean_rate, _gap(item)) for item in own])
            for series, own in by_series
            if len(own) > 1
        ],
        "weeks": [
            {
                "combination_id": item.week.row.public_id,
                "week_id": item.week.week_id,
                "series": item.week.series,
                "number": item.week.number,
                "place": item.place,
                "car": item.car,
                "begins_at": item.week.begins_at,
                "laps": item.main.laps,
                "clean": item.main.clean,
                "sure": item.main.sure,
                "spread_pct": item.main.spread_pct,
                "clean_rate": item.main.clean_rate,
                "gap_pct": _gap(item),
                "points": points.get(item.week.week_id) if item.week.week_id else None,
                "out_of_date": item.out_of_date,
            }
            for item in weeks
        ],
        "lessons": learned,
    }


def season_mistakes(sessions: sessionmaker[Session], actor: Actor, driver_id: UUID) -> dict[str, Any]:
    """What recurred in which of the season's weeks, which are those of `season_book`, in its order; takes its time
    where laps are new.

    Raises:
        NotThere: no such driver, or not the actor's business.
    """
    may_see(sessions, actor, driver_id)
    shown = _weeks(sessions, actor, driver_id)[0]
    # Closed and returned go by the calendar, whatever stands side by side.
    order = sorted(range(len(shown)), key=lambda at: shown[at].week.begins_at or datetime.min.replace(tzinfo=UTC))
    told = over_season([_costs(sessions, actor, driver_id, shown[at]) for at in order])
    place = {at: number for number, at in enumerate(order)}
    return {
        "words": mistakes_words(told),
        "items": [
            {
                "kind": item.kind,
                "title": MISTAKE_WORDS[item.kind],
                "costs_us": [
                    None if (cost := item.costs_us[place[at]]) is None else round(cost) for at in range(len(shown))
                ],
                "closed": item.closed,
                "returned": item.returned,
                "state": item.state,
            }
            for item in told
        ],
    }


def _weeks(sessions: sessionmaker[Session], actor: Actor, driver_id: UUID) -> tuple[list[DrivenWeek], int]:
    """Series by series, each in the order of its weeks; what no week has at the end."""
    weeks, behind = driven_weeks(sessions, actor, driver_id)
    return sorted(weeks, key=lambda item: (item.week.series is None, item.week.series or "")), behind


def _points(session: Session, actor: Actor, driver: Driver) -> dict[UUID, float | None]:
    query = (
        select(SeriesWeekRow.public_id, Entry.points)
        .join(Entry, (Entry.team_id == SeriesWeekRow.team_id) & (Entry.week_id == SeriesWeekRow.id))
        .where(Entry.team_id == actor.team_id, Entry.driver_id == driver.id)
    )
    return {week: points for week, points in session.execute(query)}


def _gap(item: DrivenWeek) -> float | None:
    """Of the best lap to the target, in per cent; to the team's best ideal where nobody set one."""
    wanted = target_of(item.week.row, item.ideal_us) or item.ideal_us
    return 100 * (item.main.best_us / wanted - 1) if item.main.best_us is not None and wanted else None


def _costs(
    sessions: sessionmaker[Session], actor: Actor, driver_id: UUID, item: DrivenWeek
) -> Mapping[str, float] | None:
    """What recurring mistakes of the week cost a lap, by kind; None where too little was driven to tell."""
    if item.main.clean < _LEAST_CLEAN:
        return None
    try:
        body, _ = driver_clinic(sessions, actor, item.week.row.public_id, driver_id, item.week.week_id)
    except NotThere:
        return None
    out: dict[str, float] = defaultdict(float)
    for mistake in orjson.loads(body)["mistakes"]:
        if mistake["recurring"]:
            out[mistake["kind"]] += mistake["cost_us"]
    return out
