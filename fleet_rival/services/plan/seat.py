"""Who sits at the wheel now, for how long, and whether laps tell that it is enough."""

from collections import Counter, defaultdict
from collections.abc import Callable, Sequence
from dataclasses import asdict, dataclass, replace
from datetime import UTC, datetime, timedelta
from typing import Any, Final
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.clock import now
from fleet_rival.core.consistency import consistency_of
from fleet_rival.core.laps.marks import JudgedLap, judge
from fleet_rival.core.laps.verdict import failed
from fleet_rival.core.pace.falloff import falloff_of
from fleet_rival.core.pace.stop import SeatLap, Stop, Usual, seat_of, stop_now
from fleet_rival.core.settings import Planning, Settings
from fleet_rival.core.times import MICROSECONDS
from fleet_rival.core.track import Track
from fleet_rival.db.laps import laps_of
from fleet_rival.db.tables import Combination, Driver, Lap, Layout
from fleet_rival.services.find.analyses import without_intervals
from fleet_rival.services.plan.coming import coming_blocks
from fleet_rival.services.plan.problem import care_of
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.shared.planning import team_planning
from fleet_rival.services.track.tracks import load_track
from fleet_rival.services.week.combinations import settings_of
from fleet_rival.wording.seat import better_words, limit_words, stop_words

__all__ = ["Seat", "seats"]

_LOOK_BACK: Final = timedelta(hours=12)
_AHEAD: Final = timedelta(minutes=10)
"""Clocks of rigs go a little before."""
_ENOUGH: Final = 20
"""Clean laps from which a driver's own scatter and falloff are known."""
_IMPROVING: Final = frozenset({"learn", "build", "corner", None})
"""Purposes of runs that are driven to get faster."""


@dataclass(frozen=True, slots=True)
class Seat:
    """A driver at the wheel.

    Attributes:
        since: when they sat down: the first lap since the last break.
        over: beyond their seat limit.
        stop: why laps tell that it is enough; None where they don't.
        words: what to say to them; empty where all is well.
    """

    driver_id: UUID
    driver: str
    combination_id: UUID
    since: datetime
    minutes: float
    laps: int
    limit_minutes: float
    break_minutes: float
    over: bool
    stop: dict[str, Any] | None
    words: tuple[str, ...]


def seats(sessions: sessionmaker[Session], actor: Actor, clock: Callable[[], datetime] = now) -> list[Seat]:
    """Everybody who drove within their own break's time; a driver's own alone for who doesn't see all."""
    moment = clock()
    with sessions() as session:
        own = [Lap.team_id == actor.team_id, Lap.started_at > moment - _LOOK_BACK, Lap.started_at <= moment + _AHEAD]
        if not actor.sees_all:
            own.append(Lap.driver_id == (actor.driver_id or 0))
        query = (
            select(Lap.driver_id, Lap.started_at, Lap.time_us, Lap.combination_id, Lap.purpose, Lap.session_kind)
            .where(*own)
            .order_by(Lap.started_at, Lap.id)
        )
        by_driver: dict[int, list[Any]] = defaultdict(list)
        for row in session.execute(query):
            by_driver[row.driver_id].append(row)
        planning = team_planning(session, actor.team_id)
        of_team = (Driver.team_id == actor.team_id, Driver.id.in_(by_driver))
        found = [
            _seat(session, actor, driver, planning, by_driver[driver.id], moment)
            for driver in session.scalars(select(Driver).where(*of_team))
        ]
    return sorted((seat for seat in found if seat is not None), key=lambda item: item.driver)


def _seat(
    session: Session, actor: Actor, driver: Driver, planning: Planning, rows: Sequence[Any], moment: datetime
) -> Seat | None:
    care, _ = care_of(driver, planning)
    laps = [SeatLap(row.started_at.timestamp(), row.time_us / MICROSECONDS, fair=True, slip=False) for row in rows]
    seat = seat_of(laps, care.break_minutes * 60)
    last = seat[-1]
    ended = datetime.fromtimestamp(last.begins + last.seconds, UTC)
    if ended < moment - timedelta(minutes=care.break_minutes):
        return None
    since = datetime.fromtimestamp(seat[0].begins, UTC)
    minutes = (ended - since).total_seconds() / 60
    row = session.get_one(Combination, rows[-1].combination_id)
    stop = _stop(session, row, driver, since, rows[-1].purpose)
    # A race isn't broken off, and a rehearsal may last as long as its race.
    over = minutes > care.seat_limit_minutes and rows[-1].purpose != "rehearsal" and rows[-1].session_kind != "race"
    words = [limit_words(minutes, care.seat_limit_minutes, care.break_minutes)] if over else []
    if stop is not None:
        words.append(stop_words(stop))
    if words:
        # As they see it themselves, so that nobody else's blocks are loaded.
        coming = coming_blocks(session, replace(actor, role="driver", driver_id=driver.id), moment, moment)
        words.append(
            better_words(coming[0].words if coming else None, tired=over or (stop is not None and stop.kind == "tired"))
        )
    return Seat(
        driver.public_id,
        driver.name,
        row.public_id,
        since,
        minutes,
        len(seat),
        care.seat_limit_minutes,
        care.break_minutes,
        over,
        asdict(stop) if stop is not None else None,
        tuple(words),
    )


def _stop(session: Session, row: Combination, driver: Driver, since: datetime, purpose: str | None) -> Stop | None:
    track = load_track(session, session.get_one(Layout, row.layout_id), centreline=False)
    settings = settings_of(row)
    stored = [item.lap for item in laps_of(session, row.team_id, row.id, [driver.id], as_said=True)]
    before = [lap for lap in stored if lap.started_at is None or lap.started_at < since]
    usual, known = _usual(track, judge(track, before, settings), settings)
    now = [
        item
        for item in judge(
            track, [lap for lap in stored if lap.started_at is not None and lap.started_at >= since], settings
        )
        if item.flying
    ]
    first: dict[tuple[str, int | None], int] = {}
    laps = []
    for item in sorted(now, key=lambda one: (one.lap.started_at, one.lap.number)):
        begun = first.setdefault((item.lap.session, item.lap.run), item.lap.number)
        slip = failed(item) or bool(item.lap.mistakes)
        # Where falloff isn't known, a long run's laps get slower for a reason that isn't the driver.
        fair = item.clean and (known or item.lap.purpose not in ("long", "rehearsal"))
        begins = item.lap.started_at.timestamp() if item.lap.started_at is not None else 0.0
        laps.append(SeatLap(begins, item.lap.time_us / MICROSECONDS, fair, slip, item.lap.number - begun))
    return stop_now(laps, usual, improving=purpose in _IMPROVING)


def _usual(track: Track, judged: Sequence[JudgedLap], settings: Settings) -> tuple[Usual, bool]:
    """What is usual for a driver by the laps before, and whether falloff is among it."""
    flying = [place for place, item in enumerate(judged) if item.eligible]
    if sum(judged[place].clean for place in flying) < _ENOUGH:
        return Usual(), False
    groups = Counter(judged[place].group for place in flying)
    group = max(groups, key=lambda one: groups[one])
    members = [place for place in flying if judged[place].group == group]
    told = consistency_of(track, judged, members, without_intervals(settings))
    slope = falloff_of(judged, members, settings).net
    slips = sum(not judged[place].clean for place in members) / len(members)
    scatter = told.spread_pct / 100 if told.spread_pct is not None else Usual().scatter
    return Usual(scatter, slips, slope.value / MICROSECONDS if slope is not None else 0.0), slope is not None
