"""A race afterwards: what was expected beside what came, corners under pressure, and lessons that the figures
propose.
"""

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import asdict
from datetime import datetime
from typing import Any, Final
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.clock import now
from fleet_rival.core.race.afterwards import repeated, under_pressure
from fleet_rival.db.tables import Car, Entry, Layout, LayoutCorner, Lesson, SeriesWeekRow
from fleet_rival.services.log.results import PastRace, ResultView, past_races, results_of
from fleet_rival.services.log.seasons import Looked, calibration, looked_at
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.shared.errors import NotThere
from fleet_rival.services.week import entries
from fleet_rival.services.week.entered import combination_of
from fleet_rival.services.week.rows import load_weeks
from fleet_rival.wording.debrief import (
    FIGURE_WORDS,
    calibration_words,
    compared_words,
    consumption_lesson,
    corner_words,
    falloff_lesson,
    incident_lesson,
    pace_lesson,
)

__all__ = ["debrief", "races_behind"]

_MOST_CORNERS: Final = 6


def races_behind(sessions: sessionmaker[Session], actor: Actor, clock: Callable[[], datetime] = now) -> dict[str, Any]:
    """Races that are over, the last one first, and how good what was expected of them was."""
    races = past_races(sessions, actor, clock())
    return {
        "items": [
            {
                "entry_id": race.entry_id,
                "week_id": race.week_id,
                "driver_id": race.driver_id,
                "driver": race.driver,
                "series": race.facts.series,
                "place": race.facts.place,
                "number": race.facts.week,
                "starts": race.starts,
                "results": race.results,
                "points": race.points,
                "last": race.last,
            }
            for race in races
        ],
        "calibration": [
            {**asdict(item), "odd": item.odd, "label": FIGURE_WORDS[item.figure], "words": calibration_words(item)}
            for item in calibration(sessions, actor, [race for race in races if race.results])
        ],
    }


def debrief(
    sessions: sessionmaker[Session], actor: Actor, entry_id: UUID, clock: Callable[[], datetime] = now
) -> dict[str, Any]:
    """One entry's race afterwards.

    Raises:
        NotThere: no such entry, not the actor's, or its week is still to come.
    """
    race = next(iter(past_races(sessions, actor, clock(), entry_id)), None) or _unstarted(
        sessions, actor, entry_id, clock()
    )
    looked = looked_at(sessions, actor, [race])[entry_id]
    with sessions() as session:
        entry = session.scalars(select(Entry).where(Entry.team_id == actor.team_id, Entry.public_id == entry_id)).one()
        week = session.get_one(SeriesWeekRow, entry.week_id)
        combination = combination_of(session, actor, entry)
        layout = session.get(Layout, week.layout_id) if week.layout_id else None
        car = session.get(Car, combination.car_id) if combination else None
        own = (LayoutCorner.team_id == actor.team_id, LayoutCorner.layout_id == week.layout_id)
        names = {
            corner.code: corner.name
            for corner in session.scalars(select(LayoutCorner).where(*own).order_by(LayoutCorner.start_m))
        }
        known = set(session.scalars(select(Lesson.text).where(Lesson.team_id == actor.team_id)))
        ties = {
            "layout_id": layout.public_id if layout else None,
            "car_id": car.public_id if car else None,
            "driver_id": race.driver_id,
        }
        # A driver alone sees what the own starts tell.
        starts = _starts_of_week(session, actor, entry.week_id) if actor.sees_all else race.results
    proposals = list(_proposals(looked, starts, names, ties))
    return {
        "entry_id": entry_id,
        "driver_id": race.driver_id,
        "driver": race.driver,
        "series": race.facts.series,
        "place": race.facts.place,
        "number": race.facts.week,
        "week_id": race.week_id,
        "layout_id": ties["layout_id"],
        "combination_id": combination.public_id if combination else None,
        "starts": race.starts,
        "begins_at": race.facts.window[0],
        "ends_at": race.facts.window[1],
        "corners": [{"code": code, "name": name} for code, name in names.items()],
        "points": race.points,
        "results": [_result(item, names) for item in looked],
        "proposals": [
            item
            for number, item in enumerate(proposals)
            if item["text"] not in known and item not in proposals[:number]
        ],
    }


def _unstarted(sessions: sessionmaker[Session], actor: Actor, entry_id: UUID, moment: datetime) -> PastRace:
    """An entry of a week that has begun, for which nobody chose a start: what was driven can be written down all the
    same.
    """
    view = entries.entry(sessions, actor, entry_id)
    with sessions() as session:
        week = next(item for item in load_weeks(session, actor) if item.row.public_id == view.week_id)
    if week.facts.window[0] > moment:
        raise NotThere("This race is still to come.")
    return PastRace(view.id, view.driver_id, view.driver, view.week_id, week.facts, (), (), view.points)


def _result(item: Looked, names: Mapping[str, str | None]) -> dict[str, Any]:
    corners = under_pressure(item.driven.practice, item.driven.race)
    return {
        **{name: getattr(item.result, name) for name in item.result.__slots__},
        "sheet": item.sheet,
        "race_laps": item.driven.laps,
        "compared": [
            {
                "figure": one.figure,
                "label": FIGURE_WORDS[one.figure],
                "value": one.expected.value,
                "low": one.expected.low,
                "high": one.expected.high,
                "happened": one.happened,
                "inside": one.inside,
                "words": compared_words(one),
            }
            for one in item.compared
        ],
        "pressure": [
            {
                "corner": one.corner,
                "practice_slips": one.practice_slips,
                "practice_passes": one.practice_passes,
                "race_slips": one.race_slips,
                "race_passes": one.race_passes,
                "told": one.told,
                "more": one.more,
                "words": corner_words(one, names.get(one.corner)),
            }
            for one in corners[:_MOST_CORNERS]
        ],
    }


def _starts_of_week(session: Session, actor: Actor, week_key: int) -> list[ResultView]:
    """What the whole team's starts of a week brought."""
    keys = list(session.scalars(select(Entry.id).where(Entry.team_id == actor.team_id, Entry.week_id == week_key)))
    return [result for some in results_of(session, actor, keys).values() for result in some]


def _proposals(
    looked: Sequence[Looked], starts: Sequence[ResultView], names: Mapping[str, str | None], ties: Mapping[str, Any]
) -> Iterator[dict[str, Any]]:
    """Lessons that the figures propose; a person confirms them."""

    def lesson(text: str, *tied: str, corner: str | None = None, condition: str | None = None) -> dict[str, Any]:
        return {
            "text": text,
            **{name: ties[name] if name in tied else None for name in ties},
            "corner": corner,
            "condition": condition,
        }

    for item in looked:
        for one in under_pressure(item.driven.practice, item.driven.race):
            if one.told and one.corner in names and ties["layout_id"]:
                yield lesson(
                    corner_words(one, names[one.corner]).rstrip("."), "layout_id", "driver_id", corner=one.corner
                )
        for figure in item.compared:
            if figure.inside:
                continue
            if figure.figure in ("fuel_l", "energy_kwh"):
                yield lesson(consumption_lesson(figure), "layout_id", "car_id")
            elif figure.figure == "falloff_us":
                yield lesson(falloff_lesson(figure), "layout_id", "car_id")
            elif figure.figure in ("qualifying_us", "race_lap_us"):
                yield lesson(pace_lesson(figure), "layout_id", "car_id", "driver_id")
    incidents = [
        [(item["corner"], item["what"], item.get("lap")) for item in start.incidents if item.get("corner")]
        for start in starts
    ]
    for again in repeated(incidents):
        if again.corner in names and ties["layout_id"]:
            condition = "start" if again.at_start else None
            yield lesson(
                incident_lesson(again, names[again.corner]), "layout_id", corner=again.corner, condition=condition
            )
