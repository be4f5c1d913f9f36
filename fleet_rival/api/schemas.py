"""What goes over the wire, checked at the border. The front end's types are generated from these."""

from datetime import datetime
from typing import Any, Literal
from uuid import UUID

from flask_openapi3 import FileStorage
from pydantic import BaseModel, ConfigDict, Field, field_validator
from werkzeug.datastructures import FileStorage as SentFile


class Schema(BaseModel):
    """Unknown fields are refused; values may come from the services' dataclasses."""

    model_config = ConfigDict(extra="forbid", from_attributes=True)


class Problem(BaseModel):
    """An error after RFC 9457."""

    type: str = Field(description="A stable name of the kind of problem")
    title: str
    status: int
    detail: str = Field(description="What happened, to what, and how to go on")
    fields: list[dict[str, str]] | None = Field(default=None, description="For input that doesn't fit: which field, and why")


class Me(Schema):
    team: str
    person: str
    role: str


class Health(Schema):
    status: Literal["ok"]
    version: str


class LayoutOut(Schema):
    id: UUID
    track: str
    layout: str
    kind: str
    length_m: float
    sectors: int
    corners: int
    already_there: bool


class Layouts(Schema):
    items: list[LayoutOut]


class FileForm(BaseModel):
    file: FileStorage

    @field_validator("file", mode="before")
    @classmethod
    def must_be_a_file(cls, value: Any) -> Any:
        """A text field of this name would pass for a file otherwise."""
        if not isinstance(value, SentFile):
            raise ValueError("send a file")
        return value


class DriverOut(Schema):
    id: UUID
    name: str
    guest: bool
    laps: int


class CombinationOut(Schema):
    id: UUID
    car: str
    track: str
    layout: str
    layout_id: UUID
    length_m: float
    laps: int
    revision: int
    drivers: list[DriverOut]


class Combinations(Schema):
    items: list[CombinationOut]


class NewCombination(Schema):
    layout_id: UUID
    car: str = Field(min_length=1, max_length=120)


class CombinationPath(BaseModel):
    combination_id: UUID


class DriverPath(CombinationPath):
    driver_id: UUID


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


class ImportResultOut(Schema):
    added: int
    changed: int
    kept: int
    same: int
    set_aside: int
    left_out: int
    drivers_added: list[str]


class ImportOut(Schema):
    id: UUID
    name: str
    state: Literal["imported", "taken_back"]
    imported_at: datetime
    person: str
    added: int
    changed: int


class Imports(Schema):
    items: list[ImportOut]


class TakenBackOut(Schema):
    name: str
    removed: int
    restored: int


class GroupOut(Schema):
    car: str | None
    wetness: str
    compound: str | None
    race: bool


class OtherGroup(GroupOut):
    laps: int


class SegmentOut(Schema):
    code: str
    name: str | None
    start_m: float
    end_m: float
    linked_to_next: bool


class RungPartOut(Schema):
    code: str
    time_us: int
    driver: str | None
    session: str
    run: int
    lap: int


class RungOut(Schema):
    name: str
    title: str
    meaning: str
    time_us: int | None
    step_us: int | None
    step_words: str
    parts: list[RungPartOut]


class PartTimeOut(Schema):
    code: str
    time_us: int
    session: str
    run: int
    lap: int


class TeamPartOut(PartTimeOut):
    driver: str


class TeamIdealOut(Schema):
    segment_us: int | None
    sector_us: int | None
    group: GroupOut | None
    parts: list[TeamPartOut]


class IdealOut(Schema):
    sector_us: int | None
    segment_us: int | None
    unbroken_us: int | None
    linked_qualifying_us: int | None
    linked_race_us: int | None
    parts: dict[str, list[PartTimeOut]]


class ConsistencyOut(Schema):
    n: int
    median_us: int | None
    mean_us: int | None
    sd_us: int | None
    robust_sd_us: int | None
    adjusted_sd_us: int | None
    spread_pct: float | None
    spread_s_per_sqrt_min: float | None
    p10_us: int | None
    p90_us: int | None
    within_half_pct: float | None
    clean_rate: float | None
    longest_streak: int | None
    successive_difference_ratio: float | None
    share: dict[str, float] | None
    share_interval: dict[str, list[float] | None] | None


class BestOfOut(Schema):
    laps: int
    p10_us: int | None
    p50_us: int | None
    p90_us: int | None


class SegmentFiguresOut(Schema):
    n: int
    reference_us: int | None
    mean_loss_us: int | None
    sd_us: int | None
    slips: int | None
    candidate: bool


class FiguresOut(Schema):
    group: GroupOut
    sure: Literal["firm", "likely", "thin"]
    laps: dict[str, int]
    best_us: int | None
    ideal: IdealOut
    consistency: ConsistencyOut
    best_of: list[BestOfOut] | None


class DriverFigures(Schema):
    id: UUID
    name: str
    guest: bool
    sure_words: str
    ladder: list[RungOut]
    figures: FiguresOut
    segments: dict[str, SegmentFiguresOut]
    missing: dict[str, str]
    other_groups: list[OtherGroup]


class MarkWords(Schema):
    name: str
    meaning: str


class GroupWarning(Schema):
    file: str | None
    line: int | None
    driver: str
    reason: str


class AnalysisOut(Schema):
    sectors: list[str]
    segments: list[SegmentOut]
    team_ideal: TeamIdealOut
    warnings: list[GroupWarning]
    mark_words: dict[str, MarkWords]
    drivers: list[DriverFigures]


class StripLap(Schema):
    session: str
    run: int
    lap: int
    time_us: int
    started_at: datetime | None
    marks: dict[str, bool] = Field(description="Mark to whether a rule inferred it")
    clean: bool
    times_us: list[int | None]
    losses_us: list[int | None]
    passes: list[bool]
    taken: list[str]
    strikes: list[str]
    incidents: list[str]
    setup: str | None
    note: str | None


class StripPart(Schema):
    code: str
    n: int
    reference_us: int | None
    mean_loss_us: int | None
    candidate: bool


class StripOut(Schema):
    group: GroupOut
    depth: Literal["segments", "sectors"] | None
    parts: list[StripPart]
    laps: list[StripLap]


class DriverLaps(Schema):
    id: UUID
    name: str
    groups: list[StripOut]


def validate(schema: type[BaseModel], value: Any) -> Any:
    """A service's value as a schema's JSON-ready one."""
    return schema.model_validate(value).model_dump(mode="json")
