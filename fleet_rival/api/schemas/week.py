"""Layouts and combinations."""

from typing import Any
from uuid import UUID

from pydantic import BaseModel, Field

from fleet_rival.api.schemas.base import Schema


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


class DriverOut(Schema):
    id: UUID
    name: str
    guest: bool
    laps: int


class CombinationOut(Schema):
    id: UUID
    version: int
    car: str
    track: str
    layout: str
    layout_id: UUID
    length_m: float
    note: str | None
    settings: dict[str, Any]
    laps: int
    revision: int
    drivers: list[DriverOut]


class Combinations(Schema):
    items: list[CombinationOut]


class NewCombination(Schema):
    layout_id: UUID
    car: str = Field(min_length=1, max_length=120)


class CombinationChange(Schema):
    note: str | None = Field(max_length=5000)
    cold_laps: int | None = Field(ge=0, le=10, description="Flying laps after an out lap that are cold; None for the default")
    cold_seconds: float | None = Field(ge=0, le=3600, description="Instead of cold laps, on long tracks")
    solo_floor_s: float | None = Field(ge=0, le=3600, description="A faster lap can't have been driven alone")


class CombinationPath(BaseModel):
    combination_id: UUID


class DriverPath(CombinationPath):
    driver_id: UUID
