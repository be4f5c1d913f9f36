"""Everything that the board stands on, in a fixed number of queries however many drivers and combinations there are."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from functools import cached_property
from typing import Any, Final
from uuid import UUID

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from fleet_rival.core.book.checks import needs_reference
from fleet_rival.core.season.availability import Span, free_spans, is_known
from fleet_rival.core.season.targets import Benchmark, Target, target_us
from fleet_rival.core.season.zones import known_zone
from fleet_rival.core.settings import Settings
from fleet_rival.db.tables import Car, CarDriver, Combination, Driver, Lap, Layout, LayoutCorner, ReferenceRow, Resource
from fleet_rival.services.find import standing
from fleet_rival.services.find.standing import Kept, Wanted
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.track.book.load import as_reference, notes_of
from fleet_rival.services.week.entries import EntryView, entries_of_weeks
from fleet_rival.services.week.profiles import availability_of
from fleet_rival.services.week.rows import LoadedWeek, load_weeks
from fleet_rival.services.week.stretches import Stretch, stretch_of

__all__ = ["COMING_WEEKS", "CombinationState", "DriverState", "Loaded", "ResourceState", "WeekState", "load"]

COMING_WEEKS: Final = 4
_WEEK: Final = timedelta(days=7)


@dataclass(frozen=True)
class CombinationState:
    """A combination as the board knows it."""

    key: int
    id: UUID
    layout_key: int
    track_key: int
    car_key: int
    settings: Mapping[str, Any]
    target: Target | None
    benchmark: Benchmark | None


@dataclass(frozen=True)
class DriverState:
    """A driver with the free time in the weeks that are shown."""

    key: int
    id: UUID
    name: str
    nickname: str | None
    free: Sequence[Span] | None
    """None where nobody said when they have time."""


@dataclass(frozen=True)
class ResourceState:
    """A shared rig with its hours."""

    id: UUID
    name: str
    hours: Sequence[Span] | None


class WeekState:
    """A series' week with its combinations and entries."""

    def __init__(
        self,
        loaded: LoadedWeek,
        combinations: Sequence[CombinationState],
        entries: Sequence[EntryView],
        stretches: Mapping[int, Stretch],
    ) -> None:
        self.row = loaded.row
        self.facts = loaded.facts
        self.series_id = loaded.series_id
        self.layout_id = loaded.layout_id
        self.cars = loaded.cars
        self.combinations = combinations
        """Of its layout and cars, in the order of the cars."""
        self.entries = {entry.driver_id: entry for entry in entries}
        self.stretches = stretches
        """From when to when laps are this week's own, by the key of the combination."""

    @cached_property
    def window(self) -> tuple[datetime, datetime]:
        return self.facts.window

    @cached_property
    def starts(self) -> tuple[datetime, ...]:
        return self.facts.expanded().starts

    @property
    def car_names(self) -> str:
        return " or ".join(car.name for car in self.cars)


@dataclass(frozen=True)
class Loaded:
    """All of it."""

    moment: datetime
    shown: Sequence[WeekState]
    """One week of each series: the one that runs at the moment, else the next that begins within seven days."""
    coming: Sequence[Sequence[WeekState]]
    """The same for each of the weeks that follow."""
    drivers: Sequence[DriverState]
    may_drive: Mapping[str, frozenset[str]]
    """Of cars that aren't open to all: public ids of those who may drive them."""
    resources: Mapping[UUID, ResourceState]
    combinations: Mapping[int, CombinationState]
    kept: Mapping[Wanted, Kept]
    lap_counts: Mapping[int, Mapping[int, int]]
    """Laps of all time, by driver and combination."""
    unread: Mapping[tuple[int, int], int]
    """Corners without a confirmed braking reference, by layout and car; of layouts whose book has been begun."""

    def laps_of(self, driver: DriverState) -> Mapping[int, int]:
        """Laps of all time of a driver, by combination."""
        return self.lap_counts.get(driver.key, {})

    @property
    def weeks(self) -> list[WeekState]:
        """Those that are shown and those that come, each once."""
        return list({week.row.id: week for step in (self.shown, *self.coming) for week in step}.values())

    def figures(self, combination: CombinationState, week: WeekState) -> Kept | None:
        return self.kept.get(Wanted(combination.key, week.stretches[combination.key]))

    def target(self, combination: CombinationState, week: WeekState) -> int | None:
        """The target lap, to the microsecond, as it comes out in this week."""
        kept = self.figures(combination, week)
        return target_us(combination.target, combination.benchmark, kept.ideal_us if kept else None)


def load(session: Session, actor: Actor, moment: datetime, coming: int = COMING_WEEKS) -> Loaded:
    """Load the board as it stands at a moment, with so many weeks to come."""
    weeks = load_weeks(session, actor)
    combinations = _combinations(session, actor)
    steps = [_of_each_series(weeks, moment + number * _WEEK) for number in range(coming + 1)]
    chosen = list({item.row.id: item for step in steps for item in step}.values())
    entries: dict[UUID, list[EntryView]] = {}
    for entry in entries_of_weeks(session, actor, [item.row.id for item in chosen]):
        entries.setdefault(entry.week_id, []).append(entry)
    states = {item.row.id: _state(item, weeks, combinations, entries.get(item.row.public_id, ())) for item in chosen}
    shown = [states[item.row.id] for item in steps[0]]
    wanted = [Wanted(key, stretch) for state in states.values() for key, stretch in state.stretches.items()]
    span = _span(list(states.values()), moment)
    return Loaded(
        moment,
        shown,
        [[states[item.row.id] for item in step] for step in steps[1:]],
        _drivers(session, actor, span),
        _may_drive(session, actor),
        _resources(session, actor, span),
        combinations,
        standing.kept(session, actor.team_id, wanted),
        _lap_counts(session, actor),
        _unread(
            session,
            actor,
            {(found.layout_key, found.car_key) for state in states.values() for found in state.combinations},
        ),
    )


def _of_each_series(weeks: Sequence[LoadedWeek], moment: datetime) -> list[LoadedWeek]:
    out: dict[UUID, LoadedWeek] = {}
    for item in weeks:
        begins, ends = item.facts.window
        runs = begins <= moment < ends
        # Between two weeks of a series the next one is what matters.
        if runs or (item.series_id not in out and moment < begins <= moment + _WEEK):
            out[item.series_id] = item
    return list(out.values())


def _state(
    item: LoadedWeek,
    weeks: Sequence[LoadedWeek],
    combinations: Mapping[int, CombinationState],
    entries: Sequence[EntryView],
) -> WeekState:
    by_car = {found.car_key: found for found in combinations.values() if found.layout_key == item.row.layout_id}
    own = [by_car[car.key] for car in item.cars if car.key in by_car]
    stretches = {
        found.key: stretch_of(item, found.car_key, weeks, Settings.from_mapping(found.settings)) for found in own
    }
    return WeekState(item, own, entries, stretches)


def _span(states: Sequence[WeekState], moment: datetime) -> Span:
    return min((state.window[0] for state in states), default=moment), max(
        (state.window[1] for state in states), default=moment
    )


def _combinations(session: Session, actor: Actor) -> dict[int, CombinationState]:
    query = (
        select(Combination, Layout.track_id)
        .join(Layout, (Layout.team_id == Combination.team_id) & (Layout.id == Combination.layout_id))
        .where(Combination.team_id == actor.team_id)
    )
    return {
        row.id: CombinationState(
            row.id,
            row.public_id,
            row.layout_id,
            track_key,
            row.car_id,
            row.settings,
            Target(**row.target) if row.target else None,
            Benchmark(**row.benchmark) if row.benchmark else None,
        )
        for row, track_key in session.execute(query)
    }


def _drivers(session: Session, actor: Actor, span: Span) -> list[DriverState]:
    query = select(Driver).where(Driver.team_id == actor.team_id, Driver.guest.is_(False)).order_by(Driver.name)
    if not actor.sees_all:
        query = query.where(Driver.id == actor.driver_id)
    return [
        DriverState(row.id, row.public_id, row.name, row.nickname, _hours(row, span)) for row in session.scalars(query)
    ]


def _resources(session: Session, actor: Actor, span: Span) -> dict[UUID, ResourceState]:
    rows = session.scalars(select(Resource).where(Resource.team_id == actor.team_id))
    return {row.public_id: ResourceState(row.public_id, row.name, _hours(row, span)) for row in rows}


def _hours(row: Driver | Resource, span: Span) -> Sequence[Span] | None:
    availability = availability_of(row.availability or {})
    return free_spans(availability, known_zone(row.zone or "UTC"), *span) if is_known(availability) else None


def _may_drive(session: Session, actor: Actor) -> dict[str, frozenset[str]]:
    query = (
        select(Car.public_id, Driver.public_id.label("driver"))
        .join(CarDriver, (CarDriver.team_id == Car.team_id) & (CarDriver.car_id == Car.id), isouter=True)
        .join(Driver, (Driver.team_id == CarDriver.team_id) & (Driver.id == CarDriver.driver_id), isouter=True)
        .where(Car.team_id == actor.team_id, Car.restricted)
    )
    out: dict[str, set[str]] = {}
    for car, driver in session.execute(query):
        out.setdefault(str(car), set()).update([str(driver)] if driver else [])
    return {car: frozenset(drivers) for car, drivers in out.items()}


def _lap_counts(session: Session, actor: Actor) -> dict[int, dict[int, int]]:
    query: Any = select(Lap.combination_id, Lap.driver_id, func.count()).where(Lap.team_id == actor.team_id)
    if not actor.sees_all:
        query = query.where(Lap.driver_id == actor.driver_id)
    out: dict[int, dict[int, int]] = {}
    for combination, driver, count in session.execute(query.group_by(Lap.combination_id, Lap.driver_id)):
        out.setdefault(driver, {})[combination] = count
    return out


def _unread(session: Session, actor: Actor, wanted: set[tuple[int, int]]) -> dict[tuple[int, int], int]:
    layouts = {layout for layout, _ in wanted}
    own = (ReferenceRow.team_id == actor.team_id, ReferenceRow.layout_id.in_(layouts))
    begun: dict[int, list[ReferenceRow]] = {}
    for row in session.scalars(select(ReferenceRow).where(*own)):
        begun.setdefault(row.layout_id, []).append(row)
    corners: dict[int, dict[int, LayoutCorner]] = {}
    for corner in session.scalars(
        select(LayoutCorner).where(LayoutCorner.team_id == actor.team_id, LayoutCorner.layout_id.in_(begun))
    ):
        corners.setdefault(corner.layout_id, {})[corner.id] = corner
    out = {}
    for layout, car in wanted:
        if layout in begun:
            notes = [notes_of(corner, "") for corner in corners[layout].values()]
            references = [as_reference(row, corners[layout][row.corner_id].code) for row in begun[layout]]
            out[layout, car] = len(needs_reference(notes, references, str(car)))
    return out
