"""The board as it goes out: JSON, kept as long as nothing that it stands on has changed and the minute is the same."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import asdict, dataclass
from datetime import date, datetime, timedelta
from typing import Any, Final
from uuid import UUID
from zoneinfo import ZoneInfo

import orjson
from sqlalchemy import bindparam, func, select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.core.season.attention import KINDS, Need, concerns
from fleet_rival.core.season.clashes import Clash
from fleet_rival.core.season.zones import day_begins
from fleet_rival.db.session import engine_of
from fleet_rival.db.tables import ChangeSet, Combination, StandingRow
from fleet_rival.services.find import standing
from fleet_rival.services.find.overview.cells import (
    Cell,
    cell,
    clashes_of,
    difference_out,
    figures_of,
    minutes_of,
    week_needs,
)
from fleet_rival.services.find.overview.fresh import loaded_with_old, moment_on, refresh
from fleet_rival.services.find.overview.load import DriverState, Loaded, WeekState
from fleet_rival.services.plan.coming import Practice, practice_of
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.shared.cache.answers import Recent, code_stamp
from fleet_rival.services.shared.last_backup import last_ended, this_var
from fleet_rival.wording.week import (
    ACTIONS,
    CLASH_WORDS,
    OPEN_WORDS,
    asked_words,
    need_words,
    own_prepared_words,
    prepared_words,
)

__all__ = [
    "Board",
    "board",
]

_SHORT_LIST: Final = 8
"""Needs that are shown at once; the rest is counted."""


@dataclass(frozen=True, slots=True)
class Board:
    """The answer, and what should be computed in the background because it takes long."""

    body: bytes
    stamp: str
    behind: tuple[UUID, ...]
    """Combinations whose figures are out of date."""


def board(
    sessions: sessionmaker[Session], actor: Actor, day: date | None, zone: ZoneInfo, moment: Callable[[], datetime]
) -> Board:
    """The board of a day.

    Args:
        day: in the person's zone; today where missing.
        zone: the person's: "yesterday" is a day of theirs.
        moment: the clock.
    """
    now = moment()
    local = now.astimezone(zone)
    shown = day or local.date()
    stamp = _stamp(sessions, actor, shown, zone, now)
    if found := _at_hand.get(stamp):
        return Board(found, stamp, ())
    loaded, sizes = loaded_with_old(sessions, actor, moment_on(shown, local))
    behind = {key for key, size in sizes.items() if size > standing.LARGE_FROM_LAPS}
    if sizes.keys() - behind:
        # Figures that are quickly made are made now; that is a change, so that stamp and all are taken anew.
        refresh(sessions, actor, loaded, sizes.keys() - behind)
        stamp = _stamp(sessions, actor, shown, zone, now)
        loaded, _ = loaded_with_old(sessions, actor, moment_on(shown, local))
    with sessions() as session:
        practice = practice_of(
            session, actor, [entry.id for week in loaded.shown for entry in week.entries.values()], now
        )
    body = orjson.dumps(_answer(loaded, actor, shown, zone, now, practice))
    if not behind:
        _at_hand.put(stamp, body)
    return Board(body, stamp, tuple(loaded.combinations[key].id for key in behind if key in loaded.combinations))


_at_hand = Recent(most_bytes=16_000_000)


def _last(table: type[ChangeSet | StandingRow]) -> Any:
    recent = select(table.id).where(table.team_id == bindparam("team")).order_by(table.id.desc()).limit(200).subquery()
    return select(
        func.concat(func.coalesce(func.max(recent.c.id), 0), ".", func.coalesce(func.sum(recent.c.id), 0))
    ).scalar_subquery()


_STATE: Final = select(
    _last(ChangeSet),
    _last(StandingRow),
    select(func.sum(Combination.revision)).where(Combination.team_id == bindparam("team")).scalar_subquery(),
)
"""What the board stands on changes with one of these: an act, figures made anew, laps that came in. Sums, since a
transaction may be through after one that began later."""


def _stamp(sessions: sessionmaker[Session], actor: Actor, day: date, zone: ZoneInfo, now: datetime) -> str:
    with engine_of(sessions).connect() as connection:
        state = connection.execute(_STATE, {"team": actor.team_id}).one()
    who = actor.role if actor.sees_all else f"{actor.driver_id}"
    backup = _backup(actor)
    who += f":{backup['at']}" if backup else ""
    return f"{actor.team_id}:{who}:{day}:{zone.key}:{now:%Y%m%d%H%M}:{'/'.join(map(str, state))}:{code_stamp()[:12]}"


def _answer(
    loaded: Loaded, actor: Actor, day: date, zone: ZoneInfo, now: datetime, practice: Mapping[UUID, Practice]
) -> dict[str, Any]:
    looked_at = [week for week in loaded.weeks if week in loaded.shown or concerns(*week.window, now)]
    cells = {
        (week.row.public_id, driver.id): cell(loaded, week, driver) for week in looked_at for driver in loaded.drivers
    }
    found = clashes_of(loaded)
    told = week_needs(loaded, cells, found, now)
    yesterday = day_begins(now.astimezone(zone).date() - timedelta(days=1), zone)
    weeks = {str(week.row.public_id): week for week in loaded.weeks}
    needs = [item for need in told if (item := _need(need, weeks[need.week], cells, actor))]
    return {
        "day": day.isoformat(),
        "now": now.isoformat(),
        "columns": [_column(loaded, week, now) for week in loaded.shown],
        "drivers": [
            {
                "id": str(driver.id),
                "name": driver.name,
                "nickname": driver.nickname,
                "cells": [
                    _cell(week, driver, cells[week.row.public_id, driver.id], found, now, yesterday, practice)
                    for week in loaded.shown
                ],
            }
            for driver in loaded.drivers
        ],
        "needs": needs[:_SHORT_LIST],
        "more_needs": max(0, len(needs) - _SHORT_LIST),
        "backup": _backup(actor),
        "coming": [
            _coming(loaded, actor, step, loaded.moment + timedelta(days=7 * (number + 1)))
            for number, step in enumerate(loaded.coming)
        ],
        "resources": [{"id": str(item.id), "name": item.name} for item in loaded.resources.values()],
    }


def _column(loaded: Loaded, week: WeekState, now: datetime) -> dict[str, Any]:
    begins, ends = week.window
    facts = week.facts
    best = [
        kept.best_us for item in week.combinations if (kept := loaded.figures(item, week)) and kept.best_us is not None
    ]
    first = week.combinations[0] if week.combinations else None
    return {
        "week_id": str(week.row.public_id),
        "series_id": str(week.series_id),
        "series": facts.series,
        "number": facts.week,
        "place": facts.place,
        "cars": [{"id": str(car.id), "name": car.name} for car in week.cars],
        "combination_id": str(first.id) if first else None,
        "begins_at": begins.isoformat(),
        "ends_at": ends.isoformat(),
        "state": "over" if ends <= now else "running" if begins <= now else "coming",
        "race_laps": facts.race_laps,
        "race_minutes": facts.race_minutes,
        "wetness": facts.wetness,
        "track_temp_c": facts.track_temp_c,
        "air_temp_c": facts.air_temp_c,
        "session_local": facts.session_local.isoformat() if facts.session_local else None,
        "target_us": loaded.target(first, week) if first else None,
        "best_us": min(best, default=None),
        "minutes": minutes_of(loaded, week),
    }


def _cell(
    week: WeekState,
    driver: DriverState,
    own: Cell,
    found: dict[UUID, list[Clash]],
    now: datetime,
    since: datetime,
    practice: Mapping[UUID, Practice],
) -> dict[str, Any]:
    entry = week.entries.get(driver.id)
    planned = practice.get(entry.id) if entry else None
    ahead = [clash for clash in found.get(entry.id, ()) if clash.is_ahead(now)] if entry else []
    kinds = _open(week, own, entry.starts, ahead, now, missed=planned.missed if planned else 0) if entry else []
    kinds = [*(kind for kind in KINDS if kind.removeprefix("ask_") in own.asked), *kinds]
    return {
        "week_id": str(week.row.public_id),
        "entry": {
            "id": str(entry.id),
            "version": entry.version,
            "importance": entry.importance,
            "starts": [start.isoformat() for start in entry.starts],
            "car_id": str(entry.car_id) if entry.car_id else None,
            "resource_id": str(entry.resource_id) if entry.resource_id else None,
            "note": entry.note,
            "points": entry.points,
            # Each once, though it may be with several others.
            "clashes": [
                {"kind": kind, "start": _iso(start), "words": CLASH_WORDS[kind]}
                for kind, start in dict.fromkeys((clash.kind, clash.start) for clash in ahead)
            ],
        }
        if entry
        else None,
        "practice": asdict(planned) if planned else None,
        "next_start": _iso(next((start for start in entry.starts if start > now), None)) if entry else None,
        "open": [{"kind": kind, "words": OPEN_WORDS[kind]} for kind in kinds],
        **figures_of(own, since),
    }


def _open(
    week: WeekState, own: Cell, starts: Sequence[datetime], clashes: Sequence[Clash], now: datetime, missed: int
) -> list[str]:
    """What is open in a cell, each kind once, the gravest first; `clashes` are those ahead."""
    if week.window[1] <= now:
        return []
    kinds = [clash.kind for clash in clashes]
    if not own.laps and week.window[0] <= now:
        kinds.append("no_laps")
    if not starts and week.starts and "no_start" not in kinds:
        kinds.append("choose_start")
    if any(item.matters for item in own.differences):
        kinds.append("conditions")
    if missed:
        kinds.append("missed_block")
    return list(dict.fromkeys(kinds))


def _need(need: Need, week: WeekState, cells: Mapping[tuple[UUID, UUID], Cell], actor: Actor) -> dict[str, Any] | None:
    names = (need.drivers, week.facts.series, week.facts.place, week.car_names)
    words = need_words(need.kind, *names) if actor.sees_all else asked_words(need.kind, *names[1:])
    if words is None:
        return None
    # What is to be looked at is that of the first driver who is meant, else the week's first car.
    entry = next((entry for entry in week.entries.values() if str(entry.id) in need.entries), None)
    combination = (
        cells[week.row.public_id, entry.driver_id].combination if entry else next(iter(week.combinations), None)
    )
    car_id = (entry.car_id if entry else None) or next((car.id for car in week.cars), None)
    return {
        "kind": need.kind,
        "words": words,
        "action": ACTIONS[need.kind],
        "week_id": need.week,
        "combination_id": str(combination.id) if combination else None,
        "car_id": str(car_id) if car_id else None,
        "layout_id": str(week.layout_id) if week.layout_id else None,
        "entry_ids": list(need.entries),
        "due": need.due.isoformat(),
        "differences": [difference_out(item) for item in need.differences],
    }


def _backup(actor: Actor) -> dict[str, Any] | None:
    """The backup of the whole installation that was due and isn't made; a manager can tell whoever runs it."""
    var = this_var()
    ended = last_ended(var) if var and actor.may("team.change") else None
    if ended is None or ended.trouble is None:
        return None
    again = ended.again_at.isoformat() if ended.again_at else None
    return {"at": ended.at.isoformat(), "trouble": ended.trouble, "failures": ended.failures, "again_at": again}


def _coming(loaded: Loaded, actor: Actor, weeks: Sequence[WeekState], moment: datetime) -> dict[str, Any]:
    return {"day": moment.date().isoformat(), "weeks": [_prepared(loaded, actor, week) for week in weeks]}


def _prepared(loaded: Loaded, actor: Actor, week: WeekState) -> dict[str, Any]:
    """How prepared we are for a week that comes: who knows the track, and this car on it."""
    own = {item.key for item in week.combinations}
    layout = {item.key for item in loaded.combinations.values() if item.layout_key == week.row.layout_id}
    entered = [driver for driver in loaded.drivers if driver.id in week.entries]
    known = sum(bool(layout & loaded.laps_of(driver).keys()) for driver in entered)
    same = sum(bool(own & loaded.laps_of(driver).keys()) for driver in entered)
    has_target = bool(own) and all(item.target for item in week.combinations)
    has_layout = week.row.layout_id is not None
    return {
        "week_id": str(week.row.public_id),
        "series_id": str(week.series_id),
        "series": week.facts.series,
        "number": week.facts.week,
        "place": week.facts.place,
        "cars": week.car_names,
        "begins_at": week.window[0].isoformat(),
        "words": prepared_words(len(entered), known, same, has_layout=has_layout, has_target=has_target)
        if actor.sees_all
        else own_prepared_words(bool(entered), bool(known), bool(same), has_layout=has_layout),
    }


def _iso(moment: datetime | None) -> str | None:
    return moment.isoformat() if moment else None
