"""Lap files: looked at, imported."""

from datetime import datetime
from typing import Annotated
from uuid import UUID

from pydantic import BaseModel, ConfigDict, Field

from fleet_rival.api.schemas.base import Schema
from fleet_rival.core.words import Constant, Differences, ImportedState, ImportState, Splits, TableRows, TimeUnit


class LapFilePath(BaseModel):
    file_id: UUID


class PreviewQuery(BaseModel):
    model_config = ConfigDict(extra="forbid")
    apart: list[str] = Field(
        default_factory=list,
        max_length=200,
        description="Sessions of the file that are others than those of the same label",
    )


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


class ColumnOut(Schema):
    name: str
    target: str | None = Field(description="What the column is read as; not used where null")
    unit: TimeUnit
    examples: list[str]


class TargetOption(Schema):
    target: str
    words: str


class MappingOut(Schema):
    columns: list[ColumnOut]
    splits: Splits
    rows: TableRows
    constants: dict[str, str]
    seen: list[str]
    missing: list[str]
    needed: bool
    told: bool
    remembered: bool
    offered: list[TargetOption]
    names: dict[str, str]


class ColumnUse(Schema):
    target: str = Field(max_length=60)
    unit: TimeUnit = "time"


class TableMapping(Schema):
    columns: dict[str, ColumnUse] = Field(max_length=2000)
    splits: Splits = "times"
    rows: TableRows = "laps"
    constants: dict[Constant, Annotated[str, Field(max_length=120)]] = Field(default_factory=dict)


class ReadingChange(Schema):
    table: TableMapping | None = Field(description="How the columns are read; by their names where null")
    names: dict[Annotated[str, Field(max_length=120)], UUID] = Field(
        default_factory=dict, max_length=500, description="Names in the file, and who that is in the team"
    )
    confirmed: bool = Field(default=True, description="Whether it is said for good, or only to be seen")


class LinePath(LapFilePath):
    line: int = Field(ge=1, le=10_000_000)


class LineChange(Schema):
    cells: list[Annotated[str, Field(max_length=2000)]] | None = Field(
        max_length=2000, description="The line's cells; as it came where null"
    )


class UnpackedOut(Schema):
    name: str
    id: UUID | None
    refused: str | None


class Archive(Schema):
    items: list[UnpackedOut]


class PreviewOut(Schema):
    id: UUID
    combination_id: UUID
    name: str
    state: ImportState
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
    mapping: MappingOut
    problem: str | None
    header: list[str]
    cells: dict[str, list[str]]
    mended: int
    partial: bool


class ImportWishes(Schema):
    revision: int = Field(ge=1, description="Of the combination when the preview was made")
    leave_out: list[str] = Field(
        default_factory=list, max_length=1000, description="Unknown drivers that aren't to be added"
    )
    differences: Differences = "keep"
    apart: list[str] = Field(default_factory=list, max_length=200)
    guests: list[str] = Field(
        default_factory=list, max_length=1000, description="Unknown drivers that are added as guests"
    )


class ImportOut(Schema):
    id: UUID
    change_id: UUID
    name: str
    state: ImportedState
    imported_at: datetime
    person: str
    added: int
    changed: int
    set_aside: int


class Imports(Schema):
    items: list[ImportOut]
