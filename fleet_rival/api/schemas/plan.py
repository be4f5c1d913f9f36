"""The practice plan and readiness."""

from datetime import date, datetime
from typing import Literal
from uuid import UUID

from pydantic import BaseModel, ConfigDict, Field

from fleet_rival.api.schemas.base import Schema
from fleet_rival.core.planning.blocks import BLOCK_KINDS

PlanKind = Literal[BLOCK_KINDS]  # type: ignore[valid-type]


class PlanQuery(BaseModel):
    model_config = ConfigDict(extra="forbid")
    day: date | None = Field(default=None, description="A day of the weeks that are meant; today's where missing")


class PlanWish(BaseModel):
    model_config = ConfigDict(extra="forbid")
    day: date | None = None
    drivers: list[UUID] | None = Field(default=None, max_length=200, description="Whose blocks are placed; everybody's where missing")


class PlanRace(Schema):
    at: datetime
    what: str


class PlanSpan(Schema):
    begins_at: datetime
    ends_at: datetime


class PlanLane(Schema):
    id: UUID
    name: str
    zone: str
    free: list[PlanSpan]
    races: list[PlanRace]
    care: dict[str, float]


class PlanRig(Schema):
    id: UUID
    name: str


class PlanBlockOut(Schema):
    id: UUID
    version: int
    key: str
    driver_id: UUID
    entry_id: UUID
    combination_id: UUID | None
    place: str
    series: str
    kind: PlanKind
    about: str
    words: str
    why: str
    gain_us: int
    minutes: int
    begins_at: datetime
    rig: PlanRig | None
    coach: str | None
    locked: bool
    needed: bool = Field(description="False: what it was for is done, or gone")
    broken: list[str] = Field(description="Rules that it breaks, in words")


class PlanLeft(Schema):
    key: str
    driver_id: UUID
    driver: str
    kind: PlanKind
    about: str
    words: str
    why: str
    minutes: int
    gain_us: int
    worth_us: int = Field(description="Weighted by how much the entry matters")
    reason: str


class PlanChange(Schema):
    words: str
    begins_at: datetime | None = Field(description="Where it is now; None: nowhere")


class PlanOut(Schema):
    name: str
    begins_at: datetime
    ends_at: datetime
    made_at: datetime | None
    value_us: float | None
    bound_us: float | None
    proven: bool
    changed: list[PlanChange]
    lanes: list[PlanLane]
    blocks: list[PlanBlockOut]
    left: list[PlanLeft]
    rigs: list[PlanRig]


class ComingBlockOut(Schema):
    id: UUID
    version: int
    driver: str
    begins_at: datetime
    ends_at: datetime
    kind: PlanKind
    words: str
    why: str
    series: str
    place: str
    rig: str | None
    coach: str | None


class ComingBlocks(Schema):
    items: list[ComingBlockOut]


class PlanBlockPath(BaseModel):
    block_id: UUID


class PlanBlockChange(BaseModel):
    model_config = ConfigDict(extra="forbid")
    begins_at: datetime | None = None
    minutes: int | None = Field(default=None, ge=5, le=600)
    rig_id: UUID | None = None
    locked: bool | None = None


class WhyQuery(PlanQuery):
    key: str = Field(min_length=1, max_length=300)


class WhyOut(Schema):
    key: str
    title: str
    words: list[str]
    gained_us: int | None
    best_at: datetime | None = Field(description="Where it would stand; None: nowhere")


class CheckOfReadiness(Schema):
    key: str
    state: Literal["met", "close", "open"]
    value: float | None
    wanted: float
    block: PlanKind | None
    closed_by: str | None = Field(description="The block in words")
    title: str
    words: str


class ReadinessItem(Schema):
    entry_id: UUID
    driver_id: UUID
    driver: str
    series: str
    place: str
    combination_id: UUID | None
    race_at: datetime
    importance: str
    total: float
    open: int
    checks: list[CheckOfReadiness]


class ReadinessOut(Schema):
    items: list[ReadinessItem]
