"""Layouts in full, and the track book."""

from typing import Annotated
from uuid import UUID

from pydantic import BaseModel, Field, model_validator

from fleet_rival.api.schemas.base import Schema
from fleet_rival.core.words import (
    Became,
    Cost,
    Derived,
    KerbUse,
    LaneSide,
    Lasting,
    LeftOrRight,
    Level,
    PassingSide,
    Point,
    RacePhase,
    ReferenceKind,
    ReferenceShown,
    ReferenceSide,
    ReferenceState,
    Risk,
    ShortUnit,
    Sure,
    Throttle,
    TraitKind,
    Variant,
)
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
from fleet_rival.services.track.boundaries import Consequences, Losing, Renamed
from fleet_rival.services.track.layouts import Outline

Name = Annotated[str, Field(min_length=1, max_length=120)]
TrackKind = Annotated[str, Field(min_length=1, max_length=40)]
ShortText = Annotated[str, Field(max_length=200)]
Position = Annotated[float, Field(ge=0, le=1_000_000, allow_inf_nan=False, description="Metres from the line")]


class SectorPart(Schema):
    code: Name
    start_m: Position


class CornerPart(Schema):
    code: Name
    name: str | None = Field(default=None, max_length=120)
    start_m: Position
    apex_m: Position
    end_m: Position
    direction: LeftOrRight | None = None
    linked_to_next: bool = False


class DraftCorner(CornerPart):
    id: UUID | None = Field(default=None, description="Of a corner that is there; a new one has none")


class PitLane(Schema):
    entry_m: Position
    exit_m: Position
    side: LeftOrRight | None = None
    limit_kmh: float | None = Field(default=None, gt=0, le=400)


class NewLayout(Schema):
    track: Name
    layout: Name
    kind: TrackKind = "circuit"
    length_m: float = Field(gt=0, le=1_000_000, allow_inf_nan=False)
    sectors: list[SectorPart] = Field(min_length=1, max_length=400)
    corners: list[CornerPart] = Field(default_factory=list, max_length=400)
    pit: PitLane | None = None


class LayoutMade(Schema):
    id: UUID


class Derivation(Schema):
    how: Derived
    layout: Name
    from_m: Position | None = None
    to_m: Position | None = None
    link_m: float | None = Field(default=None, ge=0, le=1_000_000, allow_inf_nan=False)

    @model_validator(mode="after")
    def must_name_both_ends(self) -> "Derivation":
        if (self.from_m is None) != (self.to_m is None):
            raise ValueError("name both ends of what is left out")
        return self


class LayoutChange(Schema):
    track: Name
    layout: Name
    kind: TrackKind
    pit: PitLane | None = None
    pit_entry_note: str | None = Field(default=None, max_length=5000)
    pit_exit_note: str | None = Field(default=None, max_length=5000)


class Boundaries(Schema):
    sectors: list[SectorPart] = Field(min_length=1, max_length=400)
    corners: list[DraftCorner] = Field(max_length=400)


class LosingOut(Schema, of=Losing):
    pass


class RenamedOut(Schema, of=Renamed):
    pass


class ConsequencesOut(Schema, of=Consequences):
    lost: list[str] = Field(description="Parts whose times can't be made from the old ones")
    summed: list[str] = Field(description="Parts whose times are exact sums of earlier parts")
    traced: int = Field(description="Laps with traces, from which lost times are read anew")


class OutlineOut(Schema, of=Outline):
    pass


class CornerTrait(Schema):
    kind: TraitKind
    where: ShortText = ""


class CornerKerb(Schema):
    where: ShortText
    use: KerbUse
    why: ShortText = ""


class CornerLimit(Schema):
    where: ShortText
    part: ShortText = ""
    cost: Cost
    rules: ShortText = ""


class CornerPassing(Schema):
    side: PassingSide
    risk: Risk
    wrong: ShortText = ""
    yield_when: ShortText = ""


class CornerLane(Schema):
    phase: RacePhase
    lane: LaneSide
    where: ShortText = ""
    why: ShortText = ""


class CornerChange(Schema):
    """What isn't named stays."""

    name: str | None = Field(default=None, max_length=120)
    other_names: list[Name] = Field(default_factory=list, max_length=20)
    move: str | None = Field(default=None, max_length=120)
    given_up_for: str | None = Field(default=None, max_length=120)
    importance: Level | None = None
    traits: list[CornerTrait] = Field(default_factory=list, max_length=30)
    kerbs: list[CornerKerb] = Field(default_factory=list, max_length=30)
    limits: list[CornerLimit] = Field(default_factory=list, max_length=30)
    passing: list[CornerPassing] = Field(default_factory=list, max_length=10)
    lanes: list[CornerLane] = Field(default_factory=list, max_length=10)
    note: str | None = Field(default=None, max_length=5000)


class ImportanceOut(Schema, of=ImportanceView):
    said: Level | None


class CornerOut(Schema, of=CornerView):
    traits: list[CornerTrait]
    kerbs: list[CornerKerb]
    limits: list[CornerLimit]
    passing: list[CornerPassing]
    lanes: list[CornerLane]


class ReferenceChange(Schema):
    point: Point
    kind: ReferenceKind
    thing: ShortText = ""
    side: ReferenceSide | None = None
    offset_m: float | None = Field(default=None, ge=-2000, le=2000, allow_inf_nan=False)
    offset_words: ShortText = ""
    at_m: Position | None = None
    gear: int | None = Field(default=None, ge=1, le=20)
    brake_peak_pct: float | None = Field(default=None, ge=0, le=100)
    throttle: Throttle | None = None
    harder_than: str | None = Field(default=None, max_length=120)
    lasts: Lasting | None = None
    car_id: UUID | None = None
    driver_id: UUID | None = None
    variant: Variant = "usual"
    sure: Sure = "likely"
    note: str | None = Field(default=None, max_length=2000)


class NewReference(ReferenceChange):
    confirmed: bool = Field(default=False, description="Stands at once; for managers and coaches")


class ReferenceOut(Schema, of=ReferenceView):
    point: Point
    kind: ReferenceKind
    side: ReferenceSide | None
    throttle: Throttle | None
    lasts: Lasting
    lasts_said: Lasting | None
    variant: Variant
    state: ReferenceState
    sure: Sure
    shown: ReferenceShown


class ReferenceMade(Schema):
    id: UUID


class Carried(Schema):
    car_id: UUID


class NewQuestion(Schema):
    corner_id: UUID | None = None
    text: str = Field(min_length=1, max_length=500)


class QuestionAnswer(Schema):
    answer: str = Field(min_length=1, max_length=1000)


class QuestionClosing(Schema):
    became: Became | None = None
    reference: ReferenceChange | None = None


class QuestionOut(Schema, of=QuestionView):
    pass


class CheckOut(Schema, of=CheckView):
    level: Level


class BookCar(Schema, of=CarView):
    pass


class SiblingOut(Schema, of=SiblingView):
    pass


class BookOut(Schema, of=BookView):
    pit: PitLane | None
    sectors: list[SectorPart]
    unit: ShortUnit


class CardLine(Schema):
    code: str
    name: str | None
    level: Level
    words: str


class CardOut(Schema):
    title: str
    lines: list[CardLine]
    pit: str | None
    text: str


class WithCar(BaseModel):
    car: UUID | None = Field(default=None, description="With which car; the one that is driven here next where missing")


class OfCard(WithCar):
    driver: UUID | None = None
    variant: Variant = "usual"


class LayoutPath(BaseModel):
    layout_id: UUID


class CornerPath(BaseModel):
    corner_id: UUID


class ReferencePath(BaseModel):
    reference_id: UUID


class PicturePath(BaseModel):
    picture_id: UUID


class QuestionPath(BaseModel):
    question_id: UUID
