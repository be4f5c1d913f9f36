"""The book as it is shown with one car."""

from collections.abc import Mapping
from dataclasses import asdict
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.core.book.checks import checks
from fleet_rival.core.book.references import seen_with
from fleet_rival.db.tables import (
    BookPicture,
    Car,
    Combination,
    Driver,
    Layout,
    LayoutCorner,
    OpenQuestion,
    Person,
    ReferenceRow,
    TrackRow,
)
from fleet_rival.services.shared.base import Actor, find_row
from fleet_rival.services.track.book.load import LoadedBook, car_driven_next, load_book, unit_of
from fleet_rival.services.track.book.shapes import (
    BookView,
    CarView,
    CheckView,
    CornerView,
    ImportanceView,
    QuestionView,
    ReferenceView,
    SiblingView,
)
from fleet_rival.wording.book import LengthUnit, check_words, importance_words, reference_words

__all__ = ["book", "corner", "reference"]


def book(sessions: sessionmaker[Session], actor: Actor, layout_id: UUID, car_id: UUID | None = None) -> BookView:
    """A layout's book, seen with one car.

    Args:
        car_id: the car of the week that runs here or comes next, where none is named.
    """
    with sessions() as session:
        layout = find_row(session, Layout, actor, layout_id, "layout")
        chosen = find_row(session, Car, actor, car_id, "car") if car_id else None
        if chosen is None and (usual := car_driven_next(session, actor, layout)):
            chosen = find_row(session, Car, actor, usual, "car")
        loaded = load_book(session, actor, layout, chosen.id if chosen else None)
        unit = unit_of(session, actor)
        parent = session.scalars(
            select(TrackRow).where(TrackRow.team_id == actor.team_id, TrackRow.id == layout.track_id)
        ).one()
        people = dict(
            session.execute(select(Person.id, Person.name).where(Person.id.in_(_people(loaded)))).tuples().all()
        )
        drivers = {row.id: row for row in session.scalars(select(Driver).where(Driver.team_id == actor.team_id))}
        corners = {corner.id: corner for corner in loaded.corners}
        siblings = session.scalars(
            select(Layout)
            .where(Layout.team_id == actor.team_id, Layout.track_id == parent.id, Layout.id != layout.id)
            .order_by(Layout.name)
        ).all()
        source = next((item.name for item in siblings if item.id == layout.derived_from_id), None)
        return BookView(
            layout.public_id,
            layout.version,
            parent.public_id,
            parent.name,
            layout.name,
            layout.kind,
            layout.length_m,
            bool(layout.centreline_step_m),
            layout.derivation,
            source,
            asdict(loaded.track.pit) if loaded.track.pit else None,
            layout.pit_entry_note,
            layout.pit_exit_note,
            loaded.rules,
            tuple(asdict(sector) for sector in loaded.track.sectors),
            tuple(_corner(loaded, index, unit) for index in range(len(loaded.corners))),
            _references(session, actor, loaded, chosen, corners, people, drivers, unit),
            tuple(_question(actor, row, corners, people) for row in loaded.questions),
            _checks(loaded, chosen, corners),
            _cars(session, actor, layout, loaded),
            chosen.public_id if chosen else None,
            tuple(SiblingView(item.public_id, item.name, item.length_m, item.derivation) for item in siblings),
            unit.sign,
        )


def corner(sessions: sessionmaker[Session], actor: Actor, corner_id: UUID) -> CornerView:
    """One corner as it is now."""
    with sessions() as session:
        row = find_row(session, LayoutCorner, actor, corner_id, "corner")
        layout_id = session.scalars(
            select(Layout.public_id).where(Layout.team_id == actor.team_id, Layout.id == row.layout_id)
        ).one()
    return next(item for item in book(sessions, actor, layout_id).corners if item.id == corner_id)


def reference(sessions: sessionmaker[Session], actor: Actor, reference_id: UUID) -> ReferenceView:
    """One reference as it is now, seen with its own car."""
    with sessions() as session:
        row = find_row(session, ReferenceRow, actor, reference_id, "reference")
        layout_id = session.scalars(
            select(Layout.public_id).where(Layout.team_id == actor.team_id, Layout.id == row.layout_id)
        ).one()
        car_id = session.scalar(select(Car.public_id).where(Car.team_id == actor.team_id, Car.id == row.car_id))
    return next(item for item in book(sessions, actor, layout_id, car_id).references if item.id == reference_id)


def _people(loaded: LoadedBook) -> set[int]:
    out = {key for row in loaded.references for key in (row.proposed_by, row.settled_by) if key}
    return out | {key for row in loaded.questions for key in (row.asked_by, row.answered_by) if key}


def _corner(loaded: LoadedBook, index: int, unit: LengthUnit) -> CornerView:
    row, note = loaded.corners[index], loaded.notes[index]
    matters = loaded.importance[row.code]
    return CornerView(
        row.public_id,
        row.version,
        row.code,
        row.name,
        row.start_m,
        row.apex_m,
        row.end_m,
        row.direction,
        note.other_names,
        note.move,
        note.given_up_for,
        ImportanceView(
            matters.level,
            matters.derived,
            row.importance,
            importance_words(matters, len(loaded.corners), unit),
            matters.rank,
        ),
        tuple(row.traits),
        tuple(row.kerbs),
        tuple(row.limits),
        tuple(row.passing),
        tuple(row.lanes),
        note.note,
    )


def _references(
    session: Session,
    actor: Actor,
    loaded: LoadedBook,
    chosen: Car | None,
    corners: Mapping[int, LayoutCorner],
    people: Mapping[int, str],
    drivers: Mapping[int, Driver],
    unit: LengthUnit,
) -> tuple[ReferenceView, ...]:
    cars = {car.id: car for car in loaded.cars}
    wanted = {row.picture_id for row in loaded.references if row.picture_id}
    own = (BookPicture.team_id == actor.team_id, BookPicture.id.in_(wanted))
    pictures = dict(session.execute(select(BookPicture.id, BookPicture.public_id).where(*own)).tuples().all())
    seen = {item.reference.key: item for item in seen_with(loaded.core_references, str(chosen.id) if chosen else None)}
    out = []
    for row, core in zip(loaded.references, loaded.core_references, strict=True):
        item = seen.get(core.key)
        own_car = row.car_id is None or (chosen is not None and row.car_id == chosen.id)
        if item is None and (core.is_open or not own_car):
            continue  # of another car, which has to be chosen to see it
        from_car = cars[row.car_id].name if item and item.from_car and row.car_id else None
        out.append(
            ReferenceView(
                row.public_id,
                row.version,
                corners[row.corner_id].public_id,
                row.point,
                row.kind,
                row.thing,
                row.side,
                row.offset_m,
                row.offset_words,
                row.at_m,
                row.gear,
                row.brake_peak_pct,
                row.throttle,
                row.harder_than,
                core.lasts,
                row.lasts,
                cars[row.car_id].public_id if row.car_id else None,
                drivers[row.driver_id].public_id if row.driver_id else None,
                drivers[row.driver_id].name if row.driver_id else None,
                row.variant,
                row.state,
                row.sure,
                row.note,
                people.get(row.proposed_by, "somebody"),
                row.created_at,
                people.get(row.settled_by) if row.settled_by else None,
                row.settled_at,
                pictures.get(row.picture_id) if row.picture_id else None,
                reference_words(core, unit),
                "earlier" if item is None else "carried" if from_car else "standing",
                from_car,
                actor.sees_all or (row.proposed_by == actor.person_id and row.state == "proposed"),
            )
        )
    return tuple(out)


def _question(
    actor: Actor, row: OpenQuestion, corners: Mapping[int, LayoutCorner], people: Mapping[int, str]
) -> QuestionView:
    return QuestionView(
        row.public_id,
        row.version,
        corners[row.corner_id].public_id if row.corner_id else None,
        row.text,
        people.get(row.asked_by, "somebody"),
        row.created_at,
        row.answer,
        people.get(row.answered_by) if row.answered_by else None,
        row.answered_at,
        row.closed_at,
        row.became,
        actor.sees_all or (row.asked_by == actor.person_id and row.answer is None),
    )


def _checks(loaded: LoadedBook, chosen: Car | None, corners: Mapping[int, LayoutCorner]) -> tuple[CheckView, ...]:
    by_code = {corner.code: corner for corner in corners.values()}
    found = checks(
        loaded.notes,
        loaded.core_references,
        loaded.importance,
        str(chosen.id) if chosen else None,
        rules=loaded.rules,
        pit_exit_read=bool(loaded.layout.pit_exit_note),
    )
    out = []
    for item in found:
        corner = by_code[item.corner] if item.corner else None
        title = " ".join(filter(None, (corner.code, corner.name))) if corner else "Pit exit"
        level = loaded.importance[corner.code].level if corner else "high"
        keys = tuple(UUID(key) for key in item.references)
        out.append(CheckView(item.kind, corner.public_id if corner else None, title, level, check_words(item), keys))
    return tuple(out)


def _cars(session: Session, actor: Actor, layout: Layout, loaded: LoadedBook) -> tuple[CarView, ...]:
    """Those that are driven here before the others."""
    here = dict(
        session.execute(
            select(Combination.car_id, Combination.public_id).where(
                Combination.team_id == actor.team_id, Combination.layout_id == layout.id
            )
        )
        .tuples()
        .all()
    )
    ordered = sorted(loaded.cars, key=lambda car: (car.id not in here, car.name))
    return tuple(CarView(car.public_id, car.name, here.get(car.id)) for car in ordered)
