"""How a driver's readiness came about over the week, and how it stood at the race in earlier weeks, beside what
happened there.
"""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import asdict, dataclass
from datetime import UTC, datetime, timedelta
from typing import Final
from uuid import UUID

from sqlalchemy import func, select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.clock import now
from fleet_rival.core.corners.helped import Helped
from fleet_rival.core.planning.readiness import readiness, total
from fleet_rival.core.season.zones import day_begins, known_zone
from fleet_rival.core.standing import standings_of
from fleet_rival.core.words import CheckState
from fleet_rival.db.tables import Combination, Driver, Entry, Lap, Layout, SeriesWeekRow
from fleet_rival.services.find.analyses import analysed, without_intervals
from fleet_rival.services.find.look import asked_look
from fleet_rival.services.find.overview.cells import cell, with_standings
from fleet_rival.services.find.overview.fresh import up_to_date
from fleet_rival.services.find.overview.load import DriverState, Loaded, WeekState
from fleet_rival.services.fix.work import helped_by_kind
from fleet_rival.services.plan.evidence import driven_runs, evidence_of
from fleet_rival.services.plan.rules import OwnRules, own_rules
from fleet_rival.services.shared.base import UNWATCHED, Actor, Work
from fleet_rival.services.shared.errors import NotThere
from fleet_rival.services.track.tracks import load_track
from fleet_rival.services.week import entries
from fleet_rival.wording.work import LOOKING_BACK, WEEKS_BEFORE

__all__ = ["readiness_history"]

_EARLIER: Final = 6
"""Weeks behind that are looked at."""


@dataclass(frozen=True, slots=True)
class Stood:
    """Readiness at a moment.

    Attributes:
        total: 0 to 1.
        open: how many checks were open.
        laps: driven by then.
        states: of each check.
    """

    total: float
    open: int
    laps: int
    states: dict[str, CheckState]


@dataclass(frozen=True, slots=True)
class DayBehind(Stood):
    """How it stood at the end of a day."""

    at: datetime


@dataclass(frozen=True, slots=True)
class WeekBehind(Stood):
    """How it stood at the race of an earlier week, and the points of that race."""

    series: str
    place: str
    number: int
    race_at: datetime
    points: float | None


@dataclass(frozen=True, slots=True)
class ReadinessBehind:
    """How an entry's readiness came about."""

    entry_id: UUID
    days: tuple[DayBehind, ...]
    earlier: tuple[WeekBehind, ...]


def readiness_history(
    sessions: sessionmaker[Session],
    actor: Actor,
    entry_id: UUID,
    work: Work = UNWATCHED,
    clock: Callable[[], datetime] = now,
) -> ReadinessBehind:
    """Readiness at the end of each day on which laps were driven, and at the race in earlier weeks.

    What laps tell is told as they stood then; references, targets and what work has brought are those of now.

    Raises:
        NotThere: no such entry, or not the actor's; or its week isn't one that is shown at any time.
    """
    now = clock()
    helped = helped_by_kind(sessions, actor)
    entry = entries.entry(sessions, actor, entry_id)
    with sessions() as session:
        rules = own_rules(session, actor)
        earlier = _earlier(session, actor, entry_id)
        begins = session.scalars(
            select(SeriesWeekRow.begins).where(
                SeriesWeekRow.team_id == actor.team_id, SeriesWeekRow.public_id == entry.week_id
            )
        )
        noon = datetime.combine(begins.one(), datetime.min.time(), UTC) + timedelta(hours=36)
    loaded = up_to_date(sessions, actor, now)
    week, driver = _place(loaded, entry.week_id, entry.driver_id)
    if week is None or driver is None:
        loaded = up_to_date(sessions, actor, noon)
        week, driver = _place(loaded, entry.week_id, entry.driver_id)
    if week is None or driver is None:
        raise NotThere("This week isn’t shown on any board.")
    moments = _days(sessions, actor, loaded, week, driver, now)
    days = []
    for number, (shown, until) in enumerate(moments):
        work.step(0.1 + 0.6 * number / len(moments), LOOKING_BACK)
        stood = _stood(sessions, actor, loaded, week, driver, until, rules, helped)
        days.append(DayBehind(**asdict(stood), at=shown))
    behind = []
    for number, (week_id, points, race_at) in enumerate(earlier):
        work.step(0.7 + 0.3 * number / len(earlier), WEEKS_BEFORE)
        then = up_to_date(sessions, actor, race_at - timedelta(minutes=1))
        its_week, its_driver = _place(then, week_id, entry.driver_id)
        if its_week is not None and its_driver is not None:
            told = _stood(sessions, actor, then, its_week, its_driver, race_at, rules, helped)
            facts = its_week.facts
            behind.append(
                WeekBehind(
                    **asdict(told),
                    series=facts.series,
                    place=facts.place,
                    number=facts.week,
                    race_at=race_at,
                    points=points,
                )
            )
    out = ReadinessBehind(entry_id, tuple(days), tuple(behind))
    with sessions.begin() as session:
        work.finish(session, out)
    return out


def _place(loaded: Loaded, week_id: UUID, driver_id: UUID) -> tuple[WeekState | None, DriverState | None]:
    week = next((item for item in loaded.shown if item.row.public_id == week_id), None)
    return week, next((item for item in loaded.drivers if item.id == driver_id), None)


def _days(
    sessions: sessionmaker[Session], actor: Actor, loaded: Loaded, week: WeekState, driver: DriverState, now: datetime
) -> Sequence[tuple[datetime, datetime]]:
    """Ends of days on which the driver drove for this week: the day, and the moment until which laps count."""
    own = cell(loaded, week, driver)
    if own.combination is None:
        return ()
    stretch = week.stretches[own.combination.key]
    with sessions() as session:
        row = session.get_one(Driver, driver.key)
        zone = known_zone(row.zone or "UTC")
        query = select(Lap.started_at).where(
            Lap.team_id == actor.team_id,
            Lap.driver_id == driver.key,
            Lap.combination_id == own.combination.key,
            Lap.started_at >= stretch.since,
            Lap.started_at < min(stretch.until, now),
        )
        days = sorted({moment.astimezone(zone).date() for moment in session.scalars(query) if moment is not None})
    return [(day_begins(day, zone), day_begins(day + timedelta(days=1), zone)) for day in days]


def _stood(
    sessions: sessionmaker[Session],
    actor: Actor,
    loaded: Loaded,
    week: WeekState,
    driver: DriverState,
    until: datetime,
    rules: OwnRules,
    helped: Mapping[str, Helped],
) -> Stood:
    """Readiness as it stood at a moment."""
    own = cell(loaded, week, driver)
    with sessions() as session:
        driven = driven_runs(session, actor, until)
        if own.combination is not None:
            row = session.get_one(Combination, own.combination.key)
            look = asked_look(sessions, actor, row.public_id, week.row.public_id, until=until)
            track = load_track(session, session.get_one(Layout, row.layout_id), centreline=False)
            settings = without_intervals(look.settings(row))
            laps = look.laps(session, actor, row, [driver.key])
            found = analysed(track, laps, settings).drivers.get(driver.name)
            own = with_standings(own, week, standings_of(found, settings) if found else (), len(laps))
    evidence = evidence_of(sessions, actor, loaded, week, driver, own, driven, helped, until)
    checks = readiness(evidence, rules.readiness)
    return Stood(
        total(checks, rules.readiness),
        sum(check.state == "open" for check in checks),
        evidence.laps,
        {check.key: check.state for check in checks},
    )


def _earlier(session: Session, actor: Actor, entry_id: UUID) -> list[tuple[UUID, float | None, datetime]]:
    """The driver's weeks before this one: week, points, and when the race was; the last ones, the oldest first."""
    in_week = (SeriesWeekRow.team_id == Entry.team_id) & (SeriesWeekRow.id == Entry.week_id)
    own = select(Entry.driver_id, SeriesWeekRow.begins).join(SeriesWeekRow, in_week)
    driver, begins = session.execute(own.where(Entry.team_id == actor.team_id, Entry.public_id == entry_id)).one()
    query = (
        select(Entry, SeriesWeekRow.public_id, SeriesWeekRow.ends)
        .join(SeriesWeekRow, in_week)
        .where(
            Entry.team_id == actor.team_id,
            Entry.driver_id == driver,
            SeriesWeekRow.ends <= begins,
            func.json_length(Entry.starts) > 0,
        )
        .order_by(SeriesWeekRow.ends.desc(), SeriesWeekRow.id)
        .limit(_EARLIER)
    )
    return [
        (week_id, row.points, datetime.fromisoformat(row.starts[-1])) for row, week_id, _ in session.execute(query)
    ][::-1]
