"""Laps between the core's values and the rows of the database; in bulk, without the ORM."""

from collections.abc import Iterable, Sequence
from dataclasses import replace
from datetime import datetime
from operator import attrgetter
from typing import Any, NamedTuple

from sqlalchemy import Row, select
from sqlalchemy.orm import Session

from fleet_rival.core.laps.lap import Incident
from fleet_rival.core.laps.lap import Lap as CoreLap
from fleet_rival.db.tables import Driver, Lap, PracticeSession

__all__ = ["StoredLap", "lap_values", "laps_of"]

_PLAIN = (
    "run",
    "time_us",
    "car",
    "session_kind",
    "started_at",
    "kind",
    "valid",
    "company",
    "tyre_set",
    "compound",
    "tyre_age",
    "fuel_l",
    "energy_kwh",
    "track_temp_c",
    "air_temp_c",
    "wetness",
    "purpose",
    "setup",
    "assists",
    "note",
    "set_aside",
    "alone",
)
"""Fields that the core and the table hold alike."""


_plain_of = attrgetter(*_PLAIN)


class StoredLap(NamedTuple):
    """A lap as the core knows it, and where it is stored."""

    id: int
    version: int
    lap: CoreLap


def lap_values(lap: CoreLap) -> dict[str, Any]:
    """A lap's facts as column values; keys to other rows are the caller's."""
    values: dict[str, Any] = dict(zip(_PLAIN, _plain_of(lap), strict=True))
    values["number"] = lap.number
    values["strikes"] = " ".join(lap.strikes) or None
    values["incidents"] = " ".join(f"{what}:{corner}" for what, corner in lap.incidents) or None
    values["flags"] = " ".join(sorted(lap.flags)) or None
    values["options"] = " ".join(f"{where}={label}" for where, label in lap.options) or None
    values["mistakes"] = " ".join(f"{corner}:{kind}" for corner, kind in lap.mistakes) or None
    values["sectors"] = dict(lap.sectors) or None
    values["segments"] = dict(lap.segments) or None
    return values


def laps_of(
    session: Session, team_id: int, combination_id: int, driver_ids: Sequence[int] | None = None, *, as_said: bool = False
) -> list[StoredLap]:
    """All laps of a combination, or of some of its drivers, in no particular order.

    Args:
        as_said: with the conditions that somebody said their session had: the weather in any case, temperatures where a lap has none.
    """
    query: Any = (
        select(
            Lap.id,
            Lap.version,
            Driver.name.label("driver"),
            PracticeSession.label.label("session"),
            PracticeSession.session_local,
            PracticeSession.wetness.label("said_wetness"),
            PracticeSession.air_temp_c.label("said_air_temp_c"),
            PracticeSession.track_temp_c.label("said_track_temp_c"),
            Lap.number,
            Lap.strikes,
            Lap.incidents,
            Lap.flags,
            Lap.options,
            Lap.mistakes,
            Lap.sectors,
            Lap.segments,
            *(getattr(Lap, name) for name in _PLAIN),
        )
        .join(Driver, (Driver.team_id == Lap.team_id) & (Driver.id == Lap.driver_id))
        .join(PracticeSession, (PracticeSession.team_id == Lap.team_id) & (PracticeSession.id == Lap.session_id))
        .where(Lap.team_id == team_id, Lap.combination_id == combination_id)
    )
    if driver_ids is not None:
        query = query.where(Lap.driver_id.in_(driver_ids))
    return [StoredLap(row.id, row.version, _as_said(row, _lap(row)) if as_said else _lap(row)) for row in session.execute(query)]


def _as_said(row: Row[Any], lap: CoreLap) -> CoreLap:
    if row.said_wetness is None and row.said_air_temp_c is None and row.said_track_temp_c is None:
        return lap
    return replace(
        lap,
        wetness=row.said_wetness or lap.wetness,
        air_temp_c=row.said_air_temp_c if lap.air_temp_c is None else lap.air_temp_c,
        track_temp_c=row.said_track_temp_c if lap.track_temp_c is None else lap.track_temp_c,
    )


def _lap(row: Row[Any]) -> CoreLap:
    return CoreLap(
        driver=row.driver,
        session=row.session,
        session_local=datetime.fromisoformat(row.session_local) if row.session_local else None,
        number=row.number,
        strikes=tuple(_tokens(row.strikes)),
        incidents=tuple(Incident(*token.split(":", 1)) for token in _tokens(row.incidents)),
        flags=frozenset(_tokens(row.flags)),
        options=tuple(_pair(token, "=") for token in _tokens(row.options)),
        mistakes=tuple(_pair(token, ":") for token in _tokens(row.mistakes)),
        sectors=row.sectors or {},
        segments=row.segments or {},
        **{name: getattr(row, name) for name in _PLAIN},
    )


def _tokens(text: str | None) -> Iterable[str]:
    return text.split() if text else ()


def _pair(token: str, sign: str) -> tuple[str, str]:
    first, _, second = token.partition(sign)
    return first, second
