"""Lap files: looked at, imported."""

from typing import Annotated
from uuid import UUID

from pydantic import BaseModel, ConfigDict, Field

from fleet_rival.api.schemas.base import Schema
from fleet_rival.core.laps.merge import OtherPace, SessionMatch
from fleet_rival.core.words import Constant, Differences, ImportedState, ImportState, Splits, TableRows, TimeUnit
from fleet_rival.services.drive.files import Unpacked
from fleet_rival.services.drive.imports import ImportView
from fleet_rival.services.drive.lap_preview import DifferenceView, Preview
from fleet_rival.services.drive.lap_preview import DriverCount as DriverCountValue
from fleet_rival.services.drive.lap_preview import SampleLap as SampleLapValue
from fleet_rival.services.drive.lap_reading import MappingView


class LapFilePath(BaseModel):
    file_id: UUID


class PreviewQuery(BaseModel):
    model_config = ConfigDict(extra="forbid")
    apart: list[str] = Field(
        default_factory=list,
        max_length=200,
        description="Sessions of the file that are others than those of the same label",
    )


class DifferenceOut(Schema, of=DifferenceView):
    pass


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


class SessionOut(Schema, of=SessionMatch):
    pass


class SampleLap(Schema, of=SampleLapValue):
    pass


class OtherPaceOut(Schema, of=OtherPace):
    pass


class DriverCount(Schema, of=DriverCountValue):
    pass


class ColumnOut(Schema):
    name: str
    target: str | None = Field(description="What the column is read as; not used where null")
    unit: TimeUnit
    examples: list[str]


class TargetOption(Schema):
    target: str
    words: str


class MappingOut(Schema, of=MappingView):
    columns: list[ColumnOut]
    splits: Splits
    rows: TableRows
    offered: list[TargetOption]


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


class UnpackedOut(Schema, of=Unpacked):
    pass


class Archive(Schema):
    items: list[UnpackedOut]


class PreviewOut(Schema, of=Preview):
    state: ImportState
    set_aside: list[SetAsideOut]
    warnings: list[WarningOut]


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


class ImportOut(Schema, of=ImportView):
    state: ImportedState


class Imports(Schema):
    items: list[ImportOut]
