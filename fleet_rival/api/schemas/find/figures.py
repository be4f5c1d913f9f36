"""Figures, ladders and strips."""

from datetime import datetime
from uuid import UUID

from pydantic import Field

from fleet_rival.api.schemas.base import Schema
from fleet_rival.core.words import PartDepth, Sure


class GroupOut(Schema):
    car: str | None
    wetness: str
    compound: str | None
    race: bool


class OtherGroup(GroupOut):
    laps: int


class SegmentOut(Schema):
    code: str
    name: str | None
    start_m: float
    end_m: float
    linked_to_next: bool


class RungPartOut(Schema):
    code: str
    time_us: int
    driver: str | None
    session: str
    run: int
    lap: int


class RungOut(Schema):
    name: str
    title: str
    meaning: str
    time_us: int | None
    step_us: int | None
    step_words: str
    parts: list[RungPartOut]


class PartTimeOut(Schema):
    code: str
    time_us: int
    session: str
    run: int
    lap: int


class TeamPartOut(PartTimeOut):
    driver: str


class TeamIdealOut(Schema):
    segment_us: int | None
    sector_us: int | None
    group: GroupOut | None
    parts: list[TeamPartOut]


class IdealOut(Schema):
    sector_us: int | None
    segment_us: int | None
    unbroken_us: int | None
    linked_qualifying_us: int | None
    linked_race_us: int | None
    parts: dict[str, list[PartTimeOut]]


class ConsistencyOut(Schema):
    n: int
    median_us: int | None
    mean_us: int | None
    sd_us: int | None
    robust_sd_us: int | None
    adjusted_sd_us: int | None
    spread_pct: float | None
    spread_s_per_sqrt_min: float | None
    p10_us: int | None
    p90_us: int | None
    within_half_pct: float | None
    clean_rate: float | None
    longest_streak: int | None
    successive_difference_ratio: float | None
    share: dict[str, float] | None
    share_interval: dict[str, list[float] | None] | None


class BestOfOut(Schema):
    laps: int
    p10_us: int | None
    p50_us: int | None
    p90_us: int | None


class SegmentFiguresOut(Schema):
    n: int
    reference_us: int | None
    mean_loss_us: int | None
    sd_us: int | None
    slips: int | None
    candidate: bool


class FiguresOut(Schema):
    group: GroupOut
    sure: Sure
    laps: dict[str, int]
    best_us: int | None
    ideal: IdealOut
    consistency: ConsistencyOut
    best_of: list[BestOfOut] | None


class DriverFigures(Schema):
    id: UUID
    name: str
    guest: bool
    sure_words: str
    ladder: list[RungOut]
    figures: FiguresOut
    segments: dict[str, SegmentFiguresOut]
    missing: dict[str, str]
    other_groups: list[OtherGroup]


class MarkWords(Schema):
    name: str
    meaning: str


class GroupWarning(Schema):
    file: str | None
    line: int | None
    driver: str
    reason: str


class AnalysisOut(Schema):
    sectors: list[str]
    segments: list[SegmentOut]
    team_ideal: TeamIdealOut
    warnings: list[GroupWarning]
    mark_words: dict[str, MarkWords]
    countable: dict[str, int] = Field(description="How many flying laps would count along, by what")
    drivers: list[DriverFigures]


class StripLap(Schema):
    session: str
    run: int
    lap: int
    time_us: int
    started_at: datetime | None
    marks: dict[str, bool] = Field(description="Mark to whether a rule inferred it")
    clean: bool
    times_us: list[int | None]
    losses_us: list[int | None]
    passes: list[bool]
    taken: list[str]
    strikes: list[str]
    incidents: list[str]
    track_temp_c: float | None
    setup: str | None
    note: str | None


class StripPart(Schema):
    code: str
    n: int
    reference_us: int | None
    mean_loss_us: int | None
    candidate: bool


class StripOut(Schema):
    group: GroupOut
    depth: PartDepth | None
    parts: list[StripPart]
    laps: list[StripLap]


class DriverLaps(Schema):
    id: UUID
    name: str
    groups: list[StripOut]
