"""Line-ups and the outlook over the wire."""

from datetime import datetime
from uuid import UUID

from pydantic import BaseModel, ConfigDict, Field

from fleet_rival.api.schemas.base import Day, Schema
from fleet_rival.core.words import (
    Counting,
    WhyNot,
)


class LineupWish(BaseModel):
    model_config = ConfigDict(extra="forbid")
    day: Day | None = None
    most_each: int = Field(default=1, ge=1, le=10, description="Races a driver and week")
    places: dict[UUID, int] = Field(
        default_factory=dict, max_length=50, description="Of a series: how many drivers at most; all where missing"
    )
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
