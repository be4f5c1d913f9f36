"""Laps typed and timed by hand, over the wire."""

from datetime import datetime
from typing import Annotated
from uuid import UUID

from pydantic import BaseModel, Field

from fleet_rival.api.schemas.base import Moment, Schema

_Text = Annotated[str, Field(max_length=120)]
_Quantity = Annotated[float, Field(ge=0, le=100_000)]
_Number = Annotated[int, Field(ge=0, le=1_000_000)]


class LaneWish(Schema):
    driver_id: UUID | None = None
    guest: _Text | None = Field(default=None, description="Name of somebody outside the team")
    new_run: bool = False


class KeptLapOut(Schema):
    number: int
    version: int
    time_us: int
    kind: str
    valid: bool
    sectors: dict[str, int]
    plus_minus_us: int | None
    words: str


class LetterOut(Schema):
    letter: str
    words: str


class LaneOut(Schema):
    session_id: UUID
    session: str
    driver_id: UUID
    driver: str
    guest: bool
    run: int
    run_id: UUID | None
    purpose: str | None
    watch: list[str]
    next_number: int
    laps: list[KeptLapOut]
    expected_us: int | None
    sectors: list[str]


class Letters(Schema):
    items: list[LetterOut]


class TypedLine(Schema):
    number: int = Field(ge=0, le=1_000_000, description="Of the lap within its run")
    line: str = Field(max_length=2500, description="`92114`, `1:32.114 t`, `30114 40200 21800 s5`")


class TypedMend(Schema):
    line: str = Field(max_length=2500)


class TimedLap(Schema):
    number: int = Field(ge=0, le=1_000_000)
    presses_us: list[Annotated[int, Field(ge=0, le=10**15)] | None] = Field(
        min_length=2,
        max_length=200,
        description="At the line, at each sector line (null where missed), and at the line again",
    )
    ended_at: Moment


class ReactionOut(Schema):
    offset_us: int
    spread_us: int
    presses: int
    plus_minus_us: int
    measured_at: datetime | None


class ReactionWish(Schema):
    truths_us: list[Annotated[int, Field(ge=0, le=10**15)]] = Field(min_length=1, max_length=500)
    presses_us: list[Annotated[int, Field(ge=0, le=10**15)]] = Field(max_length=2000)


class CrossingOut(Schema):
    line: int
    at_us: int


class ClipOut(Schema):
    lines_m: list[float]
    length_m: float
    crossings: list[CrossingOut]


class ClipQuery(BaseModel):
    seed: int = Field(default=1, ge=0, le=1_000_000)
