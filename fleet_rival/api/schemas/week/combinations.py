"""Layouts and combinations."""

from typing import Annotated
from uuid import UUID

from pydantic import BaseModel, Field

from fleet_rival.api.schemas.base import Schema
from fleet_rival.core.words import CountedAlong, TargetBy
from fleet_rival.services.track.tracks import LayoutView
from fleet_rival.services.week.combinations import CombinationView, DriverView
from fleet_rival.services.week.combinations import CombinationWeek as CombinationWeekValue


class LayoutOut(Schema, of=LayoutView):
    pass


class Layouts(Schema):
    items: list[LayoutOut]


class DriverOut(Schema, of=DriverView):
    pass


class TargetRule(Schema):
    rule: TargetBy
    time_us: int | None = Field(default=None, gt=0, lt=36_000_000_000)
    per_cent: float | None = Field(
        default=None, ge=90, le=150, description="Of the benchmark or the ideal; 100 where nothing is said"
    )


class BenchmarkLap(Schema):
    time_us: int = Field(gt=0, lt=36_000_000_000)
    whose: str = Field(default="", max_length=120)
    source: str = Field(default="", max_length=120)
    conditions: str = Field(default="", max_length=120)


class TargetChange(Schema):
    target: TargetRule | None
    benchmark: BenchmarkLap | None
    strike_limit: int | None = Field(default=None, ge=0, le=1000)
    incident_limit: int | None = Field(default=None, ge=0, le=1000)


class CombinationWeek(Schema, of=CombinationWeekValue):
    pass


class CombinationOut(Schema, of=CombinationView):
    target: TargetRule | None
    benchmark: BenchmarkLap | None


class Combinations(Schema):
    items: list[CombinationOut]


class NewCombination(Schema):
    layout_id: UUID
    car: str = Field(min_length=1, max_length=120)


class CombinationChange(Schema):
    note: str | None = Field(max_length=5000)
    cold_laps: int | None = Field(
        ge=0, le=10, description="Flying laps after an out lap that are cold; None for the default"
    )
    cold_seconds: float | None = Field(ge=0, le=3600, description="Instead of cold laps, on long tracks")
    solo_floor_s: float | None = Field(ge=0, le=3600, description="A faster lap can't have been driven alone")
    condition_minutes: float | None = Field(
        default=None, ge=0, le=720, description="Practice further from the race's time of day is pointed out"
    )
    condition_air_c: float | None = Field(default=None, ge=0, le=100, description="The same for the air's temperature")
    condition_track_c: float | None = Field(
        default=None, ge=0, le=100, description="The same for the track's temperature"
    )
    hand_timed_ideals: int | None = Field(
        default=None, ge=0, le=1, description="1: times taken by hand count for ideal laps too"
    )
    thresholds: (
        dict[Annotated[str, Field(max_length=40)], Annotated[float, Field(ge=0, lt=1e9, allow_inf_nan=False)]] | None
    ) = Field(
        default=None,
        max_length=60,
        description="Other thresholds by name; a missing one goes back to its default; None leaves all as they are",
    )


class ThresholdOut(Schema):
    name: str
    words: str
    usual: float | None


class Thresholds(Schema):
    items: list[ThresholdOut]


class OfWeek(BaseModel):
    week: UUID | None = Field(
        default=None, description="A series' week, whose own laps alone are meant; all laps where missing"
    )
    also: list[CountedAlong] = Field(
        default_factory=list, description="Laps that count along, though they don't by default"
    )


class CombinationPath(BaseModel):
    combination_id: UUID


class DriverPath(CombinationPath):
    driver_id: UUID
