"""Practice sessions and the conditions in which they were driven: as their laps say, or as somebody said of the
whole.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import func, select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.core.laps.weather import BadWeather, Weather, check_weather
from fleet_rival.db.tables import Combination, Lap, PracticeSession
from fleet_rival.services.shared.base import Actor, begin_change, check_version, find_row, named
from fleet_rival.services.shared.errors import Conflict, NotThere, Refused
from fleet_rival.services.shared.revisions import raise_revisions

__all__ = ["PracticeView", "change_practice", "practice_view", "practices"]


@dataclass(frozen=True, slots=True)
class PracticeView:
    """A session: its laps, what was said of it, and what its laps say."""

    id: UUID
    version: int
    label: str
    laps: int
    drivers: int
    first_at: datetime | None
    last_at: datetime | None
    session_local: datetime | None
    air_temp_c: float | None
    track_temp_c: float | None
    wetness: str | None
    weather: tuple[dict[str, Any], ...]
    """Changes within the session: `minute` and `wetness`."""
    seen: dict[str, Any]
    """Of the laps: mean temperatures, and the weather of most of them."""


def practices(sessions: sessionmaker[Session], actor: Actor, combination_id: UUID) -> list[PracticeView]:
    """A combination's sessions, the last one first; a driver's own alone for who doesn't see all."""
    with sessions() as session:
        row = find_row(session, Combination, actor, combination_id, "combination")
        return _views(session, actor, PracticeSession.combination_id == row.id)


def practice_view(session: Session, actor: Actor, row: PracticeSession) -> PracticeView:
    """One session, as far as it is the actor's business.

    Raises:
        NotThere: it has no laps, or none of theirs.
    """
    found = _views(session, actor, PracticeSession.id == row.id)
    if not found:
        raise NotThere("This session has no laps any more.")
    return found[0]


def change_practice(
    sessions: sessionmaker[Session], actor: Actor, session_id: UUID, version: int, values: Mapping[str, Any]
) -> PracticeView:
    """Say in which conditions a session was driven; None leaves it to its laps.

    Args:
        values: `label`, `session_local`, `air_temp_c`, `track_temp_c`, `wetness` and `weather`.

    Raises:
        Outdated: somebody changed it meanwhile.
        Refused: changes of weather that contradict each other.
        Conflict: another session has this label.
    """
    weather = [Weather(item["minute"], item["wetness"]) for item in values.get("weather") or ()]
    try:
        check_weather(weather)
    except BadWeather as error:
        raise Refused(f"The weather can't have been so: {error}.") from error
    with sessions.begin() as session:
        row = find_row(session, PracticeSession, actor, session_id, "session", lock=True)
        check_version(row, version, "session")
        begin_change(session, actor, "session.change", f"Changed the conditions of session {row.label}", row)
        if (label := values.get("label")) is not None and (wanted := named(label, "session")) != row.label:
            same = (
                PracticeSession.team_id == actor.team_id,
                PracticeSession.combination_id == row.combination_id,
                PracticeSession.label == wanted,
            )
            if session.scalar(select(PracticeSession.id).where(*same)) is not None:
                raise Conflict(f"Another session here is called {wanted} already. Merge them, or choose another name.")
            row.label = wanted
        row.weather = [{"minute": item.minute, "wetness": item.wetness} for item in weather] or None
        inside = values["session_local"]
        row.session_local = inside.isoformat() if inside else None
        row.air_temp_c, row.track_temp_c, row.wetness = values["air_temp_c"], values["track_temp_c"], values["wetness"]
        raise_revisions(session, actor.team_id, [row.combination_id])
        session.flush()
        return practice_view(session, actor, row)


def _views(session: Session, actor: Actor, which: Any) -> list[PracticeView]:
    wet = func.avg(func.if_(Lap.wetness == "wet", 1.0, func.if_(Lap.wetness == "damp", 0.5, 0.0)))
    last = func.max(Lap.started_at)
    query: Any = (
        select(
            PracticeSession,
            func.count(),
            func.count(func.distinct(Lap.driver_id)),
            func.min(Lap.started_at),
            last,
            func.avg(Lap.air_temp_c),
            func.avg(Lap.track_temp_c),
            wet,
        )
        .join(Lap, (Lap.team_id == PracticeSession.team_id) & (Lap.session_id == PracticeSession.id))
        .where(PracticeSession.team_id == actor.team_id, which)
        .group_by(PracticeSession.id)
        .order_by(last.desc(), PracticeSession.id.desc())
    )
    if not actor.sees_all:
        query = query.where(Lap.driver_id == actor.driver_id)
    return [_view(*row) for row in session.execute(query)]


def _view(
    row: PracticeSession,
    laps: int,
    drivers: int,
    first: datetime | None,
    last: datetime | None,
    air_c: float | None,
    track_c: float | None,
    wet: Any,
) -> PracticeView:
    weather = "wet" if float(wet) > 0.75 else "damp" if float(wet) > 0.25 else "dry"
    return PracticeView(
        row.public_id,
        row.version,
        row.label,
        laps,
        drivers,
        first,
        last,
        datetime.fromisoformat(row.session_local) if row.session_local else None,
        row.air_temp_c,
        row.track_temp_c,
        row.wetness,
        tuple(row.weather or ()),
        {"air_temp_c": air_c, "track_temp_c": track_c, "wetness": weather},
    )
