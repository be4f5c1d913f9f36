"""What races brought, and what was learned."""

from datetime import datetime
from typing import Literal
from uuid import UUID

from pydantic import BaseModel, ConfigDict, Field

from fleet_rival.api.schemas.base import Moment, Schema
from fleet_rival.core.words import Fault, LessonCondition, RecurringState, WrittenKind
from fleet_rival.services.log.lessons import LessonView
from fleet_rival.services.log.results import HAPPENED, ResultView
from fleet_rival.services.log.written import WrittenView


class LessonOut(Schema, of=LessonView):
    condition: LessonCondition | None
    own: bool = Field(description="Whether you wrote it")


class LessonList(Schema):
    items: list[LessonOut]


class WrittenQuery(BaseModel):
    model_config = ConfigDict(extra="forbid")
    q: str = Field(max_length=200, description="Words that all stand in it")
    kind: WrittenKind | None = None
    layout: UUID | None = None
    car: UUID | None = None
    driver: UUID | None = None


class WrittenOut(Schema, of=WrittenView):
    id: UUID | None = Field(description="Of the race, week, series, setup or car that it stands at")


class WrittenList(Schema):
    items: list[WrittenOut]


class LessonQuery(BaseModel):
    model_config = ConfigDict(extra="forbid")
    q: str = Field(default="", max_length=200, description="Every word begins a word of the text")
    layout: UUID | None = None
    car: UUID | None = None
    series: UUID | None = None
    driver: UUID | None = None


class LessonBody(BaseModel):
    model_config = ConfigDict(extra="forbid")
    text: str = Field(min_length=1, max_length=500)
    layout_id: UUID | None = None
    corner: str | None = Field(default=None, max_length=40)
    car_id: UUID | None = None
    series_id: UUID | None = None
    driver_id: UUID | None = None
    condition: LessonCondition | None = None


class LessonMade(Schema):
    id: UUID


class LessonPath(BaseModel):
    lesson_id: UUID


class RaceStop(Schema):
    lap: int = Field(ge=1, le=10_000, description="Behind which it was")
    seconds: float | None = Field(default=None, ge=0, le=3600)
    compound: str | None = Field(default=None, max_length=120)


class RaceIncident(Schema):
    """As the driver saw it."""

    corner: str | None = Field(default=None, max_length=40)
    what: Literal[HAPPENED]  # type: ignore[valid-type]
    fault: Fault
    lap: int | None = Field(default=None, ge=0, le=10_000)
    note: str | None = Field(default=None, max_length=300)


class ResultBody(Schema):
    starts_at: Moment
    qualifying_us: int | None = Field(default=None, ge=1_000_000, le=3_600_000_000)
    grid: int | None = Field(default=None, ge=1, le=200)
    finish: int | None = Field(default=None, ge=1, le=200)
    laps: int | None = Field(default=None, ge=0, le=10_000)
    stops: list[RaceStop] = Field(default_factory=list, max_length=50)
    incidents: list[RaceIncident] = Field(default_factory=list, max_length=50)
    points: float | None = Field(default=None, ge=-1000, le=100_000)
    note: str | None = Field(default=None, max_length=2000)


class ResultOut(Schema, of=ResultView):
    stops: list[RaceStop]
    incidents: list[RaceIncident]


class ResultMade(Schema):
    id: UUID


class ResultPath(BaseModel):
    result_id: UUID


class RaceBehind(Schema):
    entry_id: UUID
    week_id: UUID
    driver_id: UUID
    driver: str
    series: str
    place: str
    number: int
    starts: list[datetime]
    results: list[ResultOut]
    points: float | None
    last: datetime


class CalibrationOut(Schema):
    figure: str
    label: str
    races: int
    inside: int
    due: float = Field(description="That should have come within the interval, if it is right")
    off: float | None = Field(description="Mean share by which it was off")
    shift: float = Field(description="Share that is taken into account from here on")
    widen: float = Field(description="By which intervals are made wider from here on")
    odd: bool
    words: str


class RacesBehind(Schema):
    items: list[RaceBehind]
    calibration: list[CalibrationOut]


class ComparedOut(Schema):
    figure: str
    label: str
    value: float
    low: float
    high: float
    happened: float
    inside: bool
    words: str


class PressureOut(Schema):
    corner: str
    practice_slips: int
    practice_passes: int
    race_slips: int
    race_passes: int
    told: bool = Field(description="Whether it is more than chance")
    more: bool
    words: str


class DebriefResult(ResultOut):
    sheet: int | None = Field(description="Number of the sheet that was in hand")
    race_laps: int = Field(description="Laps of the race that are there, from a file, a rig or by hand")
    compared: list[ComparedOut]
    pressure: list[PressureOut]


class Proposal(LessonBody):
    """A lesson that the figures propose; a person confirms it by writing it down."""


class DebriefCorner(Schema):
    code: str
    name: str | None


class DebriefOut(Schema):
    entry_id: UUID
    driver_id: UUID
    driver: str
    series: str
    place: str
    number: int
    week_id: UUID
    layout_id: UUID | None
    combination_id: UUID | None
    starts: list[datetime]
    begins_at: datetime
    ends_at: datetime
    corners: list[DebriefCorner]
    points: float | None
    results: list[DebriefResult]
    proposals: list[Proposal]


class BookWeek(Schema):
    combination_id: UUID
    week_id: UUID | None
    series: str | None
    number: int | None
    place: str
    car: str
    begins_at: datetime | None
    laps: int
    clean: int
    sure: str
    spread_pct: float | None
    clean_rate: float | None
    gap_pct: float | None = Field(description="Of the best lap to the target, or to the team's best ideal")
    points: float | None
    out_of_date: bool


class BookMistake(Schema):
    kind: str
    title: str
    costs_us: list[int | None] = Field(
        description="A lap, by week as in the book; 0: it didn't recur, null: too little was driven to tell"
    )
    closed: int
    returned: int
    state: RecurringState


class SeasonBook(Schema):
    driver_id: UUID
    driver: str
    behind: int = Field(description="Weeks of which figures are missing or out of date")
    words: list[str]
    weeks: list[BookWeek] = Field(description="Series by series, each in the order of its weeks")
    lessons: list[LessonOut]


class SeasonMistakes(Schema):
    words: list[str]
    items: list[BookMistake]
