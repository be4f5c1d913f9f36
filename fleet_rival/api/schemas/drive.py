"""Lap files: looked at, imported."""

from datetime import datetime
from typing import Literal
from uuid import UUID

from pydantic import BaseModel, ConfigDict, Field

from fleet_rival.api.schemas.base import Schema


class LapFilePath(BaseModel):
    file_id: UUID


class PreviewQuery(BaseModel):
    model_config = ConfigDict(extra="forbid")
    apart: list[str] = Field(default_factory=list, max_length=200, description="Sessions of the file that are others than those of the same label")


class DifferenceOut(Schema):
    line: int
    driver: str
    session: str
    run: int
    lap: int
    stored_us: int
    file_us: int
    fields: list[str]


class SetAsideOut(Schema):
    line: int
    column: str | None
    value: str | None
    reason: str
    repeats_line: int | None
    differs: bool | None


class WarningOut(Schema):
    line: int
    reason: str


class SessionOut(Schema):
    label: str
    stored_as: str
    there_already: bool
    certain: bool


class SampleLap(Schema):
    driver: str
    session: str
    run: int | None
    number: int
    time_us: int
    kind: str
    sectors: dict[str, int]
    segments: dict[str, int]


class OtherPaceOut(Schema):
    incoming_us: int
    stored_us: int


class DriverCount(Schema):
    name: str
    laps: int


class PreviewOut(Schema):
    id: UUID
    combination_id: UUID
    name: str
    state: Literal["preview", "imported", "taken_back"]
    revision: int
    separator: str
    rows: int
    new: int
    same: int
    different: list[DifferenceOut]
    different_count: int
    set_aside: list[SetAsideOut]
    set_aside_count: int
    warnings: list[WarningOut]
    warnings_count: int
    drivers: list[DriverCount]
    unknown_drivers: list[str]
    sessions: list[SessionOut]
    other_cars: list[str]
    unused_columns: list[str]
    missing_parts: list[str]
    other_pace: OtherPaceOut | None
    runs_inferred: bool
    imported_before: datetime | None
    sample: list[SampleLap]


class ImportWishes(Schema):
    revision: int = Field(ge=1, description="Of the combination when the preview was made")
    leave_out: list[str] = Field(default_factory=list, max_length=1000, description="Unknown drivers that aren't to be added")
    differences: Literal["keep", "take"] = "keep"
    apart: list[str] = Field(default_factory=list, max_length=200)


class ImportOut(Schema):
    id: UUID
    change_id: UUID
    name: str
    state: Literal["imported", "taken_back"]
    imported_at: datetime
    person: str
    added: int
    changed: int


class Imports(Schema):
    items: list[ImportOut]
