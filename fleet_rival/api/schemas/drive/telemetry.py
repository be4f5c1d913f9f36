"""Uploads in pieces, traces, layouts found from them, what rigs send, and who drives now."""

from typing import Annotated, Any, Literal
from uuid import UUID

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, TypeAdapter, model_validator

from fleet_rival.api.schemas.base import Moment, Schema, WallClock
from fleet_rival.core.telemetry.trace import CHANNELS
from fleet_rival.core.texts import tidy
from fleet_rival.core.words import (
    FLAGS,
    GUEST,
    PART_FLAGS,
    AlignedBy,
    Company,
    LapKind,
    PlacedBy,
    Purpose,
    UploadState,
    Wetness,
)
from fleet_rival.services.drive.brief import Brief
from fleet_rival.services.drive.feed import Line, Trouble
from fleet_rival.services.drive.traces.passes import PassView
from fleet_rival.services.drive.traces.uploads import TelemetryRead, UploadView
from fleet_rival.services.drive.traces.view import OverlaidLap, Overlay, TracedLap
from fleet_rival.services.drive.watching import LiveLap, LiveRun, LiveView, WaitingRun

_Name = Annotated[str, AfterValidator(tidy), Field(min_length=1, max_length=120)]
_Key = Annotated[str, Field(min_length=8, max_length=80, pattern=r"^[A-Za-z0-9._:-]+$")]
_ROW_LENGTH = 500


def _for_a_row(tokens: list[str]) -> list[str]:
    """What stands in one column of a lap's row, with blanks between."""
    if len(" ".join(tokens)) > _ROW_LENGTH:
        raise ValueError(f"together they are longer than {_ROW_LENGTH} characters")
    return tokens


_Code = Annotated[str, Field(max_length=40, pattern=r"^\S+$")]
_WHOLE = "|".join(flag for flag in FLAGS if flag != GUEST)
_Flag = Annotated[
    str,
    Field(max_length=60, pattern=rf"^({_WHOLE}|({'|'.join(PART_FLAGS)}):[^\s:]{{1,40}})$"),
]
"""Of the whole lap, or of a part: `traffic:T40`."""
"""Who is a guest, the team says, not the rig."""
_MOST_SAMPLES = 50_000


class UploadPath(BaseModel):
    upload_id: UUID


class SpaceOut(Schema):
    team_used: int = Field(description="Bytes")
    team_most: int
    own_used: int = Field(description="Of the person's own files")
    own_most: int
    free: int = Field(description="What the disk has left")
    nearly_full: bool = Field(description="Whether somebody should make room before something is refused")


class UploadOut(Schema, of=UploadView):
    state: UploadState
    names: dict[str, str]
    read: TelemetryRead | None = Field(description="What became of it, where laps of a combination were read")
    found: "FoundLayoutOut | None" = Field(description="The layout that was found in it, where that was asked")


class Uploads(Schema):
    items: list[UploadOut]


class UploadReading(Schema):
    names: dict[str, str] = Field(
        default_factory=dict, max_length=200, description="Name in the file to the driver's name in the team"
    )
    combination_id: UUID | None = Field(default=None, description="Where it wasn't said when the file began to come")


class FoundLayoutOut(Schema):
    track: dict[str, Any] = Field(description="A track file, to be corrected and added")
    curvature: list[float] = Field(description="1/m at even steps round the lap, positive to the left")
    used: int
    left_out: dict[str, int]
    by: PlacedBy


class TracedLapOut(Schema, of=TracedLap):
    pass


class TracedLaps(Schema):
    items: list[TracedLapOut]


class OverlayQuery(BaseModel):
    model_config = ConfigDict(extra="forbid")
    lap: list[str] = Field(
        min_length=1,
        max_length=12,
        description="`session:driver:run:lap`; the first is what the others are compared with",
    )
    channel: Literal[CHANNELS] = "speed_kmh"  # type: ignore[valid-type]
    start_m: float | None = Field(default=None, ge=0, le=1e6)
    end_m: float | None = Field(default=None, ge=0, le=1e6)
    points: int = Field(default=1000, ge=50, le=4000)


class TakeTracesQuery(BaseModel):
    model_config = ConfigDict(extra="forbid")
    lap: list[str] = Field(min_length=1, max_length=12, description="`session:driver:run:lap`")


class PassesQuery(BaseModel):
    model_config = ConfigDict(extra="forbid")
    lap: list[str] = Field(min_length=1, max_length=12, description="`session:driver:run:lap`")
    part: str = Field(max_length=20, description="A segment's code")


class PassOut(Schema, of=PassView):
    pass


class PassesOut(Schema):
    items: list[PassOut]


class OverlaidOut(Schema, of=OverlaidLap):
    by: AlignedBy


class OverlayOut(Schema, of=Overlay):
    pass


class LiveLapOut(Schema, of=LiveLap):
    counts: bool = Field(description="Clean, as far as the run tells so far")


class LiveRunOut(Schema, of=LiveRun):
    pass


class LiveWaitingOut(Schema, of=WaitingRun):
    pass


class LiveOut(Schema, of=LiveView):
    pass


class TroubleOut(Schema, of=Trouble):
    pass


class Troubles(Schema):
    items: list[TroubleOut]


class TakenAgain(Schema):
    lines: int


class BriefQuery(BaseModel):
    driver: str = Field(min_length=1, max_length=120)


class BriefOut(Schema, of=Brief):
    track: dict[str, Any] = Field(description="The track file")


_PartTimes = dict[Annotated[str, Field(min_length=1, max_length=40)], Annotated[int, Field(gt=0, le=86_400_000_000)]]


class FedLap(Schema):
    run: int = Field(ge=1, le=100_000)
    lap: int = Field(ge=0, le=100_000)
    lap_of_run: int | None = Field(default=None, ge=0, le=100_000, description="From 0; lets laps come in any order")
    run_began_at: Moment | None = None
    time_us: int = Field(gt=0, le=86_400_000_000)
    started_at: Moment | None = None
    kind: LapKind = "flying"
    valid: bool = True
    strikes: Annotated[list[_Code], AfterValidator(_for_a_row)] = Field(default_factory=list, max_length=60)
    flags: Annotated[list[_Flag], AfterValidator(_for_a_row)] = Field(default_factory=list, max_length=60)
    company: Company | None = None
    compound: Annotated[str, AfterValidator(tidy), Field(max_length=120)] | None = None
    tyre_set: Annotated[str, AfterValidator(tidy), Field(max_length=120)] | None = None
    tyre_age: float | None = Field(default=None, ge=0, le=10_000)
    fuel_l: float | None = Field(default=None, ge=0, le=10_000)
    energy_kwh: float | None = Field(default=None, ge=0, le=10_000)
    track_temp_c: float | None = Field(default=None, ge=-60, le=120)
    air_temp_c: float | None = Field(default=None, ge=-60, le=80)
    wetness: Wetness = "dry"
    purpose: Purpose | None = None
    sectors: _PartTimes = Field(default_factory=dict, max_length=200)
    segments: _PartTimes = Field(default_factory=dict, max_length=200)


class _FedHead(Schema):
    key: _Key
    track: _Name
    layout: _Name
    car: _Name
    driver: _Name
    session: _Name
    session_local: WallClock | None = Field(
        default=None, description="Date and time of day inside the simulation when the session began"
    )


class FedLapLine(_FedHead):
    kind: Literal["lap"]
    lap: FedLap


class FedSamplesLine(_FedHead):
    kind: Literal["samples"]
    run: int = Field(ge=1, le=100_000)
    lap: int = Field(ge=0, le=100_000)
    part: int = Field(ge=0, le=999)
    parts: int = Field(ge=1, le=1000)
    channels: dict[Literal[CHANNELS], list[float | None]]  # type: ignore[valid-type]

    @model_validator(mode="after")
    def fits(self) -> "FedSamplesLine":
        lengths = {len(values) for values in self.channels.values()}
        if not {"time_s", "distance_m", "speed_kmh"} <= self.channels.keys():
            raise ValueError("time_s, distance_m and speed_kmh are needed")
        if len(lengths) != 1 or not 1 <= next(iter(lengths)) <= _MOST_SAMPLES:
            raise ValueError(f"all channels must have the same number of samples, 1 to {_MOST_SAMPLES:,}")
        if self.part >= self.parts:
            raise ValueError("part counts from 0 and is less than parts")
        return self


_line: TypeAdapter[FedLapLine | FedSamplesLine] = TypeAdapter(
    Annotated[FedLapLine | FedSamplesLine, Field(discriminator="kind")]
)


def fed_line(text: bytes) -> Line:
    """One line that a rig sends.

    Raises:
        ValueError: it isn't one.
    """
    read = _line.validate_json(text)
    return Line(read.key, read.kind, read.model_dump(mode="json", exclude={"key", "kind"}))


class RefusedLine(Schema):
    line: int = Field(description="From 1")
    reason: str


class FedOut(Schema):
    taken: int = Field(description="Written down: they won't be lost")
    again: int = Field(description="There already under the same key")
    refused: list[RefusedLine]
