"""How alike a driver's laps were, week by week: across tracks, by seconds per root of the minute, beside the team's
middle there.
"""

from collections.abc import Iterable
from collections.abc import Set as AbstractSet
from dataclasses import dataclass
from datetime import datetime
from math import sqrt
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.core.consistency import ratio_to_team
from fleet_rival.core.standing import Standing
from fleet_rival.core.times import MICROSECONDS
from fleet_rival.db.tables import Car, Combination, Driver, Lap, Layout, TrackRow
from fleet_rival.services.find import standing
from fleet_rival.services.find.figures import may_see
from fleet_rival.services.find.standing import LARGE_FROM_LAPS, Wanted
from fleet_rival.services.shared.base import Actor, find_row
from fleet_rival.services.week.combinations import settings_of
from fleet_rival.services.week.rows import load_weeks
from fleet_rival.services.week.stretches import ALL_TIME, stretch_of

__all__ = ["DrivenWeek", "Steadiness", "WeekSpread", "catch_up", "driven_weeks", "steadiness"]


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
    out_of_date: bool
    """Laps came or marks changed since; figures are made in the background."""


@dataclass(frozen=True, slots=True)
class Steadiness:
    """A driver's weeks."""

    items: list[WeekSpread]
    behind: int
    """How many weeks have figures that are missing or out of date, of combinations that take long: somebody should
    call `catch_up`.
    """


@dataclass(frozen=True, slots=True)
class _Week:
    """What a driver may have driven in."""

    row: Combination
    week_id: UUID | None
    series: str | None
    number: int | None
    begins_at: datetime | None


@dataclass(frozen=True, slots=True)
class DrivenWeek:
    """A week in which a driver drove.

    Attributes:
        team: everybody's figures there, the driver's own among them.
        out_of_date: laps came or marks changed since.
    """

    week: _Week
    place: str
    car: str
    main: Standing
    team: tuple[Standing, ...]
    ideal_us: int | None
    out_of_date: bool


def steadiness(sessions: sessionmaker[Session], actor: Actor, driver_id: UUID) -> Steadiness:
    """A driver's weeks, the oldest first. Figures that are missing or out of date are made now where that is quick.

    Raises:
        NotThere: no such driver, or not the actor's business.
    """
    found, behind = driven_weeks(sessions, actor, driver_id)
    out = []
    for item in found:
        main, week = item.main, item.week
        team = [value for other in item.team if _same(other, main) and (value := _spread(other)) is not None]
        spread = _spread(main)
        ratio = ratio_to_team(spread, team)
        where = (week.row.public_id, week.week_id, item.place, item.car, week.series, week.number, week.begins_at)
        out.append(WeekSpread(*where, main.clean, main.sure, spread, ratio, out_of_date=item.out_of_date))
    return Steadiness(out, behind)


def driven_weeks(sessions: sessionmaker[Session], actor: Actor, driver_id: UUID) -> tuple[list[DrivenWeek], int]:
    """A driver's weeks with the figures that are kept of them, the oldest first, and how many are behind.

    Raises:
        NotThere: no such driver, or not the actor's business.
    """
    may_see(sessions, actor, driver_id)
    with sessions() as session:
        driver = find_row(session, Driver, actor, driver_id, "driver")
        wanted = _wanted(session, actor, driver)
        names = _names(session, actor, [week.row for week in wanted.values()])
        sizes = _old(session, actor, wanted)
    _refresh(sessions, actor, wanted, {key for key, size in sizes.items() if size <= LARGE_FROM_LAPS})
    with sessions() as session:
        known = standing.kept(session, actor.team_id, list(wanted))
    late = {key for key in wanted if key.combination_id in sizes and (key not in known or not known[key].right)}
    out = []
    for key, week in wanted.items():
        found = known.get(key)
        own = found.drivers.get(driver.id) if found else None
        if found is None or not own:
            continue
        team = tuple(item for standings in found.drivers.values() for item in standings)
        out.append(DrivenWeek(week, *names[week.row.id], own[0], team, found.ideal_us, out_of_date=key in late))
    return sorted(out, key=_order), len(late)


def _order(item: DrivenWeek) -> tuple[bool, float, str]:
    begins = item.week.begins_at
    return (begins is not None, begins.timestamp() if begins else 0.0, item.place)


def catch_up(sessions: sessionmaker[Session], actor: Actor, driver_id: UUID) -> None:
    """Make all figures anew that a driver's weeks need, however long it takes."""
    with sessions() as session:
        wanted = _wanted(session, actor, find_row(session, Driver, actor, driver_id, "driver"))
        sizes = _old(session, actor, wanted)
    _refresh(sessions, actor, wanted, sizes.keys())


def _wanted(session: Session, actor: Actor, driver: Driver) -> dict[Wanted, _Week]:
    """The weeks of all combinations that somebody drove."""
    driven = select(Lap.combination_id).where(Lap.team_id == actor.team_id, Lap.driver_id == driver.id).distinct()
    weeks = load_weeks(session, actor)
    wanted: dict[Wanted, _Week] = {}
    for row in session.scalars(
        select(Combination).where(Combination.team_id == actor.team_id, Combination.id.in_(driven))
    ):
        mine = [item for item in weeks if item.row.layout_id == row.layout_id and item.has_car(row.car_id)]
        for item in mine:
            stretch = stretch_of(item, row.car_id, mine, settings_of(row))
            wanted[Wanted(row.id, stretch)] = _Week(
                row, item.row.public_id, item.facts.series, item.facts.week, item.facts.window[0]
            )
        if not mine:
            wanted[Wanted(row.id, ALL_TIME)] = _Week(row, None, None, None, None)
    return wanted


def _old(session: Session, actor: Actor, wanted: Iterable[Wanted]) -> dict[int, int]:
    """Combinations whose figures are missing or out of date, and how many laps they have."""
    keys = list(wanted)
    known = standing.kept(session, actor.team_id, keys)
    old = {key.combination_id for key in keys if key not in known or not known[key].right}
    return {key: 0 for key in old} | standing.sizes(session, actor.team_id, old)


def _refresh(
    sessions: sessionmaker[Session], actor: Actor, wanted: Iterable[Wanted], combinations: AbstractSet[int]
) -> None:
    for combination_id in sorted(combinations):
        standing.refresh(
            sessions,
            actor.team_id,
            combination_id,
            [key.stretch for key in wanted if key.combination_id == combination_id],
        )


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
