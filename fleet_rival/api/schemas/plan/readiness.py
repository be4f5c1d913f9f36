"""Readiness, its rules and who sits at the wheel, over the wire."""

from datetime import datetime
from typing import Annotated, Literal
from uuid import UUID

from pydantic import BaseModel, ConfigDict, Field

from fleet_rival.api.schemas.base import Schema
from fleet_rival.core.pace.stop import Stop
from fleet_rival.core.planning.blocks import MOST_OWN
from fleet_rival.core.settings import CHECKS
from fleet_rival.core.words import (
    CheckState,
)
from fleet_rival.services.plan.seat import Seat
from fleet_rival.wording.settings import PLANNING


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
    planning: dict[str, Annotated[float, Field(ge=0, lt=1e9)]] = Field(default={}, max_length=len(PLANNING))


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


class PlanSettingOut(Schema):
    """A setting of planning: what it does, its value, and the one that it usually has."""

    key: str
    words: str
    value: float
    usual: float


class PlanRulesOut(Schema):
    version: int
    checks: list[CheckRuleOut]
    blocks: list[BlockRuleOut]
    planning: list[PlanSettingOut]


class StopOut(Schema, of=Stop):
    pass


class SeatOut(Schema, of=Seat):
    over: bool = Field(description="Beyond the driver's seat limit")
    stop: StopOut | None
    words: list[str] = Field(description="What to say to them; empty where all is well")


class SeatsOut(Schema):
    items: list[SeatOut]
