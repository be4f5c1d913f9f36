"""A lap as a script: for each corner what to go by and what to mind."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from fleet_rival.core.book.corner import CornerNotes, Kerb, Lane, Limit, Passing, Trait
from fleet_rival.core.book.importance import Importance
from fleet_rival.core.book.references import Reference, best_of
from fleet_rival.core.words import POINTS, Level, Variant

__all__ = ["CardLine", "card"]


@dataclass(frozen=True, slots=True)
class CardLine:
    """One corner of the reading card."""

    code: str
    name: str | None
    level: Level
    linked: str
    """Code of the corner for which time is given up here."""
    go_by: tuple[Reference, ...]
    """At most one reference a point, in the order in which they come."""
    traits: tuple[Trait, ...]
    never: tuple[Kerb, ...]
    """Kerbs to stay off."""
    limits: tuple[Limit, ...]
    """Those that cost something."""
    passing: tuple[Passing, ...]
    lanes: tuple[Lane, ...]
    is_flat: bool


def card(
    names: Mapping[str, str | None],
    notes: Sequence[CornerNotes],
    references: Sequence[Reference],
    importance: Mapping[str, Importance],
    car: str | None,
    driver: str | None = None,
    variant: Variant = "usual",
) -> list[CardLine]:
    """The reading card of a driver in a car.

    Args:
        names: of the corners, by code.
        notes: of each corner, in the order of the track.
        variant: what the lap is like; where nothing is written for it, the usual way stands.
    """
    out = []
    for note in notes:
        found = [best_of(references, note.code, point, car, driver, variant) for point in POINTS]
        out.append(
            CardLine(
                note.code,
                names.get(note.code),
                importance[note.code].level,
                note.given_up_for,
                tuple(item for item in found if item is not None),
                tuple(trait for trait in note.traits if trait.kind != "flat"),
                tuple(kerb for kerb in note.kerbs if kerb.use == "never"),
                tuple(limit for limit in note.limits if limit.cost != "nothing"),
                note.passing,
                note.lanes,
                note.is_flat,
            )
        )
    return out
