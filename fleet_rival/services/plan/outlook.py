"""The season ahead: what is known of the weeks to come, what must be learned, and when to begin with it."""

from collections import defaultdict
from collections.abc import Callable, Sequence
from dataclasses import asdict
from datetime import datetime, timedelta
from typing import Any, Final
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.clock import now
from fleet_rival.core.planning.needs import needed_blocks
from fleet_rival.core.planning.outlook import look_ahead
from fleet_rival.core.planning.problem import Person, days_of
from fleet_rival.core.planning.readiness import Evidence
from fleet_rival.core.season.zones import known_zone
from fleet_rival.core.settings import Planning
from fleet_rival.db.tables import Driver
from fleet_rival.services.find.overview.cells import cell, race_minutes_of
from fleet_rival.services.find.overview.fresh import up_to_date
from fleet_rival.services.find.overview.load import DriverState, Loaded, WeekState
from fleet_rival.services.plan.problem import care_of, practice_time
from fleet_rival.services.plan.rules import OwnRules, own_rules
from fleet_rival.services.shared.base import Actor
from fleet_rival.wording.outlook import begin_words, known_words
from fleet_rival.wording.plan import block_words

__all__ = ["outlook"]

_WEEK: Final = timedelta(days=7)


def outlook(sessions: sessionmaker[Session], actor: Actor, clock: Callable[[], datetime] = now) -> dict[str, Any]:
    """The week that runs and those to come: races with what is known, drivers with hours needed and hours there; a
    driver's own alone.
    """
    now = clock()
    loaded = up_to_date(sessions, actor, now)
    with sessions() as session:
        rows = {row.public_id: row for row in session.scalars(select(Driver).where(Driver.team_id == actor.team_id))}
        rules = own_rules(session, actor)
    steps = [_of_step(loaded, number, step) for number, step in enumerate([loaded.shown, *loaded.coming])]
    drivers = []
    for driver in loaded.drivers:
        needed, there, blocks = [], [], []
        for number, step in enumerate(steps):
            own = [
                _needs(loaded, week, driver, rules, rows[driver.id])
                for week in step
                if driver.id in _likely(loaded, week)
            ]
            needed.append(sum(minutes for minutes, _ in own) / 60)
            there.append(
                _hours(driver, rows[driver.id], rules.planning, now + number * _WEEK, now + (number + 1) * _WEEK)
            )
            blocks.append([words for _, some in own for words in some])
        ahead = look_ahead(needed, there)
        drivers.append(
            {
                "driver_id": driver.id,
                "driver": driver.name,
                "weeks": [
                    {
                        **asdict(item),
                        "blocks": blocks[place],
                        "words": begin_words(place, item.begin, item.short, item.needed),
                    }
                    for place, item in enumerate(ahead)
                ],
            }
        )
    return {
        "steps": [
            {
                "begins_at": now + number * _WEEK,
                "races": [_race(loaded, actor, week) for week in step],
            }
            for number, step in enumerate(steps)
        ],
        "drivers": drivers,
    }


def _of_step(loaded: Loaded, number: int, step: Sequence[WeekState]) -> list[WeekState]:
    """Races of a step that aren't in an earlier one: of a series' long week only the first counts."""
    earlier = [loaded.shown, *loaded.coming][:number]
    return [week for week in step if not any(week is other for some in earlier for other in some)]


def _likely(loaded: Loaded, week: WeekState) -> set[UUID]:
    """Who is entered; where nobody is yet, who drives in the series now."""
    if week.entries:
        return set(week.entries)
    return {key for other in loaded.shown if other.series_id == week.series_id for key in other.entries}


def _needs(
    loaded: Loaded, week: WeekState, driver: DriverState, rules: OwnRules, row: Driver
) -> tuple[float, list[str]]:
    """Minutes and blocks that a race needs, as far as one can tell before anything is driven for it."""
    care, _ = care_of(row, rules.planning)
    own = cell(loaded, week, driver)
    earlier = sum(own.earlier.get(name, 0) for name in ("same", "track"))
    standing = own.standing
    evidence = Evidence(
        lap_us=(standing.median_us if standing else None) or own.target_us,
        laps=own.laps,
        known_track=earlier,
        race_laps=week.facts.race_laps,
        race_minutes=race_minutes_of(loaded, week),
        gap_us=standing.best_us - own.target_us
        if standing and standing.best_us is not None and own.target_us is not None
        else None,
    )
    needed = needed_blocks(evidence, care, rules.library, planning=rules.planning)
    return sum(block.minutes for block in needed), [block_words(block.kind, block.about) for block in needed]


def _hours(driver: DriverState, row: Driver, planning: Planning, begins: datetime, ends: datetime) -> float:
    """Hours at the seat that a driver has in a stretch: free and awake, and no more in a day than the day's limit."""
    care, quiet = care_of(row, planning)
    free = practice_time(driver.free, row, quiet, begins, ends)
    by_day: dict[int, float] = defaultdict(float)
    for day, (start, end) in days_of(Person(driver.name, known_zone(row.zone or "UTC"), free), free):
        by_day[day] += (end - start).total_seconds() / 60
    return sum(min(minutes, care.day_limit_minutes) for minutes in by_day.values()) / 60


def _race(loaded: Loaded, actor: Actor, week: WeekState) -> dict[str, Any]:
    likely = _likely(loaded, week)
    drivers = [driver for driver in loaded.drivers if driver.id in likely]
    cells = [cell(loaded, week, driver) for driver in drivers]
    track = sum(bool(item.laps or item.earlier.get("same", 0) or item.earlier.get("track", 0)) for item in cells)
    same = sum(bool(item.laps or item.earlier.get("same", 0)) for item in cells)
    unread = max((loaded.unread.get((item.layout_key, item.car_key), 0) for item in week.combinations), default=0)
    missing, known = known_words(
        len(drivers),
        track,
        same,
        entered=bool(week.entries),
        has_layout=week.row.layout_id is not None,
        has_target=bool(week.combinations) and all(item.target for item in week.combinations),
        unread=unread,
        own=not actor.sees_all,
    )
    return {
        "week_id": week.row.public_id,
        "series": week.facts.series,
        "place": week.facts.place,
        "cars": week.car_names,
        "begins_at": week.window[0],
        "layout_id": week.layout_id,
        "entered": len(week.entries),
        "missing": missing,
        "known": known,
    }
