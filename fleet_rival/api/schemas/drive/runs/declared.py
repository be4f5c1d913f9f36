"""Runs and what is declared of them, over the wire."""

from typing import Annotated
from uuid import UUID

from pydantic import BaseModel, Field

from fleet_rival.api.schemas.base import Schema
from fleet_rival.api.schemas.week.combinations import CombinationPath
from fleet_rival.api.schemas.week.season import PracticeOut, PracticePath
from fleet_rival.core.words import (
    CheckReason,
    Company,
    Purpose,
    SessionKind,
)
from fleet_rival.services.drive.runs.declare import CheckView, RunView, Template
from fleet_rival.services.drive.runs.run_list import Driven, RunLine

_Text = Annotated[str, Field(max_length=120)]
_Quantity = Annotated[float, Field(ge=0, le=100_000)]
_Number = Annotated[int, Field(ge=0, le=1_000_000)]


class RunContextForm(Schema):
    session_kind: SessionKind = "practice"
    purpose: Purpose | None = None
    tyre_set: _Text | None = None
    compound: _Text | None = None
    tyre_age: _Quantity | None = Field(default=None, description="Laps that the set had done when the run started")
    fuel_l: _Quantity | None = None
    energy_kwh: _Quantity | None = None
    setup: _Text | None = None
    settings: dict[_Text, Annotated[str, Field(max_length=60)]] = Field(
        default_factory=dict, max_length=60, description="In the car, by name"
    )
    assists: _Text | None = None
    company: Company | None = None
    official: bool | None = Field(default=None, description="Driven in the conditions of the race")
    options: Annotated[str, Field(max_length=400)] = Field(
        default="", description="What is tried: `T4 = third gear, lap = save`"
    )
    watch: list[Annotated[str, Field(max_length=200)]] = Field(default_factory=list, max_length=20)


class RunOut(Schema, of=RunView):
    context: RunContextForm


class TemplateOut(Schema, of=Template):
    context: RunContextForm


class CheckWish(Schema):
    driver_id: UUID
    context: RunContextForm


class RunCheckOut(Schema, of=CheckView):
    why: CheckReason


class Checks(Schema):
    items: list[RunCheckOut]


class Declaration(CheckWish):
    done: list[_Text] = Field(default_factory=list, max_length=100, description="Checks that were ticked off")


class RunPath(BaseModel):
    run_id: UUID


class TemplatePath(CombinationPath):
    driver_id: UUID


class RunLineOut(Schema, of=RunLine):
    pass


class SessionLineOut(Schema):
    practice: PracticeOut
    runs: list[RunLineOut]


class DrivenOut(Schema, of=Driven):
    sessions: list[SessionLineOut]


class RunKeyOut(Schema):
    session_id: UUID
    driver_id: UUID
    number: int


class RunKeyPath(PracticePath):
    driver_id: UUID
    number: int = Field(ge=0, le=1_000_000_000)


class LapOfRunPath(RunKeyPath):
    lap: int = Field(ge=0, le=1_000_000_000)
