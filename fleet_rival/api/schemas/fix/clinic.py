"""Corners, mistakes and passes over the wire."""

from uuid import UUID

from pydantic import BaseModel, Field

from fleet_rival.api.schemas.base import Schema
from fleet_rival.api.schemas.find.figures import GroupOut
from fleet_rival.core.corners.trades import Trade
from fleet_rival.core.corners.when import RunRate
from fleet_rival.core.words import (
    CornerPhase,
    MistakeKind,
    PartDepth,
    PriorityKind,
    SlipSource,
    Sure,
)
from fleet_rival.services.fix.audit import Audited


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
    together: list[str]
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


class TrendRun(Schema, of=RunRate):
    pass


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


class TradeOut(Schema, of=Trade):
    pass


class AuditedOut(Schema, of=Audited):
    pass


class ReferenceAudit(Schema):
    items: list[AuditedOut]


class TemptationOut(Schema):
    corner: str
    name: str | None
    strikes: int
    passes: int
    voided: int = Field(description="Laps that count for nothing because of this corner alone")
    among_fastest: int
    words: str


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
    temptations: list[TemptationOut]
    together: list[str]
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
    like: MistakeKind | None = Field(
        default=None, description="All passes that rules take for this kind get the new one too"
    )
