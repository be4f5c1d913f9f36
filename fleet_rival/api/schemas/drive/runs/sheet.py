"""A run's sheet and what people say of its laps, over the wire."""

from typing import Annotated
from uuid import UUID

from pydantic import BaseModel, Field

from fleet_rival.api.schemas.base import Schema
from fleet_rival.api.schemas.drive.runs.declared import RunKeyOut, RunOut
from fleet_rival.api.schemas.week.season import PracticeOut
from fleet_rival.core.words import (
    ApexFeel,
    LapKind,
    LapQuestion,
    Mark,
    MarkedBy,
    RemarkCause,
    Wetness,
    Wheel,
)
from fleet_rival.services.drive.runs.asked import AskedLap
from fleet_rival.services.drive.runs.moves import Moved
from fleet_rival.services.drive.runs.sheet import LapOnSheet, RemarkView, RunSheet

_Text = Annotated[str, Field(max_length=120)]
_Quantity = Annotated[float, Field(ge=0, le=100_000)]
_Number = Annotated[int, Field(ge=0, le=1_000_000)]


_FlagChange = Annotated[str, Field(pattern=r"^[+-][a-z]{1,20}(:[^\s:]{1,40})?$")]
"""A flag to add or to take away, of the lap or of a part: `+traffic:T40`."""


class MarkOut(Schema):
    mark: Mark
    name: str
    meaning: str
    by: MarkedBy


class OverruledOut(Schema):
    mark: Mark
    name: str


class AskedOut(Schema):
    kind: LapQuestion
    corner: str | None
    loss_us: int | None
    laps: int


class LapOnSheetOut(Schema, of=LapOnSheet):
    marks: list[MarkOut]
    overruled: list[OverruledOut]
    asked: list[AskedOut]


class RemarkOut(Schema, of=RemarkView):
    pass


class RunSheetOut(Schema, of=RunSheet):
    run: RunOut
    practice: PracticeOut
    corners: list[dict[str, str | None]]
    before: RunKeyOut | None
    after: RunKeyOut | None


class Versions(Schema):
    versions: dict[_Number, _Number] = Field(
        min_length=1, max_length=2000, description="Of the laps by their number, as they were looked at"
    )


class MarksChange(Versions):
    marks: dict[Mark, bool | None] | None = Field(
        description=(
            "Mark to whether it stands; null leaves it to facts and rules. Without any, whether the laps count is "
            "turned round"
        )
    )


class LapFacts(Schema):
    time_us: int | None = Field(default=None, ge=1_000_000, le=36_000_000_000)
    kind: LapKind | None = None
    valid: bool | None = None
    flags: list[_FlagChange] | None = Field(default=None, max_length=20)
    wetness: Wetness | None = None
    tyre_set: _Text | None = None
    compound: _Text | None = None
    setup: _Text | None = None
    assists: _Text | None = None
    note: Annotated[str, Field(max_length=2000)] | None = None
    tyre_age: _Quantity | None = None
    fuel_l: _Quantity | None = None
    energy_kwh: _Quantity | None = None
    track_temp_c: Annotated[float, Field(ge=-60, le=120)] | None = None
    air_temp_c: Annotated[float, Field(ge=-60, le=80)] | None = None


class LapsChange(Versions):
    facts: LapFacts = Field(description="Only what is named is written; null clears it")


class Balance(Schema):
    entry: int | None = Field(default=None, ge=-3, le=3)
    middle: int | None = Field(default=None, ge=-3, le=3)
    exit: int | None = Field(default=None, ge=-3, le=3)


class Handling(Schema):
    slow: Balance = Field(default_factory=Balance)
    fast: Balance = Field(default_factory=Balance)
    small_lift: ApexFeel | None = None
    small_throttle: ApexFeel | None = None


class ReadingForm(Schema):
    when: _Text = Field(description="Before, during or after which lap")
    how: _Text = Field(default="", description="With what, or where it was read")
    tread_pct: dict[Wheel, float | None] = Field(default_factory=dict)
    hot_pressure_kpa: dict[Wheel, float | None] = Field(default_factory=dict)
    track_temp_c: Annotated[float, Field(ge=-60, le=120)] | None = None
    air_temp_c: Annotated[float, Field(ge=-60, le=80)] | None = None
    fuel_left_l: _Quantity | None = None


class Feel(Schema):
    handling: Handling
    readings: list[ReadingForm] = Field(max_length=20)
    note: Annotated[str, Field(max_length=2000)] | None = None


class RemarkWish(Schema):
    corner: Annotated[str, Field(max_length=40)] | None = None
    kind: Annotated[str, Field(max_length=16)] | None = None
    cause_corner: Annotated[str, Field(max_length=40)] | None = None
    because: RemarkCause | None = None
    text: Annotated[str, Field(max_length=500)] | None = None


class RemarkMade(Schema):
    id: UUID


class RemarkPath(BaseModel):
    remark_id: UUID


class AnswerOption(Schema):
    answer: str
    words: str


class AskedLapOut(Schema, of=AskedLap):
    kind: LapQuestion
    answers: list[AnswerOption]


class AskedLaps(Schema):
    items: list[AskedLapOut]


class AnswerWish(Schema):
    kind: LapQuestion
    answer: Annotated[str, Field(max_length=20)]
    corner: Annotated[str, Field(max_length=40)] | None = None


class WhichRun(Schema):
    driver_id: UUID
    number: int = Field(ge=0, le=1_000_000_000)


class MergeWish(Schema):
    other_id: UUID = Field(description="The session whose runs come into this one")


class SplitWish(Schema):
    runs: list[WhichRun] = Field(min_length=1, max_length=2000)
    label: _Text | None = None


class MoveWish(Schema):
    runs: list[WhichRun] = Field(
        default_factory=list, max_length=2000, description="All of the session where none is named"
    )
    combination_id: UUID | None = None
    driver_id: UUID | None = None


class MovedOut(Schema, of=Moved):
    pass
