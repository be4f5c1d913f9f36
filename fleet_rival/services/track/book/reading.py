"""A lap as a script, for one driver in one car."""

from typing import Any
from uuid import UUID

from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.core.book.card import card
from fleet_rival.core.words import Variant
from fleet_rival.db.tables import Car, Driver, Layout
from fleet_rival.services.shared.base import Actor, find_row
from fleet_rival.services.track.book.load import load_book, unit_of
from fleet_rival.wording.book import card_words, plain_card

__all__ = ["reading_card"]


def reading_card(
    sessions: sessionmaker[Session],
    actor: Actor,
    layout_id: UUID,
    car_id: UUID | None,
    driver_id: UUID | None,
    variant: Variant,
) -> dict[str, Any]:
    """A lap as a script, in the driver's units.

    Args:
        driver_id: whose own references and units count before the car's.
    """
    with sessions() as session:
        layout = find_row(session, Layout, actor, layout_id, "layout")
        chosen = find_row(session, Car, actor, car_id, "car") if car_id else None
        driver = find_row(session, Driver, actor, driver_id, "driver") if driver_id else None
        loaded = load_book(session, actor, layout, chosen.id if chosen else None)
        unit = unit_of(session, actor, driver)
        names = {corner.code: corner.name for corner in loaded.corners}
        lines = card(
            names,
            loaded.notes,
            loaded.core_references,
            loaded.importance,
            str(chosen.id) if chosen else None,
            str(driver.id) if driver else None,
            variant,
        )
        heads = (
            f"{loaded.track.name}, {layout.name}",
            chosen.name if chosen else "",
            driver.name if driver else "",
            _way(variant),
        )
        title = ", ".join(filter(None, heads))
        told = [(" ".join(filter(None, (line.code, line.name))), line, card_words(line, unit)) for line in lines]
        pit = _pit_words(layout)
        text = plain_card(title, [(name, words) for name, _, words in told] + ([("Pit", pit)] if pit else []))
        return {
            "title": title,
            "lines": [
                {"code": line.code, "name": line.name, "level": line.level, "words": words} for _, line, words in told
            ],
            "pit": pit or None,
            "text": text,
        }


def _way(variant: Variant) -> str:
    return {"usual": "", "cold": "on cold tyres", "wet": "in the wet", "traffic": "in traffic"}.get(variant, variant)


def _pit_words(layout: Layout) -> str:
    entry = f"In: {layout.pit_entry_note}" if layout.pit_entry_note else ""
    out = f"Out: {layout.pit_exit_note}" if layout.pit_exit_note else ""
    return " ".join(filter(None, (entry, out)))
