"""The reference audit: where braking scatters, and whether confirming a reference changed that."""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime
from uuid import UUID

from sqlalchemy import func, or_, select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.core.corners.audit import sides_of
from fleet_rival.db.tables import Combination, Driver, LayoutCorner, ReferenceRow
from fleet_rival.services.find.figures import may_see
from fleet_rival.services.find.look import asked_look
from fleet_rival.services.fix.passes import look_through
from fleet_rival.services.shared.base import Actor, find_row
from fleet_rival.services.shared.errors import NotThere
from fleet_rival.wording.clinic import audit_words

__all__ = ["Audited", "reference_audit"]


@dataclass(frozen=True, slots=True)
class Audited:
    """How a driver brakes for one corner."""

    corner: str
    name: str | None
    at_m: float
    scatter_m: float
    others_m: float | None
    passes: int
    unused: bool
    confirmed_at: datetime | None
    """When what is gone by there was last confirmed; None: nothing is confirmed."""
    before_m: float | None
    before: int
    after_m: float | None
    after: int
    clear: bool
    words: str


def reference_audit(
    sessions: sessionmaker[Session],
    actor: Actor,
    combination_id: UUID,
    driver_id: UUID,
    week_id: UUID | None = None,
    also: Iterable[str] = (),
) -> list[Audited]:
    """A driver's corners by how braking scatters there, the widest first; before and since the reference was confirmed.

    Raises:
        NotThere: no such combination, the driver has no laps in it, or they aren't the actor's business.
    """
    may_see(sessions, actor, driver_id)
    look = asked_look(sessions, actor, combination_id, week_id, also)
    with sessions() as session:
        row = find_row(session, Combination, actor, combination_id, "combination")
        driver = find_row(session, Driver, actor, driver_id, "driver")
        confirmed = _confirmed(session, row, driver)
        found = look_through(sessions, look, session, actor, row)
    if driver.name not in found.clinics:
        raise NotThere("This driver has no laps in this combination.")
    names = {corner.code: corner.name for corner in found.track.corners}
    out = []
    for item in found.clinics[driver.name].main.braking:
        moment = confirmed.get(item.corner)
        sides = sides_of(item, found.analysis.drivers[driver.name].laps, moment) if moment is not None else None
        # A reference that was confirmed before anybody drove has no before.
        told = sides if sides is not None and sides.before else None
        out.append(
            Audited(
                item.corner,
                names.get(item.corner),
                item.at_m,
                item.scatter_m,
                item.others_m,
                item.passes,
                item.unused,
                moment,
                told.before_m if told else None,
                told.before if told else 0,
                told.after_m if told else None,
                told.after if told else 0,
                told.clear if told else False,
                audit_words(item, told, names),
            )
        )
    return out


def _confirmed(session: Session, row: Combination, driver: Driver) -> dict[str, datetime]:
    """When the braking reference of each corner, for this car and driver, was last confirmed."""
    query = (
        select(LayoutCorner.code, func.max(ReferenceRow.settled_at))
        .join(
            LayoutCorner, (LayoutCorner.team_id == ReferenceRow.team_id) & (LayoutCorner.id == ReferenceRow.corner_id)
        )
        .where(ReferenceRow.team_id == row.team_id, ReferenceRow.layout_id == row.layout_id)
        .where(ReferenceRow.point == "braking", ReferenceRow.state == "confirmed", ReferenceRow.settled_at.is_not(None))
        .where(or_(ReferenceRow.car_id.is_(None), ReferenceRow.car_id == row.car_id))
        .where(or_(ReferenceRow.driver_id.is_(None), ReferenceRow.driver_id == driver.id))
        .group_by(LayoutCorner.code)
    )
    return {code: moment for code, moment in session.execute(query) if moment is not None}
