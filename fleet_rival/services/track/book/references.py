"""References: proposed by anybody, confirmed by a manager or coach, carried over from car to car."""

from collections.abc import Mapping
from typing import Any, Final
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.clock import now
from fleet_rival.core.book.references import BadReference
from fleet_rival.db.tables import Car, Driver, LayoutCorner, OpenQuestion, ReferenceRow
from fleet_rival.services.shared.base import Actor, about, begin_change, check_version, find_row
from fleet_rival.services.shared.errors import Conflict, Refused
from fleet_rival.services.track.book.corners import corner_title
from fleet_rival.services.track.book.load import as_reference

__all__ = [
    "add_reference",
    "carry_over",
    "change_reference",
    "confirm",
    "decline",
    "own_reference",
    "propose",
    "remove_reference",
]

_WORDS: Final = ("point", "kind", "side", "throttle", "lasts", "variant", "sure", "harder_than")
_NUMBERS: Final = ("offset_m", "at_m", "gear", "brake_peak_pct")
_TEXTS: Final = ("thing", "offset_words")


def propose(
    sessions: sessionmaker[Session],
    actor: Actor,
    corner_id: UUID,
    values: Mapping[str, Any],
    *,
    confirmed: bool = False,
) -> UUID:
    """Put a reference beside those that are there.

    Args:
        values: the fields of a reference; `car_id` and `driver_id` are public ids, or None.
        confirmed: whether it stands at once; for who may confirm.

    Returns:
        Of the reference.

    Raises:
        Refused: it says too little, or too much for whom it is; or it is another driver's own.
    """
    with sessions.begin() as session:
        corner = find_row(session, LayoutCorner, actor, corner_id, "corner", lock=confirmed)
        change_set = begin_change(
            session, actor, "reference.propose", f"Proposed a reference for {values['point']} at {corner_title(corner)}"
        )
        row = add_reference(session, actor, corner, values)
        about(session, change_set, row)
        if confirmed:
            change_set.summary = f"Wrote a reference for {row.point} at {corner_title(corner)}"
            _confirm(session, actor, row)
        return row.public_id


def change_reference(
    sessions: sessionmaker[Session], actor: Actor, reference_id: UUID, version: int, values: Mapping[str, Any]
) -> None:
    """Write a reference anew; a driver the own proposals alone, and what a manager or coach changes stands as they
    leave it.

    Raises:
        Outdated: somebody changed it meanwhile.
        Conflict: it isn't the driver's, or was settled.
        Refused: it says too little, or too much for whom it is.
    """
    with sessions.begin() as session:
        row = own_reference(session, actor, reference_id)
        check_version(row, version, "reference")
        corner = _corner(session, row)
        begin_change(
            session, actor, "reference.change", f"Changed a reference for {row.point} at {corner_title(corner)}", row
        )
        before = _gone_by(row)
        _write(session, actor, corner, row, values)
        session.flush()
        if row.state == "confirmed":
            if _gone_by(row) != before:
                # From now on drivers go by something else: what they do before and after can be compared.
                row.settled_by, row.settled_at = actor.person_id, now()
            # It may have come to stand where another one stands already.
            _replace_others(session, row)


def _gone_by(row: ReferenceRow) -> tuple[Any, ...]:
    """What a driver would look for and do there."""
    return (row.point, row.thing, row.side, row.offset_m, row.offset_words, row.at_m, row.gear, row.brake_peak_pct)


def confirm(sessions: sessionmaker[Session], actor: Actor, reference_id: UUID) -> None:
    """Have a reference stand; the one that stood in its place is kept as replaced.

    Raises:
        Conflict: it stands already.
    """
    with sessions.begin() as session:
        row = _locked(session, actor, reference_id)
        if row.state == "confirmed":
            raise Conflict("This reference is confirmed already.")
        begin_change(
            session,
            actor,
            "reference.confirm",
            f"Confirmed a reference for {row.point} at {corner_title(_corner(session, row))}",
            row,
        )
        _confirm(session, actor, row)


def decline(sessions: sessionmaker[Session], actor: Actor, reference_id: UUID) -> None:
    """Say that a reference doesn't stand; it is kept among the earlier ones.

    Raises:
        Conflict: it doesn't stand.
    """
    with sessions.begin() as session:
        row = find_row(session, ReferenceRow, actor, reference_id, "reference", lock=True)
        if row.state not in ("proposed", "confirmed"):
            raise Conflict("This reference doesn't stand any more.")
        begin_change(
            session,
            actor,
            "reference.decline",
            f"Declined a reference for {row.point} at {corner_title(_corner(session, row))}",
            row,
        )
        row.state, row.settled_by, row.settled_at = "declined", actor.person_id, now()


def carry_over(sessions: sessionmaker[Session], actor: Actor, reference_id: UUID, car_id: UUID) -> UUID:
    """Take another car's numbers over as they are, confirmed for this car.

    Raises:
        Refused: it isn't another car's.
    """
    with sessions.begin() as session:
        source = find_row(session, ReferenceRow, actor, reference_id, "reference")
        car = find_row(session, Car, actor, car_id, "car")
        if source.car_id is None or source.car_id == car.id:
            raise Refused("Only another car's numbers are carried over: a landmark is every car's.")
        corner = _corner(session, source, lock=True)
        summary = f"Carried a reference for {source.point} at {corner_title(corner)} to {car.name}"
        change_set = begin_change(session, actor, "reference.carry", summary)
        copied = {
            name: getattr(source, name) for name in (*_WORDS, *_NUMBERS, *_TEXTS, "driver_id", "note", "picture_id")
        }
        row = ReferenceRow(
            team_id=actor.team_id,
            layout_id=source.layout_id,
            corner_id=source.corner_id,
            car_id=car.id,
            proposed_by=actor.person_id,
            state="proposed",
            **copied,
        )
        session.add(row)
        session.flush()
        about(session, change_set, row)
        _confirm(session, actor, row)
        return row.public_id


def remove_reference(sessions: sessionmaker[Session], actor: Actor, reference_id: UUID) -> None:
    """Remove a reference that was a mistake; a driver an own proposal alone."""
    with sessions.begin() as session:
        row = own_reference(session, actor, reference_id)
        begin_change(
            session,
            actor,
            "reference.remove",
            f"Removed a reference for {row.point} at {corner_title(_corner(session, row))}",
            row,
        )
        for question in session.scalars(
            select(OpenQuestion).where(OpenQuestion.team_id == actor.team_id, OpenQuestion.reference_id == row.id)
        ):
            question.reference_id = None
        session.flush()
        session.delete(row)


def add_reference(session: Session, actor: Actor, corner: LayoutCorner, values: Mapping[str, Any]) -> ReferenceRow:
    """A new proposal, within a change that is open."""
    row = ReferenceRow(
        team_id=actor.team_id, layout_id=corner.layout_id, corner_id=corner.id, proposed_by=actor.person_id
    )
    row.state, row.thing, row.offset_words = "proposed", "", ""
    _write(session, actor, corner, row, values)
    session.add(row)
    session.flush()
    return row


def own_reference(session: Session, actor: Actor, reference_id: UUID) -> ReferenceRow:
    """A reference that the actor may write: any for who sees all, else an own proposal.

    Raises:
        Conflict: it isn't the driver's, or was settled.
    """
    row = _locked(session, actor, reference_id)
    if not actor.sees_all and (row.proposed_by != actor.person_id or row.state != "proposed"):
        raise Conflict("This reference is no longer only a proposal of yours. Propose another one beside it.")
    return row


def _write(session: Session, actor: Actor, corner: LayoutCorner, row: ReferenceRow, values: Mapping[str, Any]) -> None:
    driver = find_row(session, Driver, actor, values["driver_id"], "driver") if values.get("driver_id") else None
    if driver is not None and not actor.sees_all and driver.id != actor.driver_id:
        raise Refused("A reference of one driver alone is for that driver to write.")
    car = find_row(session, Car, actor, values["car_id"], "car") if values.get("car_id") else None
    own = (
        LayoutCorner.team_id == corner.team_id,
        LayoutCorner.layout_id == corner.layout_id,
        LayoutCorner.code == values.get("harder_than"),
    )
    if values.get("harder_than") and (
        values["harder_than"] == corner.code or session.scalar(select(LayoutCorner.id).where(*own)) is None
    ):
        raise Refused(
            f"Braking can't be harder here than in {values['harder_than']}: name another corner of this layout."
        )
    wanted: dict[str, Any] = {"car_id": car.id if car else None, "driver_id": driver.id if driver else None}
    wanted |= {name: values.get(name) for name in (*_WORDS, *_NUMBERS)}
    wanted |= {name: " ".join((values.get(name) or "").split()) for name in _TEXTS}
    wanted["note"] = (values.get("note") or "").strip() or None
    for name, value in wanted.items():
        if getattr(row, name) != value:
            setattr(row, name, value)
    try:
        as_reference(row, corner.code)
    except BadReference as error:
        raise Refused(f"This reference can't be kept: {error}.") from error


def _confirm(session: Session, actor: Actor, row: ReferenceRow) -> None:
    _replace_others(session, row)
    row.state, row.settled_by, row.settled_at = "confirmed", actor.person_id, now()


def _replace_others(session: Session, row: ReferenceRow) -> None:
    """Of references in the same place one is confirmed; the corner is locked, so that two who confirm at once do so
    one after the other.
    """
    same = (
        ReferenceRow.team_id == row.team_id,
        ReferenceRow.corner_id == row.corner_id,
        ReferenceRow.point == row.point,
        ReferenceRow.variant == row.variant,
        ReferenceRow.car_id.is_(None) if row.car_id is None else ReferenceRow.car_id == row.car_id,
        ReferenceRow.driver_id.is_(None) if row.driver_id is None else ReferenceRow.driver_id == row.driver_id,
    )
    for other in session.scalars(
        select(ReferenceRow)
        .where(*same, ReferenceRow.state == "confirmed", ReferenceRow.id != row.id)
        .with_for_update()
    ):
        other.state = "replaced"
    session.flush()


def _locked(session: Session, actor: Actor, reference_id: UUID) -> ReferenceRow:
    """A reference and its corner, locked; the corner first, as everywhere here, so that two never wait for each
    other.
    """
    _corner(session, find_row(session, ReferenceRow, actor, reference_id, "reference"), lock=True)
    session.expire_all()
    return find_row(session, ReferenceRow, actor, reference_id, "reference", lock=True)


def _corner(session: Session, row: ReferenceRow, *, lock: bool = False) -> LayoutCorner:
    query = select(LayoutCorner).where(LayoutCorner.team_id == row.team_id, LayoutCorner.id == row.corner_id)
    return session.scalars(query.with_for_update() if lock else query).one()
