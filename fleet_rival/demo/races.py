"""The demo's races behind: sheets that were handed out before the last ones, their laps, and what each start
brought.
"""

from collections import defaultdict
from datetime import datetime, timedelta
from typing import Final
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.core.laps.lap import Lap
from fleet_rival.db.tables import Combination, Driver, Entry, Layout, SeriesWeekRow
from fleet_rival.formats.lap_export import write_laps
from fleet_rival.services.drive import files, importing
from fleet_rival.services.log import results
from fleet_rival.services.race import sheet
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.track.tracks import load_track
from fleet_rival.services.week import combinations, entries, series
from fleet_rival.services.week.entered import combination_of
from fleet_rival.services.week.rows import load_weeks
from fleet_rival.simulator.league import BEHIND
from fleet_rival.simulator.races import Raced, drive_race

__all__ = ["load_races"]

_BEFORE: Final = timedelta(hours=2)
_BEST_WEEKS: Final = 2


def load_races(sessions: sessionmaker[Session], coach: Actor, driver: Actor, moment: datetime) -> None:
    """Hand out the sheets of the last week that is over, let everybody drive, and write down what the weeks behind
    brought.

    Of weeks before that one there are results alone.
    """
    first = series.series(sessions, coach)[0]
    series.set_counting(sessions, coach, first.id, first.version, _BEST_WEEKS)
    with sessions() as session:
        behind = {item.row.id: item for item in load_weeks(session, coach, SeriesWeekRow.number <= BEHIND)}
        made = entries.entries_of_weeks(session, coach, list(behind))
        own = session.scalar(
            select(Driver.public_id).where(Driver.team_id == coach.team_id, Driver.id == (driver.driver_id or 0))
        )
    by_week = {item.row.public_id: item for item in behind.values()}
    driven: dict[UUID, Raced] = {}
    for entry in made:
        if entry.starts and entry.starts[-1] < moment:
            facts = by_week[entry.week_id].facts
            driven[entry.id] = drive_race(facts.series, facts.week, entry.driver, entry.starts[-1])
    last = [entry for entry in made if entry.id in driven and by_week[entry.week_id].facts.week == BEHIND]
    for entry in last:
        before = entry.starts[-1] - _BEFORE
        sheet.hand_out(sessions, coach, entry.id, lambda before=before: before)  # type: ignore[misc]
        if entry.driver_id == own:
            sheet.confirm(sessions, driver, entry.id, 1, lambda before=before: before)  # type: ignore[misc]
    laps: dict[UUID, list[Lap]] = defaultdict(list)
    for entry in last:
        laps[_combination(sessions, coach, entry.id)] += driven[entry.id].laps
    for combination, together in laps.items():
        _add(sessions, coach, combination, together)
    for entry in made:
        if entry.id in driven:
            results.add_result(sessions, coach, entry.id, _brought(driven[entry.id], entry.starts[-1]))


def _combination(sessions: sessionmaker[Session], coach: Actor, entry_id: UUID) -> UUID:
    with sessions() as session:
        row = session.scalars(select(Entry).where(Entry.team_id == coach.team_id, Entry.public_id == entry_id)).one()
        found = combination_of(session, coach, row)
        assert found is not None, "every week behind was practised"
        return found.public_id


def _add(sessions: sessionmaker[Session], coach: Actor, combination: UUID, laps: list[Lap]) -> None:
    with sessions() as session:
        row = session.scalars(
            select(Combination).where(Combination.team_id == coach.team_id, Combination.public_id == combination)
        ).one()
        track = load_track(session, session.get_one(Layout, row.layout_id), centreline=False)
    file_id = files.upload(sessions, coach, combination, "races.laps.csv", write_laps(laps, track))
    importing.confirm(
        sessions, coach, file_id, importing.Wishes(combinations.combination(sessions, coach, combination).revision)
    )


def _brought(raced: Raced, at: datetime) -> dict[str, object]:
    return {
        "starts_at": at,
        "qualifying_us": raced.qualifying_us,
        "grid": raced.grid,
        "finish": raced.finish,
        "laps": sum(lap.session_kind == "race" for lap in raced.laps),
        "points": raced.points,
        "incidents": [
            {"corner": corner, "what": what, "fault": fault, "lap": lap, "note": None}
            for corner, what, fault, lap in raced.incidents
        ],
    }
