"""The board."""

from datetime import date, datetime
from uuid import UUID

from pydantic import BaseModel, Field, NaiveDatetime

from fleet_rival.api.schemas.base import Day, Schema, ZoneName
from fleet_rival.api.schemas.week.season import CarChoice
from fleet_rival.core.words import Difference, Importance, WeekState
from fleet_rival.services.plan.coming import Practice


class BoardQuery(BaseModel):
    day: Day | None = Field(default=None, description="In the person's zone; today where missing")
    zone: ZoneName = "UTC"


class BoardDifference(Schema):
    what: Difference
    practised: float | str
    race: float | str
    by: float | None
    matters: bool


class BoardColumn(Schema):
    week_id: UUID
    series_id: UUID
    series: str
    number: int
    place: str
    cars: list[CarChoice]
    combination_id: UUID | None
    begins_at: datetime
    ends_at: datetime
    state: WeekState
    race_laps: int | None
    race_minutes: float | None
    wetness: str | None
    track_temp_c: float | None
    air_temp_c: float | None
    session_local: NaiveDatetime | None
    target_us: int | None
    best_us: int | None
    minutes: float


class BoardClash(Schema):
    kind: str
    start: datetime | None
    words: str


class BoardEntry(Schema):
    id: UUID
    version: int
    importance: Importance
    starts: list[datetime]
    car_id: UUID | None
    resource_id: UUID | None
    note: str | None
    points: float | None
    clashes: list[BoardClash]


class BoardOpen(Schema):
    kind: str
    words: str


class BoardTrend(Schema):
    laps: int
    clean: int
    gained_us: int | None


class BoardEarlier(Schema):
    same: int = 0
    track: int = 0
    car: int = 0


class BoardPractice(Schema, of=Practice):
    """Blocks that were planned: done, not driven as planned, and to come."""


class BoardCell(Schema):
    week_id: UUID
    entry: BoardEntry | None
    practice: BoardPractice | None
    next_start: datetime | None
    open: list[BoardOpen]
    combination_id: UUID | None
    laps: int
    runs: int
    clean: int
    clean_rate: float | None
    best_us: int | None
    ideal_us: int | None
    spread_pct: float | None
    sure: str | None
    wetness: str | None
    compound: str | None
    target_us: int | None
    gap_us: int | None
    trend: BoardTrend | None
    earlier: BoardEarlier
    differences: list[BoardDifference]
    changed_at: datetime | None
    right: bool


class BoardDriver(Schema):
    id: UUID
    name: str
    nickname: str | None
    cells: list[BoardCell]


class BoardNeed(Schema):
    kind: str
    words: str
    action: str
    week_id: UUID
    combination_id: UUID | None
    car_id: UUID | None
    layout_id: UUID | None
    entry_ids: list[UUID]
    due: datetime
    differences: list[BoardDifference]


class ComingWeek(Schema):
    week_id: UUID
    series_id: UUID
    series: str
    number: int
    place: str
    cars: str
    begins_at: datetime
    words: str


class ComingStep(Schema):
    day: date
    weeks: list[ComingWeek]


class BoardResource(Schema):
    id: UUID
    name: str


class BackupTroubleOut(Schema):
    at: datetime
    trouble: str
    failures: int = Field(description="How many failed one after the other")
    again_at: datetime | None


class BoardOut(Schema):
    day: date
    now: datetime
    columns: list[BoardColumn]
    drivers: list[BoardDriver]
    needs: list[BoardNeed]
    more_needs: int
    backup: BackupTroubleOut | None = Field(description="For managers: why the backup that was due isn't made")
    coming: list[ComingStep]
    resources: list[BoardResource]


class VisitOut(Schema):
    before_at: datetime | None = Field(description="When the visit before this one ended")


class StartChoice(Schema):
    start: datetime
    in_time: bool | None = Field(description="Whether it fits into the driver's free time; null where that isn't known")
    busy: bool = Field(description="Whether the driver has another start at the same time")


class StartChoices(Schema):
    items: list[StartChoice]
