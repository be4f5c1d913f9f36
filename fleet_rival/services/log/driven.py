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
from fleet_rival.services.find.analyses import without_intervals
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.shared.cache.answers import kept_answer
from fleet_rival.services.track.tracks import load_track
from fleet_rival.services.week.combinations import settings_of
from fleet_rival.services.week.entered import entered_combinations
from fleet_rival.services.week.rows import load_weeks
from fleet_rival.services.week.stretches import Stretch, stretch_of, within

__all__ = ["driven_starts"]


def driven_starts(
    sessions: sessionmaker[Session], actor: Actor, wanted: Mapping[UUID, Sequence[datetime]]
) -> dict[UUID, dict[datetime, RaceDriven]]:
    """Starts of entries as their laps tell them; nothing of an entry whose week has no combination.

    Args:
        wanted: starts in order, by entries that are the actor's business.
    """
    with sessions() as session:
        asked = (Entry.team_id == actor.team_id, Entry.public_id.in_([key for key, starts in wanted.items() if starts]))
        rows = session.scalars(select(Entry).where(*asked)).all()
        combinations = entered_combinations(session, actor, rows)
        weeks = (
            load_weeks(session, actor, SeriesWeekRow.layout_id.in_({item.layout_id for item in combinations.values()}))
            if combinations
            else []
        )
        by_key = {item.row.id: item for item in weeks}
        of_team = (Driver.team_id == actor.team_id, Driver.id.in_({row.driver_id for row in rows}))
        drivers = {row.id: row for row in session.scalars(select(Driver).where(*of_team))} if rows else {}
        session.expunge_all()
    out = {}
    for row in rows:
        if (combination := combinations.get(row.id)) is None:
            continue
        stretch = stretch_of(by_key[row.week_id], combination.car_id, weeks, settings_of(combination))
        starts = tuple(wanted[row.public_id])
        told = " ".join(start.isoformat() for start in (*starts, *stretch))
        about = f"driven:{row.public_id}:{hashlib.sha256(told.encode()).hexdigest()[:16]}"
        body, _ = kept_answer(
            sessions,
            actor,
            combination.public_id,
            about,
            partial(_compute, drivers[row.driver_id], stretch, starts, about),
        )
        out[row.public_id] = {
            datetime.fromisoformat(start): _read(values) for start, values in orjson.loads(body).items()
        }
    return out


def _compute(
    driver: Driver,
    stretch: Stretch,
    starts: Sequence[datetime],
    about: str,
    session: Session,
    actor: Actor,
    row: Combination,
) -> Mapping[str, bytes]:
    settings = without_intervals(settings_of(row))
    track = load_track(session, session.get_one(Layout, row.layout_id), centreline=False)
    stored = within(
        session, actor.team_id, row.id, laps_of(session, actor.team_id, row.id, [driver.id], as_said=True), stretch
    )
    laps = [item.lap for item in stored]
    out: dict[str, Any] = {}
    for start, after in zip(starts, (*starts[1:], None), strict=True):
        qualifying, race = laps_of_start(laps, start, after)
        practice = [
            lap for lap in laps if lap.session_kind != "race" and (lap.started_at is None or lap.started_at < start)
        ]
        out[start.isoformat()] = asdict(driven_race(track, driver.name, practice, qualifying, race, settings))
    return {about: orjson.dumps(out)}


def _read(values: Mapping[str, Any]) -> RaceDriven:
    told = {item.name: values[item.name] for item in fields(RaceDriven)}
    pairs = {
        name: {code: (int(pair[0]), int(pair[1])) for code, pair in told[name].items()} for name in ("practice", "race")
    }
    return RaceDriven(**{**told, **pairs})
