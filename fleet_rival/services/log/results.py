"""What races brought: a result for each start, as the driver saw it; a week's points follow from its starts'."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any, Final
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.core.season.weeks import SeriesWeek
from fleet_rival.core.words import MISTAKES
from fleet_rival.db.tables import Driver, Entry, LayoutCorner, Person, RaceResult, Series, SeriesWeekRow
from fleet_rival.services.shared.base import Actor, about, begin_change, check_version, find_row
from fleet_rival.services.shared.errors import Conflict, NotThere, Refused
from fleet_rival.services.week.points import count_points
from fleet_rival.services.week.rows import load_weeks

__all__ = [
    "HAPPENED",
    "PastRace",
    "ResultView",
    "add_result",
    "change_result",
    "past_races",
    "remove_result",
    "results_of",
]

HAPPENED: Final = MISTAKES
"""Words for what happened: those for mistakes."""
_MOST_STARTS: Final = 30
_FIELDS: Final = ("starts_at", "qualifying_us", "grid", "finish", "laps", "stops", "incidents", "points", "note")


@dataclass(frozen=True, slots=True)
class ResultView:
    """What one start brought."""

    id: UUID
    version: int
    starts_at: datetime
    qualifying_us: int | None
    grid: int | None
    finish: int | None
    laps: int | None
    stops: tuple[Mapping[str, Any], ...]
    incidents: tuple[Mapping[str, Any], ...]
    points: float | None
    note: str | None
    by: str


@dataclass(frozen=True, slots=True)
class PastRace:
    """An entry whose first start is over, with what was written down of its starts."""

    entry_id: UUID
    driver_id: UUID
    driver: str
    week_id: UUID
    facts: SeriesWeek
    starts: tuple[datetime, ...]
    results: tuple[ResultView, ...]
    points: float | None

    @property
    def last(self) -> datetime:
        """The start that was last."""
        return max((*self.starts, *(item.starts_at for item in self.results)), default=datetime.min.replace(tzinfo=UTC))


def past_races(
    sessions: sessionmaker[Session], actor: Actor, moment: datetime, only: UUID | None = None
) -> list[PastRace]:
    """Entries with a start that is over or a result, the last race first; a driver's own alone.

    Args:
        only: one entry, where no other is asked for.
    """
    with sessions() as session:
        weeks = {item.row.id: item for item in load_weeks(session, actor)}
        query = (
            select(Entry, Driver)
            .join(Driver, (Driver.team_id == Entry.team_id) & (Driver.id == Entry.driver_id))
            .where(Entry.team_id == actor.team_id, Entry.week_id.in_(weeks))
        )
        if not actor.sees_all:
            query = query.where(Entry.driver_id == actor.driver_id)
        if only is not None:
            query = query.where(Entry.public_id == only)
        rows = session.execute(query).all()
        written = results_of(session, actor, [row.id for row, _ in rows])
        out = []
        for row, driver in rows:
            gone = tuple(start for text in row.starts if (start := datetime.fromisoformat(text)) <= moment)
            if gone or written.get(row.id):
                week = weeks[row.week_id]
                results = tuple(written.get(row.id, ()))
                out.append(
                    PastRace(
                        row.public_id,
                        driver.public_id,
                        driver.name,
                        week.row.public_id,
                        week.facts,
                        gone,
                        results,
                        row.points,
                    )
                )
    return sorted(out, key=lambda item: (-item.last.timestamp(), item.driver, item.facts.series))


def results_of(session: Session, actor: Actor, entry_keys: Iterable[int]) -> dict[int, list[ResultView]]:
    """Results of some entries, by the entry's inner key, in the order of their starts."""
    query = (
        select(RaceResult, Person.name)
        .join(Person, Person.id == RaceResult.person_id)
        .where(RaceResult.team_id == actor.team_id, RaceResult.entry_id.in_(list(entry_keys)))
        .order_by(RaceResult.starts_at)
    )
    out: dict[int, list[ResultView]] = {}
    for row, by in session.execute(query):
        out.setdefault(row.entry_id, []).append(
            ResultView(
                row.public_id,
                row.version,
                row.starts_at,
                row.qualifying_us,
                row.grid,
                row.finish,
                row.laps,
                tuple(row.stops),
                tuple(row.incidents),
                row.points,
                row.note,
                by,
            )
        )
    return out


def add_result(sessions: sessionmaker[Session], actor: Actor, entry_id: UUID, values: Mapping[str, Any]) -> UUID:
    """Write down what a start brought; a driver the own ones.

    Args:
        values: after `RaceResult`'s columns; what is missing is unknown.

    Raises:
        NotThere: no such entry, or not the actor's.
        Conflict: this start has a result already.
        Refused: a corner that the track hasn't, a start outside the week, or too many starts.
    """
    try:
        with sessions.begin() as session:
            entry = _entry(session, actor, entry_id)
            told = _checked(session, actor, entry, values)
            if len(list(_of(session, entry))) >= _MOST_STARTS:
                raise Refused(f"More than {_MOST_STARTS} starts a week can't be.")
            change_set = begin_change(
                session, actor, "result.add", f"Wrote down what a race brought {_whose(session, entry)}"
            )
            row = RaceResult(team_id=actor.team_id, entry_id=entry.id, person_id=actor.person_id, **told)
            session.add(row)
            session.flush()
            about(session, change_set, row)
            count_points(session, actor, [entry])
            return row.public_id
    except IntegrityError as error:
        raise Conflict("This start has a result already.") from error


def change_result(
    sessions: sessionmaker[Session], actor: Actor, result_id: UUID, version: int, values: Mapping[str, Any]
) -> None:
    """Change what was written down of a start.

    Raises:
        Outdated: somebody changed it meanwhile.
        NotThere, Conflict, Refused: as for a new one.
    """
    try:
        with sessions.begin() as session:
            row = find_row(session, RaceResult, actor, result_id, "result", lock=True)
            entry = _own(session, actor, session.get_one(Entry, row.entry_id, with_for_update=True))
            check_version(row, version, "result")
            told = _checked(session, actor, entry, values)
            begin_change(session, actor, "result.change", f"Changed what a race brought {_whose(session, entry)}", row)
            for name in _FIELDS:
                if getattr(row, name) != told[name]:
                    setattr(row, name, told[name])
            session.flush()
            count_points(session, actor, [entry])
    except IntegrityError as error:
        raise Conflict("This start has a result already.") from error


def remove_result(sessions: sessionmaker[Session], actor: Actor, result_id: UUID, version: int) -> None:
    """Take a result out."""
    with sessions.begin() as session:
        row = find_row(session, RaceResult, actor, result_id, "result", lock=True)
        entry = _own(session, actor, session.get_one(Entry, row.entry_id, with_for_update=True))
        check_version(row, version, "result")
        begin_change(session, actor, "result.remove", f"Took out what a race brought {_whose(session, entry)}", row)
        had = row.points is not None
        session.delete(row)
        session.flush()
        # Points that somebody entered for the week as a whole stay.
        if had and not list(_of(session, entry)):
            entry.points = None
        count_points(session, actor, [entry])


def _of(session: Session, entry: Entry) -> Iterable[RaceResult]:
    return session.scalars(
        select(RaceResult).where(RaceResult.team_id == entry.team_id, RaceResult.entry_id == entry.id)
    )


def _entry(session: Session, actor: Actor, entry_id: UUID) -> Entry:
    return _own(session, actor, find_row(session, Entry, actor, entry_id, "entry", lock=True))


def _own(session: Session, actor: Actor, entry: Entry) -> Entry:
    if not actor.sees_all and entry.driver_id != actor.driver_id:
        raise NotThere("This entry doesn't exist, or no longer does.")
    return entry


def _whose(session: Session, entry: Entry) -> str:
    week = session.get_one(SeriesWeekRow, entry.week_id)
    return (
        f"{session.get_one(Driver, entry.driver_id).name}, {session.get_one(Series, week.series_id).name}, week "
        f"{week.number}"
    )


def _checked(session: Session, actor: Actor, entry: Entry, values: Mapping[str, Any]) -> dict[str, Any]:
    week = next(item for item in load_weeks(session, actor, SeriesWeekRow.id == entry.week_id))
    at = values["starts_at"].astimezone(UTC)
    begins, ends = week.facts.window
    if not begins <= at < ends:
        raise Refused("This start isn't in the week: its day or its hour is another one.")
    named = {item["corner"] for item in values.get("incidents") or () if item.get("corner")}
    if named:
        own = (LayoutCorner.team_id == entry.team_id, LayoutCorner.layout_id == week.row.layout_id)
        unknown = named - set(session.scalars(select(LayoutCorner.code).where(*own)))
        if unknown:
            raise Refused(f"The track has no corner {', '.join(sorted(unknown))}.")
    out = {name: values.get(name) for name in _FIELDS}
    return {
        **out,
        "starts_at": at,
        "stops": [dict(item) for item in values.get("stops") or ()],
        "incidents": [dict(item) for item in values.get("incidents") or ()],
        "note": (values.get("note") or "").strip() or None,
    }
