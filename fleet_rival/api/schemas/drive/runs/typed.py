"""Laps typed and timed by hand, over the wire."""

from typing import Annotated
from uuid import UUID

from pydantic import BaseModel, Field

from fleet_rival.api.schemas.base import Moment, Schema
from fleet_rival.services.drive.runs.fingers import KeptLap, Lane
from fleet_rival.services.drive.runs.reactions import ReactionView

_Text = Annotated[str, Field(max_length=120)]
_Quantity = Annotated[float, Field(ge=0, le=100_000)]
_Number = Annotated[int, Field(ge=0, le=1_000_000)]


class LaneWish(Schema):
    driver_id: UUID | None = None
    guest: _Text | None = Field(default=None, description="Name of somebody outside the team")
    new_run: bool = False


class KeptLapOut(Schema, of=KeptLap):
    pass


class LetterOut(Schema):
    letter: str
    words: str


class LaneOut(Schema, of=Lane):
    pass


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


class ReactionOut(Schema, of=ReactionView):
    pass


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
