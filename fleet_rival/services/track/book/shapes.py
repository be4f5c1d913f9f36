"""What a track book is made of, as it is handed on."""

from dataclasses import dataclass
from datetime import datetime
from typing import Any
from uuid import UUID

from fleet_rival.core.words import Level

__all__ = [
    "BookView",
    "CarView",
    "CheckView",
    "CornerView",
    "ImportanceView",
    "QuestionView",
    "ReferenceView",
    "SiblingView",
]


@dataclass(frozen=True, slots=True)
class ImportanceView:
    """How much a corner matters, and why."""

    level: Level
    derived: Level
    said: str | None
    words: str
    rank: int


@dataclass(frozen=True, slots=True)
class CornerView:
    """A corner and what is written of it."""

    id: UUID
    version: int
    code: str
    name: str | None
    start_m: float
    apex_m: float
    end_m: float
    direction: str | None
    other_names: tuple[str, ...]
    move: str
    given_up_for: str
    importance: ImportanceView
    traits: tuple[dict[str, Any], ...]
    kerbs: tuple[dict[str, Any], ...]
    limits: tuple[dict[str, Any], ...]
    passing: tuple[dict[str, Any], ...]
    lanes: tuple[dict[str, Any], ...]
    note: str


@dataclass(frozen=True, slots=True)
class ReferenceView:
    """A reference as it is seen with the chosen car."""

    id: UUID
    version: int
    corner_id: UUID
    point: str
    kind: str
    thing: str
    side: str | None
    offset_m: float | None
    offset_words: str
    at_m: float | None
    gear: int | None
    brake_peak_pct: float | None
    throttle: str | None
    harder_than: str | None
    lasts: str
    lasts_said: str | None
    car_id: UUID | None
    driver_id: UUID | None
    driver: str | None
    variant: str
    state: str
    sure: str
    note: str | None
    proposed_by: str
    proposed_at: datetime
    settled_by: str | None
    settled_at: datetime | None
    picture_id: UUID | None
    words: str
    shown: str
    """`standing`, `carried` (another car's numbers), or `earlier`."""
    from_car: str | None
    mine: bool
    """Whether the actor may write it."""


@dataclass(frozen=True, slots=True)
class QuestionView:
    """A question."""

    id: UUID
    version: int
    corner_id: UUID | None
    text: str
    asked_by: str
    asked_at: datetime
    answer: str | None
    answered_by: str | None
    answered_at: datetime | None
    closed_at: datetime | None
    became: str | None
    mine: bool


@dataclass(frozen=True, slots=True)
class CheckView:
    """Something to see to before the race."""

    kind: str
    corner_id: UUID | None
    corner: str
    level: str
    words: str
    reference_ids: tuple[UUID, ...]


@dataclass(frozen=True, slots=True)
class CarView:
    """A car, and the combination in which it is driven here."""

    id: UUID
    name: str
    combination_id: UUID | None


@dataclass(frozen=True, slots=True)
class SiblingView:
    """Another layout of the same track."""

    id: UUID
    layout: str
    length_m: float
    derivation: str | None


@dataclass(frozen=True, slots=True)
class BookView:
    """A layout's book."""

    id: UUID
    version: int
    track_id: UUID
    track: str
    layout: str
    kind: str
    length_m: float
    has_centreline: bool
    derivation: str | None
    derived_from: str | None
    pit: dict[str, Any] | None
    pit_entry_note: str | None
    pit_exit_note: str | None
    rules: str | None
    sectors: tuple[dict[str, Any], ...]
    corners: tuple[CornerView, ...]
    references: tuple[ReferenceView, ...]
    questions: tuple[QuestionView, ...]
    checks: tuple[CheckView, ...]
    cars: tuple[CarView, ...]
    car_id: UUID | None
    siblings: tuple[SiblingView, ...]
    unit: str
