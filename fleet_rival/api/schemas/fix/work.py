"""Exercises and who works on what, over the wire."""

from uuid import UUID

from pydantic import BaseModel, Field

from fleet_rival.api.schemas.base import Schema
from fleet_rival.core.words import (
    MistakeKind,
)
from fleet_rival.services.fix.card import CardItem
from fleet_rival.services.fix.catalogue import ExerciseView
from fleet_rival.services.fix.work import AssignmentView, HelpedDriver, HelpedView


class ExerciseOut(Schema, of=ExerciseView):
    kind: MistakeKind


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


class AssignmentOut(Schema, of=AssignmentView):
    kind: MistakeKind


class AssignmentsOut(Schema):
    items: list[AssignmentOut]


class HelpedDriverOut(Schema, of=HelpedDriver):
    pass


class HelpedOut(Schema, of=HelpedView):
    kind: MistakeKind
    drivers: list[HelpedDriverOut] = Field(description="For who may see all")


class WhatHelped(Schema):
    items: list[HelpedOut]


class CardItemOut(Schema, of=CardItem):
    kind: MistakeKind
    assigned: AssignmentOut | None


class CardOfThree(Schema):
    driver: str
    place: str
    car: str
    items: list[CardItemOut]
    text: str
