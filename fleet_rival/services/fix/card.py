"""The card of three: at most three sentences, three references and three exercises for a driver; on a page and as
plain text.
"""

import json
from collections.abc import Iterable
from dataclasses import asdict, dataclass
from typing import Any
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.core.book.references import best_of
from fleet_rival.core.corners.kinds import POINT_OF
from fleet_rival.core.words import Point
from fleet_rival.db.tables import Combination, Driver, Layout, LayoutCorner, ReferenceRow
from fleet_rival.services.fix.catalogue import exercises
from fleet_rival.services.fix.clinic import driver_clinic
from fleet_rival.services.fix.work import AssignmentView, assignments, helped_by_kind
from fleet_rival.services.shared.base import Actor, find_row
from fleet_rival.services.track.book.load import as_reference, unit_of
from fleet_rival.services.week.combinations import combination
from fleet_rival.wording.book import reference_words
from fleet_rival.wording.clinic import card_text, gain_words

__all__ = ["Card", "CardItem", "card_of_three"]


@dataclass(frozen=True, slots=True)
class CardItem:
    """One of the three."""

    corner: str
    name: str | None
    kind: str
    words: str
    reference: str | None
    """None: none is confirmed there yet."""
    exercise: str
    mark: str
    code: str
    """Of the exercise in the library."""
    assigned: dict[str, Any] | None
    """What the driver works on already, and how far it has come."""
    gain_us: int
    """What work on it will likely bring a lap."""
    gain_words: str


@dataclass(frozen=True, slots=True)
class Card:
    """A driver's card in a combination."""

    driver: str
    place: str
    car: str
    items: tuple[CardItem, ...]

    @property
    def text(self) -> str:
        """As plain text."""
        return card_text(
            f"{self.driver}: {self.place}, {self.car}",
            [(item.words, item.reference, item.exercise, item.mark) for item in self.items],
        )


def card_of_three(
    sessions: sessionmaker[Session],
    actor: Actor,
    combination_id: UUID,
    driver_id: UUID,
    week_id: UUID | None = None,
    also: Iterable[str] = (),
) -> Card:
    """A driver's card.

    Raises:
        NotThere: no such combination or driver, or not the actor's business.
    """
    told = json.loads(driver_clinic(sessions, actor, combination_id, driver_id, week_id, also)[0])
    place = combination(sessions, actor, combination_id)
    library = exercises(sessions, actor)
    helped = helped_by_kind(sessions, actor)
    given = [item for item in assignments(sessions, actor, combination_id, driver_id) if item.ended_at is None]
    items = []
    with sessions() as session:
        row = find_row(session, Combination, actor, combination_id, "combination")
        driver = find_row(session, Driver, actor, driver_id, "driver")
        layout = session.get_one(Layout, row.layout_id)
        for item in told["three"]:
            exercise = next((one for one in library if one.kind == item["kind"]), None) or next(
                one for one in library if one.kind == "other"
            )
            mine: AssignmentView | None = next(
                (one for one in given if (one.corner, one.kind) == (item["corner"], item["kind"])), None
            )
            items.append(
                CardItem(
                    item["corner"],
                    next((part["name"] for part in told["parts"] if part["code"] == item["corner"]), None),
                    item["kind"],
                    item["words"],
                    _reference(session, actor, layout, row, driver, item["corner"], item["kind"]),
                    mine.work if mine else exercise.work,
                    mine.mark if mine else exercise.mark,
                    exercise.code,
                    asdict(mine) if mine else None,
                    round(item["cost_us"] * helped[item["kind"]].removed),
                    gain_words(item["cost_us"], helped[item["kind"]]),
                )
            )
    return Card(told["name"], f"{place.track}, {place.layout}", place.car, tuple(items))


def _reference(
    session: Session, actor: Actor, layout: Layout, row: Combination, driver: Driver, code: str, kind: str
) -> str | None:
    """What to go by there, as the track book has it confirmed."""
    corner = session.scalars(
        select(LayoutCorner).where(
            LayoutCorner.team_id == actor.team_id, LayoutCorner.layout_id == layout.id, LayoutCorner.code == code
        )
    ).first()
    if corner is None:
        return None
    own = (
        ReferenceRow.team_id == actor.team_id,
        ReferenceRow.corner_id == corner.id,
        ReferenceRow.state == "confirmed",
    )
    known = [as_reference(item, code) for item in session.scalars(select(ReferenceRow).where(*own))]
    wanted: tuple[Point, ...] = (POINT_OF.get(kind, "braking"), "braking")
    for point in wanted:
        if (found := best_of(known, code, point, str(row.car_id), str(driver.id))) is not None:
            return reference_words(found, unit_of(session, actor, driver))
    return None
