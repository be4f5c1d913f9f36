"""Series, weeks, entries and calendars."""

from datetime import date
from typing import Annotated
from uuid import UUID

from pydantic import BaseModel, Field, NaiveDatetime

from fleet_rival.api.schemas.base import Day, Moment, Schema, WallClock
from fleet_rival.core.words import Counting, Importance, Relation, RowState, SetupRule, StartKind, Wetness
from fleet_rival.services.drive.practice import PracticeView
from fleet_rival.services.find.knowledge import Earlier, EarlierLaps, Knowledge
from fleet_rival.services.plan.calendars import Address
from fleet_rival.services.week.entries import EntryView
from fleet_rival.services.week.season_files import SeasonImported, SeasonPreview
from fleet_rival.services.week.season_files import SeasonRow as SeasonRowValue
from fleet_rival.services.week.series import SeriesView, WeekView

Text = Annotated[str, Field(max_length=120)]
Minutes = Annotated[float, Field(ge=0, le=10_000)]
Whole = Annotated[int, Field(ge=0, le=10_000)]
Rate = Annotated[float, Field(ge=0, le=100)]
Degrees = Annotated[float, Field(ge=-60, le=120)]


class SeriesOut(Schema, of=SeriesView):
    pass


class SeriesList(Schema):
    items: list[SeriesOut]


class SeriesChange(Schema):
    name: str = Field(min_length=1, max_length=120)
    note: str | None = Field(default=None, max_length=5000)


class SeriesCounting(Schema):
    best_weeks: int | None = Field(ge=1, le=100, description="So many weeks count, the best ones; null: all")
    starts_count: Counting = Field(
        default="best", description="What a week with several starts brings, of their points"
    )


class Compound(Schema):
    name: str = Field(min_length=1, max_length=120, pattern=r"^[^|*]+$")
    must: bool = False


class Changeable(Schema):
    name: str = Field(min_length=1, max_length=120, pattern=r"^[^|=\[\]]+$")
    default: float | None = None
    low: float | None = None
    high: float | None = None
    step: float | None = None
    unit: str | None = Field(default=None, max_length=16, pattern=r"^[^\s\[\]0-9=|.,+-][^\[\]=|]*$")


class WeekFacts(Schema):
    week: int = Field(ge=0, le=9999)
    zone: str = Field(default="UTC", max_length=64)
    begins: Day
    ends: Day = Field(description="The day after the last")
    cars: list[Annotated[str, Field(min_length=1, max_length=120, pattern=r"^[^|]+$")]] = Field(
        default_factory=list, max_length=20
    )
    track: Text | None = None
    layout: Text | None = None
    race_laps: int | None = Field(default=None, ge=1, le=10_000)
    race_minutes: float | None = Field(default=None, gt=0, le=10_000)
    starts: str | None = Field(
        default=None, max_length=10_000, description="Moments, or a rule such as `every 90min from 00:20`"
    )
    start: StartKind | None = None
    setup: SetupRule | None = None
    cautions: bool | None = None
    practice_minutes: Minutes | None = None
    qualifying_minutes: Minutes | None = None
    qualifying_laps: Whole | None = None
    fuel_rate: Rate | None = None
    tyre_rate: Rate | None = None
    compounds: list[Compound] = Field(default_factory=list, max_length=20)
    stops_min: Whole | None = None
    damage: Text | None = None
    repairs: Text | None = None
    grid: Whole | None = None
    strike_limit: Whole | None = None
    incident_limit: Whole | None = None
    boost: Text | None = None
    session_local: WallClock | None = Field(default=None, description="Date and time of day inside the simulation")
    air_temp_c: Degrees | None = None
    track_temp_c: Degrees | None = None
    wetness: Wetness | None = None
    limits_rule: Text | None = None
    note: str | None = Field(default=None, max_length=2000)
    changeable: list[Changeable] = Field(default_factory=list, max_length=60)


class WeekFactsOut(WeekFacts):
    series: str


class CarChoice(Schema):
    id: UUID
    name: str


class SeriesWeekOut(Schema, of=WeekView):
    cars: list[CarChoice]
    facts: WeekFactsOut


class SeriesWeeks(Schema):
    items: list[SeriesWeekOut]


class SetAsideRow(Schema):
    line: int
    column: str | None
    value: str | None
    reason: str
    repeats_line: int | None
    differs: bool | None


class RowWarned(Schema):
    line: int
    reason: str


class SeasonRow(Schema, of=SeasonRowValue):
    begins: date
    ends: date
    state: RowState


class SeasonPreviewOut(Schema, of=SeasonPreview):
    set_aside: list[SetAsideRow]
    warnings: list[RowWarned]


class SeasonWishes(Schema):
    stamp: str = Field(max_length=64)
    take_changes: bool = False


class SeasonImportedOut(Schema, of=SeasonImported):
    pass


class WeekEntryOut(Schema, of=EntryView):
    importance: Importance


class NewEntries(Schema):
    week_ids: list[UUID] = Field(min_length=1, max_length=200)
    driver_ids: list[UUID] = Field(min_length=1, max_length=200)
    importance: Importance = "want"


class EnteredCount(Schema):
    count: int


class EntryChange(Schema):
    importance: Importance | None = None
    starts: list[Moment] | None = Field(default=None, max_length=50)
    car_id: UUID | None = None
    resource_id: UUID | None = None
    note: str | None = Field(default=None, max_length=2000)
    points: float | None = Field(
        default=None, ge=0, le=100_000, allow_inf_nan=False, description="What the week brought"
    )


class EntryMove(Schema):
    week_id: UUID
    driver_id: UUID


class EntryList(Schema):
    entry_ids: list[UUID] = Field(min_length=1, max_length=2000)


class EarlierLapsOut(Schema, of=EarlierLaps):
    pass


class EarlierOut(Schema, of=Earlier):
    relation: Relation


class KnowledgeOut(Schema, of=Knowledge):
    pass


class CalendarOut(Schema, of=Address):
    pass


class Calendars(Schema):
    items: list[CalendarOut]


class NewCalendar(Schema):
    name: str = Field(min_length=1, max_length=120)


class NewCalendarOut(CalendarOut):
    address: str


class SeriesPath(BaseModel):
    series_id: UUID


class WeekPath(BaseModel):
    week_id: UUID


class EntryIdPath(BaseModel):
    entered_id: UUID


class SeasonFilePath(BaseModel):
    season_file_id: UUID


class CalendarPath(BaseModel):
    calendar_id: UUID


class CalendarTokenPath(BaseModel):
    token: str = Field(max_length=100)


class WeatherChange(Schema):
    minute: float = Field(ge=0, le=100_000, description="Since the first lap of the session began")
    wetness: Wetness


class PracticeOut(Schema, of=PracticeView):
    session_local: NaiveDatetime | None
    weather: list[WeatherChange]


class Practices(Schema):
    items: list[PracticeOut]


class PracticeChange(Schema):
    session_local: NaiveDatetime | None
    air_temp_c: Degrees | None
    track_temp_c: Degrees | None
    wetness: Wetness | None
    label: str | None = Field(default=None, max_length=120, description="Another name for the session")
    weather: list[WeatherChange] = Field(
        default_factory=list, max_length=50, description="Where it changed within the session, in the order of time"
    )


class PracticePath(BaseModel):
    session_id: UUID
