"""Laps between the core's values and the rows of the database; in bulk, without the ORM."""

from collections import defaultdict
from collections.abc import Collection, Mapping, Sequence
from dataclasses import replace
from datetime import datetime
from operator import attrgetter
from typing import Any, NamedTuple

from sqlalchemy import func, select, tuple_
from sqlalchemy.orm import Session

from fleet_rival.core.laps.lap import Crossing, Incident, Pull
from fleet_rival.core.laps.lap import Lap as CoreLap
from fleet_rival.core.laps.verdict import is_guests
from fleet_rival.core.laps.weather import Weather, wetness_at
from fleet_rival.core.words import GUEST, INCIDENTS, PART_FLAGS
from fleet_rival.db.tables import Driver, Lap, PracticeSession, Remark, TraceRow

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
    "plus_minus_us",
)
"""Fields that the core and the table hold alike."""


_plain_of = attrgetter(*_PLAIN)


class StoredLap(NamedTuple):
    """A lap as the core knows it, and where it is stored."""

    id: int
    version: int
    lap: CoreLap


class _Remarked(NamedTuple):
    """What somebody said of a corner: a tag, and what it came from."""

    corner: str
    kind: str | None
    because: str | None


class _Around(NamedTuple):
    """Of a row what isn't the lap's own: where it is stored, and what was said of its driver and its session."""

    id: int
    version: int
    guest: bool
    wetness: str | None
    air_temp_c: float | None
    track_temp_c: float | None
    session_id: int
    weather: list[dict[str, Any]] | None


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
    values["said"] = dict(lap.said) or None
    return values


_OF_SESSION = ("wetness", "air_temp_c", "track_temp_c", "id", "weather")
"""What of its session stands around a lap, in the order of `_Around`."""
_LISTED = ("number", "strikes", "incidents", "flags", "options", "mistakes", "sectors", "segments", "said")
"""What isn't taken over as it stands, in the order of `_lap`."""


def laps_of(
    session: Session,
    team_id: int,
    combination_id: int,
    driver_ids: Sequence[int] | None = None,
    *,
    runs: Collection[tuple[int, int, int]] | None = None,
    as_said: bool = False,
) -> list[StoredLap]:
    """All laps of a combination, or of some of its drivers or runs, in no particular order.

    Args:
        runs: driver's key, session's key and number of each run.
        as_said: with what people said afterwards: the conditions of their session (the weather in any case,
            temperatures where a lap has none), remarks about what happened where, and that a driver is a guest; and
            with how they came over their boundaries, where they have traces.
    """
    around = (Lap.id, Lap.version, Driver.guest, *(getattr(PracticeSession, name) for name in _OF_SESSION))
    own = (Driver.name, PracticeSession.label, PracticeSession.session_local)
    query: Any = (
        select(*around, *own, *(getattr(Lap, name) for name in (*_LISTED, *_PLAIN)))
        .join(Driver, (Driver.team_id == Lap.team_id) & (Driver.id == Lap.driver_id))
        .join(PracticeSession, (PracticeSession.team_id == Lap.team_id) & (PracticeSession.id == Lap.session_id))
        .where(Lap.team_id == team_id, Lap.combination_id == combination_id)
    )
    if driver_ids is not None:
        query = query.where(Lap.driver_id.in_(driver_ids))
    if runs is not None:
        query = query.where(tuple_(Lap.driver_id, Lap.session_id, Lap.run).in_(runs))
    session.flush()
    # Columns alone, thousands of rows: past what makes objects of them.
    rows = [
        (_Around._make(row[: len(_Around._fields)]), row[len(_Around._fields) :])
        for row in session.connection().execute(query)
    ]
    if not as_said:
        return [StoredLap(around.id, around.version, _lap(facts)) for around, facts in rows]
    keys = None if runs is None else [around.id for around, _ in rows]
    remarks = _remarks(session, team_id, combination_id, keys)
    begun = _begun(session, team_id, {around.session_id for around, _ in rows if around.weather})
    traced = _traced(session, team_id, combination_id, keys)
    return [
        StoredLap(
            around.id,
            around.version,
            _as_said(
                around, _lap(facts, traced.get(around.id)), remarks.get(around.id, ()), begun.get(around.session_id)
            ),
        )
        for around, facts in rows
    ]


def _traced(
    session: Session, team_id: int, combination_id: int, lap_ids: Collection[int] | None
) -> dict[int, dict[str, Any]]:
    """How laps with traces came over their boundaries, and how they pulled at full throttle, by the lap's key."""
    query = select(TraceRow.lap_id, TraceRow.crossings, TraceRow.pulls).where(
        TraceRow.team_id == team_id, TraceRow.combination_id == combination_id
    )
    if lap_ids is not None:
        query = query.where(TraceRow.lap_id.in_(lap_ids))
    return {
        lap_id: {
            "crossings": {code: Crossing(*item) for code, item in crossings.items()},
            "pulls": {code: Pull(first, tuple(speeds)) for code, (first, speeds) in (pulls or {}).items()},
        }
        for lap_id, crossings, pulls in session.execute(query)
    }


def _remarks(
    session: Session, team_id: int, combination_id: int, lap_ids: Collection[int] | None
) -> dict[int, list[_Remarked]]:
    """What people remarked of corners, by lap."""
    own = (Remark.team_id == team_id, Remark.combination_id == combination_id, Remark.corner.is_not(None))
    query = select(Remark.lap_id, Remark.corner, Remark.kind, Remark.because).where(
        *own, Remark.kind.is_not(None) | Remark.because.in_(PART_FLAGS)
    )
    if lap_ids is not None:
        query = query.where(Remark.lap_id.in_(lap_ids))
    out: dict[int, list[_Remarked]] = defaultdict(list)
    for key, corner, kind, because in session.execute(query.order_by(Remark.id)):
        out[key].append(_Remarked(str(corner), kind, because))
    return out


def _begun(session: Session, team_id: int, keys: Collection[int]) -> dict[int, datetime]:
    """When sessions began: their first lap."""
    if not keys:
        return {}
    query = (
        select(Lap.session_id, func.min(Lap.started_at))
        .where(Lap.team_id == team_id, Lap.session_id.in_(keys))
        .group_by(Lap.session_id)
    )
    return {key: moment for key, moment in session.execute(query) if moment is not None}


def _as_said(around: _Around, lap: CoreLap, remarks: Sequence[_Remarked], begun: datetime | None) -> CoreLap:
    values: dict[str, Any] = {}
    if around.guest and not is_guests(lap):
        values["flags"] = lap.flags | {GUEST}
    weather = None
    if around.weather and begun is not None and lap.started_at is not None:
        changes = [Weather(item["minute"], item["wetness"]) for item in around.weather]
        weather = wetness_at(changes, (lap.started_at - begun).total_seconds())
    if said := weather or around.wetness:
        values["wetness"] = said
    if around.air_temp_c is not None and lap.air_temp_c is None:
        values["air_temp_c"] = around.air_temp_c
    if around.track_temp_c is not None and lap.track_temp_c is None:
        values["track_temp_c"] = around.track_temp_c
    if remarks:
        tagged = [(corner, kind) for corner, kind, _ in remarks if kind is not None]
        happened = [Incident(kind, corner) for corner, kind in tagged if kind in INCIDENTS]
        others = {f"{because}:{corner}" for corner, _, because in remarks if because in PART_FLAGS}
        values["flags"] = values.get("flags", lap.flags) | others
        values["incidents"] = tuple(dict.fromkeys((*lap.incidents, *happened)))
        values["strikes"] = tuple(
            dict.fromkeys((*lap.strikes, *(corner for corner, kind in tagged if kind == "limits")))
        )
        values["mistakes"] = tuple(dict.fromkeys((*lap.mistakes, *tagged)))
    return replace(lap, **values) if values else lap


def _lap(facts: Sequence[Any], traced: Mapping[str, Any] | None = None) -> CoreLap:
    (
        driver,
        session,
        session_local,
        number,
        strikes,
        incidents,
        flags,
        options,
        mistakes,
        sectors,
        segments,
        said,
        *plain,
    ) = facts
    values = dict(zip(_PLAIN, plain, strict=True))
    # Most laps have nothing of these.
    if session_local:
        values["session_local"] = datetime.fromisoformat(session_local)
    if strikes:
        values["strikes"] = tuple(strikes.split())
    if incidents:
        values["incidents"] = tuple(Incident(*token.split(":", 1)) for token in incidents.split())
    if flags:
        values["flags"] = frozenset(flags.split())
    if options:
        values["options"] = tuple(_pair(token, "=") for token in options.split())
    if mistakes:
        values["mistakes"] = tuple(_pair(token, ":") for token in mistakes.split())
    if said:
        values["said"] = said
    if traced:
        values |= traced
    return CoreLap(
        driver=driver, session=session, number=number, sectors=sectors or {}, segments=segments or {}, **values
    )


def _pair(token: str, sign: str) -> tuple[str, str]:
    first, _, second = token.partition(sign)
    return first, second
