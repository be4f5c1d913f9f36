"""Races of an entry as their laps tell them; kept until a lap of the combination changes."""

import hashlib
from collections.abc import Mapping, Sequence
from dataclasses import asdict, fields
from datetime import datetime
from functools import partial
from typing import Any
from uuid import UUID

import orjson
from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.core.race.driven import RaceDriven, driven_race, laps_of_start
from fleet_rival.db.laps import laps_of
from fleet_rival.db.tables import Combination, Driver, Entry, Layout, SeriesWeekRow
from fleet_rival.services.analysed import without_intervals
from fleet_rival.services.base import Actor
from fleet_rival.services.kept import kept_answer
from fleet_rival.services.race.entered import combination_of
from fleet_rival.services.series_rows import load_weeks
from fleet_rival.services.standing import Stretch, stretch_of, within
from fleet_rival.services.track import load_track
from fleet_rival.services.week import settings_of

__all__ = ["driven_starts"]


def driven_starts(sessions: sessionmaker[Session], actor: Actor, entry_id: UUID, starts: Sequence[datetime]) -> dict[datetime, RaceDriven]:
    """Each start as its laps tell it; empty where the entry's combination has no laps.

    Args:
        entry_id: of an entry that is the actor's business.
        starts: in order.
    """
    with sessions() as session:
        entry = session.scalars(select(Entry).where(Entry.team_id == actor.team_id, Entry.public_id == entry_id)).one()
        combination = combination_of(session, actor, entry)
        if combination is None or not starts:
            return {}
        weeks = load_weeks(session, actor, SeriesWeekRow.layout_id == combination.layout_id)
        week = next(item for item in weeks if item.row.id == entry.week_id)
        stretch = stretch_of(week, combination.car_id, weeks, settings_of(combination))
        driver, key = session.get_one(Driver, entry.driver_id), combination.public_id
        session.expunge_all()
    told = " ".join(start.isoformat() for start in (*starts, *stretch))
    about = f"driven:{entry_id}:{hashlib.sha256(told.encode()).hexdigest()[:16]}"
    body, _ = kept_answer(sessions, actor, key, about, partial(_compute, driver, stretch, tuple(starts), about))
    return {datetime.fromisoformat(start): _read(values) for start, values in orjson.loads(body).items()}


def _compute(
    driver: Driver, stretch: Stretch, starts: Sequence[datetime], about: str, session: Session, actor: Actor, row: Combination
) -> Mapping[str, bytes]:
    settings = without_intervals(settings_of(row))
    track = load_track(session, session.get_one(Layout, row.layout_id), centreline=False)
    stored = within(session, actor.team_id, row.id, laps_of(session, actor.team_id, row.id, [driver.id], as_said=True), stretch)
    laps = [item.lap for item in stored]
    out: dict[str, Any] = {}
    for start, after in zip(starts, (*starts[1:], None), strict=True):
        qualifying, race = laps_of_start(laps, start, after)
        practice = [lap for lap in laps if lap.session_kind != "race" and (lap.started_at is None or lap.started_at < start)]
        out[start.isoformat()] = asdict(driven_race(track, driver.name, practice, qualifying, race, settings))
    return {about: orjson.dumps(out)}


def _read(values: Mapping[str, Any]) -> RaceDriven:
    told = {item.name: values[item.name] for item in fields(RaceDriven)}
    pairs = {name: {code: (int(pair[0]), int(pair[1])) for code, pair in told[name].items()} for name in ("practice", "race")}
    return RaceDriven(**{**told, **pairs})
