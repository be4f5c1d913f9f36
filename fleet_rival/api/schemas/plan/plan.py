"""The practice plan over the wire."""

from datetime import datetime
from uuid import UUID

from pydantic import BaseModel, ConfigDict, Field

from fleet_rival.api.schemas.base import Day, Moment, Schema
from fleet_rival.core.words import (
    BlockSaid,
    BlockState,
    WhatIfKind,
)
from fleet_rival.services.plan.coming import ComingBlock
from fleet_rival.services.plan.problem import PlannedWeek


class PlanQuery(BaseModel):
    model_config = ConfigDict(extra="forbid")
    day: Day | None = Field(default=None, description="A day of the weeks that are meant; today's where missing")


class PlanWish(BaseModel):
    model_config = ConfigDict(extra="forbid")
    day: Day | None = None
    drivers: list[UUID] | None = Field(
        default=None, max_length=200, description="Whose blocks are placed; everybody's where missing"
    )


class WhatIfChange(BaseModel):
    model_config = ConfigDict(extra="forbid")
    kind: WhatIfKind
    driver_id: UUID
    begins_at: Moment | None = None
    ends_at: Moment | None = None
    week_id: UUID | None = None


class WhatIfWish(BaseModel):
    model_config = ConfigDict(extra="forbid")
    day: Day | None = None
    changes: list[WhatIfChange] = Field(min_length=1, max_length=10)


class RoomWish(BaseModel):
    model_config = ConfigDict(extra="forbid")
    day: Day | None = None
    key: str = Field(min_length=1, max_length=300)


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
    week_id: UUID
    combination_id: UUID | None
    place: str
    series: str
    kind: str
    about: str
    words: str
    why: str
    gain_us: int
    minutes: int
    begins_at: datetime
    rig: PlanRig | None
    coach: str | None
    locked: bool
    said: BlockSaid | None = Field(description="What somebody said became of it")
    state: BlockState
    became: str = Field(description="What became of it, in words; empty: still to come")
    pass_mark: str
    needed: bool = Field(description="False: what it was for is done, or gone")
    broken: list[str] = Field(description="Rules that it breaks, in words")


class PlanLeft(Schema):
    key: str
    driver_id: UUID
    driver: str
    kind: str
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


class PlanWeek(Schema, of=PlannedWeek):
    pass


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
    weeks: list[PlanWeek] = Field(description="In which drivers may be entered")
    drivers: list[PlanRig]


class ComingBlockOut(Schema, of=ComingBlock):
    state: BlockState


class ComingBlocks(Schema):
    items: list[ComingBlockOut]


class PlanBlockPath(BaseModel):
    block_id: UUID


class PlanBlockChange(BaseModel):
    model_config = ConfigDict(extra="forbid")
    begins_at: Moment | None = None
    minutes: int | None = Field(default=None, ge=5, le=600)
    rig_id: UUID | None = None
    locked: bool | None = None
    said: BlockSaid | None = Field(default=None, description="What became of it; null: as the laps tell")


class WhyQuery(PlanQuery):
    key: str = Field(min_length=1, max_length=300)


class WhyOut(Schema):
    key: str
    title: str
    words: list[str]
    gained_us: int | None
    best_at: datetime | None = Field(description="Where it would stand; None: nowhere")
