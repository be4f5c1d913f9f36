"""The corner clinic: mistakes, what people say of passes, exercises and the card of three."""

from datetime import datetime
from uuid import UUID

from pydantic import BaseModel, Field

from fleet_rival.api.schemas.base import Schema
from fleet_rival.api.schemas.find.figures import GroupOut
from fleet_rival.core.words import (
    CornerPhase,
    FiguresForm,
    MistakeKind,
    PartDepth,
    PriorityKind,
    SetupPurpose,
    SlipSource,
    Sure,
)


class ClinicDriver(Schema):
    id: UUID
    name: str
    cost_us: int


class ClinicCell(Schema):
    cost_us: int
    slips: int
    passes: int
    kinds: list[MistakeKind]


class ClinicCorner(Schema):
    code: str
    name: str | None
    start_m: float
    end_m: float
    cells: list[ClinicCell] = Field(description="In the order of the drivers")


class SharedMistake(Schema):
    corner: str
    name: str | None
    kind: MistakeKind
    title: str
    drivers: int
    of: int
    words: str


class TeamClinic(Schema):
    drivers: list[ClinicDriver]
    depth: PartDepth
    corners: list[ClinicCorner]
    shared: list[SharedMistake]


class ClinicPart(Schema):
    code: str
    name: str | None
    start_m: float
    end_m: float
    cost_us: int
    reference_us: int | None
    slips: int
    passes: int


class ThreeItem(Schema):
    what: PriorityKind
    corner: str
    kind: MistakeKind
    cost_us: int
    words: str


class SlipOut(Schema):
    session: str
    session_id: UUID
    run: int
    lap: int
    key: str
    at: str = Field(description="Where it shows")
    loss_us: int
    knock_on_us: int
    kind: MistakeKind
    rule_kind: MistakeKind
    source: SlipSource
    evidence: str
    remark: str | None
    traced: bool
    corrected: bool


class TrendRun(Schema):
    session: str
    run: int | None
    passes: int
    slips: int


class TrendOut(Schema):
    words: str
    closed: bool
    returned: bool
    chance: float | None
    falls: bool
    runs: list[TrendRun]


class MistakeOut(Schema):
    corner: str
    name: str | None
    kind: MistakeKind
    title: str
    phase: CornerPhase | None
    words: str
    rate_words: str
    evidence: str
    source: SlipSource
    occurrences: int
    passes: int
    runs: int
    rate: float
    rate_low: float
    rate_high: float
    mean_loss_us: int
    knock_on_us: int
    cost_us: int
    race_us: int | None
    recurring: bool
    sure: Sure
    when: list[str]
    trend: TrendOut
    slips: list[SlipOut]


class StandingOut(Schema):
    corner: str
    name: str | None
    kind: MistakeKind
    title: str
    loss_us: int
    own_us: int
    best_us: int
    against: str | None
    words: str


class TradeOut(Schema):
    first: str
    second: str
    correlation: float
    low: float
    high: float
    n: int


class AuditedOut(Schema):
    corner: str
    name: str | None
    at_m: float
    scatter_m: float
    others_m: float | None
    passes: int
    unused: bool
    confirmed_at: datetime | None
    before_m: float | None
    before: int
    after_m: float | None
    after: int
    clear: bool
    words: str


class ReferenceAudit(Schema):
    items: list[AuditedOut]


class DriverClinic(Schema):
    id: UUID
    name: str
    group: GroupOut
    depth: PartDepth
    flying: int
    with_traces: int
    race_laps: float | None
    parts: list[ClinicPart]
    three: list[ThreeItem]
    mistakes: list[MistakeOut]
    cold: list[MistakeOut]
    standing: list[StandingOut]
    trades: list[TradeOut]
    missing: str | None


class MistakePath(BaseModel):
    combination_id: UUID
    driver_id: UUID
    corner: str = Field(max_length=40)
    kind: MistakeKind


class PhaseOut(Schema):
    phase: CornerPhase
    words: str
    loss_us: int


class ShownPass(SlipOut):
    begins_m: float | None
    phases: list[PhaseOut]
    channels: dict[str, list[float | None]]


class PassMarks(Schema):
    start_m: float
    end_m: float
    brake_m: float | None
    slowest_m: float
    pick_up_m: float | None


class MistakePasses(Schema):
    corner: str
    kind: MistakeKind
    at_m: list[float]
    good: dict[str, list[float | None]]
    marks: PassMarks | None
    passes: list[ShownPass]


class PassPath(BaseModel):
    session_id: UUID
    driver_id: UUID
    number: int = Field(ge=0, lt=2**31)
    lap: int = Field(ge=0, lt=2**31)
    corner: str = Field(max_length=40)


class CorrectionForm(BaseModel):
    kind: MistakeKind | None = None
    cause_corner: str | None = Field(default=None, max_length=40)
    no_mistake: bool = False
    remark: str | None = Field(default=None, max_length=500)
    like: MistakeKind | None = Field(default=None, description="All passes that rules take for this kind get the new one too")


class ExerciseOut(Schema):
    code: str
    version: int
    kind: MistakeKind
    kind_title: str
    title: str
    cause: str
    feel: str
    work: str
    of_passes: int
    good_passes: int
    mark: str
    shipped: bool


class ExercisesOut(Schema):
    items: list[ExerciseOut]
    mistake_words: dict[str, str] = Field(description="What each kind is called")


class ExercisePath(BaseModel):
    code: str = Field(min_length=1, max_length=40, pattern=r"^[a-z0-9-]+$")


class ExerciseForm(BaseModel):
    code: str = Field(min_length=1, max_length=40, pattern=r"^[a-z0-9-]+$")
    version: int = Field(ge=0)
    kind: MistakeKind
    title: str = Field(max_length=200)
    cause: str = Field(default="", max_length=2000)
    feel: str = Field(default="", max_length=2000)
    work: str = Field(max_length=2000)
    of_passes: int = Field(ge=1, le=50)
    good_passes: int = Field(ge=1, le=50)


class AssignmentForm(BaseModel):
    corner: str = Field(max_length=40)
    kind: MistakeKind
    exercise: str = Field(max_length=40)


class AssignmentPath(BaseModel):
    assignment_id: UUID


class AssignmentOut(Schema):
    id: UUID
    version: int
    driver_id: UUID
    driver: str
    corner: str
    name: str | None
    kind: MistakeKind
    kind_title: str
    title: str
    work: str
    mark: str
    begins_at: datetime
    ended_at: datetime | None
    driven: int
    best: int
    of: int
    passed: bool
    last: list[bool]
    rate_before: float | None
    rate_since: float | None
    words: str


class AssignmentsOut(Schema):
    items: list[AssignmentOut]


class HelpedDriverOut(Schema):
    driver: str
    place: str
    corner: str
    passed: bool
    rate_before: float | None
    rate_since: float | None


class HelpedOut(Schema):
    kind: MistakeKind
    title: str
    given: int
    judged: int
    passed: int
    removed: float
    low: float
    high: float
    words: str
    drivers: list[HelpedDriverOut] = Field(description="For who may see all")


class WhatHelped(Schema):
    items: list[HelpedOut]


class CardItemOut(Schema):
    corner: str
    name: str | None
    kind: MistakeKind
    words: str
    reference: str | None
    exercise: str
    mark: str
    code: str
    assigned: AssignmentOut | None
    gain_us: int
    gain_words: str


class CardOfThree(Schema):
    driver: str
    place: str
    car: str
    items: list[CardItemOut]
    text: str


class SetupValueForm(BaseModel):
    name: str = Field(min_length=1, max_length=120)
    value: str = Field(min_length=1, max_length=120)
    unit: str | None = Field(default=None, max_length=40)
    corner: str | None = Field(default=None, max_length=40, description="Where it is set in the car; None: for the whole lap")


class SetupSheetForm(BaseModel):
    purpose: SetupPurpose = "any"
    assists: str | None = Field(default=None, max_length=120)
    reason: str | None = Field(default=None, max_length=2000)
    note: str | None = Field(default=None, max_length=2000)
    values: list[SetupValueForm] = Field(default_factory=list, max_length=1000)
    file: str | None = Field(default=None, max_length=1_000_000, description="Instead of values: what a CSV or JSON file holds")


class NewSetup(SetupSheetForm):
    car_id: UUID
    name: str = Field(max_length=200)


class NewSetupVersion(SetupSheetForm):
    latest: int = Field(ge=1, description="The version that was looked at")


class SetupValueOut(Schema):
    name: str
    value: str
    unit: str | None
    corner: str | None


class SetupDifference(Schema):
    name: str
    corner: str | None
    unit: str | None
    before: str | None
    after: str | None
    by: float | None


class SetupVersionOut(Schema):
    number: int
    label: str
    purpose: SetupPurpose
    assists: str | None
    reason: str | None
    person: str
    created_at: datetime
    values: list[SetupValueOut]
    changed: list[SetupDifference]
    laps: int


class SetupOut(Schema):
    id: UUID
    version: int
    name: str
    car_id: UUID
    car: str
    note: str | None
    versions: list[SetupVersionOut]


class SetupsOut(Schema):
    items: list[SetupOut]


class SetupMade(Schema):
    id: UUID


class SetupPath(BaseModel):
    setup_id: UUID


class SetupQuery(BaseModel):
    car: UUID | None = None


class SetupDifferenceQuery(BaseModel):
    first: int = Field(ge=1)
    second: int = Field(ge=1)
    other: UUID | None = None


class SetupDifferences(Schema):
    items: list[SetupDifference]


class SetupFileQuery(BaseModel):
    number: int = Field(ge=1)
    form: FiguresForm = "csv"


class BroughtItem(Schema):
    combination_id: UUID
    place: str
    driver_id: UUID
    driver: str
    before: str
    after: str
    words: str
    one_change: bool
    felt: list[str]


class BroughtOut(Schema):
    items: list[BroughtItem]
