"""A layout's book as the core knows it."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from statistics import median
from typing import Any
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import Session

from fleet_rival.clock import now
from fleet_rival.core.book.corner import CornerNotes, Kerb, Lane, Limit, Passing, Trait
from fleet_rival.core.book.importance import Importance, importances
from fleet_rival.core.book.references import LASTING, Reference
from fleet_rival.core.track import Track
from fleet_rival.db.tables import (
    Car,
    Combination,
    Driver,
    Lap,
    Layout,
    LayoutCorner,
    OpenQuestion,
    Person,
    ReferenceRow,
    SeriesWeekCar,
    SeriesWeekRow,
)
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.track.tracks import load_track
from fleet_rival.wording.book import METRES, YARDS, LengthUnit

__all__ = ["LoadedBook", "as_reference", "car_driven_next", "load_book", "notes_of", "unit_of"]

_LAPS_LOOKED_AT = 100


@dataclass(frozen=True)
class LoadedBook:
    """What stands in the database about a layout."""

    layout: Layout
    track: Track
    """Without its centreline."""
    corners: Sequence[LayoutCorner]
    """In the order of the track."""
    references: Sequence[ReferenceRow]
    questions: Sequence[OpenQuestion]
    cars: Sequence[Car]
    """Of the team, by name."""
    segment_us: Mapping[str, float]
    """A typical time of each segment, where laps tell."""
    rules: str | None
    """The version of the rules on limits in the week that runs here, or comes next."""

    @cached_property
    def notes(self) -> tuple[CornerNotes, ...]:
        following = [*self.corners[1:], *self.corners[:1]]
        return tuple(notes_of(corner, after.code) for corner, after in zip(self.corners, following, strict=True))

    @cached_property
    def importance(self) -> dict[str, Importance]:
        flat = {note.code for note in self.notes if note.is_flat}
        return importances(self.track, self.segment_us, flat, {note.code: note.importance for note in self.notes})

    @cached_property
    def core_references(self) -> tuple[Reference, ...]:
        codes = {corner.id: corner.code for corner in self.corners}
        return tuple(as_reference(row, codes[row.corner_id]) for row in self.references)


def load_book(session: Session, actor: Actor, layout: Layout, car_id: int | None) -> LoadedBook:
    """Everything about a layout, in a handful of queries however much there is.

    Args:
        car_id: whose laps tell how long segments take; all cars' where None, or where it has none.
    """
    own = {"team_id": actor.team_id, "layout_id": layout.id}
    return LoadedBook(
        layout,
        load_track(session, layout, centreline=False),
        list(session.scalars(select(LayoutCorner).filter_by(**own).order_by(LayoutCorner.start_m))),
        list(session.scalars(select(ReferenceRow).filter_by(**own).order_by(ReferenceRow.id))),
        list(session.scalars(select(OpenQuestion).filter_by(**own).order_by(OpenQuestion.id))),
        list(session.scalars(select(Car).where(Car.team_id == actor.team_id).order_by(Car.name))),
        _segment_times(session, actor, layout, car_id)
        or (_segment_times(session, actor, layout, None) if car_id else {}),
        _rules(session, actor, layout),
    )


def notes_of(row: LayoutCorner, following: str) -> CornerNotes:
    """What is written of a corner.

    Args:
        following: code of the next corner, for which time is given up here where the two are linked.
    """
    importance: Any = row.importance
    return CornerNotes(
        row.code,
        tuple(row.other_names),
        row.move or "",
        following if row.linked_to_next else row.given_up_for or "",
        importance,
        tuple(Trait(**item) for item in row.traits),
        tuple(Kerb(**item) for item in row.kerbs),
        tuple(Limit(**item) for item in row.limits),
        tuple(Passing(**item) for item in row.passing),
        tuple(Lane(**item) for item in row.lanes),
        row.note or "",
    )


def as_reference(row: ReferenceRow, corner: str) -> Reference:
    """A row as the core knows it; cars and drivers go by their keys."""
    words: Any = row
    return Reference(
        str(row.public_id),
        corner,
        words.point,
        words.kind,
        row.thing,
        words.side,
        row.offset_m,
        row.offset_words,
        row.gear,
        row.brake_peak_pct,
        words.throttle,
        row.harder_than or "",
        words.lasts or LASTING[words.kind],
        str(row.car_id) if row.car_id else None,
        str(row.driver_id) if row.driver_id else None,
        words.variant,
        words.state,
        words.sure,
    )


def car_driven_next(session: Session, actor: Actor, layout: Layout) -> UUID | None:
    """The car of the week that runs on a layout, or comes next; else the one that was driven there last."""
    week = _week_on(session, actor, layout)
    if week is not None:
        car: UUID | None = session.scalar(
            select(Car.public_id)
            .join(SeriesWeekCar, (SeriesWeekCar.team_id == Car.team_id) & (SeriesWeekCar.car_id == Car.id))
            .where(SeriesWeekCar.team_id == actor.team_id, SeriesWeekCar.week_id == week.id)
            .order_by(SeriesWeekCar.place)
            .limit(1)
        )
        if car is not None:
            return car
    last: UUID | None = session.scalar(
        select(Car.public_id)
        .join(Combination, (Combination.team_id == Car.team_id) & (Combination.car_id == Car.id))
        .where(Combination.team_id == actor.team_id, Combination.layout_id == layout.id)
        .order_by(Combination.id.desc())
        .limit(1)
    )
    return last


def _week_on(session: Session, actor: Actor, layout: Layout) -> SeriesWeekRow | None:
    return session.scalar(
        select(SeriesWeekRow)
        .where(
            SeriesWeekRow.team_id == actor.team_id,
            SeriesWeekRow.layout_id == layout.id,
            SeriesWeekRow.ends > now().date(),
        )
        .order_by(SeriesWeekRow.begins, SeriesWeekRow.id)
        .limit(1)
    )


def _rules(session: Session, actor: Actor, layout: Layout) -> str | None:
    week = _week_on(session, actor, layout)
    return week.limits_rule if week else None


def _segment_times(session: Session, actor: Actor, layout: Layout, car_id: int | None) -> dict[str, float]:
    """The median of each segment over the last flying laps that have it."""
    where = (Combination.team_id == actor.team_id) & (Combination.layout_id == layout.id)
    own = select(Combination.id).where(where if car_id is None else where & (Combination.car_id == car_id))
    keys = list(session.scalars(own))
    if not keys:
        return {}
    laps = session.scalars(
        select(Lap.segments)
        .where(
            Lap.team_id == actor.team_id, Lap.combination_id.in_(keys), Lap.kind == "flying", Lap.segments.is_not(None)
        )
        .order_by(Lap.id.desc())
        .limit(_LAPS_LOOKED_AT)
    ).all()
    codes = {code for lap in laps if lap for code in lap}
    return {code: median(lap[code] for lap in laps if lap and code in lap) for code in codes}


def unit_of(session: Session, actor: Actor, driver: Driver | None = None) -> LengthUnit:
    """Yards for who thinks in miles: by the driver's profile, else by the reader's own choice."""
    speed = (driver.units or {}).get("speed") if driver else None
    if speed is None:
        speed = (session.scalar(select(Person.preferences).where(Person.id == actor.person_id)) or {}).get("speed")
    return YARDS if speed == "mph" else METRES
