"""The practice plan and readiness."""

from datetime import datetime
from typing import Literal
from uuid import UUID

from pydantic import BaseModel, ConfigDict, Field

from fleet_rival.api.schemas.base import Day, Moment, Schema
from fleet_rival.core.planning.blocks import MOST_OWN
from fleet_rival.core.planning.readiness import CHECKS
from fleet_rival.core.words import (
    BlockSaid,
    BlockState,
    CheckState,
    Counting,
    StopKind,
    WhatIfKind,
    WhyNot,
)


class PlanQuery(BaseModel):
    model_config = ConfigDict(extra="forbid")
    day: Day | None = Field(default=None, description="A day of the weeks that are meant; today's where missing")


class PlanWish(BaseModel):
    model_config = ConfigDict(extra="forbid")
    day: Day | None = None
    drivers: list[UUID] | None = Field(default=None, max_length=200, description="Whose blocks are placed; everybody's where missing")


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


class PlanWeek(Schema):
    id: UUID
    series: str
    place: str


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


class ComingBlockOut(Schema):
    id: UUID
    version: int
    driver: str
    begins_at: datetime
    ends_at: datetime
    kind: str
    words: str
    why: str
    series: str
    place: str
    rig: str | None
    coach: str | None
    driver_id: UUID
    combination_id: UUID | None
    state: BlockState
    became: str
    pass_mark: str


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


class CheckOfReadiness(Schema):
    key: str
    state: CheckState
    value: float | None
    wanted: float
    block: str | None
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


class ReadinessPast(BaseModel):
    model_config = ConfigDict(extra="forbid")
    entry_id: UUID


class CheckRule(BaseModel):
    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)
    met: float
    close: float
    weight: float


class BlockRule(BaseModel):
    """A kind of block as the team wants it."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)
    laps: int = Field(ge=0, le=100)
    minutes: int = Field(ge=0, le=240)
    rank: int = Field(ge=0, le=9)
    share: float = Field(ge=0, le=1)
    planned: bool
    pass_mark: str = Field(max_length=300)
    name: str | None = Field(default=None, max_length=60)
    times: int | None = Field(default=None, ge=1, le=20)
    driving: bool | None = None
    coached: bool | None = None


class PlanRulesBody(BaseModel):
    model_config = ConfigDict(extra="forbid")
    checks: dict[Literal[tuple(CHECKS)], CheckRule] = Field(max_length=len(CHECKS))  # type: ignore[valid-type]
    blocks: dict[str, BlockRule] = Field(max_length=MOST_OWN + 20)


class CheckRuleOut(Schema):
    key: str
    title: str
    met: float
    close: float
    usual_met: float
    usual_close: float
    weight: float
    usual_weight: float


class BlockRuleOut(Schema):
    code: str
    laps: int
    minutes: int
    rank: int
    driving: bool
    coached: bool
    share: float
    planned: bool
    pass_mark: str
    name: str
    times: int
    words: str
    usual_pass_mark: str
    own: bool


class PlanRulesOut(Schema):
    version: int
    checks: list[CheckRuleOut]
    blocks: list[BlockRuleOut]


class StopOut(Schema):
    kind: StopKind
    lap: int
    since: int
    slower: float | None
    slips: int
    laps: int


class SeatOut(Schema):
    driver_id: UUID
    driver: str
    combination_id: UUID
    since: datetime
    minutes: float
    laps: int
    limit_minutes: float
    break_minutes: float
    over: bool = Field(description="Beyond the driver's seat limit")
    stop: StopOut | None
    words: list[str] = Field(description="What to say to them; empty where all is well")


class SeatsOut(Schema):
    items: list[SeatOut]


class LineupWish(BaseModel):
    model_config = ConfigDict(extra="forbid")
    day: Day | None = None
    most_each: int = Field(default=1, ge=1, le=10, description="Races a driver and week")
    places: dict[UUID, int] = Field(default_factory=dict, max_length=50, description="Of a series: how many drivers at most; all where missing")
    whole_season: bool = False


class LineupRace(Schema):
    week_id: UUID
    series_id: UUID
    series: str
    place: str
    cars: str
    step: int
    begins_at: datetime


class LineupCell(Schema):
    week_id: UUID
    entered: bool
    chosen: bool
    counts: bool
    points: float | None = Field(description="Likely; None: can't drive it")
    margin: float | None
    why_not: WhyNot | None
    words: str
    because: str


class LineupRow(Schema):
    driver_id: UUID
    driver: str
    cells: list[LineupCell]


class StandingWeek(Schema):
    entry_id: UUID
    version: int
    number: int
    points: float
    dropped: bool


class StandingDriver(Schema):
    driver_id: UUID
    driver: str
    total: float
    weeks: list[StandingWeek]


class SeriesStanding(Schema):
    series_id: UUID
    version: int
    series: str
    best_weeks: int | None
    starts_count: Counting
    drivers: list[StandingDriver]


class LineupOut(Schema):
    points: float
    proven: bool
    rule: str
    races: list[LineupRace]
    rows: list[LineupRow]
    standings: list[SeriesStanding]


class OutlookRace(Schema):
    week_id: UUID
    series: str
    place: str
    cars: str
    begins_at: datetime
    layout_id: UUID | None
    entered: int
    missing: list[str]
    known: list[str]


class OutlookStep(Schema):
    begins_at: datetime
    races: list[OutlookRace]


class OutlookWeek(Schema):
    needed: float = Field(description="Hours")
    there: float = Field(description="Hours")
    begin: int = Field(description="Place of the week in which to begin")
    short: float
    blocks: list[str]
    words: str


class OutlookDriver(Schema):
    driver_id: UUID
    driver: str
    weeks: list[OutlookWeek]


class OutlookOut(Schema):
    steps: list[OutlookStep]
    drivers: list[OutlookDriver]
