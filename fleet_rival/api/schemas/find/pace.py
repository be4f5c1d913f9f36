"""One driver in one combination: scatter, pace over a run, learning, options."""

from datetime import datetime
from typing import Annotated
from uuid import UUID

from pydantic import BaseModel, ConfigDict, Field

from fleet_rival.api.schemas.base import Schema
from fleet_rival.api.schemas.find.figures import FiguresOut, GroupOut
from fleet_rival.api.schemas.week.combinations import OfWeek
from fleet_rival.core.ledger import Proposal
from fleet_rival.core.options.results import Shift, Side
from fleet_rival.core.pace.falloff import Cliff
from fleet_rival.core.pace.scatter import LapOfRun
from fleet_rival.core.pace.versus import Projection, Step
from fleet_rival.core.words import FiguresForm, FiguresOf, OptionVerdict, PaceBy, Sure
from fleet_rival.services.find.steadiness import WeekSpread
from fleet_rival.services.find.tyres import CornerTyres, TrackTyres


class OddsOut(Schema):
    laps: int
    share: float


class LapToShow(Schema):
    session: str
    run: int
    lap: int
    excess_us: int
    time_us: int


class PaceLap(Schema):
    lap: int
    of_run: int
    time_us: int
    clean: bool
    marks: list[str]
    started_at: datetime | None


class PaceRunOut(Schema):
    session: str
    session_id: UUID
    run: int | None
    setup: str | None
    compound: str | None
    tyre_set: str | None
    purpose: str | None
    clean: int
    flying: int
    median_us: int | None = Field(description="None: no clean lap")
    slope_us: int | None
    line_us: list[int] | None = Field(description="The trend at the first and at the last clean lap")
    adjusted_us: int | None
    laps: list[PaceLap]


class LapOfRunOut(Schema, of=LapOfRun):
    offset_us: int
    spread_us: int | None


class SlopeOut(Schema):
    us_per_lap: int
    low_us: int
    high_us: int


class ConditionOut(GroupOut):
    clean: int
    median_us: int | None
    spread_pct: float | None
    falloff: SlopeOut | None


class CliffOut(Schema, of=Cliff):
    by: PaceBy


class SetFalloff(SlopeOut):
    tyre_set: str


class FalloffOut(SlopeOut):
    laps_used: int
    runs_used: int
    correlation: float
    cliff: CliffOut | None
    by_set: list[SetFalloff]


class CurvePoint(Schema):
    laps_done: float
    median_us: int


class LearningOut(Schema):
    points: list[CurvePoint]
    curve: list[CurvePoint]
    floor_us: int | None
    remain: int | None
    words: str


class SetupChangeOut(Schema):
    words: str
    before: str
    after: str
    raw_us: float
    gain_us: float | None
    low_us: float | None
    high_us: float | None
    age_before: float
    age_after: float
    by: str
    hidden: bool
    runs: list[int]
    reason: str


class WheelOut(Schema):
    wheel: str
    per_lap_pct: float
    left_pct: float
    through_at: int | None


class ShiftOut(Schema, of=Shift):
    pass


class SegmentShift(ShiftOut):
    code: str


class SideOut(Schema, of=Side):
    pass


class OptionOut(Schema):
    where: str
    sides: list[SideOut]
    switches: int
    shift: ShiftOut | None
    p_value: float | None
    race: str
    qualifying: str
    winner_race: str | None
    winner_qualifying: str | None
    words: list[str]
    by_segment: list[SegmentShift]


class FalloffPart(SlopeOut):
    code: str
    share: float = Field(description="Of the lap's falloff")


class ProposalOut(Schema, of=Proposal):
    words: str


class ParPoint(Schema):
    minute: float
    par_us: int


class ParLap(Schema):
    run: int | None
    lap: int
    minute: float
    time_us: int
    behind_us: int = Field(description="Slower than par for its minute")
    levelled_us: int = Field(description="Its time at the level of the curve: as with the setup of most laps")
    clean: bool


class ParOut(Schema):
    session: str
    session_id: UUID
    curve: list[ParPoint]
    laps: list[ParLap]
    words: list[str]


class DriverPace(Schema):
    id: UUID
    name: str
    figures: FiguresOut
    missing: dict[str, str]
    sure_words: str
    surer: str
    target_us: int | None
    odds: list[OddsOut] | None
    lap_to_show: LapToShow | None
    runs: list[PaceRunOut]
    by_lap_of_run: list[LapOfRunOut]
    by_condition: list[ConditionOut]
    share_words: list[str]
    team_ratio: float | None = Field(description="Spread by the root of the minute, over the team's median there")
    falloff: FalloffOut | None
    falloff_words: list[str]
    learning: LearningOut
    setup_changes: list[SetupChangeOut]
    wear: str | None = Field(description="Why wear can't be told")
    wheels: list[WheelOut]
    options: list[OptionOut]
    distance: int = Field(description="Laps over which two ways to drive are compared, unless others are asked for")
    falloff_by_part: list[FalloffPart]
    falloff_by_part_words: str | None
    eaters: str | None = Field(description="Where to spare the tyres; null where they fall off alike all round")
    proposals: list[ProposalOut]
    countable: dict[str, int]
    pars: list[ParOut]


class BesideDriver(Schema):
    id: UUID
    name: str
    guest: bool
    usual: float = Field(description="Median relative distance to the fastest reference")


class BesideCell(Schema):
    reference_us: int
    behind_us: int
    excess_us: int = Field(description="Beyond the driver's usual distance")
    candidate: bool


class BesidePart(Schema):
    code: str
    name: str | None
    start_m: float
    end_m: float
    best_us: int
    owner: str | None
    cells: list[BesideCell | None]


class PairOut(Schema):
    learner: str
    teacher: str
    parts: list[str]
    worth_us: int
    words: str


class BesideOut(Schema):
    group: GroupOut | None
    drivers: list[BesideDriver]
    parts: list[BesidePart]
    pairs: list[PairOut]
    together: list[str]
    countable: dict[str, int]


class CornerTyresOut(Schema, of=CornerTyres):
    pass


class TrackTyresOut(Schema, of=TrackTyres):
    corners: list[CornerTyresOut]


_Way = Annotated[
    str, Field(pattern=r"^(run|option):.{1,200}$", description="`run:SESSION:NUMBER` or `option:WHERE:LABEL`")
]


class VersusQuery(OfWeek):
    model_config = ConfigDict(extra="forbid")
    first: _Way
    second: _Way
    laps: int = Field(default=20, ge=1, le=2000)
    stops: int = Field(default=0, ge=0, le=50)
    stop_s: float = Field(default=0, ge=0, le=600)


class FiguresQuery(OfWeek):
    model_config = ConfigDict(extra="forbid")
    what: FiguresOf
    form: FiguresForm = "csv"
    driver: UUID | None = Field(default=None, description="Whose, where the figures are of one driver")


class OfDriver(BaseModel):
    driver_id: UUID


class WeekSpreadOut(Schema, of=WeekSpread):
    week_id: UUID | None = Field(description="None: of all times, where no week has the combination")
    sure: Sure
    out_of_date: bool = Field(description="Figures are being made anew")


class SteadinessOut(Schema):
    items: list[WeekSpreadOut]
    behind: int = Field(description="Weeks whose figures are missing or out of date; they are made in the background")


class ReportText(Schema):
    text: str


class VersusStep(Schema, of=Step):
    pass


class ProjectionOut(Schema, of=Projection):
    pass


class VersusOut(Schema):
    names: list[str]
    steps: list[VersusStep]
    crossing: int | None
    verdict: OptionVerdict | None
    difference: ProjectionOut | None
    totals: list[ProjectionOut | None]
    words: list[str]
