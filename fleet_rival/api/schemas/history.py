"""History, background work, events, and what rigs deliver."""

from datetime import datetime
from typing import Any, Literal
from uuid import UUID

from pydantic import AwareDatetime, BaseModel, ConfigDict, Field, NaiveDatetime

from fleet_rival.api.schemas.base import Schema


class EntryOut(Schema):
    id: UUID
    number: int
    made_at: datetime
    person: str
    rig: str | None
    action: str
    summary: str
    kind: Literal["act", "undo", "redo"]
    standing: bool
    can_undo: bool
    can_redo: bool
    rows: int


class HistoryPage(Schema):
    items: list[EntryOut]
    next: int | None


class HistoryQuery(BaseModel):
    model_config = ConfigDict(extra="forbid")
    thing: Literal["combination", "layout", "layout_corner", "reference_point", "driver", "membership"] | None = None
    id: UUID | None = None
    before: int | None = Field(default=None, ge=1)
    mine: bool = False


class EntryPath(BaseModel):
    entry_id: UUID


class ChangeOut(Schema):
    table: str
    before: dict[str, Any] | None
    after: dict[str, Any] | None


class EntryDetail(Schema):
    entry: EntryOut
    changes: list[ChangeOut]


class StepsOut(Schema):
    undo: EntryOut | None
    redo: EntryOut | None


class JobOut(Schema):
    id: UUID
    kind: str
    name: str
    person: str
    state: Literal["waiting", "running", "done", "failed", "cancelled"]
    progress: float
    doing: str | None
    cancel_asked: bool
    result: dict[str, Any] | None
    trouble: str | None
    made_at: datetime
    ended_at: datetime | None


class Jobs(Schema):
    items: list[JobOut]


class JobPath(BaseModel):
    job_id: UUID


class TurnedOut(Schema):
    summary: str | None = Field(description="What was done, or None where a job does it")
    job: JobOut | None


class EventOut(Schema):
    id: int
    topic: str
    about: UUID | None


class EventsOut(Schema):
    last: int
    missed: bool = Field(description="Events in between are gone: ask for everything anew")
    items: list[EventOut]


class EventsQuery(BaseModel):
    after: int | None = Field(default=None, ge=0)


class DeliveredLap(Schema):
    run: int = Field(ge=1, le=100_000)
    lap: int = Field(ge=0, le=100_000)
    time_us: int = Field(gt=0, le=86_400_000_000)
    started_at: AwareDatetime | None = None
    kind: Literal["flying", "out", "in", "outin"] = "flying"
    valid: bool = True
    company: Literal["solo", "behind", "pack"] | None = None
    compound: str | None = Field(default=None, max_length=120)
    tyre_set: str | None = Field(default=None, max_length=120)
    tyre_age: float | None = Field(default=None, ge=0, le=10_000)
    fuel_l: float | None = Field(default=None, ge=0, le=10_000)
    energy_kwh: float | None = Field(default=None, ge=0, le=10_000)
    track_temp_c: float | None = Field(default=None, ge=-60, le=120)
    air_temp_c: float | None = Field(default=None, ge=-60, le=80)
    wetness: Literal["dry", "damp", "wet"] = "dry"
    purpose: Literal["learn", "build", "corner", "trial", "long", "qualifying", "rehearsal", "experiment", "commentary"] | None = None
    sectors: dict[str, int] = Field(default_factory=dict, max_length=200)
    segments: dict[str, int] = Field(default_factory=dict, max_length=200)


class DeliveryIn(Schema):
    track: str = Field(max_length=120)
    layout: str = Field(max_length=120)
    car: str = Field(max_length=120)
    driver: str = Field(max_length=120)
    session: str = Field(min_length=1, max_length=120)
    session_local: NaiveDatetime | None = Field(default=None, description="Date and time of day inside the simulation when the session began")
    laps: list[DeliveredLap] = Field(min_length=1, max_length=500)


class DeliveredOut(Schema):
    added: int
    same: int
    different: int
