"""How alike a driver's laps were, week by week: across tracks, by seconds per root of the minute, beside the team's middle there."""

from dataclasses import dataclass
from datetime import datetime
from math import sqrt
from statistics import median
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.core.standing import Standing
from fleet_rival.core.times import MICROSECONDS
from fleet_rival.db.tables import Car, Combination, Driver, Lap, Layout, TrackRow
from fleet_rival.services import standing
from fleet_rival.services.base import Actor, find_row
from fleet_rival.services.find import may_see
from fleet_rival.services.series_rows import load_weeks
from fleet_rival.services.standing import ALL_TIME, LARGE_FROM_LAPS, Wanted, stretch_of
from fleet_rival.services.week import settings_of

__all__ = ["WeekSpread", "steadiness"]


@dataclass(frozen=True, slots=True)
class WeekSpread:
    """A driver's laps of one week's combination; of all times where no week has it."""

    combination_id: UUID
    week_id: UUID | None
    place: str
    car: str
    series: str | None
    number: int | None
    begins_at: datetime | None
    clean: int
    sure: str
    spread_s_per_sqrt_min: float | None
    """None: too few clean laps."""
    team_ratio: float | None
    """Over the team's median there; None with nobody to compare with."""


def steadiness(sessions: sessionmaker[Session], actor: Actor, driver_id: UUID) -> list[WeekSpread]:
    """A driver's weeks, the oldest first. Figures that are missing or out of date are made now where that is quick.

    Raises:
        NotThere: no such driver, or not the actor's business.
    """
    may_see(sessions, actor, driver_id)
    with sessions() as session:
        driver = find_row(session, Driver, actor, driver_id, "driver")
        driven = select(Lap.combination_id).where(Lap.team_id == actor.team_id, Lap.driver_id == driver.id).distinct()
        rows = list(session.scalars(select(Combination).where(Combination.team_id == actor.team_id, Combination.id.in_(driven))))
        weeks = load_weeks(session, actor)
        wanted: dict[Wanted, tuple[Combination, UUID | None, str | None, int | None, datetime | None]] = {}
        for row in rows:
            mine = [item for item in weeks if item.row.layout_id == row.layout_id and item.has_car(row.car_id)]
            for item in mine:
                stretch = stretch_of(item, row.car_id, mine, settings_of(row))
                wanted[Wanted(row.id, stretch)] = (row, item.row.public_id, item.facts.series, item.facts.week, item.facts.window[0])
            if not mine:
                wanted[Wanted(row.id, ALL_TIME)] = (row, None, None, None, None)
        names = _names(session, actor, rows)
        known = standing.kept(session, actor.team_id, list(wanted))
        old = {key.combination_id for key in wanted if key not in known or not known[key].right}
        sizes = standing.sizes(session, actor.team_id, old)
    quick = [key for key, size in sizes.items() if size <= LARGE_FROM_LAPS]
    for combination_id in quick:
        standing.refresh(sessions, actor.team_id, combination_id, [key.stretch for key in wanted if key.combination_id == combination_id])
    if quick:
        with sessions() as session:
            known = standing.kept(session, actor.team_id, list(wanted))
    out = []
    for key, (row, week_id, series, number, begins) in wanted.items():
        found = known.get(key)
        own = found.drivers.get(driver.id) if found else None
        if found is None or not own:
            continue
        main = own[0]
        team = [value for standings in found.drivers.values() for item in standings if _same(item, main) and (value := _spread(item)) is not None]
        spread = _spread(main)
        ratio = spread / median(team) if spread is not None and len(team) > 1 else None
        out.append(WeekSpread(row.public_id, week_id, *names[row.id], series, number, begins, main.clean, main.sure, spread, ratio))
    return sorted(out, key=lambda item: (item.begins_at is not None, item.begins_at.timestamp() if item.begins_at else 0.0, item.place))


def _same(one: Standing, other: Standing) -> bool:
    return (one.wetness, one.compound, one.race) == (other.wetness, other.compound, other.race)


def _spread(item: Standing) -> float | None:
    """Adjusted deviation in seconds over the root of the median lap in minutes."""
    if item.spread_pct is None or not item.median_us:
        return None
    lap_s = item.median_us / MICROSECONDS
    return item.spread_pct / 100 * lap_s / sqrt(lap_s / 60)


def _names(session: Session, actor: Actor, rows: list[Combination]) -> dict[int, tuple[str, str]]:
    """Place and car of combinations."""
    query = (
        select(Combination.id, TrackRow.name, Layout.name, Car.name)
        .join(Layout, (Layout.team_id == Combination.team_id) & (Layout.id == Combination.layout_id))
        .join(TrackRow, (TrackRow.team_id == Layout.team_id) & (TrackRow.id == Layout.track_id))
        .join(Car, (Car.team_id == Combination.team_id) & (Car.id == Combination.car_id))
        .where(Combination.team_id == actor.team_id, Combination.id.in_([row.id for row in rows]))
    )
    return {key: (f"{track}, {layout}", car) for key, track, layout, car in session.execute(query)}
