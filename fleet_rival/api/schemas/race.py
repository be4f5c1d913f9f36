"""The race ahead of an entry, and its sheet."""

from datetime import datetime
from typing import Annotated, Any
from uuid import UUID

from pydantic import BaseModel, ConfigDict, Field

from fleet_rival.api.schemas.base import Schema, ZoneName
from fleet_rival.core.race.caution import CautionWindow
from fleet_rival.core.race.crossing import Crossing
from fleet_rival.core.race.pits import PitLoss
from fleet_rival.core.words import OpeningVerdict
from fleet_rival.services.race.wish import RaceWish


class RaceEntry(Schema):
    entry_id: UUID
    driver_id: UUID
    driver: str
    series: str
    place: str
    importance: str
    race_at: datetime | None


class RaceList(Schema):
    items: list[RaceEntry]


class RaceWishBody(BaseModel):
    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)
    pit_s: float = Field(default=25.0, ge=0, le=600)
    pit_deviation_s: float = Field(default=1.5, ge=0, le=60)
    caution_pit_s: float | None = Field(
        default=None, ge=0, le=600, description="What a stop costs under a caution; half where missing"
    )
    risk: float = Field(default=0.05, gt=0, le=0.5, description="Of running out of fuel or energy")
    formation_laps: float = Field(default=0.5, ge=0, le=5)
    saving: float = Field(default=0.0, ge=0, lt=1)
    leader_us: int | None = Field(default=None, ge=1_000_000, le=36_000_000_000)
    rivals_us: list[Annotated[int, Field(ge=1_000_000, le=36_000_000_000)]] = Field(default_factory=list, max_length=60)
    life: dict[str, int] = Field(default_factory=dict, max_length=20, description="Laps that a set of a compound lasts")
    wet_on_dry_us: int | None = Field(default=None, ge=1_000_000, le=36_000_000_000)
    dry_on_wet_us: int | None = Field(default=None, ge=1_000_000, le=36_000_000_000)
    remember: str = Field(default="", max_length=200)
    early: str = Field(default="", max_length=300)


class RaceWishOut(Schema, of=RaceWish):
    pass


class RaceDistance(Schema):
    laps: int
    close: bool
    timed: bool


class RaceQualifying(Schema):
    laps: int
    cold_laps: int | None
    safe_us: float
    likely_us: float | None
    low_us: float | None
    high_us: float | None
    odds: float | None
    odds_first: float | None
    clean_rate: float
    tow_us: float | None = Field(description="What a tow is worth on a lap")
    odds_tow: float | None


class RaceConsumption(Schema):
    unit: str
    per_lap: float
    deviation: float
    between: float
    laps: int
    runs: int
    start: float
    margin: float
    tank: float | None
    tank_laps: int | None
    saving_needed: float | None
    unit_us: float | None = Field(description="What a litre more costs a lap")
    filled_at_stops: int = Field(
        description="Stops at which a tank is filled that doesn't hold the whole race; 0: none is"
    )


class RaceStint(Schema):
    compound: str
    laps: int


class RacePlanOut(Schema):
    stints: list[RaceStint]
    words: str
    stops: int
    time_us: float
    low_us: float
    high_us: float
    wins: float
    behind_us: float


class RaceFlip(Schema):
    stops: int
    seconds: float


class RaceCaution(Schema, of=CautionWindow):
    pass


class RaceOption(Schema):
    where: str
    race: str | None
    qualifying: str | None


class RaceFalloffFlip(Schema):
    compound: str
    falloff_us: float = Field(description="At which another plan is as fast")
    stints: list[RaceStint]
    words: str


class RacePitLoss(Schema, of=PitLoss):
    pass


class RaceStops(Schema):
    falloff_flips: list[RaceFalloffFlip]
    cautions: list[RaceCaution] = Field(description="Laps behind which stopping under a caution is worth it")
    plans: list[RacePlanOut]
    pit_flips_s: list[RaceFlip]
    why_none: str
    compounds: list[dict[str, Any]]


class RaceLimitCorner(Schema):
    corner: str
    expected: float
    halved: float = Field(description="Chance of reaching the limit with half as many here")


class RaceLimits(Schema):
    limit: int
    chance: float
    expected: float
    corners: list[RaceLimitCorner]


class RaceOwn(Schema):
    place: float | None = Field(description="Among the rivals that somebody named, on average")
    place_one_less: float | None = Field(description="With one slip less")
    median_us: float
    low_us: float
    high_us: float
    slips: float
    strikes: float
    one_less_us: float
    draws: int


class RaceCross(Schema, of=Crossing):
    pass


class RaceCrossing(Schema):
    laps_left: int
    drying: RaceCross | None
    getting_wet: RaceCross | None


class HotReading(Schema):
    where: str = Field(description="After which run it was read")
    when: str | None
    how: str | None
    track_temp_c: float | None
    hot_kpa: dict[str, float]


class RaceTaught(Schema):
    shift: float = Field(description="Share by which races were other than practice foretold")
    widen: float = Field(description="By which its intervals were too narrow")


class RaceOpening(Schema):
    """Push or save at the start of the first stint, where nobody tried it on purpose."""

    first: int = Field(description="Laps that count as the start")
    laps: int = Field(description="Of the stint")
    even: float = Field(
        description=(
            "What a second won on each of the first laps may cost on each later one, in seconds, without being lost "
            "again"
        )
    )
    cost: float | None = Field(description="What it did cost in practice, in seconds")
    low: float | None
    high: float | None
    runs: int
    verdict: OpeningVerdict | None
    reason: str
    tried: bool = Field(description="Whether a trial of the whole lap tells it instead")
    words: str


class RaceOut(Schema):
    entry_id: UUID
    week_id: UUID
    version: int
    driver_id: UUID
    driver: str
    series: str
    place: str
    car: str | None
    combination_id: UUID | None
    layout_id: UUID | None
    race_at: datetime | None
    wish: RaceWishOut
    compounds: list[str]
    distance: RaceDistance | None
    median_us: float | None
    target_us: int | None
    qualifying: RaceQualifying | None
    consumption: RaceConsumption | None
    stops: RaceStops | None
    opening: RaceOpening | None
    limits: RaceLimits | None
    incidents: RaceLimits | None
    pit_loss: RacePitLoss | None = Field(
        description="What in and out laps of practice tell of a stop, without standing still"
    )
    own_race: RaceOwn | None
    crossing: RaceCrossing | None
    options: list[RaceOption] = Field(description="Options of which a trial told which one to take")
    eaters: str | None = Field(description="Where to spare the tyres; null where they fall off alike all round")
    hot_readings: list[HotReading] = Field(description="Hot pressures that were read after runs, the last ones first")
    taught: dict[str, RaceTaught] = Field(description="By figure, what earlier races taught; taken into account")
    missing: list[str]


class SheetLine(Schema):
    part: str
    words: str
    seat: bool


class SheetPart(Schema):
    key: str
    title: str


class SheetOut(Schema):
    entry_id: UUID
    driver_id: UUID
    driver: str
    series: str
    place: str
    race_at: datetime | None
    lines: list[SheetLine]
    missing: list[str]
    number: int | None
    handed_out_at: datetime | None
    by: str | None
    read_at: datetime | None
    last: list[SheetLine]
    since_read: list[str]
    gone: list[str]
    outdated: bool
    parts: list[SheetPart]
    text: str


class SheetNumber(BaseModel):
    model_config = ConfigDict(extra="forbid")
    number: int = Field(ge=1, le=10_000)


class SheetPdfQuery(BaseModel):
    model_config = ConfigDict(extra="forbid")
    zone: ZoneName = "UTC"


class PressureWish(BaseModel):
    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)
    cold_kpa: dict[str, float] = Field(max_length=4, description="As it was set, by wheel")
    hot_kpa: dict[str, float] = Field(max_length=4, description="As it was measured, by wheel")
    wanted_kpa: dict[str, float] = Field(max_length=4, description="Wanted when hot, by wheel")
    cold_c: float | None = Field(default=None, ge=-40, le=70)
    track_c: float | None = Field(default=None, ge=-40, le=90)
    now_cold_c: float | None = Field(default=None, ge=-40, le=70)
    now_track_c: float | None = Field(default=None, ge=-40, le=90)
    step_kpa: float = Field(default=1.0, gt=0, le=50)


class PressuresOut(Schema):
    cold_kpa: dict[str, float] = Field(description="To be set, on the car's step")
    exactly_kpa: dict[str, float]
