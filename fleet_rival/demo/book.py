"""The demo's track book, written the way its people would."""

from typing import Any
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.core.track import Pit
from fleet_rival.db.tables import Driver
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.track import book, layouts, tracks
from fleet_rival.services.track.book import BookView
from fleet_rival.simulator.book import BOOKS, long_road_references
from fleet_rival.simulator.written import Book, Written

__all__ = ["load_book"]


def load_book(sessions: sessionmaker[Session], manager: Actor, coach: Actor, driver: Actor) -> None:
    """Write the book of three layouts.

    Args:
        driver: who proposes, and has references of the own.
    """
    there = {(item.track, item.layout): item.id for item in tracks.layouts(sessions, manager)}
    for told in BOOKS:
        layout_id = there[told.track, told.layout]
        view = book.book(sessions, manager, layout_id)
        for note in told.notes:
            corner = next(item for item in view.corners if item.code == note.corner)
            book.change_corner(sessions, manager, corner.id, corner.version, note.values)
        written = told.references or tuple(long_road_references(len(view.corners)))
        for item in written:
            _write(sessions, view, item, driver if item.by_driver else coach)
        _ask(sessions, told, view, coach, driver)
        _pit(sessions, told, view, manager)


def _write(sessions: sessionmaker[Session], view: BookView, item: Written, actor: Actor) -> None:
    corner = next(one for one in view.corners if one.code == item.corner)
    values: dict[str, Any] = {
        "point": item.point,
        "kind": item.kind,
        "thing": item.thing,
        "variant": "usual",
        "sure": "likely",
        **item.values,
    }
    if item.at is not None:
        where, metres = item.at
        values["at_m"] = round((getattr(corner, f"{where}_m") + metres) % view.length_m, 1)
    if item.car is not None:
        values["car_id"] = next(car.id for car in view.cars if car.name == item.car)
    if item.own:
        values["driver_id"] = _driver_id(sessions, actor)
    book.propose(sessions, actor, corner.id, values, confirmed=not item.proposed)


def _ask(sessions: sessionmaker[Session], told: Book, view: BookView, coach: Actor, driver: Actor) -> None:
    ids = {corner.code: corner.id for corner in view.corners}
    for question in told.questions:
        asked = book.ask(sessions, driver, view.id, ids[question.corner] if question.corner else None, question.text)
        if question.answer:
            book.answer_question(sessions, coach, asked, 1, question.answer)


def _pit(sessions: sessionmaker[Session], told: Book, view: BookView, manager: Actor) -> None:
    values = {
        "track": view.track,
        "layout": view.layout,
        "kind": view.kind,
        "pit": Pit(**view.pit) if view.pit else None,
    }
    layouts.change_layout(
        sessions,
        manager,
        view.id,
        view.version,
        {**values, "pit_entry_note": told.pit_entry, "pit_exit_note": told.pit_exit},
    )


def _driver_id(sessions: sessionmaker[Session], actor: Actor) -> UUID:
    with sessions() as session:
        return session.scalars(
            select(Driver.public_id).where(Driver.team_id == actor.team_id, Driver.id == actor.driver_id)
        ).one()
