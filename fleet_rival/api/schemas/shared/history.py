"""History, background work, events, and what rigs deliver."""

from uuid import UUID

from pydantic import BaseModel, ConfigDict, Field

from fleet_rival.api.schemas.base import Schema
from fleet_rival.api.schemas.shared.jobs import TurnJob
from fleet_rival.core.words import HistoryThing, Turn
from fleet_rival.services.shared.history import ChangeView, Entry, Page, Steps


class EntryOut(Schema, of=Entry):
    kind: Turn


class HistoryPage(Schema, of=Page):
    pass


class HistoryQuery(BaseModel):
    model_config = ConfigDict(extra="forbid")
    thing: HistoryThing | None = None
    id: UUID | None = None
    before: int | None = Field(default=None, ge=1)
    mine: bool = False


class EntryPath(BaseModel):
    entry_id: UUID


class ChangeOut(Schema, of=ChangeView):
    pass


class EntryDetail(Schema):
    entry: EntryOut
    changes: list[ChangeOut]


class StepsOut(Schema, of=Steps):
    pass


class TurnedOut(Schema):
    summary: str | None = Field(description="What was done, or None where a job does it")
    job: TurnJob | None


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
