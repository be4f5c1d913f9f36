"""What was learned."""

from datetime import datetime
from typing import Literal
from uuid import UUID

from pydantic import BaseModel, ConfigDict, Field

from fleet_rival.api.schemas.base import Schema
from fleet_rival.services.log.lessons import CONDITIONS

LessonCondition = Literal[CONDITIONS]  # type: ignore[valid-type]


class LessonOut(Schema):
    id: UUID
    version: int
    text: str
    layout_id: UUID | None
    place: str | None
    corner: str | None
    car_id: UUID | None
    car: str | None
    series_id: UUID | None
    series: str | None
    driver_id: UUID | None
    driver: str | None
    condition: LessonCondition | None
    by: str
    written_at: datetime
    confirmed_by: str | None
    confirmed_at: datetime | None
    own: bool = Field(description="Whether you wrote it")


class LessonList(Schema):
    items: list[LessonOut]


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
