"""Exercises and who works on what, over the wire."""

from datetime import datetime
from uuid import UUID

from pydantic import BaseModel, Field

from fleet_rival.api.schemas.base import Schema
from fleet_rival.core.words import (
    MistakeKind,
)


class ExerciseOut(Schema):
    code: str
    version: int
    kind: MistakeKind
    kind_title: str
    title: str
    cause: str
    feel: str
    work: str
    of_passes: int
    good_passes: int
    mark: str
    shipped: bool


class ExercisesOut(Schema):
    items: list[ExerciseOut]
    mistake_words: dict[str, str] = Field(description="What each kind is called")


class ExercisePath(BaseModel):
    code: str = Field(min_length=1, max_length=40, pattern=r"^[a-z0-9-]+$")


class ExerciseForm(BaseModel):
    code: str = Field(min_length=1, max_length=40, pattern=r"^[a-z0-9-]+$")
    version: int = Field(ge=0)
    kind: MistakeKind
    title: str = Field(max_length=200)
    cause: str = Field(default="", max_length=2000)
    feel: str = Field(default="", max_length=2000)
    work: str = Field(max_length=2000)
    of_passes: int = Field(ge=1, le=50)
    good_passes: int = Field(ge=1, le=50)


class AssignmentForm(BaseModel):
    corner: str = Field(max_length=40)
    kind: MistakeKind
    exercise: str = Field(max_length=40)


class AssignmentPath(BaseModel):
    assignment_id: UUID


class AssignmentOut(Schema):
    id: UUID
    version: int
    driver_id: UUID
    driver: str
    corner: str
    name: str | None
    kind: MistakeKind
    kind_title: str
    title: str
    work: str
    mark: str
    begins_at: datetime
    ended_at: datetime | None
    driven: int
    best: int
    of: int
    passed: bool
    last: list[bool]
    rate_before: float | None
    rate_since: float | None
    words: str


class AssignmentsOut(Schema):
    items: list[AssignmentOut]


class HelpedDriverOut(Schema):
    driver: str
    place: str
    corner: str
    passed: bool
    rate_before: float | None
    rate_since: float | None


class HelpedOut(Schema):
    kind: MistakeKind
    title: str
    given: int
    judged: int
    passed: int
    removed: float
    low: float
    high: float
    words: str
    drivers: list[HelpedDriverOut] = Field(description="For who may see all")


class WhatHelped(Schema):
    items: list[HelpedOut]


class CardItemOut(Schema):
    corner: str
    name: str | None
    kind: MistakeKind
    words: str
    reference: str | None
    exercise: str
    mark: str
    code: str
    assigned: AssignmentOut | None
    gain_us: int
    gain_words: str


class CardOfThree(Schema):
    driver: str
    place: str
    car: str
    items: list[CardItemOut]
    text: str
