"""Runs and what is declared of them, over the wire."""

from datetime import datetime
from typing import Annotated, Any
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


class RunOut(Schema):
    id: UUID | None
    version: int
    combination_id: UUID
    driver_id: UUID
    driver: str
    guest: bool
    session_id: UUID | None
    session: str | None
    number: int | None
    declared_at: datetime | None
    context: RunContextForm
    checks: list[dict[str, Any]]
    handling: dict[str, Any]
    readings: list[dict[str, Any]]
    note: str | None


class TemplateOut(Schema):
    context: RunContextForm
    from_run: str | None
    in_car: list[dict[str, Any]]
    assists: list[str]
    known: dict[str, list[str]]
    tank_l: float | None
    battery_kwh: float | None


class CheckWish(Schema):
    driver_id: UUID
    context: RunContextForm


class RunCheckOut(Schema):
    key: str
    why: CheckReason
    words: str


class Checks(Schema):
    items: list[RunCheckOut]


class Declaration(CheckWish):
    done: list[_Text] = Field(default_factory=list, max_length=100, description="Checks that were ticked off")


class RunPath(BaseModel):
    run_id: UUID


class TemplatePath(CombinationPath):
    driver_id: UUID


class RunLineOut(Schema):
    driver_id: UUID
    driver: str
    guest: bool
    number: int
    laps: int
    first_at: datetime | None
    best_us: int | None
    purpose: str | None
    compound: str | None
    setup: str | None
    declared: bool
    by_hand: bool


class SessionLineOut(Schema):
    practice: PracticeOut
    runs: list[RunLineOut]


class DrivenOut(Schema):
    sessions: list[SessionLineOut]
    waiting: list[RunOut]


class RunKeyOut(Schema):
    session_id: UUID
    driver_id: UUID
    number: int


class RunKeyPath(PracticePath):
    driver_id: UUID
    number: int = Field(ge=0, le=1_000_000_000)


class LapOfRunPath(RunKeyPath):
    lap: int = Field(ge=0, le=1_000_000_000)
